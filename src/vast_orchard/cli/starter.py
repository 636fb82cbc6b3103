"""`orchard starter`: teaches a ready network on drawn classes, and writes what trainings can start from."""

import json
import os
import time
from pathlib import Path
from typing import Annotated

import typer
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import READY_NETWORKS
from vast_orchard.core.training.values import EpochResult
from vast_orchard.errors import SettingError
from vast_orchard.formats.model_file import Model, write_model
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.settings import read_settings
from vast_orchard.starters.teaching import Lesson, begin_teaching, drawn_examples, half

__all__ = ["teach_starter"]

_FIRST = Lesson(network="")


def teach_starter(
    network: Annotated[str, typer.Argument(help=f"One of: {', '.join(READY_NETWORKS)}.")],
    out: Annotated[Path, typer.Option(help="File for the weights, in half precision.")],
    seed: Annotated[int, typer.Option(help="The same seed gives the same weights.")] = _FIRST.seed,
    classes: Annotated[int, typer.Option(help="Drawn classes to tell apart.")] = _FIRST.classes,
    pictures: Annotated[int, typer.Option(help="Of each class.")] = _FIRST.pictures,
    epochs: Annotated[int, typer.Option(help="Passes over all of them.")] = _FIRST.epochs,
    threads: Annotated[int, typer.Option(help="0 means one for each processor; changes no bit of the result.")] = 0,
    as_json: AsJson = False,
) -> None:
    """Draw pictures of many made-up classes and teach a ready network to tell them apart; half an hour and more."""
    if min(classes, pictures, epochs) < 1 or classes < 2:
        raise SettingError(
            f"{classes} classes, {pictures} pictures and {epochs} epochs teach nothing.", "Ask for at least 2, 1 and 1."
        )
    words, began = console(), time.monotonic()
    lesson = Lesson(network=network, seed=seed, classes=classes, pictures=pictures, epochs=epochs)
    make_ready(words.print)
    team = make_team(read_settings(threads=threads or None))
    words.print(f"Drawing {classes * pictures:,} pictures")
    training, validation = drawn_examples(lesson, threads or len(os.sched_getaffinity(0)))
    running = begin_teaching(lesson, training, validation, team)
    steps, figures = 0, {"validation_accuracy": 0.0}
    columns = (TextColumn("{task.description}"), BarColumn(), TimeRemainingColumn())
    with Progress(*columns, console=words) as bar:
        task = bar.add_task("Teaching", total=None)
        for result in running.results:
            if isinstance(result, EpochResult):
                figures = dict(result.metrics.figures)
                bar.update(task, description=f"Epoch {result.metrics.number}: {figures['validation_accuracy']:.3f}")
            else:
                bar.update(task, total=epochs * result.steps, advance=1)
                steps += 1
    entries = plan(running.network.description).layers
    head = entries[-1]
    model = Model(
        description=running.network.description,
        weights=half(running.network.state(), head.id),
        classes=tuple(f"drawn {n}" for n in range(classes)),
        preprocessing=running.recipe.preprocessing,
        statistics=running.statistics,
    )
    out.parent.mkdir(parents=True, exist_ok=True)
    out.write_bytes(write_model(model))
    minutes = round((time.monotonic() - began) / 60, 1)
    record = {
        "name": f"drawings, {network}",
        "network": network,
        "parameters": sum(entry.parameters for entry in entries) - head.parameters,
        "input_size": lesson.side,
        "taught": {
            "seed": seed, "classes": classes, "pictures": pictures, "epochs": epochs, "steps": steps,
            "minutes": minutes, "threads": team.threads,
            "accuracy": round(figures["validation_accuracy"], 3), "judged": len(validation),
        },
        "helps": {},
    }  # fmt: skip
    if as_json:
        print(json.dumps(record))
        return
    print(
        f"{out}: {out.stat().st_size / 1e6:.1f} MB, tells {figures['validation_accuracy']:.1%} of {len(validation):,} "
        f"new drawings of {classes:,} classes right after {minutes} minutes."
    )
