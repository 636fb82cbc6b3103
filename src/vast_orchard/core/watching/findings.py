"""What lookouts read and what they say, as values.

Each reads nothing but the recorded history, so that a training that was interrupted is judged as one that was not.
Bounds without a source were set so that healthy trainings of three networks on made-up sets stay quiet (README).
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, TypeAlias

import numpy as np

from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.watching.history import EpochRecord

__all__ = [
    "EARLY",
    "IN_A_ROW",
    "NEARLY_ALL",
    "Facts",
    "Finding",
    "History",
    "Lookout",
    "Question",
    "Standing",
    "losses",
    "quiet",
    "since",
]

# What a broken training must be named within, and what is asked for before anything but a leap is told.
_EPOCHS, _STEPS = 3, 100
IN_A_ROW = 2  # recorded epochs that must agree
NEARLY_ALL = 0.9  # share of pictures in one class, from which on guessing is as good as learning


class Question(StrEnum):
    """What a lookout answers."""

    MOVES = "moves"
    PARTS = "parts"
    RIGHT = "right"


class Standing(StrEnum):
    """What a lookout says."""

    EARLY = "early"
    QUIET = "quiet"
    FOUND = "found"


@dataclass(frozen=True, kw_only=True)
class Facts:
    """What is known of a run besides its epochs."""

    settings: TrainingSettings
    classes: tuple[str, ...]
    training: tuple[int, ...]  # pictures of each class
    validation: tuple[int, ...] = ()
    started: bool = False  # from a learnt network
    varied: bool = False  # pictures are varied in training
    done: bool = False  # it has been through all its epochs
    lost: str = ""  # what left the numbers, of a run that failed so

    @property
    def steps(self) -> int:
        """In an epoch."""
        return max(1, -(-sum(self.training) // self.settings.batch_size))

    @property
    def settled(self) -> int:
        """The epoch from which on more than a leap is told: the third, or that of the hundredth step if it is later."""
        return max(_EPOCHS, -(-_STEPS // self.steps))

    @property
    def guess(self) -> float:
        """Loss of always answering with the shares of the classes, in nats."""
        shares = np.asarray([count for count in self.training if count], np.float64) / max(1, sum(self.training))
        return float(-(shares * np.log(shares)).sum()) if len(shares) > 1 else 0.0

    @property
    def largest(self) -> float:
        """Share of the most frequent class in training."""
        return max(self.training, default=0) / max(1, sum(self.training))


@dataclass(frozen=True, kw_only=True)
class Finding:
    """What a lookout says after some epochs."""

    standing: Standing
    value: float | None = None  # the figure that it looks at
    bound: float | None = None  # beyond which it finds something
    since: int | None = None  # epoch
    where: str = ""  # layer or class
    why: str = ""  # with the numbers
    mend: str = ""
    # Settings that would mend it, for the Run sheet, and where else to go: "copies", "divide", "network", "rows".
    change: Mapping[str, Any] = field(default_factory=dict)
    leads_to: str = ""


EARLY = Finding(standing=Standing.EARLY)
History: TypeAlias = Sequence[EpochRecord]


@dataclass(frozen=True, kw_only=True)
class Lookout:
    """One of ours."""

    id: str
    question: Question
    words: str  # what it looks out for
    measures: str  # what its figure is
    look: Callable[[History, Facts], Finding]


def quiet(value: float | None = None, bound: float | None = None, where: str = "") -> Finding:
    """Nothing found, at this value of the figure."""
    return Finding(standing=Standing.QUIET, value=value, bound=bound, where=where)


def since(numbers: Sequence[int], hits: Sequence[bool]) -> int:
    """The epoch with which the hits at the end began; the last one, if that is none."""
    place = len(hits)
    while place and hits[place - 1]:
        place -= 1
    return numbers[min(place, len(hits) - 1)]


def losses(history: History, of: str = "training_loss") -> list[float]:
    """A figure of all epochs that have it."""
    return [entry.figures[of] for entry in history if of in entry.figures]
