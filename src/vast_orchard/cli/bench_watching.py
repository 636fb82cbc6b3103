"""`orchard bench watching`: what it costs to watch a training, how much is kept, and how soon *Stop* stops it."""

import json
import statistics
import tempfile
import time
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from vast_orchard.cli.started import StartedApplication
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.network.ready import DEFAULT_NETWORK, ready_network
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.values import EpochResult, Examples, StepResult
from vast_orchard.core.watching.findings import Facts, Standing
from vast_orchard.core.watching.history import EpochRecord, watched_to_json
from vast_orchard.core.watching.lookouts import look
from vast_orchard.core.watching.watch import Watch
from vast_orchard.errors import ServiceError
from vast_orchard.jobs.engine import make_ready
from vast_orchard.made_up.sets import MADE_UP_SETS, draw_set

__all__ = ["bench_watching"]

_SET, _TRAINING, _VALIDATION, _FIRST = "crystals", 480, 120, 3000
_PAIRS = 20
_STOPS, _STOP_WITHIN_S = 5, 60.0

# Healthy trainings. Bounds were set by seeds up to 10; nothing was by later ones.
_FIRST_SEED = 11
_NETWORKS = ("plain 5", "plain 8", "residual 8")
_SETS = ("crystals", "strokes", "textures")
_HEALTHY_TRAINING, _HEALTHY_VALIDATION, _HEALTHY_EPOCHS, _HEALTHY_FIRST = 600, 400, 30, 4000


def _facts(settings: TrainingSettings, name: str, training: Examples, validation: Examples) -> Facts:
    classes = tuple(MADE_UP_SETS[name].classes)
    counts = [tuple(np.bincount(part.labels, minlength=len(classes)).tolist()) for part in (training, validation)]
    return Facts(settings=settings, classes=classes, training=counts[0], validation=counts[1])


class _Watched:
    """A training, an epoch at a time; with its lookouts, if it is watched."""

    def __init__(self, training: Examples, validation: Examples, watch: Watch) -> None:
        settings = TrainingSettings(epochs=_PAIRS + 1)
        recipe = Recipe(network=ready_network(DEFAULT_NETWORK), settings=settings, watch=watch)
        classes = len(MADE_UP_SETS[_SET].classes)
        self._results: Iterator[StepResult | EpochResult] = begin(
            recipe, classes, training, validation, team=Team(1)
        ).results
        self._facts = _facts(settings, _SET, training, validation)
        self._looks = bool(watch.every)
        self.history: list[EpochRecord] = []
        self.bytes = 0

    def epoch(self) -> float:
        """Processor seconds of the next one, with everything that watching does in it."""
        began = time.process_time()
        for result in self._results:
            if isinstance(result, EpochResult):
                if self._looks:
                    metrics = result.metrics
                    self.history.append(
                        EpochRecord(number=metrics.number, figures=metrics.figures, watched=result.watched)
                    )
                    look(self.history, self._facts)
                    self.bytes += len(json.dumps(watched_to_json(result.watched)))
                break
        return time.process_time() - began


def _cost() -> tuple[list[float], float]:
    """Ratios of epochs watched over epochs that are not, in turns; megabytes that an epoch keeps."""
    training = draw_set(_SET, _TRAINING, _FIRST)
    validation = draw_set(_SET, _VALIDATION, _FIRST + 1)
    on, off = _Watched(training, validation, Watch()), _Watched(training, validation, Watch(every=0))
    on.epoch(), off.epoch()
    ratios = []
    for pair in range(_PAIRS):
        # Whoever is first finds another cache.
        sides = (on, off) if pair % 2 else (off, on)
        spent = {side: side.epoch() for side in sides}
        ratios.append(spent[on] / spent[off])
    return ratios, on.bytes / len(on.history) / 1e6


def _stops() -> list[float]:
    """Milliseconds from *Stop* until a training of the demo has ended, through the whole application."""
    found = []
    with (
        tempfile.TemporaryDirectory(prefix="vast-orchard-bench-") as folder,
        StartedApplication(Path(folder) / "data", demo=True) as started,
    ):
        deadline = time.monotonic() + _STOP_WITHIN_S
        while not started.ask("GET", "/api/projects") or started.ask("GET", "/api/projects/1")["pictures"] < 1000:
            time.sleep(0.5)
            if time.monotonic() > deadline:
                raise ServiceError("The demo project does not fill.", "See the logs of the application.")
        for _ in range(_STOPS):
            run = started.ask("POST", "/api/projects/1/runs", {})
            while started.ask("GET", f"/api/runs/{run['id']}")["epochs_done"] < 1:
                time.sleep(0.1)
            job = next(
                entry
                for entry in started.ask("GET", "/api/jobs")
                if entry["kind"] == "train" and entry["subject_id"] == run["id"]
            )
            began = time.monotonic()
            started.ask("POST", f"/api/jobs/{job['id']}/stop", {})
            while started.ask("GET", f"/api/runs/{run['id']}")["state"] != "ended":
                time.sleep(0.01)
            found.append(1000 * (time.monotonic() - began))
    return found


def _alarms(seeds: Sequence[int], say: Any) -> tuple[int, int]:
    """Healthy trainings in which any lookout found anything after any epoch, and how many there were."""
    alarms, runs = 0, 0
    for seed in seeds:
        for name in _SETS:
            training = draw_set(name, _HEALTHY_TRAINING, _HEALTHY_FIRST + 2 * seed)
            validation = draw_set(name, _HEALTHY_VALIDATION, _HEALTHY_FIRST + 2 * seed + 1)
            for network in _NETWORKS:
                found = _alarmed(network, name, training, validation, seed)
                alarms, runs = alarms + bool(found), runs + 1
                say(f"{network} on {name}, seed {seed}: {', '.join(sorted(found)) or 'quiet'}")
    return alarms, runs


def _alarmed(network: str, name: str, training: Examples, validation: Examples, seed: int) -> set[str]:
    settings = TrainingSettings(epochs=_HEALTHY_EPOCHS, seed=seed)
    recipe = Recipe(network=ready_network(network), settings=settings)
    facts = _facts(settings, name, training, validation)
    history: list[EpochRecord] = []
    found: set[str] = set()
    for result in begin(recipe, len(facts.classes), training, validation, team=Team(1)).results:
        if isinstance(result, EpochResult):
            metrics = result.metrics
            history.append(EpochRecord(number=metrics.number, figures=metrics.figures, watched=result.watched))
            said = look(history, facts)
            found |= {one for one, finding in said.items() if finding.standing is Standing.FOUND}
    return found


def bench_watching(
    healthy: Annotated[
        int,
        typer.Option(help="Seeds of healthy trainings instead: how many are found fault with; 5 take half an hour."),
    ] = 0,
    first: Annotated[int, typer.Option(help="The first of these seeds.")] = _FIRST_SEED,
    as_json: AsJson = False,
) -> None:
    """What watching costs of an epoch, keeps of a hundred, and how long after *Stop* a training has ended."""
    words = console()
    make_ready(words.print)
    if healthy:
        alarms, runs = _alarms(range(first, first + healthy), words.print)
        if as_json:
            print(json.dumps({"alarms": alarms, "runs": runs}))
        else:
            print(f"{alarms} of {runs} healthy trainings were found fault with.")
        return
    ratios, megabytes = _cost()
    stops = _stops()
    quartiles = statistics.quantiles(ratios, n=4)
    found = {
        "watch_cost_ratio": round(statistics.median(ratios), 4),
        "watch_cost_quartiles": [round(quartiles[0], 4), round(quartiles[2], 4)],
        "record_mb_per_100_epochs": round(100 * megabytes, 3),
        "stop_after_ms": round(statistics.median(stops)),
        "stop_after_ms_worst": round(max(stops)),
    }
    if as_json:
        print(json.dumps(found))
        return
    for name, value in found.items():
        print(f"{name}: {value}")
