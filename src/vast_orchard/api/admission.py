"""Lets in as much work at once as the machine does well, and says early when it is too much.

Every request that needs a record holds a thread and a connection while it is worked on. Let in without bound, threads
wait for connections whose holders wait for threads. So requests pass a gate of their kind before they get either; some
wait before it, in their order, and whoever would wait too long is told to come again. Files of the page, health and the
event streams have no gate: they hold neither for long.
"""

import asyncio
import os
import re
from collections.abc import Sequence
from dataclasses import dataclass
from http import HTTPStatus

from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from vast_orchard.api.problems import busy, problem
from vast_orchard.settings import Settings

__all__ = ["Admission", "Gate", "gates"]

# A body that does not come holds a place for nothing.
_BODY_PAUSE_S = 20.0


@dataclass(frozen=True, kw_only=True)
class Gate:
    """One kind of request."""

    methods: str  # regular expression
    paths: str  # regular expression
    at_once: int
    waiting: int  # so many stand before it; the next is refused
    patience_s: float  # and nobody longer than this
    body_mb: int


def gates(settings: Settings) -> Sequence[Gate]:
    """The gates in the order in which a request is held against them; the last takes everything under `/api/`."""
    # One more than there are processors, so that none idles while another asks the database: measured with two, three
    # at once answer more than six or twelve do, and health in a quarter of the time.
    records = max(3, min(16, len(os.sched_getaffinity(0)) + 1))
    files, tries, body = settings.upload_file_limit_mb, settings.try_limit_mb, settings.body_limit_mb
    return (
        Gate(methods="PUT", paths="/api/uploads/[^/]*/files", at_once=4, waiting=64, patience_s=10, body_mb=files),
        Gate(methods="POST", paths="/api/models/[^/]*/try", at_once=1, waiting=8, patience_s=20, body_mb=tries),
        # What the quick process does, one at a time, or what only reads a file.
        Gate(
            methods="GET|POST",
            paths="/api/(thumbnails|originals)/.*|/api/projects/[^/]*/(sheets|[a-z]+-sheet|operation-extremes)"
            "|/api/imports/[^/]*/(plan|strip|bring-in)",
            at_once=6,
            waiting=256,
            patience_s=20,
            body_mb=body,
        ),
        Gate(methods=".*", paths="/api/.*", at_once=records, waiting=256, patience_s=4, body_mb=body),
    )


# No gate, and no body.
_OPEN = re.compile("/api/(health|events)")
_OPEN_BODY_MB = 1


class _Place:
    """A gate with who is inside and who waits."""

    def __init__(self, gate: Gate) -> None:
        self.gate = gate
        self._methods, self._paths = re.compile(gate.methods), re.compile(gate.paths)
        self._free = asyncio.Semaphore(gate.at_once)
        self._waiting = 0

    def is_for(self, method: str, path: str) -> bool:
        return bool(self._methods.fullmatch(method) and self._paths.fullmatch(path))

    async def enter(self) -> bool:
        """Wait for a place; False if too many wait already, or it takes too long."""
        if self._free.locked() and self._waiting >= self.gate.waiting:
            return False
        self._waiting += 1
        try:
            async with asyncio.timeout(self.gate.patience_s):
                await self._free.acquire()
        except TimeoutError:
            return False
        finally:
            self._waiting -= 1
        return True

    def leave(self) -> None:
        self._free.release()


class Admission:
    """ASGI middleware.

    Parameters
    ----------
    app : ASGIApp
    settings : Settings
    """

    def __init__(self, app: ASGIApp, settings: Settings) -> None:
        self._app = app
        self._places = [_Place(gate) for gate in gates(settings)]

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on when there is a place for it, or refuse it."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        path = scope["path"]
        found = next((place for place in self._places if place.is_for(scope["method"], path)), None)
        if found is None or _OPEN.fullmatch(path):
            await self._app(scope, _Counted(receive, _OPEN_BODY_MB).receive, send)
            return
        most = found.gate.body_mb
        if _announced(scope) > most * 2**20:
            await problem(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, *_too_large(most))(scope, receive, send)
            return
        if not await found.enter():
            refused = busy("More is asked at once than can be answered soon.", "Ask again shortly.")
            await refused(scope, receive, send)
            return
        stay = _Stay(found, send)
        try:
            await self._app(scope, _Counted(receive, most).receive, stay.send)
        finally:
            stay.end()


class _Stay:
    """A place that is held until the answer begins: how fast a client reads it costs nobody else anything."""

    def __init__(self, place: _Place, send: Send) -> None:
        self._place, self._send, self._over = place, send, False

    async def send(self, message: Message) -> None:
        self.end()
        await self._send(message)

    def end(self) -> None:
        if not self._over:
            self._over = True
            self._place.leave()


def _announced(scope: Scope) -> int:
    """The length that the request says its body has; 0 if it says none that can be read."""
    text = next((value for key, value in scope["headers"] if key == b"content-length"), b"")
    return int(text) if text.isdigit() and len(text) < 20 else 0


def _too_large(most_mb: int) -> tuple[str, str]:
    return f"The request has more than {most_mb} MB.", "Send less at once; the limits are settings (docs/settings.md)."


class _Counted:
    """A body that is counted while it comes, because its sender may announce anything or nothing."""

    def __init__(self, receive: Receive, most_mb: int) -> None:
        self._receive, self._most_mb = receive, most_mb
        self._size, self._whole = 0, False

    async def receive(self) -> Message:
        """The next message.

        Raises
        ------
        HTTPException
            413 if the body is too large, 408 if it does not come.
        """
        if self._whole:
            return await self._receive()  # only the end of the connection is to come, which may take hours
        try:
            async with asyncio.timeout(_BODY_PAUSE_S):
                message = await self._receive()
        except TimeoutError as error:
            raise HTTPException(HTTPStatus.REQUEST_TIMEOUT, "The rest of the request did not come.") from error
        self._size += len(message.get("body", b""))
        self._whole = message["type"] != "http.request" or not message.get("more_body", False)
        if self._size > self._most_mb * 2**20:
            raise HTTPException(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, " ".join(_too_large(self._most_mb)))
        return message
