"""What goes over the wire of projects, pictures and jobs; values of the store are read into these by attribute."""

import datetime as dt
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

__all__ = [
    "ActionRead",
    "AppearanceRead",
    "BinMove",
    "BinRead",
    "BinnedRead",
    "ClassRead",
    "ClassWrite",
    "DiskRead",
    "JobRead",
    "LabelsCreate",
    "NoteWrite",
    "ParcelCreate",
    "ParcelRead",
    "PictureDetailRead",
    "PicturePage",
    "PictureRead",
    "ProjectRead",
    "ProjectReturn",
    "ProjectWrite",
    "Read",
    "SetName",
    "UndoRead",
    "Write",
]


class Read(BaseModel):
    """Read by attribute from a value of the store."""

    model_config = ConfigDict(from_attributes=True)


class Write(BaseModel):
    """Sent by a client; what is not known is refused."""

    model_config = ConfigDict(extra="forbid")


SetName = Literal["training", "validation", "test"]


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


class ClassWrite(Write):
    """A class's name."""

    name: str


class ClassRead(Read):
    """A class in its order."""

    id: int
    name: str
    place: int
    sign: str
    count: int


class PictureRead(Read):
    """A picture of the field."""

    id: int
    sha256: str
    name: str
    class_id: int | None
    set_name: SetName | None
    two_labels: bool
    width: int
    height: int
    note: str


class PicturePage(BaseModel):
    """Some pictures; ask again with `after=next` until it is null."""

    pictures: list[PictureRead]
    next: int | None


class AppearanceRead(Read):
    """One file in which a picture came in."""

    source: str
    path: str
    class_name: str | None
    set_name: SetName | None
    group_key: str | None
    came_at: dt.datetime


class PictureDetailRead(Read):
    """Everything the Close-up tells."""

    picture: PictureRead
    mode: str
    format: str
    size_bytes: int
    came_at: dt.datetime
    appearances: list[AppearanceRead]
    history: list[str]


class LabelsCreate(Write):
    """Pictures and their new label; null takes the label away."""

    picture_ids: list[int] = Field(min_length=1, max_length=200_000)
    class_id: int | None


class ActionRead(Read):
    """A step of the history."""

    id: int
    kind: str
    summary: str
    done_at: dt.datetime


class UndoRead(Read):
    """What was taken back, and how many pictures could not be."""

    summary: str
    taken_back: int
    kept: int


class NoteWrite(Write):
    """A picture's note."""

    note: str = Field(max_length=5000)


class BinMove(Write):
    """Pictures for the bin, or with `back` out of it."""

    picture_ids: list[int] = Field(min_length=1, max_length=200_000)
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


class ParcelCreate(Write):
    """What is to be taken out."""

    kind: Literal["collection", "project"]
    by_set: bool = False
    split: int | None = None
    picture_ids: list[int] | None = Field(default=None, max_length=200_000)
    creator: str = Field(default="", max_length=200)
    licence: str = Field(default="", max_length=500)


class ParcelRead(Read):
    """Something taken out, or under way."""

    id: int
    kind: Literal["collection", "project"]
    name: str
    created_at: dt.datetime
    size_bytes: int | None
    pictures: int | None
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    error: str | None


class ProjectReturn(Write):
    """An uploaded archive that is to become a project again."""

    upload_id: str = Field(pattern="^[0-9a-f]{16}$")
    name: str = Field(min_length=1, max_length=200)


class JobRead(Read):
    """Long work as the tray shows it."""

    id: int
    project_id: int | None
    project_name: str
    kind: Literal["read", "import", "take_out", "bring_back", "empty", "train", "judge", "export"]
    title: str
    subject_id: int
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    stage: str
    done: float
    total: float
    left_s: float | None
    error: str | None
    stop_asked: bool
    created_at: dt.datetime
    started_at: dt.datetime | None
    ended_at: dt.datetime | None
