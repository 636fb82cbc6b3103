"""`orchard predict`: what a model says of picture files, in a terminal or a script."""

import csv
import json
import sys
import time
from collections.abc import Iterator, Sequence
from itertools import islice
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from vast_orchard.cli.judge import read_model_file
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.arrays import Array
from vast_orchard.errors import InputError, OrchardError
from vast_orchard.formats.csv_cells import harmless
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.picture_file import PICTURE_ENDINGS, part_kept, read_picture, seen_pixels
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.settings import read_settings

__all__ = ["predict"]

# Read and answered together: a picture at a time would prepare the network anew for each.
_AT_ONCE = 32
_COLUMNS = ("file", "answer", "p", "runner_up", "runner_up_p", "unsure", "seconds")


def predict(
    model: Annotated[Path, typer.Argument(help="model.safetensors of orchard train, or of the weights handed over.")],
    files: Annotated[list[Path], typer.Argument(help="Picture files, and folders of them.")],
    as_json: AsJson = False,
) -> None:
    """Print what a model says of picture files as CSV, or as JSON, a line a picture with all probabilities.

    A file that cannot be read is told on standard error, and the others are answered all the same; the command then
    ends with 1.
    """
    words = console()
    read = read_model_file(model)
    found = list(_pictures(files))
    if not found:
        raise InputError("There is no picture among these.", f"Give {', '.join(sorted(PICTURE_ENDINGS))} files.")
    make_ready(words.print)
    team = make_team(read_settings())
    writer = csv.writer(sys.stdout)
    if not as_json:
        writer.writerow(_COLUMNS)
    failed = 0
    for some in _batched(found, _AT_ONCE):
        began = time.perf_counter()
        opened, parts = [], []
        for path in some:
            try:
                upright = read_picture(_bytes(path), read.preprocessing.ground).upright
            except OrchardError as error:
                words.print(f"{path}: {error}", soft_wrap=True)
                failed += 1
                continue
            opened.append((path, part_kept(upright, read.preprocessing)))
            parts.append(seen_pixels(upright, read.preprocessing))
        if not opened:
            continue
        probabilities = read.probabilities(np.stack(parts), team)
        seconds = (time.perf_counter() - began) / len(opened)
        for (path, kept), row in zip(opened, probabilities, strict=True):
            said = {**_said(read, row), "kept": kept, "seconds": seconds}
            if as_json:
                print(json.dumps({"picture": str(path), **said}, ensure_ascii=False))
            else:
                writer.writerow(harmless(_row(path, said)))
    if failed:
        raise typer.Exit(1)


def _batched(paths: Sequence[Path], count: int) -> Iterator[list[Path]]:
    """So many at once, in their order."""
    rest = iter(paths)
    while some := list(islice(rest, count)):
        yield some


def _bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise InputError(f"It cannot be read ({error}).", "Look whether it is there.") from error


def _pictures(files: Sequence[Path]) -> Iterator[Path]:
    """The files, and those of folders by their endings, in the order of their names."""
    for path in files:
        if path.is_dir():
            yield from sorted(entry for entry in path.rglob("*") if entry.suffix.lower() in PICTURE_ENDINGS)
        else:
            yield path


def _said(model: Model, probabilities: Array) -> dict[str, Any]:
    place = int(probabilities.argmax())
    below = 0.0 if model.unsure_below is None else model.unsure_below[place]
    return {
        "answer": model.classes[place],
        "unsure": below is None or float(probabilities[place]) < below,
        "probabilities": dict(zip(model.classes, map(float, probabilities), strict=True)),
    }


def _row(path: Path, said: dict[str, Any]) -> list[object]:
    (first, p), (second, q) = sorted(said["probabilities"].items(), key=lambda pair: -pair[1])[:2]
    unsure = "yes" if said["unsure"] else "no"
    return [str(path), first, round(p, 6), second, round(q, 6), unsure, round(said["seconds"], 4)]
