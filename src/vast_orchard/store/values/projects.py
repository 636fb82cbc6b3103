"""Projects, what they hold of the disk, and where their files lie."""

import datetime as dt
from dataclasses import dataclass

__all__ = ["DiskUse", "ProjectFiles", "ProjectName", "ProjectValue"]


@dataclass(frozen=True, kw_only=True)
class ProjectName:
    """Which project is meant."""

    id: int
    name: str


@dataclass(frozen=True, kw_only=True)
class ProjectValue:
    """A project as the list shows it."""

    id: int
    name: str
    created_at: dt.datetime
    deleted_at: dt.datetime | None
    pictures: int
    classes: int
    runs: int


@dataclass(frozen=True, kw_only=True)
class DiskUse:
    """Bytes that a project takes of the disk."""

    pictures: int
    thumbnails: int
    bin: int
    shared: int  # of pictures and bin, what another project holds too
    runs: int  # weights and training states
    exports: int
    parcels: int
    sources: int  # files that wait for a decision


@dataclass(frozen=True, kw_only=True)
class ProjectFiles:
    """Where a project's files lie, besides its pictures."""

    weights: list[str]  # of models, and states to go on from
    exports: list[str]
    parcels: list[int]
    uploads: list[str]
    imports: list[int]
