"""`orchard backup` and `orchard restore`: everything in a data folder as one file, and back."""

import os
from pathlib import Path
from typing import Annotated

import typer
from rich.progress import Progress

from vast_orchard.cli.terminal import console
from vast_orchard.supervision.backup import make_backup, restore_backup

__all__ = ["backup", "restore"]


def backup(
    target: Annotated[Path, typer.Argument(help="File to write, ending in .tar.")],
    data: Annotated[Path, typer.Option(help="Data folder to back up.")] = Path("data"),
) -> None:
    """Write everything of a data folder into one file; the application may be running."""
    os.umask(0o077)  # it holds everything
    words = console()
    with Progress(console=words, transient=True) as bar:
        task = bar.add_task("Copying", total=None)
        facts = make_backup(
            data.absolute(), target.absolute(), lambda done, total: bar.update(task, completed=done, total=total)
        )
    words.print(f"{facts.files:,} files and the database, {facts.size_bytes / 2**20:.1f} MB, are in {target}.")


def restore(
    source: Annotated[Path, typer.Argument(help="A file that orchard backup wrote.")],
    data: Annotated[Path, typer.Option(help="Data folder to make; it must be empty or not be there.")] = Path("data"),
) -> None:
    """Make a data folder from a backup; start it with ./start --data."""
    os.umask(0o077)
    words = console()
    with Progress(console=words, transient=True) as bar:
        task = bar.add_task("Restoring", total=None)
        facts = restore_backup(
            source.absolute(), data.absolute(), lambda done, total: bar.update(task, completed=done, total=total)
        )
    words.print(f"{facts.files:,} files and the database are in {data}. Start it with ./start --data {data}")
