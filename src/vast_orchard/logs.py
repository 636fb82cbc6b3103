"""How processes log: one JSON object a line on standard error, which the supervisor leads into a file."""

import logging
import sys

import structlog

__all__ = ["set_up_logs"]


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
        logger_factory=structlog.PrintLoggerFactory(sys.stderr),
    )
