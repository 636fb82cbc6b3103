"""What a Sift says, as a tree of plain values; every part knows where in the line it stands."""

from dataclasses import dataclass
from typing import Literal

__all__ = [
    "All",
    "Anyone",
    "Compare",
    "Condition",
    "Flag",
    "Not",
    "Order",
    "Place",
    "Sift",
    "SiftError",
    "Text",
    "Word",
]

from vast_orchard.errors import InputError

Place = tuple[int, int]  # first character and one past the last, counted from 0


class SiftError(InputError):
    """A mistake in a Sift, with its place in the line.

    Parameters
    ----------
    what, mend : str
    place : (int, int)
        First character of the mistake and one past its last.
    """

    def __init__(self, what: str, mend: str = "", place: Place = (0, 0)) -> None:
        super().__init__(what, mend)
        self.place = place


@dataclass(frozen=True, kw_only=True)
class Word:
    """A value as it was written."""

    text: str
    quoted: bool
    place: Place


@dataclass(frozen=True, kw_only=True)
class Compare:
    """`field:value`, `field<value`, …; several values joined by commas mean any of them."""

    field: str
    sign: Literal[":", "=", "<", "<=", ">", ">="]
    values: tuple[Word, ...]
    place: Place  # of the whole term


@dataclass(frozen=True, kw_only=True)
class Flag:
    """A word that is a condition by itself, such as `wrong`."""

    name: str
    place: Place


@dataclass(frozen=True, kw_only=True)
class Text:
    """Text to be found in the name, the note or the class."""

    word: Word


@dataclass(frozen=True, kw_only=True)
class Not:
    """What the condition does not hold for."""

    inner: "Condition"


@dataclass(frozen=True, kw_only=True)
class All:
    """Every one of the conditions; none of them means everything."""

    parts: tuple["Condition", ...]


@dataclass(frozen=True, kw_only=True)
class Anyone:
    """At least one of the conditions."""

    parts: tuple["Condition", ...]


Condition = Compare | Flag | Text | Not | All | Anyone


@dataclass(frozen=True, kw_only=True)
class Order:
    """A key to order by."""

    key: str
    falling: bool
    place: Place


@dataclass(frozen=True, kw_only=True)
class Sift:
    """A whole line."""

    condition: Condition
    order: tuple[Order, ...]
