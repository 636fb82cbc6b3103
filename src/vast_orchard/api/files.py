"""A file as an answer: whole, or the one part that is asked for, as when a download goes on."""

import os
import re

from starlette.responses import FileResponse
from starlette.types import Receive, Scope, Send

__all__ = ["WholeFile"]

_ONE_PART = re.compile(rb"bytes=(?:([0-9]{1,18})-([0-9]{0,18})|-([0-9]{1,18}))")


class WholeFile(FileResponse):
    """As its parent, but what cannot be read as one part of this file is no such question, and is left unheard.

    RFC 9110, section 14.2, lets a server ignore the header; the parent would answer in a form of its own.
    """

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Send it."""
        size = os.stat(self.path).st_size  # noqa: PTH116 - the parent keeps whatever path it was given
        headers = [(key, value) for key, value in scope["headers"] if key != b"range" or _is_part(value, size)]
        await super().__call__({**scope, "headers": headers}, receive, send)


def _is_part(value: bytes, size: int) -> bool:
    found = _ONE_PART.fullmatch(value)
    if not found:
        return False
    first, last, from_end = found.groups()
    if from_end is not None:
        return 0 < int(from_end) <= size
    return int(first) < size and (not last or int(last) >= int(first))
