"""Steps of a person, and what became of taking them back."""

import datetime as dt
from dataclasses import dataclass

__all__ = ["ActionValue", "UndoResult"]


@dataclass(frozen=True, kw_only=True)
class ActionValue:
    """An action as the history shows it."""

    id: int
    kind: str
    summary: str
    done_at: dt.datetime
    window: str  # which window did it
    pictures: int  # how many it changed
    undoes: int | None  # the step that it took back, or did again


@dataclass(frozen=True, kw_only=True)
class UndoResult:
    """What an undo took back, and what it could not."""

    summary: str
    taken_back: int
    kept: int
