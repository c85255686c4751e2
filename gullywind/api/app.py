"""The application: API under /api, the interface's files beside it."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from pathlib import Path

from fastapi import APIRouter, FastAPI, HTTPException
from fastapi.responses import FileResponse, Response
from fastapi.staticfiles import StaticFiles

from gullywind import __version__
from gullywind.api.errors import Problem, add_handlers, document_problems, methods_at
from gullywind.api.guard import Guard
from gullywind.api.routes import (
    changes,
    deliveries,
    events,
    folders,
    map_edits,
    marks,
    pictures,
    projects,
    recordings,
    room,
    sets,
    sound,
)
from gullywind.settings import Settings
from gullywind.store.changes import ChangeFeed

PROBLEMS: dict[int | str, dict[str, object]] = {
    status: {"model": Problem, "description": text}
    for status, text in {
        404: "gone",
        409: "changed elsewhere, or not so far yet",
        422: "refused",
        503: "busy, or no database",
        507: "no room",
    }.items()
}


def create_app(settings: Settings | None) -> FastAPI:
    """The server's application; without settings only its OpenAPI document is of use."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        assert settings is not None
        app.state.context = settings.context()
        app.state.feed = ChangeFeed(settings.database_url)
        listening = asyncio.create_task(app.state.feed.run())
        yield
        app.state.feed.close()
        listening.cancel()
        with suppress(asyncio.CancelledError):
            await listening
        app.state.context.database.dispose()

    app = FastAPI(
        title="Gullywind",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        responses=PROBLEMS,
        generate_unique_id_function=lambda r: r.name,
    )
    if settings:
        app.add_middleware(Guard, hosts=settings.hosts, access_key=settings.access_key)
    add_handlers(app)
    api = APIRouter(prefix="/api")
    for part in (
        projects,
        changes,
        recordings,
        map_edits,
        sound,
        pictures,
        sets,
        marks,
        folders,
        deliveries,
        room,
        events,
    ):
        api.include_router(part.router)

    @api.get("/health")
    def get_health() -> dict[str, str]:
        """Whether the server is up."""
        return {"status": "up"}

    app.include_router(api)
    document_problems(app)
    if settings and settings.web_dir and settings.web_dir.is_dir():
        _serve_interface(app, settings.web_dir)
    return app


def _serve_interface(app: FastAPI, folder: Path) -> None:
    app.mount("/assets", StaticFiles(directory=folder / "assets"), name="assets")
    # Listed once: an address is looked up, never made into a path.
    files = {path.relative_to(folder).as_posix(): path for path in folder.rglob("*") if path.is_file()}

    @app.get("/{path:path}", include_in_schema=False, response_model=None)
    def page(path: str) -> Response:
        if path.startswith("api/"):
            raise HTTPException(405 if methods_at(app, f"/{path}") else 404)
        if path in files:
            return FileResponse(files[path])
        # Every other address is a view of the one page.
        return FileResponse(folder / "index.html", headers={"Cache-Control": "no-cache"})
