"""Requests made from the API's own document, right and wrong: every answer is one that the document has."""

import json
from urllib.parse import quote

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import busy

EXAMPLES = 12
#: A stream without an end.
ENDLESS = {"/api/projects/{project_id}/events"}


class DocumentTest(ApiCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.files = {"Desk.wav": wav_bytes(busy(4.0, 5))}
        cls.document = cls.client.get("/api/openapi.json").json()
        project = cls("ids").filled()
        cls.real = {"project_id": project["id"], "recording_id": project["recordings"][0]["id"]}

    def ids(self) -> None:
        """Not a test: the fixture above needs an instance to fill a project."""

    def valid(self, schema: dict) -> st.SearchStrategy:
        """Values that a schema allows."""
        if "$ref" in schema:
            return self.valid(self.document["components"]["schemas"][schema["$ref"].rsplit("/", 1)[-1]])
        for key in ("anyOf", "oneOf"):
            if key in schema:
                return st.one_of([self.valid(one) for one in schema[key]])
        if "enum" in schema or "const" in schema:
            return st.sampled_from(schema.get("enum") or [schema["const"]])
        match schema.get("type"):
            case "object":
                parts = {name: self.valid(one) for name, one in schema.get("properties", {}).items()}
                needed = {name: parts.pop(name) for name in schema.get("required", [])}
                return st.fixed_dictionaries(needed, optional=parts)
            case "integer":
                return st.integers(schema.get("minimum", -(2**40)), schema.get("maximum", 2**40))
            case "number":
                return st.floats(allow_nan=False, allow_infinity=False)
            case "string" if schema.get("format") == "uuid":
                return st.one_of(st.uuids().map(str), st.sampled_from(sorted(self.real.values())))
            case "string":
                return st.text(min_size=schema.get("minLength", 0), max_size=40)
            case "boolean":
                return st.booleans()
            case "array":
                return st.lists(self.valid(schema["items"]), max_size=3)
        return st.none()

    def requests(self, path: str, operation: dict) -> st.SearchStrategy:
        """Path, query and body of a request: mostly as the document wants them, sometimes anything at all."""
        anything = st.one_of(st.none(), st.integers(), st.text(max_size=8), st.lists(st.text(max_size=3), max_size=2))

        def mostly(wanted: st.SearchStrategy) -> st.SearchStrategy:
            return st.one_of(wanted, wanted, wanted, anything)

        where: dict[str, dict] = {"path": {}, "query": {}}
        for one in operation.get("parameters", []):
            wanted = mostly(self.valid(one["schema"]))
            if one["name"] in self.real:
                wanted = st.one_of(st.just(self.real[one["name"]]), wanted)
            where[one["in"]][one["name"]] = wanted
        body = operation.get("requestBody", {}).get("content", {}).get("application/json", {}).get("schema")
        return st.tuples(
            st.fixed_dictionaries(where["path"]),
            st.fixed_dictionaries({}, optional=where["query"]),
            mostly(self.valid(body)) if body else st.none(),
        )

    def ask(self, method: str, path: str, request: tuple) -> None:
        inside, query, body = request
        address = path
        for name, value in inside.items():
            address = address.replace(f"{{{name}}}", quote(str(value), safe="") or "-")
        operation = self.document["paths"][path][method]
        content = None if body is None else json.dumps(body)
        params = {name: value for name, value in query.items() if value is not None}
        answer = self.client.request(
            method, address, params=params, content=content, headers={"Content-Type": "application/json"}
        )
        told = f"{method} {address} {params} {content} gave {answer.status_code} {answer.text[:200]}"
        self.assertLess(answer.status_code, 500, told)
        documented = operation["responses"].get(str(answer.status_code))
        # An address that the values changed into another one belongs to no operation.
        if answer.status_code in (404, 405) and documented is None:
            return
        self.assertIsNotNone(documented, told)
        kinds = list(documented.get("content", {}))
        if kinds and answer.content:
            self.assertIn(answer.headers["content-type"].partition(";")[0], kinds, told)

    def test_every_operation_answers_as_the_document_says(self):
        operations = [
            (method, path)
            for path, found in self.document["paths"].items()
            for method in found
            # What deletes the one project that all others need comes in the tests of its own.
            if path not in ENDLESS and method != "delete"
        ]
        self.assertGreater(len(operations), 20)
        for method, path in operations:
            with self.subTest(method=method, path=path):
                self.tried(method, path)

    def tried(self, method: str, path: str) -> None:
        quiet = settings(
            max_examples=EXAMPLES, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck)
        )
        made = given(self.requests(path, self.document["paths"][path][method]))
        quiet(made(lambda request: self.ask(method, path, request)))()

    def test_what_is_no_json_or_no_method_is_told_as_a_problem(self):
        answer = self.client.post("/api/projects", content=b"\xff{", headers={"Content-Type": "application/json"})
        self.assertEqual((answer.status_code, answer.json()["type"]), (422, "urn:gullywind:bad-input"))
        self.assertIn("JSON", answer.json()["detail"])
        answer = self.client.put("/api/projects", json={})
        self.assertEqual((answer.status_code, answer.headers["allow"]), (405, "GET, POST"))
        answer = self.client.get("/api/room/freeing")
        self.assertEqual((answer.status_code, answer.headers["allow"]), (405, "POST"))
        self.assertEqual(self.client.get("/api/nothing").json()["status"], 404)
