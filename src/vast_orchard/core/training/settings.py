"""Settings of training, said once: name, range, default, unit, help, and when each has a say.

The wire's schema, the terminal's options, the page's fields and the loop all read this table.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from enum import StrEnum
from types import MappingProxyType
from typing import Any, TypeVar

from vast_orchard.core.sets.epoch_order import ClassDraws
from vast_orchard.errors import SettingError

__all__ = [
    "OFFERED_RATES",
    "SETTINGS",
    "ClassWeights",
    "EndFigure",
    "Keep",
    "OptimizerName",
    "Part",
    "Schedule",
    "Setting",
    "TrainingSettings",
    "chosen_settings",
]

T = TypeVar("T")


class OptimizerName(StrEnum):
    """By which rule weights move."""

    ADAM = "adam"
    ADAMW = "adamw"
    RMSPROP = "rmsprop"
    SGD = "sgd"


class Schedule(StrEnum):
    """How the learning rate moves over a training."""

    COSINE = "cosine"
    STEP = "step"
    RISE_AND_FALL = "rise-and-fall"
    CONSTANT = "constant"


class ClassWeights(StrEnum):
    """What a picture of each class counts in the loss."""

    NONE = "none"
    BALANCED = "balanced"


class Keep(StrEnum):
    """Which state of a training is kept."""

    LOWEST_LOSS = "lowest-validation-loss"
    HIGHEST_ACCURACY = "highest-validation-accuracy"
    HIGHEST_F1 = "highest-validation-macro-f1"
    LAST = "last"


class EndFigure(StrEnum):
    """A figure by which a training ends before all its epochs are done."""

    NONE = "none"
    VALIDATION_LOSS = "validation-loss"
    VALIDATION_ACCURACY = "validation-accuracy"
    VALIDATION_F1 = "validation-macro-f1"
    TRAINING_LOSS = "training-loss"
    TRAINING_ACCURACY = "training-accuracy"

    @property
    def recorded(self) -> str:
        """Its name among an epoch's figures."""
        return self.value.replace("-", "_")

    @property
    def falls(self) -> bool:
        """Whether less of it is better."""
        return self.value.endswith("loss")


class Part(StrEnum):
    """Which part of a plan a setting belongs to."""

    SCHEDULE = "schedule"  # how long and how fast
    ENDING = "ending"  # when it is over before all epochs are done
    LEARNING = "learning"  # by which rule


# Highest rates to begin with. AdamW's was measured on four made-up sets (README, "Defaults") and Adam's is the same;
# RMSprop's is that of lecture 6e (Hinton, Srivastava & Swersky 2012); gradient descent, whose steps are not scaled,
# takes several times as much.
OFFERED_RATES: Mapping[str, float] = MappingProxyType(
    {
        OptimizerName.ADAM: 0.006,
        OptimizerName.ADAMW: 0.006,
        OptimizerName.RMSPROP: 0.001,
        OptimizerName.SGD: 0.03,
    }
)
# A rate further than this from the one offered is questioned: nearly always a slip of the decimal point.
_FAR = 10.0

_CHOICES: Mapping[type[StrEnum], Mapping[str, tuple[str, str]]] = {
    OptimizerName: {
        OptimizerName.ADAM: ("Adam", "Steps scaled by the running size of each weight's gradient."),
        OptimizerName.ADAMW: ("AdamW", "Adam, with weights pulled to zero apart from the gradient."),
        OptimizerName.RMSPROP: ("RMSprop", "Steps scaled by the running size of the gradient, without momentum."),
        OptimizerName.SGD: ("SGD", "Gradient descent with momentum; takes several times the rate of Adam."),
    },
    Schedule: {
        Schedule.COSINE: ("falls", "Falls to zero along half a cosine."),
        Schedule.STEP: ("in steps", "Multiplied by a factor every few epochs."),
        Schedule.RISE_AND_FALL: ("up, down", "Rises to its highest, falls back, and then far down."),
        Schedule.CONSTANT: ("stays", "Stays at its highest."),
    },
    ClassWeights: {
        ClassWeights.NONE: ("each picture", "Every picture counts alike in the loss."),
        ClassWeights.BALANCED: ("each class", "Every class counts alike in the loss, however many pictures it has."),
    },
    ClassDraws: {
        ClassDraws.NONE: ("each picture", "Every picture is shown once an epoch."),
        ClassDraws.BALANCED: ("each class", "Every class is shown equally often in an epoch."),
    },
    Keep: {
        Keep.LOWEST_LOSS: ("lowest loss", "The epoch with the lowest validation loss."),
        Keep.HIGHEST_ACCURACY: (
            "highest accuracy", "The epoch with the highest validation accuracy; of equal ones the first."
        ),
        Keep.HIGHEST_F1: (
            "highest macro F1",
            "The epoch with the highest mean F1 over the classes of the validation set; of equal ones the first.",
        ),
        Keep.LAST: ("last", "The last epoch, whatever validation says."),
    },
    EndFigure: {
        EndFigure.NONE: ("nothing", "Goes on until all epochs are done."),
        EndFigure.VALIDATION_LOSS: ("validation loss", "Falls while the network gets better on what it does not see."),
        EndFigure.VALIDATION_ACCURACY: ("validation accuracy", "Right answers of the validation set."),
        EndFigure.VALIDATION_F1: ("validation macro F1", "Mean F1 over the classes of the validation set."),
        EndFigure.TRAINING_LOSS: ("training loss", "Falls on, as a rule, when the network only learns by heart."),
        EndFigure.TRAINING_ACCURACY: ("training accuracy", "Right answers in training, with variation and dropout."),
    },
}  # fmt: skip


_FIGURES = tuple(figure for figure in EndFigure if figure is not EndFigure.NONE)


@dataclass(frozen=True, kw_only=True)
class Setting:
    """One setting of training."""

    name: str  # of its field in `TrainingSettings`
    words: str  # what a person reads before its value
    help: str
    part: Part
    default: Any
    kind: str  # whole, number, switch, choice
    unit: str = ""
    low: float = 0.0  # of its range, both ends included
    high: float = 0.0
    above: bool = False  # the low end itself is out
    choices: tuple[tuple[str, str, str], ...] = ()  # value, word, what it does
    when: tuple[str, tuple[Any, ...]] | None = None  # has a say only while another setting has one of these values
    follows: tuple[str, Mapping[str, Any]] | None = None  # the default by another setting's value
    by_pictures: bool = False  # what is proposed follows the number of training pictures (`amount.py`)
    far: float = 0.0  # a value further from the default than by this factor is questioned; 0: none is


def _setting(default: T, words: str, help_text: str, part: Part, **facts: Any) -> T:
    return field(default=default, metadata={"words": words, "help": help_text, "part": part, **facts})


@dataclass(frozen=True, kw_only=True)
class TrainingSettings:
    """How long, how fast, by which rule, and from which seed."""

    epochs: int = _setting(
        25, "Epochs", "Passes over the training pictures; few pictures need more of them.", Part.SCHEDULE,
        low=1, high=10_000, by_pictures=True,
    )  # fmt: skip
    batch_size: int = _setting(
        16, "Batch size", "Pictures a step; 16 to 128 is usual.", Part.SCHEDULE, low=1, high=4096, unit="pictures"
    )
    learning_rate: float = _setting(
        OFFERED_RATES[OptimizerName.ADAMW], "Learning rate",
        "Highest rate of the schedule; the one offered follows the optimizer.", Part.SCHEDULE,
        low=0, high=10, above=True, follows=("optimizer", OFFERED_RATES), far=_FAR,
    )  # fmt: skip
    warm_up: float = _setting(
        0.2, "Warm-up", "Share of all steps over which the rate rises to its highest. 0 is off.", Part.SCHEDULE,
        low=0, high=0.9, unit="of all steps",
    )  # fmt: skip
    seed: int = _setting(
        1, "Seed", "Draws weights, order, dropout and variation: the same seed gives the same weights.", Part.SCHEDULE,
        low=0, high=2**32 - 1,
    )  # fmt: skip
    keep: Keep = _setting(Keep.LAST, "Keep", "Which epoch becomes the model.", Part.SCHEDULE)
    end_when: EndFigure = _setting(
        EndFigure.NONE, "Ends without progress of", "What must go on getting better; when it does not, the end comes "
        "early: the rate falls to zero within a tenth of the epochs, or at once if it stays.", Part.ENDING,
    )  # fmt: skip
    end_change: float = _setting(
        0.001, "Least progress", "By how much at least the figure must get better; less does not count.", Part.ENDING,
        low=0, high=100, when=("end_when", _FIGURES),
    )  # fmt: skip
    end_within: int = _setting(
        8, "Patience", "The last epochs in which it must have done so, beside the best before them; 5 to 20 is usual.",
        Part.ENDING, low=1, high=10_000, unit="epochs", when=("end_when", _FIGURES),
    )  # fmt: skip
    end_not_before: int = _setting(
        10, "Earliest end", "Epoch until which nothing ends for want of progress.", Part.ENDING, low=1, high=10_000,
        when=("end_when", _FIGURES),
    )  # fmt: skip
    reach: EndFigure = _setting(
        EndFigure.NONE, "Ends when reached", "A figure that is good enough at a value; the end comes as without "
        "progress.", Part.ENDING,
    )  # fmt: skip
    reach_value: float = _setting(
        0.95, "Value to reach", "Of an accuracy or F1 that is reached from below, of a loss from above.", Part.ENDING,
        low=0, high=100, when=("reach", _FIGURES),
    )  # fmt: skip
    time_limit: float = _setting(
        0.0, "Time limit", "Minutes after which it ends with the epoch under way, whatever the rate. 0 is no limit.",
        Part.ENDING, low=0, high=100_000, unit="minutes",
    )  # fmt: skip
    optimizer: OptimizerName = _setting(
        OptimizerName.ADAMW, "Optimizer", "The rule by which weights move.", Part.LEARNING
    )
    momentum: float = _setting(
        0.9, "Momentum", "Share of the last step that goes on; 0 is plain gradient descent.", Part.LEARNING,
        low=0, high=0.999, when=("optimizer", (OptimizerName.SGD,)),
    )  # fmt: skip
    nesterov: bool = _setting(
        False, "Nesterov", "Looks one step ahead before correcting.", Part.LEARNING,
        when=("optimizer", (OptimizerName.SGD,)),
    )  # fmt: skip
    weight_decay: float = _setting(
        0.05, "Weight decay", "Share of each weight that is taken off at a rate of 1, against learning by heart.",
        Part.LEARNING, low=0, high=1, when=("optimizer", (OptimizerName.ADAMW,)),
    )  # fmt: skip
    schedule: Schedule = _setting(Schedule.COSINE, "The rate", "How the rate moves over the training.", Part.LEARNING)
    step_epochs: int = _setting(
        10, "Epochs a step", "From one drop of the rate to the next.", Part.LEARNING, low=1, high=10_000,
        unit="epochs", when=("schedule", (Schedule.STEP,)),
    )  # fmt: skip
    step_factor: float = _setting(
        0.1, "Step factor", "By which the rate is multiplied at each drop.", Part.LEARNING, low=0, high=1,
        when=("schedule", (Schedule.STEP,)),
    )  # fmt: skip
    label_smoothing: float = _setting(
        0.1, "Label smoothing",
        "Share of each target spread over all classes, against false certainty. 0 is off, 0.1 is usual.",
        Part.LEARNING, low=0, high=0.9,
    )  # fmt: skip
    clip_norm: float = _setting(
        0.0, "Longest gradient", "Longer ones are shortened to it, against leaps. 0 is off; 1 to 5 is usual.",
        Part.LEARNING, low=0, high=1e6,
    )  # fmt: skip
    class_weights: ClassWeights = _setting(
        ClassWeights.NONE, "Count in the loss", "What a picture of each class counts.", Part.LEARNING
    )
    class_draws: ClassDraws = _setting(ClassDraws.NONE, "Shown", "How often an epoch shows each class.", Part.LEARNING)

    def __post_init__(self) -> None:
        for entry in SETTINGS.values():
            object.__setattr__(self, entry.name, _checked(entry, getattr(self, entry.name)))
        if self.class_weights is ClassWeights.BALANCED and self.class_draws is ClassDraws.BALANCED:
            raise SettingError(
                "Rare classes would count more and be shown more often as well.", "Choose one of the two ways."
            )
        if self.reach is not EndFigure.NONE and not self.reach.falls and self.reach_value > 1:
            figure = self.reach.value.replace("-", " ")
            raise SettingError(
                f"A {figure} of {self.reach_value:g} cannot be reached: 1 is all.", "Choose a value from 0 to 1."
            )


def _kind(type_: Any) -> str:
    return {int: "whole", float: "number", bool: "switch"}.get(type_, "choice")


def _table() -> dict[str, Setting]:
    return {
        entry.name: Setting(
            name=entry.name,
            default=entry.default,
            kind=_kind(entry.type),
            choices=tuple((str(value), *words) for value, words in _CHOICES.get(entry.type, {}).items()),  # type: ignore[arg-type]
            **entry.metadata,
        )
        for entry in fields(TrainingSettings)
    }


SETTINGS: Mapping[str, Setting] = MappingProxyType(_table())
_ENUMS = {entry.name: entry.type for entry in fields(TrainingSettings)}


def _checked(entry: Setting, value: Any) -> Any:
    match entry.kind:
        case "choice":
            try:
                return _ENUMS[entry.name](value)  # type: ignore[operator]
            except ValueError:
                choices = ", ".join(choice for choice, _, _ in entry.choices)
                raise SettingError(f"{entry.words} cannot be {value!r}.", f"Choose one of {choices}.") from None
        case "switch":
            if not isinstance(value, bool):
                raise SettingError(f"{entry.words} cannot be {value!r}.", "Choose true or false.")
        case kind:
            fits = isinstance(value, int if kind == "whole" else int | float) and not isinstance(value, bool)
            within = fits and math.isfinite(value) and entry.low <= value <= entry.high
            if not within or (entry.above and value == entry.low):
                raise SettingError(f"{entry.words} cannot be {value!r}.", _range_words(entry))
    return value


def _range_words(entry: Setting) -> str:
    number = "a whole number" if entry.kind == "whole" else "a number"
    if entry.above:
        return f"Choose above {entry.low:g}, at most {entry.high:g}."
    high = f"{entry.high:.0f}" if entry.kind == "whole" else f"{entry.high:g}"
    return f"Choose {number} from {entry.low:g} to {high}."


def chosen_settings(chosen: Mapping[str, Any]) -> TrainingSettings:
    """Settings of which only some were chosen; the others take their defaults, as those follow what was chosen.

    Raises
    ------
    SettingError
    """
    values = dict(chosen)
    for entry in SETTINGS.values():
        if entry.follows and entry.name not in values:
            other, defaults = entry.follows
            # A value that is none of the other setting's is refused with that one's words.
            values[entry.name] = defaults.get(values.get(other, SETTINGS[other].default), entry.default)
    unknown = sorted(set(values) - set(SETTINGS))
    if unknown:
        raise SettingError(f"There is no setting {', '.join(unknown)}.", f"There are: {', '.join(SETTINGS)}.")
    return TrainingSettings(**values)
