"""Progress and words on the terminal; standard output is left to results."""

import sys

from rich.console import Console

__all__ = ["console"]


def console() -> Console:
    """A console on standard error, so that `--json` output can be piped."""
    return Console(file=sys.stderr)
