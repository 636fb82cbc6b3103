"""What a search varies: a part of a recipe with a list or a range of values, and all of them together."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from vast_orchard.core.training.settings import SETTINGS
from vast_orchard.errors import SettingError

__all__ = ["KNOBS", "NOTHING", "Knob", "Space", "knob_from_json", "knob_to_json", "space_from_json"]

# Parts of a recipe besides the settings of training, each with what is said of it and whether it has a range.
KNOBS: Mapping[str, str] = {
    "network": "Network",
    "width": "Width of the network",
    "depth": "Depth of the network",
    "size": "Input size",
    "variation": "Variation",
    "strength": "Strength of the variation",
    "start": "Start from",
}
# Of what a trial starts from: weights drawn by chance.
NOTHING = "nothing"
_RANGED = {"width": (0.25, 4.0), "depth": (0.25, 4.0), "size": (8, 512), "strength": (0.0, 3.0)}
_WHOLE = {"size"}
_MOST_VALUES, _MOST_KNOBS = 50, 12
# The seed is no setting to be searched for: of two seeds none is better. The epochs are the budget of a trial.
_FIXED = {"seed": "A better seed is better by chance only; ask for copies with other seeds instead."}


@dataclass(frozen=True, kw_only=True)
class Knob:
    """One part of a recipe that a search varies: either a list of values or a range."""

    name: str  # of a training setting, or of `KNOBS`
    values: tuple[Any, ...] = ()  # the list, in the order given
    low: float = 0.0  # of the range, both ends included
    high: float = 0.0
    by_ratio: bool = False  # the range is divided by ratio, as suits learning rates

    def __post_init__(self) -> None:
        _check(self)

    @property
    def ranged(self) -> bool:
        """Whether it has a range and no list."""
        return not self.values

    @property
    def whole(self) -> bool:
        """Whether it takes whole numbers only."""
        entry = SETTINGS.get(self.name)
        return entry.kind == "whole" if entry else self.name in _WHOLE

    @property
    def words(self) -> str:
        """What a person calls it."""
        entry = SETTINGS.get(self.name)
        return entry.words if entry else KNOBS[self.name]

    @property
    def count(self) -> int | None:
        """How many values it has; None of a range of fractions."""
        if self.values:
            return len(self.values)
        return int(self.high) - int(self.low) + 1 if self.whole else None

    def at(self, place: float) -> Any:
        """The value at a place from 0 up to 1, which is out."""
        if self.values:
            return self.values[min(int(place * len(self.values)), len(self.values) - 1)]
        if self.by_ratio:
            value = self.low * (self.high / self.low) ** place
        elif self.whole:
            return int(self.low) + min(int(place * (self.count or 1)), int(self.high) - int(self.low))
        else:
            value = self.low + (self.high - self.low) * place
        # Four digits are as many as anyone reads, and a trial is told by what is read.
        return round(value) if self.whole else float(f"{value:.4g}")

    def place_of(self, value: Any) -> float:
        """The place of a value from 0 to 1, for drawing it."""
        if self.values:
            known = self.values.index(value) if value in self.values else 0
            return known / max(1, len(self.values) - 1)
        if self.high == self.low:
            return 0.5
        if self.by_ratio:
            return math.log(value / self.low) / math.log(self.high / self.low)
        return float((value - self.low) / (self.high - self.low))


def _check(knob: Knob) -> None:
    if knob.name in _FIXED:
        raise SettingError(f"{knob.name!r} is not searched for.", _FIXED[knob.name])
    if knob.name not in SETTINGS and knob.name not in KNOBS:
        raise SettingError(
            f"There is nothing called {knob.name!r} to vary.", f"There are: {', '.join([*KNOBS, *SETTINGS])}."
        )
    if knob.values:
        if len(knob.values) > _MOST_VALUES or len({repr(value) for value in knob.values}) < len(knob.values):
            raise SettingError(
                f"{knob.words} has a value twice, or more than {_MOST_VALUES} of them.", "Name each value once."
            )
        return
    entry = SETTINGS.get(knob.name)
    number = knob.name in _RANGED or (entry is not None and entry.kind in ("whole", "number"))
    if not number:
        raise SettingError(f"{knob.words} has no values to try.", "Name at least one.")
    least, most = (entry.low, entry.high) if entry else _RANGED[knob.name]
    if not (math.isfinite(knob.low) and math.isfinite(knob.high)) or knob.low > knob.high:
        raise SettingError(
            f"{knob.words} goes from {knob.low:g} to {knob.high:g}.", "Give the smaller end first, then the larger."
        )
    above = entry is not None and entry.above
    if knob.low < least or knob.high > most or (above and knob.low <= least):
        raise SettingError(
            f"{knob.words} goes from {knob.low:g} to {knob.high:g}.",
            f"Stay {'above' if above else 'from'} {least:g} {'and at most' if above else 'to'} {most:g}.",
        )
    if knob.by_ratio and knob.low <= 0:
        raise SettingError(f"{knob.words} cannot be divided by ratio from {knob.low:g}.", "Begin above 0.")


@dataclass(frozen=True, kw_only=True)
class Space:
    """All knobs of a search."""

    knobs: tuple[Knob, ...]

    def __post_init__(self) -> None:
        names = [knob.name for knob in self.knobs]
        twice = sorted({name for name in names if names.count(name) > 1})
        if twice:
            raise SettingError(f"{', '.join(twice)} is varied twice.", "Vary each once.")
        if not any(knob.count is None or knob.count > 1 for knob in self.knobs):
            raise SettingError("Nothing is varied: every trial would be the same.", "Give something a list or a range.")
        if len(self.knobs) > _MOST_KNOBS:
            raise SettingError(f"{len(names)} things are varied.", f"Vary {_MOST_KNOBS} at most.")

    @property
    def count(self) -> int | None:
        """How many combinations there are; None where a range has no end of values."""
        counts = [knob.count for knob in self.knobs]
        return None if None in counts else math.prod(count or 0 for count in counts)

    def at(self, places: Sequence[float]) -> dict[str, Any]:
        """The values at a place of each knob, without those that have no say beside the others."""
        values = {knob.name: knob.at(float(place)) for knob, place in zip(self.knobs, places, strict=True)}
        return _with_a_say(values)


def _with_a_say(values: Mapping[str, Any]) -> dict[str, Any]:
    """Without what follows a setting that has another value, so that two trials never differ by nothing."""
    found = dict(values)
    if values.get("start", NOTHING) != NOTHING:
        # What it starts from has a network of its own.
        for name in ("network", "width", "depth"):
            found.pop(name, None)
    for name in values:
        when = SETTINGS[name].when if name in SETTINGS else None
        if when and when[0] in values and values[when[0]] not in when[1]:
            del found[name]
    return found


def knob_to_json(knob: Knob) -> dict[str, Any]:
    """A knob as plain JSON values."""
    if knob.values:
        return {"name": knob.name, "values": list(knob.values)}
    return {"name": knob.name, "low": knob.low, "high": knob.high, "by_ratio": knob.by_ratio}


def knob_from_json(data: Mapping[str, Any]) -> Knob:
    """Read what `knob_to_json` wrote, or a person did.

    Raises
    ------
    SettingError
    """
    try:
        values = {**data, "values": tuple(data.get("values") or ())}
        for end in ("low", "high"):
            values[end] = float(values.get(end) or 0.0)
        return Knob(**values)
    except (TypeError, ValueError) as error:
        raise SettingError(
            f"This is no range or list to vary: {data!r}.", "Give a name with values, or with low and high."
        ) from error


def space_from_json(data: Sequence[Mapping[str, Any]]) -> Space:
    """Read a list of knobs.

    Raises
    ------
    SettingError
        One is out of its range, or together they vary nothing.
    """
    return Space(knobs=tuple(knob_from_json(entry) for entry in data))
