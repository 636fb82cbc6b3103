"""`orchard bench plans`: what early dropping saves, what a second worker adds, and what lies between two trials."""

import json
import math
import re
import statistics
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.console import Console

from vast_orchard.at_once.catalogue import default_recipe
from vast_orchard.cli.divided import divide
from vast_orchard.cli.plan_replay import NEAR, Curve, curve_noise, on_a_surface, time_to_near
from vast_orchard.cli.started import StartedApplication
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.judging.scores import judge
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.questions import Answers, variation_by_answers
from vast_orchard.core.planning.halving import rungs_of
from vast_orchard.core.planning.knobs import Knob, Space
from vast_orchard.core.planning.trial_recipe import Named, trial_recipe
from vast_orchard.core.planning.ways import Way, draw_trials
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.values import EpochResult
from vast_orchard.demo.write import PICTURES_FOLDER, write_collection
from vast_orchard.errors import NonFiniteError, ServiceError
from vast_orchard.formats.collection import Collection, collect, labelled_examples
from vast_orchard.formats.model_file import trained_model
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.settings import read_settings
from vast_orchard.types import SetName

__all__ = ["bench_plans"]

_TRIALS, _EPOCHS, _SIZE, _FACTOR = 64, 27, 32, 3
_ORDERS, _SEARCHES = 1000, 100
# The demo, and as many fresh pictures as an accuracy takes, drawn alike from another seed.
_DRAWN: dict[str, tuple[int, ...]] = {"demo": (), "fresh": (2000, 900_001)}
_TURNS, _TURN_TRIALS, _TURN_EPOCHS = 9, 6, 8
_WAIT_S = 600.0
_SPACE = Space(
    knobs=(
        Knob(name="learning_rate", low=0.0001, high=0.1, by_ratio=True),
        Knob(name="network", values=("plain 4", "plain 5")),
        Knob(name="optimizer", values=("adamw", "sgd")),
        Knob(name="strength", low=0.0, high=2.0),
        Knob(name="label_smoothing", values=(0.0, 0.1, 0.3)),
        Knob(name="batch_size", values=(16, 32, 64)),
    )
)


def _collected(folder: Path, recipe: Recipe, *more: int) -> Collection:
    write_collection(folder, *more)
    with open_source(folder / PICTURES_FOLDER) as source:
        return collect(source, recipe.preprocessing)


def _curves(say: Console) -> list[Curve]:
    """Every trial in full, on the demo."""
    make_ready(say.print)
    base = Recipe(
        network=ready_network("plain 4"), preprocessing=Preprocessing(size=_SIZE),
        variation=variation_by_answers(Answers()), settings=TrainingSettings(epochs=_EPOCHS),
    )  # fmt: skip
    named = Named(networks={name: ready_network(name) for name in ("plain 4", "plain 5")})
    with tempfile.TemporaryDirectory(prefix="vast-orchard-bench-") as folder:
        own, others = (_collected(Path(folder) / name, base, *more) for name, more in _DRAWN.items())
    divided, names = divide(own, 1), sorted({one.class_name for one in own.pictures if one.class_name})
    labelled = [place for place, one in enumerate(others.pictures) if one.class_name]
    fresh = labelled_examples(
        others.pixels[labelled], [others.pictures[n].sha256 for n in labelled],
        [str(others.pictures[n].class_name) for n in labelled], names,
    )  # fmt: skip
    team, found = make_team(read_settings()), []
    for number, values in enumerate(draw_trials(_SPACE, Way.RANDOM, _TRIALS, 1), 1):
        # What leaves the numbers stays at guessing, as a search sees it.
        accuracies, losses = (np.full(_EPOCHS, value) for value in (1 / len(names), math.log(len(names))))
        truth, began = 1 / len(names), time.process_time()
        try:
            training = begin(
                trial_recipe(base, values, named), len(names), divided.sets[SetName.TRAINING],
                divided.sets[SetName.VALIDATION], team=team,
            )  # fmt: skip
            for result in training.results:
                if isinstance(result, EpochResult):
                    state = result.state
                    accuracies[result.metrics.number - 1] = result.metrics.figures["validation_accuracy"]
                    losses[result.metrics.number - 1] = result.metrics.figures["validation_loss"]
            epoch_s = (time.process_time() - began) / _EPOCHS
            model = trained_model(training, state, names)
            truth = judge(model.probabilities(fresh.pixels, team), fresh.labels).accuracy
        except NonFiniteError:
            epoch_s = (time.process_time() - began) / _EPOCHS
        found.append(Curve(accuracy=accuracies, loss=losses, truth=truth, epoch_s=epoch_s))
        say.print(f"trial {number} of {_TRIALS}: {accuracies[-1]:.3f}, in truth {truth:.3f}, {epoch_s:.2f} s an epoch")
    return found


def _speedup(curves: Sequence[Curve]) -> list[float]:
    """Of each order, how many times as long all in full take as with the weak ones dropped, to within 2 %."""
    random, rungs, found = np.random.default_rng(1), rungs_of(_EPOCHS, _EPOCHS // 3, _FACTOR), []
    for _ in range(_ORDERS):
        order = random.permutation(len(curves)).tolist()
        full = time_to_near(curves, order, (_EPOCHS,), _FACTOR, by_loss=True)
        found.append(full / time_to_near(curves, order, rungs, _FACTOR, by_loss=True))
    return found


class _Worked:
    """The application with the demo, and plans on it."""

    def __init__(self, folder: Path, at_once: int) -> None:
        settings = {"trainings_at_once": str(at_once), "threads": "1", "serving_port": "0"}
        self.application = StartedApplication(folder / f"data-{at_once}", demo=True, settings=settings)
        self._seed = 0

    def plan(self, kind: str = "trials", **more: Any) -> tuple[float, dict[str, Any]]:
        """Seconds from its beginning until all its runs have ended, and the plan as it is then."""
        recipe = default_recipe(900)
        recipe["network"] = "plain 5"
        recipe["preprocessing"]["size"] = _SIZE
        recipe["settings"].update(epochs=_TURN_EPOCHS, keep="last")
        self._seed += 1
        body = {
            "kind": kind, "question": f"Turn {self._seed}", "recipe": recipe, "trials": _TURN_TRIALS,
            "seed": self._seed, "space": [{"name": "learning_rate", "low": 0.002, "high": 0.01, "by_ratio": True}],
            **more,
        }  # fmt: skip
        began = time.monotonic()
        plan = self.application.ask("POST", "/api/projects/1/plans", body)
        while plan["state"] == "running":
            if time.monotonic() - began > _WAIT_S:
                raise ServiceError("A plan does not end.", "See the workers' logs.")
            time.sleep(0.2)
            plan = self.application.ask("GET", f"/api/plans/{plan['id']}")
        return time.monotonic() - began, plan

    def gaps_ms(self, plan: dict[str, Any]) -> list[float]:
        """From a trial's end to the moment before the next one's first step."""
        runs = [self.application.ask("GET", f"/api/runs/{one['run_id']}") for one in plan["trials"]]
        ends = [datetime.fromisoformat(run["ended_at"]).timestamp() for run in runs]
        begins = [end - run["train_s"] for end, run in zip(ends, runs, strict=True)]
        return [1000 * (begin - end) for end, begin in zip(ends, begins[1:], strict=False)]

    def decoded(self) -> int:
        """Pictures that trainings had decoded so far."""
        logs = (self.application.data_dir / "logs").glob("worker-train*.log")
        return sum(int(n) for log in logs for n in re.findall(r'"decoded": (\d+)', log.read_text(errors="replace")))


@contextmanager
def _two() -> Iterator[tuple[_Worked, _Worked]]:
    """One worker, and two, each of one thread, side by side; only one of the two applications works at a time."""
    with tempfile.TemporaryDirectory(prefix="vast-orchard-bench-") as folder:
        one, two = _Worked(Path(folder), 1), _Worked(Path(folder), 2)
        with one.application, two.application:
            for side in (one, two):
                deadline = time.monotonic() + _WAIT_S
                while not side.application.ask("GET", "/api/projects") or not _quiet(side.application):
                    time.sleep(0.5)
                    if time.monotonic() > deadline:
                        raise ServiceError("The demo project does not fill.", "See the logs of the application.")
            yield one, two


def _quiet(application: StartedApplication) -> bool:
    jobs = application.ask("GET", "/api/jobs")
    full = application.ask("GET", "/api/projects/1")["pictures"] >= 1000
    return bool(full) and not any(job["state"] in ("waiting", "running") for job in jobs)


def _workers(say: Console) -> dict[str, Any]:
    ratios, gaps = [], []
    with _two() as (one, two):
        one.plan(), two.plan()  # the first compiles, and decodes
        # The same pictures in other sets: nothing is decoded again.
        one.plan("folds", folds={"count": 3, "rounds": 1}, space=[])
        fills = one.decoded() / sum(
            one.application.ask("GET", "/api/plans/1")["counts"][n] for n in ("training", "validation")
        )
        for turn in range(_TURNS):
            sides = (one, two) if turn % 2 else (two, one)
            spent = {}
            for side in sides:
                spent[side], plan = side.plan()
                if side is one:
                    gaps += one.gaps_ms(plan)
            ratios.append(spent[one] / spent[two])
            say.print(f"turn {turn + 1} of {_TURNS}: one worker {spent[one]:.1f} s, two {spent[two]:.1f} s")
    quartiles = [statistics.quantiles(found, n=4) for found in (ratios, gaps)]
    return {
        "worker_scaling_2": round(statistics.median(ratios), 3),
        "worker_scaling_2_quartiles": [round(quartiles[0][0], 3), round(quartiles[0][2], 3)],
        "between_trials_ms": round(statistics.median(gaps)),
        "between_trials_ms_quartiles": [round(quartiles[1][0]), round(quartiles[1][2])],
        "cache_fills": round(fills, 4),
    }


def bench_plans(
    curves_file: Annotated[
        Path | None, typer.Option("--curves", help="Where the trained curves are kept, or read if they are there.")
    ] = None,
    workers: Annotated[bool, typer.Option(help="Also with the whole application: workers, and between trials.")] = True,
    as_json: AsJson = False,
) -> None:
    """Early dropping against all in full, two workers against one, the time between trials; searches of a surface.

    Sixty-four trials are trained on the demo once (a quarter of an hour) and replayed in a thousand orders.
    """
    words = console()
    if curves_file is not None and curves_file.exists():
        curves = [
            Curve(
                accuracy=np.array(one["accuracy"]), loss=np.array(one["loss"]), truth=one["truth"],
                epoch_s=one["epoch_s"],
            )
            for one in json.loads(curves_file.read_text())
        ]  # fmt: skip
    else:
        curves = _curves(words)
        if curves_file is not None:
            kept = [
                {
                    "accuracy": one.accuracy.tolist(), "loss": one.loss.tolist(), "truth": one.truth,
                    "epoch_s": one.epoch_s,
                }
                for one in curves
            ]  # fmt: skip
            curves_file.write_text(json.dumps(kept))
    ratios = _speedup(curves)
    # A search that never comes so near has taken without end.
    quartiles = np.percentile(ratios, [25, 75], method="nearest")
    best = max(one.truth for one in curves)
    found: dict[str, Any] = {
        "halving_speedup": round(statistics.median(ratios), 3),
        "halving_speedup_quartiles": [round(float(quartile), 3) for quartile in quartiles],
        "near_share": round(sum(one.truth >= (1 - NEAR) * best for one in curves) / len(curves), 4),
        **{f"surface_{key}": round(value, 4) for key, value in on_a_surface(curve_noise(curves), _SEARCHES).items()},
        "curve_noise": round(curve_noise(curves), 4),
        **(_workers(words) if workers else {}),
    }
    if as_json:
        print(json.dumps(found))
        return
    for name, value in found.items():
        print(f"{name}: {value}")
