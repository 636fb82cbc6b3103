"""What goes over the wire of projects, pictures and jobs; values of the store are read into these by attribute."""

import datetime as dt
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

__all__ = [
    "ActionRead",
    "AppearanceRead",
    "BinMove",
    "BinRead",
    "BinnedRead",
    "ClassMerge",
    "ClassOrder",
    "ClassRead",
    "ClassSplit",
    "ClassUpdate",
    "ClassWrite",
    "CompletionRead",
    "CopiesKeep",
    "CopiesRead",
    "DiskRead",
    "FieldRead",
    "FieldRowRead",
    "JobRead",
    "LabelsCreate",
    "MarksCreate",
    "NotesCreate",
    "ParcelCreate",
    "ParcelRead",
    "PictureDetailRead",
    "PictureId",
    "PicturePage",
    "PictureRead",
    "ProjectRead",
    "ProjectReturn",
    "ProjectWrite",
    "Read",
    "RecordId",
    "SetName",
    "SheetCreate",
    "UndoRead",
    "Which",
    "Write",
]


class Read(BaseModel):
    """Read by attribute from a value of the store."""

    model_config = ConfigDict(from_attributes=True)


# Ids as the records number them: pictures and steps by 64 bits, everything else by 32.
PictureId = Annotated[int, Field(ge=1, le=2**62)]
RecordId = Annotated[int, Field(ge=1, le=2**31 - 1)]


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
    colour: int | None = Field(description="One of ten, chosen by a person; null for the one of its place.")
    count: int


class ClassUpdate(Write):
    """What to change of a class; what is left out stays."""

    name: str = ""
    sign: str = ""
    colour: int | None = Field(default=None, ge=0, le=9)


class PictureRead(Read):
    """A picture of the field."""

    id: int
    sha256: str
    name: str
    class_id: int | None
    set_name: SetName | None
    two_labels: bool
    excluded: bool
    unsure: bool
    width: int
    height: int
    note: str


class FieldRowRead(Read):
    """A row of the field, counted."""

    key: str | None
    count: int
    training: int
    validation: int
    test: int
    excluded: int
    classes: list[int] = Field(description="Of a row of copies, the classes in it.")
    exact: bool = Field(description="Of a row of copies, whether all have the same pixels as another.")


class FieldRead(BaseModel):
    """The rows of the field in order; rows without pictures are not among them."""

    total: int
    rows: list[FieldRowRead]
    first: str = Field(description="The first records as Base64 (RFC 4648), as many as were asked for.")


class CompletionRead(Read):
    """Something that could be written in a Sift: `text` instead of what stands from `start` to the cursor."""

    text: str
    start: int
    words: str
    count: int | None


class SheetCreate(Write):
    """Tiles of `side` pixels in rows of `columns`."""

    picture_ids: list[Annotated[int, Field(ge=0, le=2**62)]] = Field(min_length=1, max_length=1024)
    side: int = Field(ge=8, le=400)
    columns: int = Field(ge=1, le=64)


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


class Which(Write):
    """The pictures that are meant: by their ids, or all that a Sift lets through."""

    picture_ids: list[PictureId] | None = Field(default=None, min_length=1, max_length=200_000)
    sift: str | None = Field(default=None, max_length=4000)
    split: int | None = Field(default=None, ge=1, le=2**31 - 1, description="Split that the Sift's set: means.")
    run: int | None = Field(default=None, ge=1, le=2**31 - 1, description="Run that the Sift's predicted: means.")
    look: int | None = Field(default=None, ge=1, le=2**31 - 1)

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.picture_ids is None) == (self.sift is None):
            raise ValueError("name the pictures by picture_ids or by sift, and not by both")
        return self


class LabelsCreate(Which):
    """Pictures and their new label; null takes the label away."""

    class_id: RecordId | None


class MarksCreate(Which):
    """Pictures to exclude or mark as unsure, or with `value` false not any more."""

    flag: Literal["excluded", "unsure"]
    value: bool = True


class ClassSplit(Which):
    """A new class with these pictures."""

    name: str


class ClassOrder(Write):
    """All classes in their new order."""

    class_ids: list[RecordId] = Field(max_length=10_000)


class ClassMerge(Write):
    """The class that takes the pictures."""

    into: int = Field(ge=1, le=2**31 - 1)


class ActionRead(Read):
    """A step of the history."""

    id: int
    kind: str
    summary: str
    done_at: dt.datetime
    window: str
    pictures: int
    undoes: int | None


class UndoRead(Read):
    """What was taken back, and how many pictures could not be."""

    summary: str
    taken_back: int
    kept: int


class NotesCreate(Which):
    """Pictures and their new note; an empty one takes it away."""

    note: str = Field(max_length=5000)


class CopiesRead(Read):
    """What is known of a project's copies."""

    groups: int = Field(description="Groups in which two pictures or more are not excluded.")
    differing: int = Field(description="Of these, under different labels.")
    pictures: int
    waiting: int = Field(description="Pictures whose copies nobody has looked for yet.")
    repeated: int = Field(description="Pictures whose very file came in more than once.")
    repeated_differing: int = Field(description="Of these, under two labels.")


class CopiesKeep(Write):
    """Pictures to keep of their copies; without any, the largest of each group whose labels agree."""

    picture_ids: list[PictureId] | None = Field(default=None, min_length=1, max_length=200_000)


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


class ParcelCreate(Write):
    """What is to be taken out."""

    kind: Literal["collection", "project"]
    by_set: bool = False
    split: RecordId | None = None
    picture_ids: list[PictureId] | None = Field(default=None, max_length=200_000)
    sift: str | None = Field(default=None, max_length=4000, description="Only what this Sift lets through.")
    run: RecordId | None = None
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
    kind: Literal["read", "import", "take_out", "bring_back", "copies", "empty", "train", "judge", "export"]
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
