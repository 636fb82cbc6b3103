"""What goes over the wire of projects, their bin and their room on the disk."""

import datetime as dt

from vast_orchard.api.schemas.base import Read, Write
from vast_orchard.api.schemas.mending import Which

__all__ = ["BinMove", "BinRead", "BinnedRead", "DiskRead", "ProjectRead", "ProjectWrite"]


class ProjectWrite(Write):
    """A new name."""

    name: str


class ProjectRead(Read):
    """A project of the list."""

    id: int
    name: str
    created_at: dt.datetime
    deleted_at: dt.datetime | None
    pictures: int
    classes: int
    runs: int


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
    """What lies in the bin; the newest of it by name."""

    count: int
    pictures: list[BinnedRead]


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
