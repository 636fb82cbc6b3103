"""What a request meets first: whether it is let in, and whether its body is of a size and a pace that is taken."""

import asyncio
import hmac
from http import HTTPStatus

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from vast_orchard.api.problems import busy, problem
from vast_orchard.errors import ServiceError
from vast_orchard.serving.doorkeeper import Doorkeeper
from vast_orchard.serving.figures import Figures
from vast_orchard.serving.visiting import is_visit

__all__ = ["Gate"]

_OPEN = frozenset({"/v2/health/live", "/v2/health/ready"})
_BEARER = "bearer "
_FIGURES = "/metrics"
_HEADERS = [
    (b"x-content-type-options", b"nosniff"), (b"referrer-policy", b"no-referrer"), (b"cache-control", b"no-store"),
]  # fmt: skip


class _Refused(Exception):  # noqa: N818, told as an answer
    def __init__(self, status: HTTPStatus, what: str, mend: str) -> None:
        super().__init__(what)
        self.status, self.what, self.mend = status, what, mend


class Gate:
    """ASGI middleware.

    Parameters
    ----------
    app : ASGIApp
    most_bytes : int
        Of a body.
    slowest_s : float
        Seconds in which it has to be there.
    """

    def __init__(self, app: ASGIApp, *, most_bytes: int, slowest_s: float) -> None:
        self._app, self._most, self._slowest_s = app, most_bytes, slowest_s

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on, or refuse it."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                if message["status"] >= HTTPStatus.BAD_REQUEST:
                    figures: Figures = scope["app"].state.serving.figures
                    figures.refused.labels(str(int(message["status"]))).inc()
                message = {**message, "headers": [*message.get("headers", []), *_HEADERS]}
            await send(message)

        if scope["path"] in _OPEN or is_visit(scope["path"]):
            # Of somebody unknown nothing is read: what is sent along stays in his own connection.
            await self._app(scope, receive, sent)
            return
        try:
            await self._let_in(scope)
            body = await self._body(scope, receive)
        except ServiceError as error:
            await busy(error.what, error.mend)(scope, receive, sent)
            return
        except _Refused as refused:
            answer = problem(refused.status, refused.what, refused.mend)
            if refused.status is HTTPStatus.UNAUTHORIZED:
                answer.headers["WWW-Authenticate"] = "Bearer"
            answer.headers["Connection"] = "close"  # what is left of the body is not read
            await answer(scope, receive, sent)
            return
        if body is None:
            return  # whoever sent it is gone
        given = False

        async def received() -> Message:
            nonlocal given
            if given:
                return await receive()
            given = True
            return {"type": "http.request", "body": body, "more_body": False}

        await self._app(scope, received, sent)

    async def _let_in(self, scope: Scope) -> None:
        said = next((value.decode("latin-1") for name, value in scope["headers"] if name == b"authorization"), "")
        doorkeeper: Doorkeeper = scope["app"].state.doorkeeper
        token = None
        if said.lower().startswith(_BEARER):
            secret = said[len(_BEARER) :].strip()[:200]
            if scope["path"] == _FIGURES and hmac.compare_digest(secret, doorkeeper.inner):
                return
            token = await doorkeeper.token(secret)
        if token is None:
            raise _Refused(
                HTTPStatus.UNAUTHORIZED,
                "No token that stands was sent.",
                "Send one as Authorization: Bearer …; they are made in Release, under Served.",
            )
        scope.setdefault("state", {})["token"] = token

    async def _body(self, scope: Scope, receive: Receive) -> bytes | None:
        """The whole body; None if its sender left."""
        length = next((value for name, value in scope["headers"] if name == b"content-length"), b"0")
        if length.isdigit() and int(length) > self._most:
            raise self._too_large()
        parts: list[bytes] = []
        taken = 0
        try:
            async with asyncio.timeout(self._slowest_s):
                while True:
                    message = await receive()
                    if message["type"] == "http.disconnect":
                        return None
                    parts.append(message.get("body", b""))
                    taken += len(parts[-1])
                    if taken > self._most:
                        raise self._too_large()
                    if not message.get("more_body"):
                        return b"".join(parts)
        except TimeoutError:
            raise _Refused(
                HTTPStatus.REQUEST_TIMEOUT, f"The body was not there within {self._slowest_s:g} s.", "Send it faster."
            ) from None

    def _too_large(self) -> _Refused:
        return _Refused(
            HTTPStatus.REQUEST_ENTITY_TOO_LARGE,
            f"The body has more than {self._most / 2**20:.0f} MB.",
            "Send fewer or smaller pictures at once.",
        )
