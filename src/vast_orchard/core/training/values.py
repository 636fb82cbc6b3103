"""What goes into a training and what comes out of it, as values."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.watching.history import Watched
from vast_orchard.errors import ShapeError

__all__ = ["EpochMetrics", "EpochResult", "Examples", "StepResult", "TrainingState"]


@dataclass(frozen=True, kw_only=True)
class Examples:
    """Pictures with their labels."""

    pixels: Array  # (N, H, W, C), uint8; may be memory-mapped
    labels: Array  # (N,), int64, index into the classes
    identities: Array  # (N,), uint64, stays with a picture's content

    def __post_init__(self) -> None:
        if not len(self.pixels) == len(self.labels) == len(self.identities):
            raise ShapeError(
                f"There are {len(self.pixels)} pictures, {len(self.labels)} labels and "
                f"{len(self.identities)} identities.",
                "Give one label and one identity a picture.",
            )
        if self.pixels.dtype != np.uint8:
            raise ShapeError(f"Pictures hold {self.pixels.dtype}, not uint8.", "Pass unsigned 8-bit pixels.")

    def __len__(self) -> int:
        return len(self.labels)


@dataclass(frozen=True, kw_only=True)
class EpochMetrics:
    """One epoch's figures, by name.

    Training ones are averaged while the weights still moved: `training_loss` (nats), `training_accuracy`. With a
    validation set there are `validation_loss`, `validation_accuracy` and `validation_macro_f1`. Losses are plain,
    neither smoothed nor weighted, so that the two can be compared. `learning_rate` is that of the last step.
    """

    number: int  # counted from 1
    figures: Mapping[str, float]
    # Share of each class's validation pictures that were named rightly, in the order of the classes; None of one that
    # has none there. Empty without a validation set.
    recalls: tuple[float | None, ...] = ()


@dataclass(frozen=True, kw_only=True)
class TrainingState:
    """Everything that is needed to go on after an epoch; never changed, each epoch has its own."""

    epoch: int = 0  # epochs finished
    network: Mapping[str, Array] = field(default_factory=dict)
    optimizer: Mapping[str, Array] = field(default_factory=dict)
    kept: Mapping[str, Array] = field(default_factory=dict)  # the network at the kept epoch
    kept_epoch: int = 0
    history: tuple[EpochMetrics, ...] = ()


@dataclass(frozen=True, kw_only=True)
class StepResult:
    """After one batch."""

    epoch: int
    step: int  # counted from 1 within the epoch
    steps: int  # in an epoch
    loss: float  # plain, as an epoch's


@dataclass(frozen=True, kw_only=True)
class EpochResult:
    """After one epoch, with the state to store."""

    metrics: EpochMetrics
    kept: bool  # its state is the one to keep so far
    state: TrainingState
    last: int  # the epoch that the training ends with, as things stand
    watched: Watched = field(default_factory=Watched)
