"""How a training is watched: what of its layers is recorded, and what a lookout does that finds something."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from vast_orchard.errors import SettingError

__all__ = [
    "EPOCH_FIGURES",
    "FIGURES",
    "LAYER_FIGURES",
    "Act",
    "OwnLookout",
    "Sign",
    "Watch",
    "watch_from_json",
    "watch_to_json",
]

# What can be recorded of layers, and the figures that each comes to.
FIGURES: Mapping[str, frozenset[str]] = {
    "weights": frozenset({"weight", "weight_bands"}),
    "gradients": frozenset({"gradient"}),
    "updates": frozenset({"update"}),
    "values": frozenset({"mean", "deviation", "zeros", "asleep", "pinned", "bands"}),
}
# What a lookout of one's own can look at: of an epoch, and of a layer in it.
EPOCH_FIGURES = (
    "training_loss", "training_accuracy", "validation_loss", "validation_accuracy", "validation_macro_f1",
    "learning_rate",
)  # fmt: skip
LAYER_FIGURES = frozenset({"weight", "gradient", "update", "mean", "deviation", "zeros", "asleep", "pinned"})
_MOST_STEPS, _MOST_OWN = 100_000, 20


class Act(StrEnum):
    """What a lookout does when it finds something."""

    SAY = "say"  # it stands beside the run
    WORD = "word"  # and the run's word is sent, as at its end
    END = "end"  # and the run ends after that epoch


class Sign(StrEnum):
    """On which side of its value a figure is found."""

    ABOVE = "above"
    BELOW = "below"


@dataclass(frozen=True, kw_only=True)
class OwnLookout:
    """A person's own: a figure that has been on one side of a value for so many epochs."""

    name: str
    figure: str  # of an epoch, or of its layers
    layer: str = ""  # id; empty with a figure of layers: any
    sign: Sign = Sign.ABOVE
    value: float = 0.0
    epochs: int = 1  # in a row
    act: Act = Act.SAY

    def __post_init__(self) -> None:
        object.__setattr__(self, "name", self.name.strip())
        object.__setattr__(self, "sign", _one_of(Sign, self.sign, "The sign of a lookout"))
        object.__setattr__(self, "act", _one_of(Act, self.act, "What a lookout does"))
        if not self.name or len(self.name) > 60 or not self.name.isprintable():
            raise SettingError(
                "A lookout has no name, one of more than 60 letters, or one that cannot be shown.",
                "Give it a short one.",
            )
        known = (*EPOCH_FIGURES, *sorted(LAYER_FIGURES))
        if self.figure not in known:
            raise SettingError(
                f"No run has a figure {self.figure!r}, which {self.name!r} would look at.",
                f"Choose one of {', '.join(known)}.",
            )
        if self.layer and self.figure in EPOCH_FIGURES:
            raise SettingError(
                f"{self.name!r} would look at {self.figure} of layer {self.layer!r}; layers have no such figure.",
                "Leave the layer out.",
            )
        if not -1e12 < self.value < 1e12:
            raise SettingError(f"{self.name!r} waits for {self.value}, which no figure can be.", "Choose a number.")
        if not 1 <= self.epochs <= 10_000:
            raise SettingError(
                f"{self.name!r} cannot wait for {self.epochs} epochs in a row.", "Choose from 1 to 10000."
            )


@dataclass(frozen=True, kw_only=True)
class Watch:
    """Has no say in what a training learns, but that it may end it."""

    # Steps from one measured one to the next, 0 for none: a measured one takes about a tenth longer.
    every: int = 20
    layers: tuple[str, ...] = ()  # ids; empty: all
    figures: tuple[str, ...] = ()  # of `FIGURES`; empty: all
    acts: Mapping[str, Act] = field(default_factory=dict)  # by lookout, of those that do not only say it
    own: tuple[OwnLookout, ...] = ()

    def __post_init__(self) -> None:
        if not 0 <= self.every <= _MOST_STEPS:
            raise SettingError(
                f"Layers cannot be measured every {self.every} steps.", f"Choose from 0, for never, to {_MOST_STEPS}."
            )
        unknown = sorted(set(self.figures) - set(FIGURES))
        if unknown:
            raise SettingError(
                f"Of layers there is no {', '.join(unknown)} to record.", f"Choose of {', '.join(FIGURES)}."
            )
        acts = {name: _one_of(Act, act, f"What the lookout {name!r} does") for name, act in self.acts.items()}
        object.__setattr__(self, "acts", {name: act for name, act in acts.items() if act is not Act.SAY})
        names = [entry.name.casefold() for entry in self.own]
        if len(set(names)) < len(names):
            raise SettingError("Two lookouts of your own have the same name.", "Give each its own.")
        if len(names) > _MOST_OWN:
            raise SettingError(f"There are {len(names)} lookouts of your own.", f"Keep at most {_MOST_OWN}.")

    @property
    def wanted(self) -> frozenset[str]:
        """Names of the figures of a layer that are recorded."""
        return frozenset().union(*(FIGURES[name] for name in self.figures or FIGURES))


def _one_of(kind: type[StrEnum], value: Any, words: str) -> Any:
    try:
        return kind(value)
    except ValueError:
        raise SettingError(f"{words} cannot be {value!r}.", f"Choose one of {', '.join(kind)}.") from None


def watch_to_json(watch: Watch) -> dict[str, Any]:
    """Plain values, and only what differs from the default: a stored recipe stays to the letter what it was."""
    found: dict[str, Any] = {}
    if watch.every != Watch().every:
        found["every"] = watch.every
    for name in ("layers", "figures"):
        if getattr(watch, name):
            found[name] = list(getattr(watch, name))
    if watch.acts:
        found["acts"] = {name: str(act) for name, act in sorted(watch.acts.items())}
    if watch.own:
        found["own"] = [
            {"name": o.name, "figure": o.figure, "layer": o.layer, "sign": str(o.sign), "value": o.value,
             "epochs": o.epochs, "act": str(o.act)}
            for o in watch.own
        ]  # fmt: skip
    return found


def watch_from_json(data: Mapping[str, Any]) -> Watch:
    """Read what `watch_to_json` wrote.

    Raises
    ------
    SettingError
        A value is out of its range, or a figure does not exist.
    """
    plain = {name: tuple(data[name]) for name in ("layers", "figures") if name in data}
    own = tuple(OwnLookout(**entry) for entry in data.get("own", ()))
    return Watch(**plain, every=data.get("every", Watch().every), acts=data.get("acts", {}), own=own)
