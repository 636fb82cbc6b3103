"""The application of the serving process."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from http import HTTPStatus

from fastapi import FastAPI, Request, Response

from vast_orchard import __version__
from vast_orchard.api.problems import install_problems, problem
from vast_orchard.core.team import Team
from vast_orchard.errors import BusyError
from vast_orchard.jobs.context import open_context
from vast_orchard.jobs.engine import make_ready
from vast_orchard.logs import set_up_logs
from vast_orchard.serving import visiting
from vast_orchard.serving.doorkeeper import Doorkeeper
from vast_orchard.serving.figures import Figures
from vast_orchard.serving.gate import Gate
from vast_orchard.serving.routes import Serving, TooManyError, router
from vast_orchard.serving.shelf import Shelf
from vast_orchard.settings import Settings, read_settings, training_threads

__all__ = ["app_from_environment", "create_serving_app"]

_SLOWEST_S = 30.0


def create_serving_app(settings: Settings) -> FastAPI:
    """The application.

    Parameters
    ----------
    settings : Settings
    """

    @asynccontextmanager
    async def living(app: FastAPI) -> AsyncIterator[None]:
        context = open_context(settings)
        await asyncio.get_running_loop().run_in_executor(None, make_ready, lambda _words: None)
        shelf = Shelf(settings, context.database, context.store, Team(training_threads(settings)))
        serving = Serving(
            settings=settings,
            shelf=shelf,
            doorkeeper=Doorkeeper(context.database),
            figures=Figures(),
        )
        app.state.serving, app.state.doorkeeper = serving, serving.doorkeeper
        looking = asyncio.create_task(shelf.keep_looking())
        yield
        looking.cancel()
        serving.doorkeeper.close()
        shelf.close()
        context.database.close()

    app = FastAPI(
        title="Models of Vast Orchard", version=__version__, lifespan=living, openapi_url="/openapi.json",
        docs_url=None, redoc_url=None,
    )  # fmt: skip
    install_problems(app)

    @app.exception_handler(BusyError)
    def busy(_request: Request, error: BusyError) -> Response:
        answer = problem(HTTPStatus.TOO_MANY_REQUESTS, error.what, error.mend)
        answer.headers["Retry-After"] = "1"
        return answer

    @app.exception_handler(TooManyError)
    def slower(_request: Request, error: TooManyError) -> Response:
        answer = problem(HTTPStatus.TOO_MANY_REQUESTS, error.what, error.mend)
        answer.headers["Retry-After"] = str(error.seconds)
        return answer

    app.add_middleware(Gate, most_bytes=settings.serving_body_limit_mb * 2**20, slowest_s=_SLOWEST_S)
    app.include_router(router)
    app.include_router(visiting.router)
    return app


def app_from_environment() -> FastAPI:
    """What each process of the server makes."""
    set_up_logs()
    return create_serving_app(read_settings())
