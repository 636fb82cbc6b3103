"""`orchard search`: which settings are best, tried on a folder of pictures, without server or database."""

import json
import math
import time
from collections.abc import Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from vast_orchard.cli.divided import Divided, divide
from vast_orchard.cli.recipe_options import Wish, with_recipe_options
from vast_orchard.cli.search_trials import SeenSets, Trials
from vast_orchard.cli.starts import named_start
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.cli.vary_option import read_knob
from vast_orchard.core.judging.scores import picture_losses
from vast_orchard.core.network.description import opened
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.planning.carried import carried_by
from vast_orchard.core.planning.cost import search_cost
from vast_orchard.core.planning.halving import rungs_of
from vast_orchard.core.planning.knobs import KNOBS, NOTHING, Space
from vast_orchard.core.planning.optimism import optimism_of, picture_scores, told_optimism
from vast_orchard.core.planning.proposal import proposed_space
from vast_orchard.core.planning.searching import Tried, search
from vast_orchard.core.planning.trial_recipe import Named, NamedStart, check_space
from vast_orchard.core.planning.ways import Way, draw_trials
from vast_orchard.core.training.recipe import recipe_to_json
from vast_orchard.core.training.start import Start
from vast_orchard.errors import InputError, SettingError
from vast_orchard.formats.collection import collect
from vast_orchard.formats.model_file import Model, weights_digest
from vast_orchard.formats.name_pattern import keys_by_pattern
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.settings import read_settings
from vast_orchard.types import SetName

__all__ = ["search_settings"]

_BY = {"accuracy": "validation_accuracy", "macro-f1": "validation_macro_f1", "loss": "validation_loss"}
_PROPOSED = ("plain 4", "plain 5", "plain 8")
_ENOUGH_FAILED = 5


@with_recipe_options
def search_settings(
    folder: Annotated[Path, typer.Argument(help="Folder or zip with a folder a class.")],
    vary: Annotated[
        list[str] | None,
        typer.Option(
            help="name=1,2,3 or name=low..high (:ratio behind by ratio), start=nothing;a starter;a file; may be given "
            "again. Without it what most "
            f"often decides. Besides the settings of training: {', '.join(KNOBS)}."
        ),
    ] = None,
    way: Annotated[str, typer.Option(help=f"One of: {', '.join(Way)}.")] = Way.SPREAD.value,
    trials: Annotated[int, typer.Option(help="How many combinations are tried.")] = 24,
    by: Annotated[str, typer.Option(help=f"Compared by one of: {', '.join(_BY)}, on validation.")] = "loss",
    one_goes_on_of: Annotated[
        int, typer.Option(help="Early dropping: of so many trials one goes on; 0 drops none.")
    ] = 3,
    first_after: Annotated[
        int, typer.Option(help="With early dropping, the epochs of the first comparison; 0: a third of all.")
    ] = 0,
    waits: Annotated[bool, typer.Option(help="Each comparison waits until all trials have come to it.")] = False,
    minutes: Annotated[float, typer.Option(help="After so many no further trial begins; 0 is no limit.")] = 0.0,
    drawn_from: Annotated[int, typer.Option(help="Seed of the combinations.")] = 1,
    together: Annotated[
        str, typer.Option(help="A pattern of file names: what has the same {group} is never divided.")
    ] = "",
    out: Annotated[
        Path | None, typer.Option(help="JSON file for all that was found; orchard finish trains finally by it.")
    ] = None,
    threads: Annotated[int, typer.Option(help="0 means one for each processor; changes no bit of the result.")] = 0,
    as_json: AsJson = False,
    *,
    wish: Wish,
) -> None:
    """Try combinations of settings on the same division, and tell which was best and how much of that is luck.

    Trials are compared on the validation set; the test set is not looked at.
    """
    words = console()
    for what, given, known in (("figure", by, set(_BY)), ("way", way, {entry.value for entry in Way})):
        if given not in known:
            raise SettingError(f"There is no {what} {given!r}.", f"Choose one of {', '.join(sorted(known))}.")
    named = Named(networks={name: ready_network(name) for name in READY_NETWORKS})
    space = Space(knobs=tuple(map(read_knob, vary)) if vary else tuple(proposed_space(wish.recipe, _PROPOSED)))
    starts, origins = _starts(space, wish)
    wish = replace(wish, recipe=replace(wish.recipe, start=None)) if starts else wish
    named = replace(named, starts=starts)
    check_space(wish.recipe, space, named)
    values, seed = draw_trials(space, Way(way), trials, drawn_from), wish.recipe.settings.seed
    with open_source(folder) as source:
        with Progress(console=words) as bar:
            task = bar.add_task("Reading pictures")
            collection = collect(
                source, wish.recipe.preprocessing, lambda done, total: bar.update(task, completed=done, total=total)
            )
        keys = keys_by_pattern([one.path for one in collection.pictures], together) if together else []
        divided = divide(collection, seed, keys)
        learnt, compared, shut = (len(divided.sets[name]) for name in SetName)
        recipe = wish.for_pictures(wish.recipe, learnt)
        epochs, factor = recipe.settings.epochs, max(2, one_goes_on_of)
        least = first_after or max(1, round(epochs / 3))
        rungs = rungs_of(epochs, least, one_goes_on_of) if one_goes_on_of else (epochs,)
        make_ready(words.print)
        team = make_team(read_settings(threads=threads or None))
        runner = Trials(recipe, named, divided, SeenSets(source, collection, divided, recipe), team, origins)
        cost = search_cost(len(values), rungs, factor, None, 1)
        words.print(
            f"{learnt} pictures to learn from, {compared} to compare by; the test set of {shut} stays shut. "
            f"{cost.trials} trials, about {cost.epochs} epochs.",
            soft_wrap=True,
        )
        asked = _Asked(values=values, rungs=rungs, factor=factor, waits=waits, minutes=minutes, figure=_BY[by])
        tried, figures = asked.run(runner, cost.epochs, words)
    found = asked.found(runner, tried, figures, divided)
    found |= {
        "by": by, "rungs": list(rungs), "pictures": learnt, "classes": divided.classes, "seed": seed,
        "together": together,
    }  # fmt: skip
    if out is not None:
        out.write_text(json.dumps(found, indent=1))
    if as_json:
        print(json.dumps(found))
        return
    _print(found, by)


def _starts(space: Space, wish: Wish) -> tuple[dict[str, NamedStart], dict[str, Model]]:
    """What trials may start from: that of the recipe, or by names of starters and files what the space lists."""
    names = [str(name) for knob in space.knobs if knob.name == "start" for name in knob.values if name != NOTHING]
    start = wish.recipe.start
    if start is not None and wish.origin is not None and not names:
        return {}, {start.digest: wish.origin}
    starts, origins = {}, {}
    for name in names:
        words, model = named_start(name)
        own = replace(start or Start(words="", digest=""), words=words, digest=weights_digest(model.weights))
        starts[name] = NamedStart(start=own, network=opened(model.description, len(model.classes)))
        origins[own.digest] = model
    return starts, origins


_Figures = dict[int, dict[str, float]]


class _Asked:
    """A search, carried out and read."""

    def __init__(
        self, *, values: Sequence[dict[str, Any]], rungs: Sequence[int], factor: int, waits: bool, minutes: float,
        figure: str,
    ) -> None:  # fmt: skip
        self._values, self._rungs, self._factor, self._waits = values, rungs, factor, waits
        self._minutes, self._figure = minutes, figure
        self._sign = -1.0 if figure == "validation_loss" else 1.0

    def run(self, runner: Trials, epochs: int, out: Console) -> tuple[list[Tried], _Figures]:
        """Train all legs; the trials in the order of their numbers, and the figures of each."""
        tried: dict[int, Tried] = {}
        figures: _Figures = {}
        began, top = time.monotonic(), len(self._rungs) - 1
        columns = (TextColumn("{task.description}"), BarColumn(), TimeRemainingColumn())
        with Progress(*columns, console=out) as bar:
            task = bar.add_task("Training", total=epochs)
            for leg in search(self._values, self._rungs, self._factor, waits=self._waits):
                one, late = leg.tried, bool(self._minutes) and time.monotonic() - began >= 60 * self._minutes
                if late and tried and (one.trial not in tried or any(top in other.reached for other in tried.values())):
                    break
                tried[one.trial] = one
                words = f"Trial {one.trial} of {len(self._values)}, to epoch {leg.until}"
                bar.update(task, description=words)
                got = runner.train(leg, lambda _: bar.advance(task))
                if got is not None:
                    figures[one.trial] = got
                leg.reach(-math.inf if got is None else self._sign * got[self._figure])
                self._check_hope(runner, figures)
        return [tried[number] for number in sorted(tried)], figures

    def _check_hope(self, runner: Trials, figures: _Figures) -> None:
        if not figures and len(runner.failed) >= min(_ENOUGH_FAILED, len(self._values)):
            first = next(iter(runner.failed.values()))
            raise InputError(f"All {len(runner.failed)} trials that were begun failed.", f"The first: {first}")

    def found(self, runner: Trials, tried: Sequence[Tried], figures: _Figures, divided: Divided) -> dict[str, Any]:
        """Everything that is told."""
        top = len(self._rungs) - 1
        whole = [one for one in tried if math.isfinite(one.reached.get(top, -math.inf))]

        def rank(one: Tried) -> tuple[float, float, int]:
            return one.reached[top], -figures[one.trial]["validation_loss"], -one.trial

        best = max(whole, key=rank, default=None)
        scores = np.array([one.reached.get(0, math.nan) for one in tried], np.float64)
        scores[~np.isfinite(scores)] = math.nan
        return {
            "best": best.trial if best else None,
            "optimism": self._optimism(runner, divided) if best else None,
            "carried": [asdict(one) for one in carried_by([one.values for one in tried], scores)],
            "trials": [self._told(one, runner, figures) for one in tried],
            "chosen": _chosen(runner, best) if best else None,
        }

    def _optimism(self, runner: Trials, divided: Divided) -> dict[str, Any]:
        labels, numbers = divided.sets[SetName.VALIDATION].labels, sorted(runner.answers)
        scores = [
            picture_scores(self._figure, labels, answers.argmax(axis=1) == labels, picture_losses(answers, labels))
            for answers in (runner.answers[number] for number in numbers)
        ]
        told = told_optimism(optimism_of(np.stack(scores)), self._figure)
        return {**asdict(told), "chosen": numbers[told.chosen]}

    def _told(self, one: Tried, runner: Trials, figures: _Figures) -> dict[str, Any]:
        return {
            "trial": one.trial,
            "values": one.values,
            "rungs": {rung: self._sign * score for rung, score in one.reached.items() if math.isfinite(score)},
            "epochs": runner.states[one.trial].epoch if one.trial in runner.states else 0,
            "figures": figures.get(one.trial, {}),
            "train_s": round(runner.spent_s.get(one.trial, 0.0), 3),
            "failed": runner.failed.get(one.trial),
        }


def _chosen(runner: Trials, best: Tried) -> dict[str, Any]:
    """What the best trial was, as far as it is gone through again on all pictures."""
    state = runner.states[best.trial]
    return {
        "recipe": recipe_to_json(runner.recipe(best)),
        "kept_epoch": state.kept_epoch,
        "history": [{"number": one.number, "figures": dict(one.figures)} for one in state.history],
    }


def _print(found: dict[str, Any], by: str) -> None:
    figure = _BY[by]
    for one in sorted(found["trials"], key=lambda one: -one["epochs"]):
        value = one["figures"].get(figure)
        told = f"failed: {one['failed']}" if value is None else f"{by} {value:.3f} after {one['epochs']} epochs"
        print(f"trial {one['trial']}: {told}; {', '.join(f'{name} {value}' for name, value in one['values'].items())}")
    best = next((one for one in found["trials"] if one["trial"] == found["best"]), None)
    if best is None:
        print("No trial had its whole budget.")
        return
    luck, among = found["optimism"], len(found["trials"])
    low, high = luck["interval"]
    print(
        f"Best: trial {best['trial']}, {by} {best['figures'][figure]:.3f}, chosen among {among}. On pictures by which "
        f"it was not chosen, what such a choice gives is {luck['corrected']:.3f} (95 % {low:.3f} to {high:.3f})."
    )
    for one in found["carried"]:
        print(f"  {one['name']}: {100 * one['share']:.0f} % of the order, by chance {one['chance']:.3f}")
    if not found["carried"]:
        print("  Too few trials to say which settings matter.")
