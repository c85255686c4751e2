"""Errors as RFC 9457 problem details: one handler turns every `GullywindError` into a sentence and a status."""

from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException as StarletteHTTPException

from gullywind.core.ground.errors import GullywindError

STATUSES = {
    "bad-input": 422,
    "unreadable": 422,
    "storage": 507,
    "not-found": 404,
    "conflict": 409,
    "not-now": 409,
    "cancelled": 409,
    "database-gone": 503,
    "busy": 503,
    "interrupted": 503,
}
MEDIA_TYPE = "application/problem+json"


class Problem(BaseModel):
    """RFC 9457. `type` names the kind for programs, `detail` is a sentence for people."""

    type: str
    title: str
    status: int
    detail: str


def problem(code: str, detail: str, status: int | None = None) -> JSONResponse:
    """The response for a kind of problem."""
    number = status or STATUSES.get(code, 500)
    body = Problem(type=f"urn:gullywind:{code}", title=code.replace("-", " "), status=number, detail=detail)
    return JSONResponse(body.model_dump(), number, media_type=MEDIA_TYPE)


def add_handlers(app: FastAPI) -> None:
    """Register the handlers."""

    @app.exception_handler(GullywindError)
    def known(request: Request, error: GullywindError) -> JSONResponse:
        return problem(error.code, str(error))

    @app.exception_handler(StarletteHTTPException)
    def refused(request: Request, error: StarletteHTTPException) -> JSONResponse:
        if error.status_code == 405:
            answer = problem("no-such-method", "This address does not take that.", 405)
            answer.headers["Allow"] = ", ".join(sorted(methods_at(app, request.url.path)))
            return answer
        if error.status_code == 400:
            return problem("bad-input", "The request's body cannot be read; it must be JSON in UTF-8.")
        if error.status_code == 404:
            return problem("not-found", "There is no such address.")
        return problem("refused", f"{error.detail}.", error.status_code)

    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        if all(one["loc"][:1] == ("path",) for one in error.errors()):
            # An address that names nothing: what is wrong with its form helps nobody.
            return problem("not-found", "There is no such thing here.")
        parts = [f"{'.'.join(str(p) for p in one['loc'][1:]) or 'body'}: {one['msg']}" for one in error.errors()]
        return problem("bad-input", "; ".join(parts))


def methods_at(app: FastAPI, path: str) -> set[str]:
    """All methods that the API's document has for a path."""
    asked = path.split("/")
    methods: set[str] = set()
    for known, operations in app.openapi()["paths"].items():
        parts = known.split("/")
        if len(parts) == len(asked) and all(a == b or a.startswith("{") for a, b in zip(parts, asked, strict=True)):
            methods |= {one.upper() for one in operations}
    return methods


def document_problems(app: FastAPI) -> None:
    """Give problems their own media type in the API's document; FastAPI gives them that of the answer."""
    made = app.openapi

    def document() -> dict[str, Any]:
        if app.openapi_schema is None:
            for operations in made()["paths"].values():
                for operation in operations.values():
                    for status, response in operation["responses"].items():
                        if int(status) >= 400:
                            response["content"] = {MEDIA_TYPE: next(iter(response["content"].values()))}
        return made()

    app.openapi = document  # type: ignore[method-assign]
