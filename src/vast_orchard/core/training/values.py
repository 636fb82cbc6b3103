"""What goes into a training and what comes out of it, as values."""

from dataclasses import dataclass, field

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.sets.epoch_order import CLASS_DRAWS
from vast_orchard.errors import SettingError, ShapeError

__all__ = [
    "CLASS_WEIGHTS",
    "OPTIMIZERS",
    "SCHEDULES",
    "EpochMetrics",
    "EpochResult",
    "Examples",
    "StepResult",
    "TrainingSettings",
    "TrainingState",
]


OPTIMIZERS = ("adam", "adamw", "rmsprop", "sgd")
SCHEDULES = ("cosine", "constant", "one-cycle", "step")
CLASS_WEIGHTS = ("none", "balanced")


@dataclass(frozen=True, kw_only=True)
class TrainingSettings:
    """How long, how fast, by which rule, and from which seed."""

    epochs: int = 25  # passes over the training pictures
    batch_size: int = 32  # pictures a step
    learning_rate: float = 0.003  # highest rate of the schedule
    seed: int = 1  # draws weights, order, dropout and variation
    optimizer: str = "adam"
    momentum: float = 0.9  # of SGD
    nesterov: bool = False  # of SGD
    weight_decay: float = 0.01  # of AdamW
    schedule: str = "cosine"
    warm_up: float = 0.05  # share of all steps over which the rate rises to its highest
    step_epochs: int = 10  # of the schedule "step": epochs from one drop to the next
    step_factor: float = 0.1  # of the schedule "step": by which the rate is multiplied
    clip_norm: float = 0.0  # longest gradient over all weights; 0 is off
    label_smoothing: float = 0.0  # share of each target that is spread over all classes
    class_weights: str = "none"  # "balanced": each class counts alike in the loss, however many pictures it has
    class_draws: str = "none"  # "balanced": each class is shown equally often in an epoch

    def __post_init__(self) -> None:
        for name, value, low, high in (
            ("number of epochs", self.epochs, 1, 10_000),
            ("batch size", self.batch_size, 1, 4096),
            ("seed", self.seed, 0, 2**32 - 1),
            ("number of epochs from drop to drop", self.step_epochs, 1, 10_000),
        ):
            if not low <= value <= high:
                raise SettingError(f"The {name} is {value}.", f"Choose a whole number from {low} to {high}.")
        if not 0 < self.learning_rate <= 10:
            raise SettingError(f"The learning rate is {self.learning_rate}.", "Choose above 0, at most 10.")
        for name, share, most in (
            ("momentum", self.momentum, 0.999),
            ("weight decay", self.weight_decay, 1),
            ("warm-up", self.warm_up, 0.9),
            ("step factor", self.step_factor, 1),
            ("longest gradient", self.clip_norm, 1e6),
            ("label smoothing", self.label_smoothing, 0.9),
        ):
            if not 0 <= share <= most:
                raise SettingError(f"The {name} is {share}.", f"Choose from 0 to {most:g}.")
        for name, choice, choices in (
            ("optimizer", self.optimizer, OPTIMIZERS),
            ("schedule", self.schedule, SCHEDULES),
            ("class weights", self.class_weights, CLASS_WEIGHTS),
            ("drawing of classes", self.class_draws, CLASS_DRAWS),
        ):
            if choice not in choices:
                raise SettingError(f"The {name} is {choice!r}.", f"Choose one of {', '.join(choices)}.")
        if self.class_weights == "balanced" and self.class_draws == "balanced":
            raise SettingError(
                "Rare classes would count more and be shown more often as well.", "Choose one of the two ways."
            )


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
