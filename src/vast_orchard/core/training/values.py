"""What goes into a training and what comes out of it, as values."""

from dataclasses import dataclass, field

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.errors import SettingError, ShapeError

__all__ = ["EpochMetrics", "EpochResult", "Examples", "StepResult", "TrainingSettings", "TrainingState"]


@dataclass(frozen=True, kw_only=True)
class TrainingSettings:
    """How long, how fast, and from which seed."""

    epochs: int = 25  # passes over the training pictures
    batch_size: int = 32  # pictures a step
    learning_rate: float = 0.003  # highest rate of the schedule
    seed: int = 1  # draws weights, order, dropout and variation
    optimizer: str = "adam"

    def __post_init__(self) -> None:
        for name, value, low, high in (
            ("number of epochs", self.epochs, 1, 10_000),
            ("batch size", self.batch_size, 1, 4096),
            ("seed", self.seed, 0, 2**32 - 1),
        ):
            if not low <= value <= high:
                raise SettingError(f"The {name} is {value}.", f"Choose a whole number from {low} to {high}.")
        if not 0 < self.learning_rate <= 10:
            raise SettingError(f"The learning rate is {self.learning_rate}.", "Choose above 0, at most 10.")


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
    """One epoch's figures; training ones are averaged while the weights still moved."""

    number: int  # counted from 1
    training_loss: float  # nats
    training_accuracy: float
    validation_loss: float
    validation_accuracy: float
    learning_rate: float  # at the last step


@dataclass(kw_only=True)
class TrainingState:
    """Everything that is needed to go on after an epoch."""

    epoch: int = 0  # epochs finished
    network: dict[str, Array] = field(default_factory=dict)
    optimizer: dict[str, Array] = field(default_factory=dict)
    best: dict[str, Array] = field(default_factory=dict)  # the network at the kept epoch
    best_epoch: int = 0
    best_loss: float = float("inf")
    history: list[EpochMetrics] = field(default_factory=list)


@dataclass(frozen=True, kw_only=True)
class StepResult:
    """After one batch."""

    epoch: int
    step: int  # counted from 1 within the epoch
    steps: int  # in an epoch
    loss: float


@dataclass(frozen=True, kw_only=True)
class EpochResult:
    """After one epoch, with the state to store."""

    metrics: EpochMetrics
    kept: bool  # the best validation loss so far
    state: TrainingState
