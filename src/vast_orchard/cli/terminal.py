"""Progress and words on the terminal; standard output is left to results."""

import sys
from typing import Annotated

import typer
from rich.console import Console

__all__ = ["AsJson", "console"]

# An option of every command that measures or counts.
AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object on standard output.")]


def console(*, error: bool = True) -> Console:
    """A console on standard error, so that `--json` output can be piped; on standard output for results."""
    return Console(file=sys.stderr if error else sys.stdout)
