"""The command `orchard`: for people at a terminal and in scripts."""

import sys

import typer

from vast_orchard.cli.demo import demo
from vast_orchard.cli.serve import openapi, serve, up, worker
from vast_orchard.cli.train import train
from vast_orchard.errors import OrchardError

__all__ = ["app", "main"]

app = typer.Typer(
    add_completion=False, no_args_is_help=True, help="From labelled pictures to a measured, exported network."
)
app.command()(train)
app.command()(demo)
app.command()(up)
app.command()(worker)
app.command()(serve)
app.command()(openapi)


def main() -> None:
    """Run the command; errors of ours end it with one line instead of a trace."""
    try:
        app()
    except OrchardError as error:
        print(f"orchard: {error}", file=sys.stderr)
        sys.exit(1)
