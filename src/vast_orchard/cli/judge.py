"""`orchard judge`: what a model says of a folder of pictures, beside the classes that the folders name."""

import csv
import json
import sys
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.judging.scores import Judgement, judge
from vast_orchard.errors import InputError
from vast_orchard.formats.collection import Collection, collect
from vast_orchard.formats.csv_cells import harmless
from vast_orchard.formats.model_file import Model, read_model
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.settings import read_settings

__all__ = ["judge_folder", "read_model_file"]

# Far above any network that a processor trains; a larger file is something else.
_LARGEST_BYTES = 256 * 1024 * 1024
_WANTED = "Give the model.safetensors that orchard train has written, and all of it."


def read_model_file(file: Path) -> Model:
    """A model that a person named.

    Raises
    ------
    InputError
        It is none, or cannot be read.
    """
    try:
        if file.stat().st_size > _LARGEST_BYTES:
            raise InputError("It is too large for one.", _WANTED)
        return read_model(file.read_bytes())
    except OSError as error:
        raise InputError(f"{file} cannot be read ({error}).", _WANTED) from error
    except InputError as error:
        raise InputError(f"{file} is no model: {error.what}", _WANTED) from error


def _rows(collection: Collection, model: Model, probabilities: FloatArray) -> list[list[object]]:
    rows = []
    for picture, row in zip(collection.pictures, probabilities, strict=True):
        order = np.argsort(-row, kind="stable")
        said = [cell for place in order[:2] for cell in (model.classes[place], round(float(row[place]), 6))]
        rows.append(harmless([picture.path, picture.class_name or "", *said]))
    return rows


def _judgement(collection: Collection, classes: Sequence[str], probabilities: FloatArray) -> Judgement | None:
    """Of the pictures whose folder names one of the model's classes; None where none does."""
    folded = {name.casefold(): place for place, name in enumerate(classes)}
    labels = [folded.get((picture.class_name or "").casefold(), -1) for picture in collection.pictures]
    known = np.flatnonzero(np.array(labels) >= 0)
    return judge(probabilities[known], np.array(labels)[known]) if len(known) else None


def judge_folder(
    model: Annotated[Path, typer.Argument(help="model.safetensors of orchard train.")],
    folder: Annotated[Path, typer.Argument(help="Folder or zip: a folder a class, or pictures without any.")],
    as_json: AsJson = False,
) -> None:
    """Print what a model says of pictures as CSV: path, true class, answer and runner-up with their probabilities.

    Scores are of the pictures whose folder names one of the model's classes, and stand on standard error.
    """
    words = console()
    read = read_model_file(model)
    make_ready(words.print)
    with open_source(folder) as source:
        collection = collect(source, read.preprocessing)
    probabilities = read.probabilities(collection.pixels, make_team(read_settings()))
    rows = _rows(collection, read, probabilities)
    judgement = _judgement(collection, read.classes, probabilities)
    for skip in collection.skipped:
        words.print(f"Skipped {skip.path}: {skip.reason}", soft_wrap=True)
    if as_json:
        print(json.dumps(_as_json(rows, judgement, read)))
        return
    table = csv.writer(sys.stdout)
    table.writerow(["path", "true", "predicted", "p", "runner_up", "runner_up_p"])
    table.writerows(rows)
    if judgement is None:
        words.print("No folder is called like a class of the model, so nothing was scored.")
        return
    low, high = judgement.accuracy_interval
    words.print(
        f"{judgement.accuracy:.3f} on {judgement.count} pictures: {judgement.right} right; 95 % between {low:.3f} and "
        f"{high:.3f}; macro F1 {judgement.macro_f1:.3f}; of {len(rows)} pictures.",
        soft_wrap=True,
    )


def _as_json(rows: list[list[object]], judgement: Judgement | None, model: Model) -> dict[str, Any]:
    names = ("path", "true", "predicted", "p", "runner_up", "runner_up_p")
    return {
        "classes": list(model.classes),
        "answers": [dict(zip(names, row, strict=False)) for row in rows],
        "scores": None if judgement is None else asdict(judgement),
    }
