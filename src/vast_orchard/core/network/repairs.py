"""What can be done at a press about something wrong or doubtful in a list of layers, as steps on the list."""

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from typing import Any, TypeAlias

from vast_orchard.core.network.blocks import Part, Repeat
from vast_orchard.core.network.layers import Concat

__all__ = [
    "JOIN_FIRST",
    "TAKE_OUT",
    "Fit",
    "Join",
    "Put",
    "Repair",
    "Set",
    "TakeOut",
    "put_before",
    "repaired",
    "set_to",
]


@dataclass(frozen=True, kw_only=True)
class Set:
    """Give a setting of the line another value."""

    name: str
    value: Any


@dataclass(frozen=True, kw_only=True)
class TakeOut:
    """Take the line out."""


@dataclass(frozen=True, kw_only=True)
class Put:
    """Put a new line beside it."""

    part: Part
    behind: bool = False  # else before it


@dataclass(frozen=True, kw_only=True)
class Join:
    """Put the line's inputs side by side before it, by a new line that then feeds it."""


@dataclass(frozen=True, kw_only=True)
class Fit:
    """Put a new line between the line and one of its inputs."""

    part: Part
    number: int  # of the input, from 0


Step: TypeAlias = Set | TakeOut | Put | Join | Fit


@dataclass(frozen=True, kw_only=True)
class Repair:
    """Steps that belong together, and what they do in a few words."""

    words: str
    steps: tuple[Step, ...]


TAKE_OUT = Repair(words="Take it out", steps=(TakeOut(),))
JOIN_FIRST = Repair(words="Put them side by side first", steps=(Join(),))


def set_to(name: str, value: Any) -> Repair:
    """One setting at another value."""
    return Repair(words=f"Set {name} to {value}", steps=(Set(name=name, value=value),))


def put_before(part: Part, words: str) -> Repair:
    """A new line before the one that is meant."""
    return Repair(words=words, steps=(Put(part=part),))


def repaired(parts: Sequence[Part], line: tuple[int, ...], repair: Repair) -> tuple[Part, ...] | None:
    """The list after a repair of one of its lines; None where that line has no such setting.

    Parameters
    ----------
    parts : sequence of Part
    line : tuple of int
        Where it stands, as of `expansion.Line`; empty means the end of the list, behind which something is put.
    repair : Repair
    """
    if len(line) > 1:
        stretch = parts[line[0]]
        assert isinstance(stretch, Repeat)
        inner = repaired(stretch.layers, line[1:], repair)
        return None if inner is None else _with(parts, line[0], (replace(stretch, layers=inner),))
    place = line[0] if line else len(parts)
    own: tuple[Part, ...] = tuple(parts[place : place + 1])
    for step in repair.steps:
        match step:
            case Set(name=name, value=value):
                if name not in {field.name for field in fields(own[-1])}:
                    return None
                own = (*own[:-1], replace(own[-1], **{name: value}))
            case TakeOut():
                own = own[:-1]
            case Put(part=part, behind=True):
                own = (*own, part)
            case Put(part=part):
                own = (*own[:-1], part, *own[-1:])
            case Join():
                own = (*own[:-1], Concat(inputs=own[-1].inputs), replace(own[-1], inputs=()))
            case Fit(part=part, number=number):
                inputs = list(own[-1].inputs)
                fitted = replace(part, id=f"{own[-1].id[:50]}_fit_{number + 1}", inputs=(inputs[number],))
                inputs[number] = fitted.id
                own = (*own[:-1], fitted, replace(own[-1], inputs=tuple(inputs)))
    return _with(parts, place, own)


def _with(parts: Sequence[Part], place: int, own: tuple[Part, ...]) -> tuple[Part, ...]:
    return (*parts[:place], *own, *parts[place + 1 :])
