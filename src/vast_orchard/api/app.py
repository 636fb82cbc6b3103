"""The application over HTTP: its routers, its page, its parts."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import FileResponse
from sqlalchemy import text
from starlette.exceptions import HTTPException

from vast_orchard import __version__
from vast_orchard.api import (
    bin,
    copies,
    events,
    field,
    imports,
    ingredients,
    jobs,
    mending,
    parcels,
    pictures,
    projects,
    release,
    runs,
    splits,
)
from vast_orchard.api.dependencies import Parts, SessionOf
from vast_orchard.api.guard import Guard
from vast_orchard.api.problems import install_problems
from vast_orchard.jobs.quick.process import QuickProcess
from vast_orchard.settings import Settings
from vast_orchard.store.bytes import byte_store
from vast_orchard.store.database import Database

__all__ = ["create_app", "page_folder"]


def page_folder() -> Path:
    """Where the built front end lies."""
    return Path(__file__).parents[3] / "web" / "dist"


def _parts(settings: Settings) -> Parts:
    return Parts(
        settings=settings,
        database=Database(settings.database_url),
        store=byte_store(settings),
        quick=QuickProcess(settings),
    )


def create_app(settings: Settings, page: Path | None = None) -> FastAPI:
    """The application.

    Parameters
    ----------
    settings : Settings
    page : Path, optional
        Folder of the built front end; left out when only the API is wanted.
    """

    @asynccontextmanager
    async def living(app: FastAPI) -> AsyncIterator[None]:
        parts = _parts(settings)
        app.state.parts = parts
        app.state.hub = events.Hub(settings.database_url)
        app.state.hub.start(asyncio.get_running_loop())
        # Whoever opens the page waits for its first sheet; a program that asks for records never needs the process.
        if page is not None:
            parts.quick.warm_up()
        yield
        app.state.hub.stop()
        parts.quick.close()
        parts.database.close()

    # No pages of documentation: those that FastAPI brings load their scripts from another host.
    app = FastAPI(
        title="Vast Orchard",
        version=__version__,
        lifespan=living,
        openapi_url="/api/openapi.json",
        docs_url=None,
        redoc_url=None,
    )
    install_problems(app)
    app.add_middleware(Guard)
    for router in (
        x.router
        for x in (
            parcels,
            projects,
            pictures,
            field,
            mending,
            copies,
            imports,
            bin,
            ingredients,
            splits,
            runs,
            release,
            jobs,
            events,
        )
    ):
        app.include_router(router)

    @app.get("/api/health", tags=["health"])
    def health(session: SessionOf) -> dict[str, str]:
        """Answers when the database does."""
        session.execute(text("select 1"))
        return {"version": __version__}

    if page is not None:
        _serve_page(app, page)
    return app


def _serve_page(app: FastAPI, page: Path) -> None:
    """Files of the front end by name; every other address outside /api is the page itself, which reads it."""

    @app.get("/{path:path}", include_in_schema=False)
    def serve(path: str) -> FileResponse:
        if path.startswith("api/"):
            raise HTTPException(404, f"There is nothing at /{path}.")
        wanted = (page / path).resolve()
        if path and wanted.is_relative_to(page.resolve()) and wanted.is_file():
            # Built names carry a hash of their content.
            return FileResponse(
                wanted, headers={"Cache-Control": "max-age=31536000, immutable"} if "assets/" in path else {}
            )
        return FileResponse(page / "index.html", headers={"Cache-Control": "no-cache"})
