"""Long work, and what was taken out."""

import datetime as dt
from dataclasses import dataclass
from typing import Any

__all__ = ["JobValue", "ParcelValue"]


@dataclass(frozen=True, kw_only=True)
class JobValue:
    """Long work as the tray shows it."""

    id: int
    project_id: int | None
    project_name: str
    kind: str
    title: str
    subject_id: int
    part: str  # of the subject: the set that is judged
    options: dict[str, Any]  # what was asked for besides
    state: str
    stage: str
    done: float
    total: float
    left_s: float | None
    line: list[float]  # of a training: losses of the epoch under way
    error: str | None
    stop_asked: bool
    created_at: dt.datetime
    started_at: dt.datetime | None
    ended_at: dt.datetime | None


@dataclass(frozen=True, kw_only=True)
class ParcelValue:
    """Something taken out, or under way."""

    id: int
    project_id: int
    kind: str
    options: dict[str, Any]
    name: str
    created_at: dt.datetime
    size_bytes: int | None
    pictures: int | None
    state: str
    error: str | None
