"""Projects, what they hold of the disk, and where their files lie."""

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

__all__ = ["DiskUse", "ProjectFiles", "ProjectGlimpse", "ProjectName", "ProjectValue", "ResultValue", "SampleValue"]


@dataclass(frozen=True, kw_only=True)
class ProjectName:
    """Which project is meant."""

    id: int
    name: str
    description: str


@dataclass(frozen=True, kw_only=True)
class ProjectValue:
    """A project as the list shows it."""

    id: int
    name: str
    description: str
    created_at: dt.datetime
    deleted_at: dt.datetime | None
    archived_at: dt.datetime | None
    worked_at: dt.datetime  # when something was last done in it
    pictures: int
    classes: int
    runs: int


@dataclass(frozen=True, kw_only=True)
class SampleValue:
    """A picture that stands for its class."""

    sha256: str
    class_id: int


@dataclass(frozen=True, kw_only=True)
class ResultValue:
    """The newest result of a project, and what it stands on."""

    run_id: int
    run: int  # its number
    accuracy: float
    count: int  # validation pictures
    split: int  # its number


@dataclass(frozen=True, kw_only=True)
class ProjectGlimpse:
    """What the list shows of a project besides its counts."""

    samples: Sequence[SampleValue]
    result: ResultValue | None


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
