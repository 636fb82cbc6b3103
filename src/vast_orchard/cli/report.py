"""`orchard report`: the report of a run as one HTML file, or as JSON on standard output."""

from pathlib import Path
from typing import Annotated

import typer

from vast_orchard.cli.sift import ask, fetch
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.errors import InputError

__all__ = ["report"]


def report(
    run: Annotated[int, typer.Argument(help="Id of the run, as in the page's address.")],
    out: Annotated[Path | None, typer.Option(help="File to write; run-N-report.html by default.")] = None,
    as_json: AsJson = False,
    address: Annotated[str, typer.Option(help="Where the application is.")] = "http://127.0.0.1:8420",
) -> None:
    """Write what there is to know of a run's model into one file.

    Nothing is told of the test set: looks at it are counted, and taken in the page.
    """
    found = ask(address, f"/api/runs/{run}", {})
    if found["model"] is None:
        raise InputError(f"Run {found['number']} has kept nothing.", "Take a run that kept an epoch.")
    data = fetch(address, f"/api/models/{found['model']['id']}/report.{'json' if as_json else 'html'}", {})
    if as_json:
        print(data.decode())
        return
    target = out or Path(f"run-{found['number']}-report.html")
    target.write_bytes(data)
    console().print(f"{target}: {len(data) / 1024:.0f} KB")
