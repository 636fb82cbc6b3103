"""A stand-in for a program that is told of trainings: it prints what comes, and plays faults."""

import asyncio
from collections.abc import Callable
from dataclasses import dataclass, field

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

__all__ = ["Receiver", "Word", "receiver_app"]


@dataclass(frozen=True, kw_only=True)
class Word:
    """What came."""

    headers: dict[str, str]
    body: bytes


@dataclass(kw_only=True)
class Receiver:
    """What has come, and which faults are played."""

    words: list[Word] = field(default_factory=list)
    statuses: list[int] = field(default_factory=list)  # of the next answers; 204 when there are none
    pause_s: float = 0.0  # before each answer
    large: int = 0  # bytes of an answer
    heard: Callable[[Word], None] = lambda word: None


def receiver_app(receiver: Receiver) -> Starlette:
    """The receiver as an application."""

    async def answer(request: Request) -> Response:
        word = Word(headers=dict(request.headers), body=await request.body())
        receiver.words.append(word)
        receiver.heard(word)
        await asyncio.sleep(receiver.pause_s)
        status = receiver.statuses.pop(0) if receiver.statuses else 204
        place = {"Location": "/elsewhere"} if 300 <= status < 400 else {}
        return Response(b"x" * receiver.large, 200 if receiver.large else status, headers=place)

    return Starlette(routes=[Route("/{rest:path}", answer, methods=["POST", "GET"])])
