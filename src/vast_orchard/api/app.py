"""The application over HTTP: its routers, its page, its parts."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI
from sqlalchemy import text

from vast_orchard import __version__
from vast_orchard.api import (
    areas,
    bin,
    comparison,
    copies,
    events,
    field,
    findings,
    imports,
    ingredients,
    jobs,
    looking,
    mending,
    models,
    network_files,
    networks,
    offers,
    parcels,
    pictures,
    plans,
    projects,
    queue,
    release,
    reports,
    runs,
    serving,
    splits,
    starts,
    uploads,
    watching,
)
from vast_orchard.api.admission import Admission
from vast_orchard.api.dependencies import Parts, SessionOf
from vast_orchard.api.guard import Guard
from vast_orchard.api.page import serve_page
from vast_orchard.api.problems import install_problems
from vast_orchard.api.upload_space import UploadSpace
from vast_orchard.jobs.quick.process import QuickProcess
from vast_orchard.settings import Settings
from vast_orchard.store.bytes import byte_store
from vast_orchard.store.data_folder import DataFolder
from vast_orchard.store.database import Database

__all__ = ["create_app"]


def _parts(settings: Settings) -> Parts:
    return Parts(
        settings=settings,
        database=Database(settings.database_url, data_dir=settings.data_dir),
        store=byte_store(settings),
        quick=QuickProcess(settings),
        space=UploadSpace(DataFolder(settings.data_dir).uploads, settings.upload_limit_mb),
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
        app.state.hub.start()
        # Whoever opens the page waits for its first sheet; a program that asks for records never needs the process.
        if page is not None:
            parts.quick.warm_up()
        yield
        await app.state.hub.stop()
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
    app.add_middleware(Admission, settings=settings)
    app.add_middleware(Guard)
    for router in (
        x.router
        for x in (
            parcels,
            projects,
            pictures,
            field,
            mending,
            areas,
            copies,
            findings,
            uploads,
            comparison,
            reports,
            imports,
            bin,
            ingredients,
            splits,
            runs,
            plans,
            queue,
            network_files,
            starts,
            watching,
            models,
            looking,
            networks,
            offers,
            release,
            serving,
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
        serve_page(app, page)
    return app
