"""The long trial of everything at once: clients ask for whatever the API document knows, filled with plausible values.

Values are drawn by the document's schemas and by their names: a time within the event, a rate near 1, a recording that
is there. So most of what is asked for is done, or refused in words, and one asks what another has just removed.
"""

import json
import random
import re
import threading
import time
import urllib.parse
from collections import Counter
from pathlib import Path
from typing import Any

import soundfile

from material.devices import RATE_HZ, clocked
from material.performances import speech_pair
from material.pictures import video
from material.spoken import VOICES
from scripts.figures import line
from scripts.served import STATUSES, Served

CLIENTS = 6
#: What would end the trial, or answers for ever.
LEFT_OUT = ("/api/projects/{project_id}/events", "/api/room/forgetting", "/api/projects/{project_id}/recordings")
#: Everything would soon be gone if each thing were removed as often as it is changed.
REMOVES_ONE_IN = 25
EVENT_S = 20.0
LEAST_THERE = 7
#: The last line of a traceback.
ERROR = re.compile(r"[\w.]+(Error|Exception|Violation)\b.*")


class Walker:
    """One client: draws a request, sends it, and notes what was answered with 500 and above."""

    def __init__(self, served: Served, project_id: str, seed: int, bad: Counter[str]) -> None:
        self._served, self._project_id, self._bad = served, project_id, bad
        self._chance = random.Random(seed)
        document = served.ask("GET", "/openapi.json")
        assert isinstance(document, dict)
        self._schemas: dict[str, Any] = document["components"]["schemas"]
        self._operations = [
            (method.upper(), path, operation)
            for path, methods in document["paths"].items()
            for method, operation in methods.items()
            if path not in LEFT_OUT and (method, path) != ("delete", "/api/projects/{project_id}")
        ]
        self._edits = [one for one in self._operations if one[1].endswith("/map-edits")]
        self._there: dict[str, list[str]] = {"recording_id": []}
        self._version = 0

    def step(self, files: list[Path]) -> None:
        """Ask for one thing; now and then another copy of a file is brought in, so that something is always there."""
        chance = self._chance
        self._look()
        if len(self._there["recording_id"]) < LEAST_THERE or chance.random() < 0.02:
            path = chance.choice(files)
            self._ask("POST", f"/projects/{self._project_id}/recordings?file_name={path.name}", path.read_bytes())
            return
        method, path, operation = chance.choice(self._edits if chance.random() < 0.5 else self._operations)
        if method == "DELETE" and chance.randrange(REMOVES_ONE_IN):
            return
        query = {}
        for one in operation.get("parameters", []):
            value = self._value(one["schema"], one["name"])
            if one["in"] == "path":
                path = path.replace("{" + one["name"] + "}", urllib.parse.quote(str(value), safe=""))
            elif one["in"] == "query" and (one.get("required") or chance.random() < 0.5):
                query[one["name"]] = value
        content = operation.get("requestBody", {}).get("content", {}).get("application/json")
        body = self._value(content["schema"], "body") if content else None
        asked = path.removeprefix("/api") + ("?" + urllib.parse.urlencode(query, doseq=True) if query else "")
        self._ask(method, asked, body)

    def _ask(self, method: str, path: str, body: Any = None) -> Any:
        answer, status = self._served.answered(method, path, body)
        # Busy, which it says, is no mistake.
        if not isinstance(status, int) or (status >= 500 and status != 503):
            self._bad[f"{status} {method} {path} {body if isinstance(body, dict) else ''}"[:300]] += 1
        return answer

    def _look(self) -> None:
        """What is there now, and in which version the recording is that is worked on next."""
        now = self._ask("GET", f"/projects/{self._project_id}")
        if not isinstance(now, dict):
            return
        rows = now["recordings"] or [{"id": self._project_id, "version": 0, "media": {}}]
        one = self._chance.choice(rows)
        self._version = one["version"] if self._chance.random() < 0.95 else self._chance.randrange(5)
        self._there |= {
            "project_id": [self._project_id],
            "recording_id": [row["id"] for row in now["recordings"]],
            "edited": [one["id"]],
            "work_id": [work["id"] for work in now["works"]],
            "version_id": [row["version_id"] for row in rows if row.get("version_id")],
        }
        if self._chance.randrange(8):
            return
        for name, path in (("set_id", "sets"), ("mark_id", "marks"), ("delivery_id", "deliveries")):
            found = self._ask("GET", f"/projects/{self._project_id}/{path}")
            listed = found if isinstance(found, list) else next(iter(found.values()), []) if found else []
            self._there[name] = [row["id"] for row in listed if isinstance(row, dict) and "id" in row]

    def _value(self, schema: dict[str, Any], name: str) -> Any:
        chance = self._chance
        if "$ref" in schema:
            return self._value(self._schemas[schema["$ref"].rsplit("/", 1)[1]], name)
        for several in ("oneOf", "anyOf", "allOf"):
            if several in schema:
                return self._value(chance.choice(schema[several]), name)
        if "const" in schema:
            return schema["const"]
        if "enum" in schema:
            return chance.choice(schema["enum"])
        kind = schema.get("type")
        if kind == "object":
            needed = schema.get("required", [])
            parts = schema.get("properties", {}).items()
            return {key: self._value(one, key) for key, one in parts if key in needed or chance.random() < 0.6}
        if kind == "array":
            least = schema.get("minItems", 0)
            return [
                self._value(schema["items"], name.removesuffix("s")) for _ in range(chance.randint(least, least + 2))
            ]
        if kind == "string":
            return self._text(name)
        return {"boolean": lambda: chance.random() < 0.5, "null": lambda: None}.get(
            str(kind), lambda: self._number(name, schema)
        )()

    def _text(self, name: str) -> str:
        asked = "edited" if name == "recording_id" and self._chance.random() < 0.8 else name
        there = self._there.get(asked) or self._there.get({"sounds_from": "recording_id"}.get(name, "recording_id"), [])
        if name.endswith("_id") or name == "sounds_from":
            return self._chance.choice(there) if there else self._project_id
        return self._chance.choice(("Walk", "Nacht é", "a" * 300, " "))

    def _number(self, name: str, schema: dict[str, Any]) -> float:
        chance = self._chance
        if name == "version":
            return self._version
        whole = schema.get("type") == "integer"
        if whole:
            return chance.choice((0, 0, 1, 2, 3, chance.randrange(0, 960000), -1))
        low, high = schema.get("minimum"), schema.get("maximum")
        if low is not None and high is not None:
            return chance.uniform(low, high)
        if name == "rate":
            return chance.choice((1.0, 1.0001, 0.96, 2.0))
        if name in ("by_s", "push_s", "corrected_s", "reach_s"):
            return chance.choice((0.0, 0.001, -0.02, 0.3, -2.0))
        if name.endswith("_db"):
            return chance.uniform(-20, 20)
        return chance.choice((0.0, chance.uniform(0, EVENT_S), chance.uniform(0, EVENT_S), -3.0, 1e9))


def walk_files(folder: Path) -> list[Path]:
    """A voice as the reference, another voice with the same words, two microphones of the first, and a camera."""
    pair = speech_pair(3, VOICES)
    voice = pair.reference * 0.5
    named = {
        "reference.wav": voice,
        "double.wav": pair.recording * 0.5,
        "left.wav": clocked(voice, 2.0, 1.00004, voice.size / RATE_HZ - 4),
        "right.wav": -clocked(voice, 2.0, 1.00004, voice.size / RATE_HZ - 4),
    }
    for name, sound in named.items():
        soundfile.write(folder / name, sound, RATE_HZ, subtype="PCM_16")
    seconds = min(voice.size / RATE_HZ - 1, 12.0)
    part = voice[RATE_HZ : round((1 + seconds) * RATE_HZ)]
    video(folder / "camera.mp4", part, seconds=seconds, hue=0.3, codec="aac", time_s=36000.0)
    return [*(folder / name for name in named), folder / "camera.mp4"]


def walks(folder: Path, seconds: float) -> None:
    """Clients walk for so many seconds; told are the kinds of answers, and what should not have been answered."""
    files, served = walk_files(folder), Served(folder)
    served.start()
    project = served.ask("POST", "/projects", {"name": "Walks"})
    assert isinstance(project, dict)
    brought = f"/projects/{project['id']}/recordings?file_name="
    made = [served.ask("POST", brought + path.name, path.read_bytes()) for path in files]
    assert isinstance(made[0], dict)
    served.ask("PATCH", f"/projects/{project['id']}", {"version": project["version"], "reference_id": made[0]["id"]})
    served.ask("POST", f"/projects/{project['id']}/alignments", {})
    STATUSES.clear()
    bad: Counter[str] = Counter()
    deadline = time.monotonic() + seconds

    def client(seed: int) -> None:
        walker = Walker(served, project["id"], seed, bad)
        while time.monotonic() < deadline:
            walker.step(files)

    clients = [threading.Thread(target=client, args=(k,), daemon=True) for k in range(CLIENTS)]
    for one in clients:
        one.start()
    for one in clients:
        one.join(seconds + 60)
    told = (folder / "told").read_text(errors="replace")
    line("walks: answers by their status", json.dumps(dict(sorted(STATUSES.items(), key=str))), "")
    line("walks: clients that hang", str(sum(one.is_alive() for one in clients)), "0")
    line("walks: answers of 500 and above, or none", str(sum(bad.values())), "0")
    for what, count in bad.most_common(20):
        print(f"  {count} times {what}")
    line("walks: tracebacks of server and workers", str(told.count("Traceback")), "0")
    for last in sorted({one for one in told.splitlines() if ERROR.match(one)}):
        print(f"  {last[:200]}")
    served.stop()
