"""`orchard finish`: final training of what a search chose, on training and validation together."""

import json
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from vast_orchard.at_once.network_times import free_memory
from vast_orchard.cli.divided import contents, divide
from vast_orchard.cli.exported import export_trained
from vast_orchard.cli.starts import named_start
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.judging.scores import judge
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.recipe import Recipe, recipe_from_json
from vast_orchard.core.training.repeated import repeated_from, unwatched
from vast_orchard.core.training.start import phase_epochs
from vast_orchard.core.training.values import EpochMetrics, EpochResult, Examples
from vast_orchard.core.watching.watch import Watch
from vast_orchard.errors import InputError, SettingError, SplitError
from vast_orchard.formats.collection import collect
from vast_orchard.formats.model_file import Model, origin_of, trained_model, weights_digest
from vast_orchard.formats.name_pattern import keys_by_pattern
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.settings import read_settings
from vast_orchard.types import SetName

__all__ = ["finish"]


def finish(
    folder: Annotated[Path, typer.Argument(help="The folder or zip that was searched on.")],
    found: Annotated[Path, typer.Argument(help="What orchard search --out has written.")],
    out: Annotated[Path, typer.Option(help="Folder for the export and the weights.")],
    start_from: Annotated[str, typer.Option(help="What the search started from, if it did.")] = "",
    test: Annotated[
        bool, typer.Option(help="Judge it on the test set: each look makes the next one worth less.")
    ] = False,
    threads: Annotated[int, typer.Option(help="0 means one for each processor; changes no bit of the result.")] = 0,
    as_json: AsJson = False,
) -> None:
    """Train the chosen set-up once more, on training and validation pictures together.

    Nothing validates, so that it takes as many steps as the trial that was chosen, at the same rates, to the same step.
    """
    told, words = _read(found), console()
    recipe = recipe_from_json(told["chosen"]["recipe"])
    origin = _origin(recipe, start_from)
    with open_source(folder) as source:
        collection = collect(source, recipe.preprocessing)
        together = told["together"]
        keys = keys_by_pattern([one.path for one in collection.pictures], together) if together else []
        divided = divide(collection, told["seed"], keys)
        if list(divided.classes) != list(told["classes"]) or len(divided.sets[SetName.TRAINING]) != told["pictures"]:
            raise SplitError(
                f"{found} is of other pictures: {told['pictures']} to learn from, of {', '.join(told['classes'])}.",
                "Give the folder that was searched on.",
            )
        history = [EpochMetrics(**one) for one in told["chosen"]["history"]]
        first = 1 + sum(phase_epochs(recipe.start, recipe.settings.epochs)[:-1]) if recipe.start else 1
        repeated = repeated_from(history, told["chosen"]["kept_epoch"], recipe.settings, told["pictures"], first)
        own = Recipe(**{**vars(recipe), "settings": unwatched(recipe.settings), "watch": Watch()})
        learnt = _joined(divided.sets[SetName.TRAINING], divided.sets[SetName.VALIDATION])
        make_ready(words.print)
        steps = repeated.epoch_steps * repeated.until
        words.print(
            f"{len(learnt)} pictures, {steps} steps: as many as trial {told['best']} had taken when its state was "
            "kept. Nothing validates.",
            soft_wrap=True,
        )
        team, began = make_team(read_settings(threads=threads or None)), time.monotonic()
        training = begin(
            own, len(divided.classes), learnt, None, team=team, memory_bytes=free_memory(),
            origin=None if origin is None else origin_of(origin), names=divided.classes, repeated=repeated,
        )  # fmt: skip
        columns = (TextColumn("{task.description}"), BarColumn(), TimeRemainingColumn())
        with Progress(*columns, console=words) as bar:
            task = bar.add_task("Training", total=repeated.until)
            for result in training.results:
                if isinstance(result, EpochResult):
                    state = result.state
                    bar.advance(task)
                    if result.metrics.number >= repeated.until:
                        break
        train_s = time.monotonic() - began
        model = trained_model(training, state, divided.classes)
        places = [place for name in reversed(SetName) for place in divided.places[name]]
        with words.status("Proving the export in a fresh process"):
            path, proof = export_trained(
                source, collection, places, model, out,
                contents(collection, divided.places[SetName.TRAINING] + divided.places[SetName.VALIDATION]),
            )  # fmt: skip
    shut = divided.sets[SetName.TEST]
    judged = judge(model.probabilities(shut.pixels, team), shut.labels) if test and len(shut) else None
    summary = {
        "pictures": len(learnt), "steps": steps, "train_s": round(train_s, 3), "export": str(path),
        "export_check": {"pictures": proof.pictures, "max_abs_difference": proof.max_abs_difference},
        "test": None if judged is None else {"accuracy": judged.accuracy, "loss": judged.loss, "count": judged.count},
    }  # fmt: skip
    if as_json:
        print(json.dumps(summary))
        return
    print(f"Trained on {len(learnt)} pictures in {train_s:.0f} s; there is no validation score for it. {path}")
    if judged is not None:
        low, high = judged.accuracy_interval
        print(f"test: accuracy {judged.accuracy:.3f} ({judged.right} of {judged.count}, 95 % {low:.3f} to {high:.3f})")


def _read(file: Path) -> Mapping[str, Any]:
    try:
        told: Mapping[str, Any] = json.loads(file.read_text())
        _ = told["chosen"]["recipe"], told["pictures"], told["seed"], told["together"], told["classes"]
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise InputError(
            f"{file} says of no trial what it was ({error!r}).", "Give what orchard search --out has written."
        ) from error
    return told


def _origin(recipe: Recipe, start_from: str) -> Model | None:
    if recipe.start is None:
        return None
    if not start_from:
        raise SettingError(f"The search started from {recipe.start.words}.", "Name it by --start-from.")
    _, origin = named_start(start_from)
    if weights_digest(origin.weights) != recipe.start.digest:
        raise SettingError(f"{start_from} is not what the search started from.", f"Name {recipe.start.words}.")
    return origin


def _joined(one: Examples, two: Examples) -> Examples:
    """Both, one after the other."""
    pixels, labels, identities = (
        np.concatenate([getattr(one, name), getattr(two, name)]) for name in ("pixels", "labels", "identities")
    )
    return Examples(pixels=pixels, labels=labels, identities=identities)
