"""Every failure over HTTP as RFC 9457 problem details."""

from http import HTTPStatus

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from vast_orchard.errors import (
    BusyError,
    ConflictError,
    DiskFullError,
    InputError,
    MissingError,
    OrchardError,
    OutgoingError,
    ServiceError,
)
from vast_orchard.store.sift.syntax import SiftError

__all__ = ["busy", "install_problems", "problem"]

_log = structlog.get_logger()
# Seconds for which a client that is sent away is asked to stay away.
_COME_AGAIN_S = 1

_STATUS: dict[type[OrchardError], HTTPStatus] = {
    MissingError: HTTPStatus.NOT_FOUND,
    ConflictError: HTTPStatus.CONFLICT,
    InputError: HTTPStatus.UNPROCESSABLE_ENTITY,
    OutgoingError: HTTPStatus.UNPROCESSABLE_ENTITY,
    DiskFullError: HTTPStatus.INSUFFICIENT_STORAGE,
    ServiceError: HTTPStatus.SERVICE_UNAVAILABLE,
}


def problem(status: HTTPStatus, what: str, mend: str = "", **more: object) -> JSONResponse:
    """The one body of all failures: `title` of the kind, `detail` what happened, `mend` what to do.

    A mistake in a Sift also has its `place` in the line: first character and one past the last, from 0.
    """
    body = {"type": "about:blank", "title": status.phrase, "status": int(status), "detail": what, "mend": mend, **more}
    return JSONResponse(body, int(status), media_type="application/problem+json")


def busy(what: str, mend: str) -> JSONResponse:
    """503 for what may be asked again shortly; it was not begun."""
    answer = problem(HTTPStatus.SERVICE_UNAVAILABLE, what, mend)
    answer.headers["Retry-After"] = str(_COME_AGAIN_S)
    return answer


def install_problems(app: FastAPI) -> None:
    """Turn errors of every origin into problem details."""

    @app.exception_handler(OrchardError)
    def ours(_request: Request, error: OrchardError) -> JSONResponse:
        status = next((s for kind, s in _STATUS.items() if isinstance(error, kind)), HTTPStatus.INTERNAL_SERVER_ERROR)
        more = {"place": error.place} if isinstance(error, SiftError) else {}
        if isinstance(error, BusyError):
            return busy(error.what, error.mend)
        return problem(status, error.what, error.mend, **more)

    @app.exception_handler(RequestValidationError)
    def invalid(_request: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path", "header"))
        return problem(HTTPStatus.UNPROCESSABLE_ENTITY, f"{place or 'The request'}: {first['msg']}.", "Correct it.")

    @app.exception_handler(HTTPException)
    def http(_request: Request, error: HTTPException) -> JSONResponse:
        return problem(HTTPStatus(error.status_code), str(error.detail))

    @app.exception_handler(Exception)
    def unexpected(request: Request, error: Exception) -> JSONResponse:
        _log.error("A request failed unexpectedly.", action="request_broke", path=request.url.path, exc_info=error)
        return problem(
            HTTPStatus.INTERNAL_SERVER_ERROR, "Something went wrong in the program itself.", "See the log api.log."
        )
