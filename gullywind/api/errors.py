"""Errors as RFC 9457 problem details: one handler turns every `GullywindError` into a sentence and a status."""

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel

from gullywind.core.errors import GullywindError

STATUSES = {
    "bad-input": 422,
    "unreadable": 422,
    "storage": 507,
    "not-found": 404,
    "conflict": 409,
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

    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        if all(one["loc"][:1] == ("path",) for one in error.errors()):
            # An address that names nothing: what is wrong with its form helps nobody.
            return problem("not-found", "There is no such thing here.")
        parts = [f"{'.'.join(str(p) for p in one['loc'][1:]) or 'body'}: {one['msg']}" for one in error.errors()]
        return problem("bad-input", "; ".join(parts))
