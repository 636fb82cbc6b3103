"""`orchard bench networks`: the ready networks beside each other, and how well their time is told beforehand."""

import json
import statistics
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.console import Console

from vast_orchard.at_once.network_times import Lesson
from vast_orchard.at_once.networks import check_network
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.network.description import description_to_json
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.pictures.questions import Answers, variation_by_answers
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.duration import recipe_time
from vast_orchard.core.training.loop import predict
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import Keep, TrainingSettings
from vast_orchard.core.training.values import EpochResult, Examples
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.jobs.pace import measured_pace
from vast_orchard.made_up.sets import MADE_UP_SETS, draw_set
from vast_orchard.settings import read_settings

__all__ = ["bench_networks"]

_SETS = ("crystals", "strokes", "things")
_SEEDS = 5
_TRAINING, _JUDGED = 500, 2000  # pictures of a set
_EPOCHS = 20
_JUDGED_SEED = 1  # of the pictures that no training sees; those to train on come from 100 and up

_TIMED = 256  # pictures of an epoch that is timed, and a quarter as many to validate on
_TURNS = 9
_ANSWERS = 40
_CHECKS = 40


def _error(name: str, set_name: str, seed: int, judged: Examples, team: Team) -> float:
    """Share of wrong answers on pictures that were not trained on, of the last state."""
    training = draw_set(set_name, _TRAINING, 100 + seed)
    recipe = Recipe(
        network=ready_network(name),
        variation=variation_by_answers(Answers()),
        settings=TrainingSettings(epochs=_EPOCHS, keep=Keep.LAST, seed=seed),
    )
    running = begin(recipe, len(MADE_UP_SETS[set_name].classes), training, None, team=team)
    for _ in running.results:
        pass
    answers = predict(running.network, judged.pixels, running.statistics, team).argmax(axis=1)
    return float((answers != judged.labels).mean())


def _errors(names: Sequence[str], seeds: int, team: Team, words: Console) -> dict[str, dict[str, float]]:
    """Of each network on each set, pooled over the seeds: as many pictures each time."""
    found: dict[str, dict[str, float]] = {name: {} for name in names}
    for set_name in _SETS:
        judged = draw_set(set_name, _JUDGED, _JUDGED_SEED)
        for name in names:
            errors = [_error(name, set_name, seed, judged, team) for seed in range(1, seeds + 1)]
            found[name][set_name] = round(statistics.mean(errors), 4)
            words.print(f"{name} on {set_name}: {', '.join(f'{error:.3f}' for error in errors)}")
    return found


def _noise(count: int, side: int) -> Examples:
    random = np.random.default_rng(0)
    pixels = random.integers(0, 256, (count, side, side, 3), dtype=np.uint8)
    return Examples(pixels=pixels, labels=np.arange(count) % 7, identities=np.arange(count, dtype=np.uint64))


class _Timed:
    """A training whose epochs are timed one by one, and the answers of what it has learnt."""

    def __init__(self, name: str, team: Team) -> None:
        recipe = Recipe(
            network=ready_network(name),
            variation=variation_by_answers(Answers()),
            settings=TrainingSettings(epochs=_TURNS + 1),
        )
        self._size = recipe.preprocessing.size
        running = begin(recipe, 7, _noise(_TIMED, self._size), _noise(_TIMED // 4, self._size), team=team)
        self._results, network = running.results, running.recipe.network
        self._frozen = FrozenNetwork(Network(network, 0, team=team), team)
        self.planned = plan(network)
        # At a pace of one; what the machine's is stands beside it.
        self.expected = recipe_time(running.recipe, 1.0, _TIMED, _TIMED // 4)
        self.epochs: list[float] = []
        self.answers: list[float] = []
        self.epoch()
        self.epochs.clear()  # the first has what happens once

    def epoch(self) -> None:
        began = time.perf_counter()
        while not isinstance(next(self._results), EpochResult):
            pass
        self.epochs.append(time.perf_counter() - began)
        picture = np.zeros((1, self._size, self._size, 3), np.float32)
        for _ in range(_ANSWERS):
            began = time.perf_counter()
            self._frozen.probabilities(picture)
            self.answers.append(time.perf_counter() - began)


def _plan_ms() -> float:
    """The check of a list of 60 lines, as the page asks for it after each change."""
    block = {"kind": "residual_block", "channels": 32}
    lines = [{"kind": "conv_block", "channels": 32}, *[block] * 56, {"kind": "max_pool"}, block, {"kind": "head"}]
    lesson, spent = Lesson(pictures=1000, pace=1.0), []
    for _ in range(_CHECKS):
        began = time.perf_counter()
        check_network({"layers": lines}, size=48, channels=3, classes=7, lesson=lesson)
        spent.append(time.perf_counter() - began)
    return statistics.median(spent) * 1e3


def _times(names: Sequence[str], team: Team, words: Console) -> tuple[dict[str, _Timed], list[float]]:
    """Epochs of all of them in turns, and the pace before each turn."""
    timed = {name: _Timed(name, team) for name in names}
    paces = []
    for turn in range(_TURNS):
        words.print(f"Timing epochs, turn {turn + 1} of {_TURNS}")
        paces.append(measured_pace(team))
        for one in timed.values():
            one.epoch()
    return timed, paces


def bench_networks(
    seeds: Annotated[
        int, typer.Option(help="To train each network from on each set; 0 leaves the errors out.")
    ] = _SEEDS,
    keep: Annotated[Path | None, typer.Option(help="File for the errors, as the program ships them.")] = None,
    as_json: AsJson = False,
) -> None:
    """Time and error of the ready networks; the errors take about an hour on two processors."""
    words = console()
    make_ready(words.print)
    team, names = make_team(read_settings()), list(READY_NETWORKS)
    timed, paces = _times(names, team, words)
    errors = _errors(names, seeds, team, words) if seeds else {}
    pace = statistics.median(paces)
    epoch_s = {name: statistics.median(one.epochs) for name, one in timed.items()}
    found: dict[str, Any] = {
        "plan_ms": round(_plan_ms(), 2),
        "pace": round(pace, 3),
        "time_error": {name: round(one.expected.epoch_s * pace / epoch_s[name] - 1, 3) for name, one in timed.items()},
        "answer_error": {
            name: round(one.expected.answer_s * pace / statistics.median(one.answers) - 1, 3)
            for name, one in timed.items()
        },
        "ready": [
            {
                "name": name,
                "parameters": one.planned.parameters,
                "multiply_adds": one.planned.multiply_adds,
                "epoch_s": round(epoch_s[name], 3),
                "answer_ms": round(statistics.median(one.answers) * 1e3, 2),
                "validation_error": errors.get(name, {}),
            }
            for name, one in timed.items()
        ],
    }
    if keep is not None:
        kept = {
            "sets": {name: len(MADE_UP_SETS[name].classes) for name in _SETS},
            "seeds": seeds, "training": _TRAINING, "judged": _JUDGED, "epochs": _EPOCHS,
            "errors": errors,
            "networks": {name: description_to_json(ready_network(name))["layers"] for name in names},
        }  # fmt: skip
        keep.write_text(json.dumps(kept, indent=1) + "\n")
    if as_json:
        print(json.dumps(found))
        return
    print(f"A check of 60 lines takes {found['plan_ms']:.1f} ms; the pace of this machine is {pace:.2f}.\n")
    heads = ("network", "parameters", "multiply-adds", "epoch of 256, s", "told, off by", "answer, ms", *_SETS)
    print(f"| {' | '.join(heads)} |\n|{'---|' * len(heads)}")
    for name, one in timed.items():
        cells = [
            name,
            f"{one.planned.parameters:,}",
            f"{one.planned.multiply_adds / 1e6:.1f} M",
            f"{epoch_s[name]:.2f}",
        ]
        cells += [f"{found['time_error'][name]:+.0%}", f"{statistics.median(one.answers) * 1e3:.2f}"]
        cells += [f"{errors[name][set_name]:.3f}" if errors else "" for set_name in _SETS]
        print(f"| {' | '.join(cells)} |")
