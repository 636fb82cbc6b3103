"""One stream of server-sent events a window, fed by one LISTEN of the process."""

import asyncio
import contextlib
import itertools
import json
import re
from collections import deque
from collections.abc import AsyncIterator
from typing import Annotated

import psycopg
import structlog
from fastapi import APIRouter, Header, Request
from sse_starlette import EventSourceResponse, ServerSentEvent

from vast_orchard.store.database import CHANNEL

__all__ = ["Hub", "router"]

_log = structlog.get_logger()
# What a window that lost its connection may have missed and can still be given; beyond that it reads everything anew.
_REMEMBERED = 2000
_RECONNECT_S = 0.5


class Hub:
    """Hears the database's channel and hands events to the windows' streams, all on one event loop."""

    def __init__(self, url: str) -> None:
        self._url = url
        self._events: deque[tuple[int, str]] = deque(maxlen=_REMEMBERED)
        self._numbers = itertools.count(1)
        self._waiting: set[asyncio.Queue[tuple[int, str]]] = set()
        self._hearing: asyncio.Task[None] | None = None

    def start(self) -> None:
        """Begin to listen, on the loop that runs."""
        self._hearing = asyncio.create_task(self._hear(), name="events")

    async def stop(self) -> None:
        """End at once, without waiting for a next event."""
        if self._hearing is not None:
            self._hearing.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._hearing

    async def _hear(self) -> None:
        while True:
            try:
                connecting = psycopg.AsyncConnection.connect(self._url, autocommit=True, connect_timeout=5)
                async with await connecting as connection:
                    await connection.execute(f"listen {CHANNEL}")
                    # Whatever was told while nobody listened is unknown: every window reads anew.
                    self._hand_out(json.dumps({"topic": "everything"}))
                    async for notice in connection.notifies():
                        self._hand_out(notice.payload)
            except psycopg.Error as error:
                _log.warning("The event channel is lost.", action="events_lost", error=str(error))
                await asyncio.sleep(_RECONNECT_S)

    def _hand_out(self, payload: str) -> None:
        event = (next(self._numbers), payload)
        self._events.append(event)
        for queue in self._waiting:
            queue.put_nowait(event)

    async def stream(self, last_id: int | None) -> AsyncIterator[ServerSentEvent]:
        """Events after `last_id`, for ever; first of all "everything" if some of them are no longer known."""
        queue: asyncio.Queue[tuple[int, str]] = asyncio.Queue()
        first = self._events[0][0] if self._events else 1
        newest = self._events[-1][0] if self._events else 0
        if last_id is not None and (last_id > newest or last_id < first - 1):
            yield ServerSentEvent(json.dumps({"topic": "everything"}), id=str(newest))
            last_id = newest
        for event in self._events:
            if last_id is not None and event[0] > last_id:
                queue.put_nowait(event)
        self._waiting.add(queue)
        try:
            while True:
                number, payload = await queue.get()
                yield ServerSentEvent(payload, id=str(number))
        finally:
            self._waiting.discard(queue)


router = APIRouter(prefix="/api", tags=["events"])


@router.get("/events", response_class=EventSourceResponse)
async def events(request: Request, last_event_id: Annotated[str | None, Header()] = None) -> EventSourceResponse:
    """Everything live: what changed, by topic and project; the records say how."""
    hub: Hub = request.app.state.hub
    known = int(last_event_id) if last_event_id and re.fullmatch("[0-9]{1,15}", last_event_id) else None
    return EventSourceResponse(hub.stream(known), ping=15)
