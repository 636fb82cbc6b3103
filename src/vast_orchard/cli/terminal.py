"""Progress and words on the terminal; standard output is left to results."""

import sys

from rich.console import Console

__all__ = ["console"]


def console(*, error: bool = True) -> Console:
    """A console on standard error, so that `--json` output can be piped; on standard output for results."""
    return Console(file=sys.stderr if error else sys.stdout)
