"""`orchard bench defaults`: what *Train* learns when nothing was changed, beside what it learnt in version 0.8."""

import json
import math
import statistics
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Any

import typer

from vast_orchard.at_once.catalogue import default_recipe, recipe_of
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.pictures.variation import Variation, operation
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.loop import predict
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import Keep, OptimizerName, Schedule, TrainingSettings
from vast_orchard.core.training.values import EpochResult, Examples, TrainingState
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.made_up.sets import MADE_UP_SETS, draw_set
from vast_orchard.settings import read_settings

__all__ = ["bench_defaults"]

_PER_CLASS, _COUNTS = 10, (300, 3000)
_SEEDS, _JUDGED = 3, 2000
# Fixed before anything was measured; what was chosen was tried on others.
_JUDGED_SEED, _FIRST_DRAW, _VALIDATION_DRAW = 1, 300, 400
# Of the training pictures; as large as the sets that are proposed make it beside them.
_VALIDATION = 0.2

# What *Train* used in 0.8: the network of today's default, mirrored and turned, and always 25 epochs.
_BEFORE = Recipe(
    network=ready_network("plain 8"),
    variation=Variation(
        operations=(operation("mirror"), operation("turn"), operation("brightness"))
    ),
    settings=TrainingSettings(
        epochs=25, batch_size=32, learning_rate=0.003, warm_up=0.05, optimizer=OptimizerName.ADAM,
        schedule=Schedule.COSINE, keep=Keep.LOWEST_LOSS, label_smoothing=0.0,
    ),
)  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class _Outcome:
    error: float
    seconds: float  # of the training, its validation included


def _learnt(
    recipe: Recipe, classes: int, training: Examples, validation: Examples, judged: Examples, team: Team
) -> _Outcome:
    began, state = time.monotonic(), TrainingState()
    running = begin(recipe, classes, training, validation, team=team)
    for result in running.results:
        if isinstance(result, EpochResult):
            state = result.state
    spent = time.monotonic() - began
    running.network.load(state.kept)
    answers = predict(running.network, judged.pixels, running.statistics, team).argmax(axis=1)
    return _Outcome(error=float((answers != judged.labels).mean()), seconds=spent)


def _with_seed(recipe: Recipe, seed: int) -> Recipe:
    return replace(recipe, settings=replace(recipe.settings, seed=seed))


def _compared(name: str, count: int, seeds: int, judged: Examples, team: Team) -> dict[str, Any]:
    """Both defaults on the same pictures, in turns."""
    classes = len(MADE_UP_SETS[name].classes)
    today = recipe_of(default_recipe(count))
    sides: dict[str, list[_Outcome]] = {"before": [], "now": []}
    for seed in range(1, seeds + 1):
        training = draw_set(name, count, _FIRST_DRAW + seed)
        validation = draw_set(name, max(2 * classes, math.ceil(_VALIDATION * count)), _VALIDATION_DRAW + seed)
        for side, recipe in (("before", _BEFORE), ("now", today)):
            sides[side].append(_learnt(_with_seed(recipe, seed), classes, training, validation, judged, team))
    before, now = (statistics.mean(one.error for one in sides[side]) for side in ("before", "now"))
    spent, took = (statistics.median(one.seconds for one in sides[side]) for side in ("before", "now"))
    return {
        "name": name, "pictures": count, "error_before": round(before, 4), "error": round(now, 4),
        "time_ratio": round(took / spent, 2), "seconds": round(took, 1),
        "errors_before": [round(one.error, 4) for one in sides["before"]],
        "errors": [round(one.error, 4) for one in sides["now"]],
    }  # fmt: skip


def bench_defaults(
    seeds: Annotated[int, typer.Option(help="Draws of pictures and of weights.")] = _SEEDS,
    only: Annotated[str, typer.Option(help=f"One of: {', '.join(MADE_UP_SETS)}; all by default.")] = "",
    most: Annotated[int, typer.Option(help="Leaves out larger numbers of pictures.")] = max(_COUNTS),
    as_json: AsJson = False,
) -> None:
    """Errors of the defaults on four kinds of made-up pictures, beside those of 0.8; an hour and more."""
    words = console()
    make_ready(words.print)
    team = make_team(read_settings())
    found: list[dict[str, Any]] = []
    for name, made in MADE_UP_SETS.items():
        if only not in ("", name):
            continue
        judged = draw_set(name, _JUDGED, _JUDGED_SEED)
        counts: Sequence[int] = (_PER_CLASS * len(made.classes), *_COUNTS)
        for count in counts:
            if count <= most:
                found.append(_compared(name, count, seeds, judged, team))
                words.print(str(found[-1]), soft_wrap=True)
    ratio = statistics.geometric_mean(max(one["error"], 1e-4) / max(one["error_before"], 1e-4) for one in found)
    if as_json:
        print(json.dumps({"sets": found, "geometric_mean": round(ratio, 3)}))
        return
    print("| set | pictures | before | now | time ratio | seconds |\n|---|---|---|---|---|---|")
    for one in found:
        print(
            f"| {one['name']} | {one['pictures']:,} | {one['error_before']:.3f} | {one['error']:.3f} | "
            f"{one['time_ratio']:.2f} | {one['seconds']:.0f} |"
        )
    print(f"\nGeometric mean of the error over that before: {ratio:.2f}.")
