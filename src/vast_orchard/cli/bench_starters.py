"""`orchard bench starters`: few pictures, learnt from nothing and from each starter."""

import json
import statistics
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated, Any

import typer

from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.team import Team
from vast_orchard.core.training.amount import proposed_epochs
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.loop import predict
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import Keep, TrainingSettings
from vast_orchard.core.training.start import Start
from vast_orchard.core.training.values import Examples
from vast_orchard.formats.model_file import Model, origin_of, read_model
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.made_up.sets import MADE_UP_SETS, draw_set
from vast_orchard.settings import read_settings
from vast_orchard.starters.shipped import Starter, starter_file, starters

__all__ = ["bench_starters", "error_of"]

_SETS = ("crystals", "strokes", "things")
_PER_CLASS, _DRAWS, _JUDGED = 10, 5, 2000
# Fixed before anything was measured; trials were on others (500 and up, judged on 7).
_JUDGED_SEED, _FIRST_DRAW = 1, 200
_LONGER = 4  # as many steps from nothing may take; the better of both counts

# As the ready networks were measured (`bench_ready`), for the same table.
_TABLE_TRAINING, _TABLE_EPOCHS, _TABLE_FIRST = 500, 20, 100


@dataclass(frozen=True, kw_only=True)
class _Task:
    """Pictures of a made-up set to learn, and others to be judged by."""

    name: str
    training: Examples
    judged: Examples

    @property
    def classes(self) -> int:
        return len(MADE_UP_SETS[self.name].classes)


def error_of(task: _Task, recipe: Recipe, model: Model | None, team: Team) -> float:
    """Share of wrong answers of the last state, from nothing or from a model."""
    if model is not None:
        recipe = replace(recipe, start=Start(words="a starter", digest=""))
    running = begin(
        recipe, task.classes, task.training, None, team=team,
        origin=None if model is None else origin_of(model), names=MADE_UP_SETS[task.name].classes,
    )  # fmt: skip
    for _ in running.results:
        pass
    answers = predict(running.network, task.judged.pixels, running.statistics, team).argmax(axis=1)
    return float((answers != task.judged.labels).mean())


def _recipe(network: str, epochs: int, seed: int) -> Recipe:
    settings = TrainingSettings(epochs=epochs, keep=Keep.LAST, seed=seed)
    return Recipe(network=ready_network(network), settings=settings)


def _few(entry: Starter, name: str, judged: Examples, draws: int, team: Team) -> dict[str, Any]:
    """Both sides on the same draws."""
    count = _PER_CLASS * len(MADE_UP_SETS[name].classes)
    model, epochs = read_model(starter_file(entry.name)), proposed_epochs(count)
    short, long, started = [], [], []
    for draw in range(draws):
        task = _Task(name=name, training=draw_set(name, count, _FIRST_DRAW + draw), judged=judged)
        short.append(error_of(task, _recipe(entry.network, epochs, draw + 1), None, team))
        long.append(error_of(task, _recipe(entry.network, _LONGER * epochs, draw + 1), None, team))
        started.append(error_of(task, _recipe(entry.network, epochs, draw + 1), model, team))
    scratch = min(statistics.median(short), statistics.median(long))
    error = statistics.median(started)
    return {
        "name": name, "per_class": _PER_CLASS, "starter": entry.name, "scratch_error": round(scratch, 4),
        "starter_error": round(error, 4), "error_ratio": round(error / scratch, 3),
        "scratch_errors": [round(x, 4) for x in short], "scratch_errors_longer": [round(x, 4) for x in long],
        "starter_errors": [round(x, 4) for x in started],
    }  # fmt: skip


def _table(entry: Starter, judged: dict[str, Examples], seeds: int, team: Team) -> dict[str, float]:
    """Errors with the starter where those of the ready networks without are known."""
    model, found = read_model(starter_file(entry.name)), {}
    for name, pictures in judged.items():
        errors = [
            error_of(
                _Task(name=name, training=draw_set(name, _TABLE_TRAINING, _TABLE_FIRST + seed), judged=pictures),
                _recipe(entry.network, _TABLE_EPOCHS, seed), model, team,
            )
            for seed in range(1, seeds + 1)
        ]  # fmt: skip
        found[name] = round(statistics.mean(errors), 4)
    return found


def _keep(keep: Path, ratios: dict[str, dict[str, float]]) -> None:
    record = json.loads(keep.read_text())
    for entry in record:
        entry["helps"] = ratios.get(entry["name"], entry["helps"])
    keep.write_text(json.dumps(record, indent=1) + "\n")


def bench_starters(
    only: Annotated[str, typer.Option(help="A starter's name; all by default.")] = "",
    draws: Annotated[int, typer.Option(help="Of the pictures to learn from.")] = _DRAWS,
    keep: Annotated[Path | None, typer.Option(help="The record of the starters, to note the ratios in.")] = None,
    table: Annotated[
        Path | None, typer.Option(help="The record of the ready networks, to note errors with a starter in instead.")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Errors on 10 pictures a class from nothing and from the starters; about twenty minutes a starter."""
    words = console()
    make_ready(words.print)
    team = make_team(read_settings())
    chosen: Sequence[Starter] = [entry for entry in starters() if only in ("", entry.name)]
    judged = {name: draw_set(name, _JUDGED, _JUDGED_SEED) for name in _SETS}
    if table is not None:
        record = json.loads(table.read_text())
        for entry in chosen:
            record.setdefault("started", {})[entry.network] = _table(entry, judged, draws, team)
            words.print(f"{entry.name}: {record['started'][entry.network]}")
        table.write_text(json.dumps(record, indent=1) + "\n")
        return
    found: list[dict[str, Any]] = []
    for entry in chosen:
        for name, pictures in judged.items():
            found.append(_few(entry, name, pictures, draws, team))
            words.print(str(found[-1]), soft_wrap=True)
    if keep is not None:
        _keep(keep, {x.name: {s["name"]: s["error_ratio"] for s in found if s["starter"] == x.name} for x in chosen})
    if as_json:
        print(json.dumps({"sets": found}))
        return
    print("| starter | set | from nothing | from the starter | ratio |\n|---|---|---|---|---|")
    for one in found:
        print(
            f"| {one['starter']} | {one['name']} | {one['scratch_error']:.3f} | {one['starter_error']:.3f} | "
            f"{one['error_ratio']:.2f} |"
        )
