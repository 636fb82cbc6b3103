"""What goes over the wire of long work."""

import datetime as dt
from typing import Literal

from pydantic import Field

from vast_orchard.api.schemas.base import Read
from vast_orchard.store.schema import JobKind

__all__ = ["JobRead"]


class JobRead(Read):
    """Long work as the tray shows it."""

    id: int
    project_id: int | None
    project_name: str
    kind: JobKind
    title: str
    subject_id: int
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    stage: str
    done: float
    total: float
    left_s: float | None
    line: list[float] = Field(description="Of a training: the losses of the epoch under way, as few points.")
    error: str | None
    stop_asked: bool
    created_at: dt.datetime
    started_at: dt.datetime | None
    ended_at: dt.datetime | None
