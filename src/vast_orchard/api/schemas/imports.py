"""What goes over the wire of bringing in: sources, surveys, choices and plans."""

import datetime as dt
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Read, Write

__all__ = [
    "ChoiceBody",
    "ExampleRead",
    "FolderRead",
    "ImportEntryRead",
    "ImportRead",
    "PartBody",
    "PlanRead",
    "PlannedClassRead",
    "ServerFolderRead",
    "SkipRead",
    "SourceCreate",
    "SourcesRead",
    "SurveyRead",
    "TableRead",
    "TriedRead",
    "TwoLabelsRead",
    "UploadImport",
    "UploadRead",
]

SourceKind = Literal["upload", "folder", "bucket", "project"]
ImportStateName = Literal["reading", "planned", "importing", "done"]


class UploadRead(BaseModel):
    """A place for files on their way in."""

    id: str


class UploadImport(Write):
    """Ends an upload: bring its files in."""

    source_name: str = Field(min_length=1, max_length=300)


class SourcesRead(BaseModel):
    """What the settings allow beside uploads."""

    server_folders: bool
    bucket: str | None


class ServerFolderRead(Read):
    """A folder of the server's machine."""

    path: str
    folders: list[str]
    archives: list[str]
    files: int


class SourceCreate(Write):
    """What is to be read: an upload's id, a path on the server, bucket/prefix, or the id of another project."""

    kind: SourceKind
    location: str = Field(min_length=1, max_length=4000)
    name: str = Field(default="", max_length=300)
    class_name: str = Field(default="", max_length=200, description="Proposed for all pictures, if given.")


class PartBody(Write):
    """A balanced random part."""

    per_class: int = Field(ge=1, le=10_000_000)
    seed: int = Field(default=1, ge=0, le=2**31 - 1)


_Short = Annotated[str, Field(max_length=4000)]


class ChoiceBody(Write):
    """A reading and what was changed of it."""

    read_as: Literal["folders", "inner_folders", "pattern", "table", "one_class", "unlabelled"] = "folders"
    pattern: str = Field(default="", max_length=1000)
    class_name: str = Field(default="", max_length=200)
    table: str = Field(default="", max_length=4000)
    columns: dict[_Short, _Short] = Field(default_factory=dict, max_length=20)
    renamed: dict[_Short, _Short] = Field(default_factory=dict, max_length=10_000)
    part: PartBody | None = None
    without_classes: list[_Short] = Field(
        default_factory=list, max_length=10_000, description="Left out for now, as they were read; '' is what has none."
    )
    without_folders: list[_Short] = Field(default_factory=list, max_length=10_000)


class TriedRead(BaseModel):
    """A reading that was tried on all files."""

    choice: ChoiceBody
    classes: int
    labelled: int


class TableRead(BaseModel):
    """A table that lies among the files."""

    path: str
    columns: list[str]
    error: str | None


class SkipRead(BaseModel):
    """A file that is not brought in."""

    path: str
    reason: str


class SurveyRead(BaseModel):
    """What a source holds."""

    files: int
    pictures: int
    known: int
    bytes: int
    formats: dict[str, int]
    traits: dict[str, int]
    smallest: list[int]
    largest: list[int]
    folders: list[str]
    folder_count: int
    skipped: list[SkipRead]
    skipped_count: int
    reasons: dict[str, int]
    tables: list[TableRead]
    class_order: list[str]
    readings: list[TriedRead]


class ImportEntryRead(Read):
    """An import and, once it ended, what it did."""

    id: int
    source_name: str
    source_kind: SourceKind
    state: ImportStateName
    created_at: dt.datetime
    pictures: int = Field(description="Picture files that were found in its source.")
    report: dict[str, Any] | None
    undone_at: dt.datetime | None


class ImportRead(ImportEntryRead):
    """An import with the survey of its source."""

    survey: SurveyRead | None
    choice: ChoiceBody | None


class PlannedClassRead(BaseModel):
    """A class as the plan would fill it."""

    name: str
    read_as: list[str]  # under which names it was read
    files: int
    chosen: int
    known: int
    repeated: int
    sets: dict[str, int]
    samples: list[str]  # SHA-256
    in_project: int | None  # pictures of that class in the project; None: it has no such class


class TwoLabelsRead(BaseModel):
    """One content under two classes."""

    sha256: str
    paths: list[str]
    labels: list[str]


class ExampleRead(BaseModel):
    """A file and the class that is read from it."""

    path: str
    class_name: str | None


class FolderRead(BaseModel):
    """A folder of the source, with the pictures in it and below."""

    path: str
    files: int


class PlanRead(BaseModel):
    """What bringing in would do."""

    classes: list[PlannedClassRead]
    unlabelled: PlannedClassRead
    files: int
    chosen: int
    left_out: int
    new: int
    known: int
    repeated: int
    two_labels: list[TwoLabelsRead]
    two_labels_count: int
    groups: int
    noted: int
    wrappers: list[str]
    notes: list[str]
    examples: list[ExampleRead]
    folders: list[FolderRead] = Field(description="The first of them, by their paths.")
    folders_count: int
