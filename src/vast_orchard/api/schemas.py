"""What goes over the wire of projects, pictures and jobs; values of the store are read into these by attribute."""

import datetime as dt
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

__all__ = [
    "ActionRead",
    "AppearanceRead",
    "ClassRead",
    "ClassWrite",
    "ImportRead",
    "JobRead",
    "LabelsCreate",
    "PictureDetailRead",
    "PicturePage",
    "PictureRead",
    "ProjectRead",
    "ProjectWrite",
    "Read",
    "SetName",
    "UndoRead",
    "UploadImport",
    "UploadRead",
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


class UploadRead(BaseModel):
    """A place for files on their way in."""

    id: str


class UploadImport(Write):
    """Ends an upload: bring its files in."""

    source_name: str = Field(min_length=1, max_length=300)


class ImportRead(Read):
    """An import and, once it ended, what it found."""

    id: int
    source_name: str
    created_at: dt.datetime
    report: dict[str, Any] | None


class JobRead(Read):
    """Long work as the tray shows it."""

    id: int
    project_id: int
    project_name: str
    kind: Literal["import", "train", "judge", "export"]
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
