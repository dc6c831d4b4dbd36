"""The web application."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles

from pruxel import __version__
from pruxel.server.api import (
    aliases,
    batches,
    carves,
    catalogue,
    choosing,
    deliveries,
    describe,
    entries,
    events,
    extracts,
    films,
    fitting,
    jobs,
    looks,
    naming,
    profiles,
    projects,
    purposes,
    recipes,
    sources,
    uploads,
    workpieces,
)
from pruxel.server.api.compressed import Compressed
from pruxel.server.api.guard import Guard
from pruxel.server.api.problems import add_problem_details, document_refusals
from pruxel.server.jobs import looking
from pruxel.server.jobs.aside import end_aside, start_aside
from pruxel.server.store.missing import not_found

# Routes are tried one after the other: those that are asked most come first.
PARTS = (
    entries,
    looks,
    projects,
    purposes,
    sources,
    profiles,
    naming,
    uploads,
    aliases,
    catalogue,
    choosing,
    films,
    fitting,
    carves,
    describe,
    extracts,
    workpieces,
    deliveries,
    recipes,
    batches,
    jobs,
    events,
)
WEB = Path(__file__).parent / "web"


@asynccontextmanager
async def _running(_app: FastAPI) -> AsyncIterator[None]:
    start_aside(looking.__name__)
    yield
    await events.BROADCAST.close()
    end_aside()


def create_app() -> FastAPI:
    """Put the routes together; the built page is served when it is there."""
    app = FastAPI(
        title="Pruxel",
        version=__version__,
        openapi_url="/api/openapi.json",
        docs_url=None,
        redoc_url=None,
        lifespan=_running,
    )
    add_problem_details(app)
    for part in PARTS:
        app.include_router(part.router, prefix="/api")
    app.add_middleware(Compressed)
    app.add_middleware(Guard)
    if WEB.is_dir():
        app.mount("/assets", StaticFiles(directory=WEB / "assets"), name="assets")

        @app.get("/{path:path}", include_in_schema=False)
        def page(path: str) -> FileResponse:
            if path.startswith("api/"):
                raise not_found("address")
            plain = WEB / "favicon.svg" if path == "favicon.svg" else WEB / "index.html"
            return FileResponse(plain, headers={"Cache-Control": "no-cache"})

    described = app.openapi
    app.openapi = lambda: app.openapi_schema or document_refusals(described())  # type: ignore[method-assign]
    return app
