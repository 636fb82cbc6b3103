"""How long networks take on this machine, and how often the ready ones erred where that was measured."""

import json
import os
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

import psutil

from vast_orchard.core.network.description import description_to_json
from vast_orchard.core.network.effort import effort_of, expected
from vast_orchard.core.network.plan import LayerPlan
from vast_orchard.core.network.ready import ready_network
from vast_orchard.kernel_cache import kept_pace
from vast_orchard.settings import Settings, training_threads

__all__ = ["Lesson", "free_memory", "measured_errors", "measured_on", "pace_here", "started_errors", "time_values"]


@dataclass(frozen=True, kw_only=True)
class Lesson:
    """What a network is to be taught, as far as that has a say in how long it takes."""

    pictures: int = 0  # of the training set; 0 if there are none yet
    validation: int = 0
    batch_size: int = 16
    operations: int = 0  # of the variation
    pace: float | None = None  # of this machine; None if it was not measured yet
    threads: int = 1  # of a training here

    @property
    def batch(self) -> int:
        """Pictures a step, of which there are no more than there are pictures."""
        return min(self.batch_size, self.pictures or self.batch_size)


def pace_here(settings: Settings) -> float | None:
    """What was measured on this machine with as many threads as trainings have."""
    return kept_pace(os.environ, training_threads(settings))


def free_memory() -> int:
    """Bytes that a training may take without pushing others out."""
    return int(psutil.virtual_memory().available)


def time_values(layers: Iterable[LayerPlan], picture: tuple[int, int, int], lesson: Lesson) -> dict[str, float | None]:
    """Seconds of an epoch and of the answer for one picture; None where nothing is known to tell them by."""
    if lesson.pace is None:
        return {"epoch_s": None, "answer_s": None}
    found = expected(
        effort_of(layers, picture), picture, lesson.pace, training=lesson.pictures, validation=lesson.validation,
        batch_size=lesson.batch_size, operations=lesson.operations,
    )  # fmt: skip
    return {"epoch_s": found.epoch_s if lesson.pictures else None, "answer_s": found.answer_s}


@cache
def _measured() -> dict[str, Any]:
    found: dict[str, Any] = json.loads((files("vast_orchard.at_once") / "ready_networks.json").read_text())
    return found


def measured_errors(name: str) -> dict[str, float]:
    """Share of wrong answers of a ready network on each made-up set, as `orchard bench networks` measured it.

    Empty where the network was built otherwise then.
    """
    measured = _measured()
    if measured["networks"].get(name) != description_to_json(ready_network(name))["layers"]:
        return {}
    errors: dict[str, float] = measured["errors"][name]
    return errors


def started_errors(name: str) -> dict[str, float]:
    """The same from a network's starter, as `orchard bench starters --table` measured it; empty if it has none."""
    found: dict[str, float] = _measured().get("started", {}).get(name, {}) if measured_errors(name) else {}
    return found


def measured_on() -> dict[str, int]:
    """Of the measurement: `training` and `judged` pictures, `epochs` and `seeds`."""
    return {key: _measured()[key] for key in ("training", "judged", "epochs", "seeds")}
