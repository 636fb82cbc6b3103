"""What may happen to training pictures at random, as values."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.pictures.operations import KINDS, Family, OperationKind, at_strength, at_strengths
from vast_orchard.errors import SettingError

__all__ = ["NO_VARIATION", "Operation", "Variation", "check_colour", "operation", "variation_from_json"]


@dataclass(frozen=True, kw_only=True)
class Operation:
    """One operation with how often and how far."""

    kind: str  # a key of KINDS
    probability: float  # 0 to 1, that it happens to a picture in an epoch
    low: float = 0.0  # of its range, in the kind's unit; both 0 for what has no range
    high: float = 0.0

    def __post_init__(self) -> None:
        kind = KINDS.get(self.kind)
        if kind is None:
            raise SettingError(f"There is no operation named {self.kind!r}.", f"Choose one of {', '.join(KINDS)}.")
        if not 0 <= self.probability <= 1:
            raise SettingError(f"The probability of {self.kind} is {self.probability:g}.", "Choose 0 to 1.")
        if kind.ranged:
            self._check_range(kind)
        elif self.low or self.high:
            raise SettingError(
                f"{self.kind} has no range, but {self.low:g} to {self.high:g} is given.", "Leave it out."
            )

    def _check_range(self, kind: OperationKind) -> None:
        words = f"{self.low:g} to {self.high:g}"
        if not (math.isfinite(self.low) and math.isfinite(self.high)):
            raise SettingError(f"The range of {self.kind} is {words}.", "Give two numbers.")
        if self.low > self.high:
            raise SettingError(
                f"The range of {self.kind} is the wrong way round: {words}.", "Give the smaller number first."
            )
        if self.low < kind.least or self.high > kind.most:
            raise SettingError(
                f"The range of {self.kind} is {words}.", f"Choose between {kind.least:g} and {kind.most:g} {kind.unit}."
            )
        if kind.one_value and self.low != self.high:
            raise SettingError(f"{self.kind} takes one number, not {words}.", "Give the same number twice.")
        least, most = kind.readable
        if self.probability == 1 and (self.high < least or self.low > most):
            raise SettingError(
                f"{self.kind} of {words} {kind.unit} in every picture leaves nothing to recognise.",
                f"Let the range reach into {least:g} to {most:g}, or lower the probability.",
            )


def operation(
    kind: str, low: float | None = None, high: float | None = None, *, probability: float | None = None
) -> Operation:
    """An operation with the kind's usual range and probability where none is given.

    What takes one number takes it from either end.

    Raises
    ------
    SettingError
    """
    usual = KINDS.get(kind)
    if usual is None:
        return Operation(kind=kind, probability=1.0)
    if usual.one_value:
        low, high = high if low is None else low, low if high is None else high
    return Operation(
        kind=kind,
        probability=usual.probability if probability is None else probability,
        low=usual.usual[0] if low is None else low,
        high=usual.usual[1] if high is None else high,
    )


# What leaves the labels of common subjects true: a little turned, shifted, nearer or darker they stay what they are,
# while mirrored ones may not (`questions.Answers` asks for that).
_DEFAULT = tuple(operation(kind) for kind in ("turn", "shift", "zoom", "brightness", "contrast"))


@dataclass(frozen=True, kw_only=True)
class Variation:
    """What may happen to a training picture each time it is shown."""

    operations: tuple[Operation, ...] = _DEFAULT  # each kind at most once; the order has no say
    # How far all ranges reach from neutral: 1 as they are, 0 not at all.
    strength: float = 1.0
    # So many operations are drawn afresh for each picture from those that are here, each as likely as the others and
    # without regard to its probability (Cubuk et al. 2020, "RandAugment: Practical automated data augmentation with a
    # reduced search space"). 0: each by its own probability. Mixing always goes by probability.
    drawn: int = 0
    # That any are drawn for a picture; the others stay as they are.
    drawn_chance: float = 1.0
    # Where some are drawn, a picture's strength lies evenly between so much below and so much above `strength`, so that
    # weak and strong forms of an operation are met (Müller & Hutter 2021, "TrivialAugment", section 3, draw it over the
    # whole range).
    drawn_spread: float = 0.0

    def __post_init__(self) -> None:
        kinds = [entry.kind for entry in self.operations]
        doubled = sorted({kind for kind in kinds if kinds.count(kind) > 1})
        if doubled:
            raise SettingError(f"{', '.join(doubled)} is there more than once.", "Keep one of each.")
        if not 0 <= self.strength <= 2:
            raise SettingError(f"The strength is {self.strength:g}.", "Choose 0 to 2; 1 takes the ranges as they are.")
        if not 0 < self.drawn_chance <= 1:
            raise SettingError(
                f"The chance that operations are drawn is {self.drawn_chance:g}.", "Choose above 0, at most 1."
            )
        if not 0 <= self.drawn_spread <= 1:
            raise SettingError(f"The spread of the strength is {self.drawn_spread:g}.", "Choose 0 to 1.")
        plain = [kind for kind in kinds if KINDS[kind].family is not Family.MIXING]
        if not 0 <= self.drawn <= len(KINDS):
            raise SettingError(f"{self.drawn} operations are to be drawn.", f"Choose 0 to {len(KINDS)}.")
        if self.drawn > len(plain):
            raise SettingError(
                f"{self.drawn} operations are to be drawn from {len(plain)}.", "Switch more of them on, or draw fewer."
            )

    @property
    def does_nothing(self) -> bool:
        """True when no operation can change a picture."""
        return not any(self.drawn or entry.probability for entry in self.operations)

    def range_of(self, entry: Operation) -> tuple[float, float]:
        """Of an operation, at this strength."""
        kind = KINDS[entry.kind]
        if not kind.ranged or kind.one_value:
            return (entry.low, entry.high)
        return (at_strength(kind, entry.low, self.strength), at_strength(kind, entry.high, self.strength))

    def ranges_at(self, entry: Operation, strengths: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Of an operation, for each picture's own strength.

        Parameters
        ----------
        strengths : ndarray, shape (N,), float64

        Returns
        -------
        low, high : ndarray, shape (N,), float64
        """
        kind = KINDS[entry.kind]
        if not kind.ranged or kind.one_value:
            strengths = np.ones_like(strengths)
        return at_strengths(kind, entry.low, strengths), at_strengths(kind, entry.high, strengths)


NO_VARIATION = Variation(operations=())


def check_colour(variation: Variation, channels: int) -> None:
    """That nothing is asked of colours that are not there.

    Raises
    ------
    SettingError
        An operation on colours, and `channels` is 1.
    """
    idle = [entry.kind for entry in variation.operations if channels == 1 and KINDS[entry.kind].needs_colour]
    if idle:
        raise SettingError(
            f"{', '.join(idle)} would change colours, but the network sees grey pictures.",
            "Switch it off, or let preprocessing keep the colours.",
        )


def _told(
    kind: str, probability: float | None = None, low: float | None = None, high: float | None = None
) -> Operation:
    return operation(kind, low, high, probability=probability)


def variation_from_json(data: Mapping[str, Any]) -> Variation:
    """Read a variation from plain values; also as versions up to 0.5 stored it.

    An operation whose range or probability is left out takes its usual one.

    Raises
    ------
    SettingError
    """
    if "operations" in data:
        operations: Sequence[Mapping[str, Any]] = data["operations"]
        return Variation(
            operations=tuple(_told(**entry) for entry in operations),
            strength=data.get("strength", 1.0),
            drawn=data.get("drawn", 0),
            drawn_chance=data.get("drawn_chance", 1.0),
            drawn_spread=data.get("drawn_spread", 0.0),
        )
    turn, light = data["turn_degrees"], data["brightness"]
    former = [operation("mirror")] if data["mirror"] else []
    if turn:
        former.append(operation("turn", -turn, turn))
    if light:
        former.append(operation("brightness", max(1 - light, KINDS["brightness"].least), 1 + light))
    return Variation(operations=tuple(former))
