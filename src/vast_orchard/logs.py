"""How processes log: one JSON object a line on standard error, which the supervisor leads into a file."""

import contextlib
import io
import logging
import sys
from typing import TextIO, cast

import structlog

__all__ = ["set_up_logs"]


class _Patient(io.TextIOBase):
    """A stream that loses a line rather than breaking the work that it tells of, on a full disk or when closed."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        with contextlib.suppress(OSError, ValueError):
            self._stream.write(text)
        return len(text)

    def flush(self) -> None:
        with contextlib.suppress(OSError, ValueError):
            self._stream.flush()


def set_up_logs() -> None:
    """Set up structlog, and standard logging for what others write, as JSON lines."""
    logging.basicConfig(stream=sys.stderr, level=logging.WARNING, format="%(asctime)s %(name)s %(message)s")
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.PrintLoggerFactory(cast("TextIO", _Patient(sys.stderr))),
    )
