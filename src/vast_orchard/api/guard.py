"""Lets only this machine's own pages in, and tells browsers what a page of ours may do.

A name that merely resolves to loopback (DNS rebinding) arrives with a foreign Host header; a form or script of another
page with a foreign Origin, or, where a browser sends none, with a Sec-Fetch-Site that says so (W3C Fetch Metadata).
"""

import re
from collections.abc import Sequence
from http import HTTPStatus

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from vast_orchard.api.problems import problem

__all__ = ["HEADERS", "Guard"]

_HOST = re.compile(r"(127\.0\.0\.1|localhost|\[::1\])(:[0-9]{1,5})?", re.IGNORECASE)
# From an address bar, and from our own page.
_OWN_SITES = frozenset({"none", "same-origin"})

# Sent with every answer. The page has no script and no style of its own in its text, so none need be allowed there;
# pictures come as blobs (the camera, sheets of tiles) and as data (the icon).
HEADERS = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob: data:; font-src 'self'; "
        "connect-src 'self'; media-src 'self' blob:; worker-src 'self'; form-action 'self'; base-uri 'none'; "
        "frame-ancestors 'none'"
    ),
    "X-Frame-Options": "DENY",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(self), microphone=(), geolocation=()",
}
_RAW_HEADERS = [(name.lower().encode(), value.encode()) for name, value in HEADERS.items()]


class Guard:
    """ASGI middleware."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on, or refuse it."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                message = {**message, "headers": [*message.get("headers", []), *_RAW_HEADERS]}
            await send(message)

        why = _refusal(scope)
        if why:
            await problem(HTTPStatus.FORBIDDEN, *why)(scope, receive, send_with_headers)
            return
        await self._app(scope, receive, send_with_headers)


def _refusal(scope: Scope) -> tuple[str, str] | None:
    """Why a request is refused, and what to do."""
    hosts, origins = _all(scope, b"host"), _all(scope, b"origin")
    if len(hosts) != 1 or not _HOST.fullmatch(hosts[0]):
        return f"The host {', '.join(hosts)[:200]!r} is not served.", "Open it as 127.0.0.1."
    own = f"{scope['scheme']}://{hosts[0]}"
    foreign = next((origin for origin in origins if origin != own), None)
    if foreign is not None:
        return f"Requests from {foreign[:200]!r} are refused.", "Use the own page."
    sites = _all(scope, b"sec-fetch-site")
    if not set(sites) <= _OWN_SITES and not _follows_a_link(scope):
        return "Requests from another page are refused.", "Open the application in a window of its own."
    return None


def _all(scope: Scope, name: bytes) -> Sequence[str]:
    return [value.decode("latin-1") for key, value in scope["headers"] if key == name]


def _follows_a_link(scope: Scope) -> bool:
    """True for a person who follows a link to a page of ours: it is shown to them, and to nobody else."""
    return (
        scope["method"] == "GET"
        and not scope["path"].startswith("/api/")
        and _all(scope, b"sec-fetch-mode") == ["navigate"]
        and _all(scope, b"sec-fetch-dest") == ["document"]
    )
