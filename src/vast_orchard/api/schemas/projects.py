"""What goes over the wire of projects, their bin and their room on the disk."""

import datetime as dt

from pydantic import Field

from vast_orchard.api.schemas.base import Read, Write
from vast_orchard.api.schemas.mending import Which
from vast_orchard.api.schemas.runs import BinnedRunRead

__all__ = [
    "BinMove",
    "BinRead",
    "BinnedRead",
    "DiskRead",
    "ProjectCreate",
    "ProjectDuplicate",
    "ProjectGlimpseRead",
    "ProjectRead",
    "ProjectUpdate",
    "PutAway",
    "ResultRead",
    "SampleCreate",
    "SampleRead",
]


class SampleCreate(Write):
    """A made-up collection to begin with."""

    pictures: int = Field(1400, ge=70, le=100_000)
    with_run: bool = Field(False, description="Train with the defaults as soon as they are in.")


class ProjectCreate(Write):
    """A new project; without a sample it is empty."""

    name: str
    description: str = Field("", max_length=5000)
    sample: SampleCreate | None = None


class ProjectDuplicate(Write):
    """What the duplicate is called, and whether it has the runs too."""

    name: str
    with_runs: bool = True


class ProjectUpdate(Write):
    """Another name or description; what is left out stays."""

    name: str | None = None
    description: str | None = Field(None, max_length=5000)


class ProjectRead(Read):
    """A project of the list."""

    id: int
    name: str
    description: str
    created_at: dt.datetime
    deleted_at: dt.datetime | None
    archived_at: dt.datetime | None
    worked_at: dt.datetime
    pictures: int
    classes: int
    runs: int


class SampleRead(Read):
    """A picture that stands for its class."""

    sha256: str
    class_id: int


class ResultRead(Read):
    """The newest result of a project, and what it stands on."""

    run_id: int
    run: int
    accuracy: float
    count: int
    split: int


class ProjectGlimpseRead(Read):
    """What the list shows of a project besides its counts."""

    samples: list[SampleRead]
    result: ResultRead | None


class PutAway(Write):
    """Whether the project stands apart in the list."""

    away: bool


class BinMove(Which):
    """Pictures for the bin, or with `back` out of it; a Sift finds none that lie there already."""

    back: bool = False


class BinnedRead(Read):
    """A picture in the bin."""

    id: int
    sha256: str
    name: str
    class_id: int | None
    deleted_at: dt.datetime


class BinRead(Read):
    """What lies in the bin; of its pictures, the newest by name."""

    count: int = Field(description="Pictures.")
    pictures: list[BinnedRead]
    runs: list[BinnedRunRead]


class DiskRead(Read):
    """Bytes that a project takes of the disk, by what they are for."""

    pictures: int
    thumbnails: int
    bin: int
    shared: int
    runs: int
    exports: int
    parcels: int
    sources: int
