"""Lets only this machine's own pages in: foreign Host and Origin headers are refused."""

from http import HTTPStatus
from urllib.parse import urlsplit

from starlette.types import ASGIApp, Receive, Scope, Send

from vast_orchard.api.problems import problem

__all__ = ["Guard"]

_HOSTS = frozenset({"127.0.0.1", "localhost", "::1"})


def _host(authority: str) -> str:
    try:
        return urlsplit(f"//{authority}").hostname or ""
    except ValueError:
        return ""


class Guard:
    """ASGI middleware. A name that merely resolves to loopback (DNS rebinding) arrives with a foreign Host header."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on, or refuse it."""
        if scope["type"] == "http":
            headers = {key: value.decode("latin-1") for key, value in scope["headers"]}
            host, origin = headers.get(b"host", ""), headers.get(b"origin")
            if _host(host) not in _HOSTS:
                refusal = problem(HTTPStatus.FORBIDDEN, f"The host {host!r} is not served.", "Open it as 127.0.0.1.")
                await refusal(scope, receive, send)
                return
            if origin is not None and urlsplit(origin).netloc != host:
                refusal = problem(HTTPStatus.FORBIDDEN, f"Requests from {origin!r} are refused.", "Use the own page.")
                await refusal(scope, receive, send)
                return
        await self._app(scope, receive, send)
