"""Projects, their classes and pictures, and how these came in, as tables."""

import datetime as dt
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    BigInteger,
    BindParameter,
    Boolean,
    CheckConstraint,
    ColumnElement,
    Computed,
    ForeignKey,
    Index,
    SmallInteger,
    String,
    UniqueConstraint,
    cast,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import REAL
from sqlalchemy.dialects.postgresql.base import ischema_names
from sqlalchemy.orm import Mapped, mapped_column
from sqlalchemy.types import UserDefinedType

from vast_orchard.store.schema.base import Base, project_key

__all__ = [
    "Appearance",
    "Class",
    "Cube",
    "Import",
    "ImportState",
    "Picture",
    "PictureMeasure",
    "PicturePrint",
    "PictureTile",
    "Project",
]


class ImportState(StrEnum):
    """reading → planned → importing → done, or straight from reading to importing when no plan was asked for."""

    READING = "reading"
    PLANNED = "planned"
    IMPORTING = "importing"
    DONE = "done"


class Project(Base):
    """A heap of pictures and all work on it."""

    __tablename__ = "project"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    description: Mapped[str] = mapped_column(server_default="")
    last_run: Mapped[int] = mapped_column(server_default="0")  # the highest number given, which none gets again
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    deleted_at: Mapped[dt.datetime | None]  # lies in the bin since
    archived_at: Mapped[dt.datetime | None]  # stands apart in the list since
    purged: Mapped[bool] = mapped_column(Boolean, default=False)  # out of the bin, its records are being removed
    __table_args__ = (
        Index("uq_project_name", func.lower(name), unique=True, postgresql_where=text("deleted_at is null")),
    )


class Class(Base):
    """A label that pictures can have; renaming keeps the id."""

    __tablename__ = "class"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    name: Mapped[str] = mapped_column(String(200))
    place: Mapped[int]  # in the order that every export lists, from 0
    sign: Mapped[str] = mapped_column(String(4))
    colour: Mapped[int | None] = mapped_column(SmallInteger)  # one of ten, chosen by a person; None: by its place
    deleted_at: Mapped[dt.datetime | None]  # kept for the history that names it
    __table_args__ = (
        Index(
            "uq_class_name",
            "project_id",
            func.lower(name),
            unique=True,
            postgresql_where=text("deleted_at is null"),
        ),
    )


class Picture(Base):
    """One content in one project."""

    __tablename__ = "picture"
    # What every Sift asks for stands in front, texts at the end: a column behind a text is found by walking over it.
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    excluded: Mapped[bool] = mapped_column(Boolean, default=False)  # left out of dividing and training
    unsure: Mapped[bool] = mapped_column(Boolean, default=False)
    two_labels: Mapped[bool] = mapped_column(Boolean, default=False)
    copy_exact: Mapped[bool] = mapped_column(Boolean, default=False)  # another of its copies has the same pixels
    deleted_at: Mapped[dt.datetime | None]  # lies in the bin since
    class_id: Mapped[int | None] = mapped_column(ForeignKey("class.id"), index=True)
    # The import that put it here; with it goes what an undone import takes back.
    import_id: Mapped[int | None] = mapped_column(ForeignKey("import.id", ondelete="SET NULL"), index=True)
    area_id: Mapped[int | None] = mapped_column(ForeignKey("working_area.id"))  # its own; None: by a rule, or whole
    copy_group: Mapped[int | None]  # copies of one picture share a number, which means something in its project only
    width: Mapped[int]
    height: Mapped[int]
    size_bytes: Mapped[int]
    thumbnail_bytes: Mapped[int] = mapped_column(default=0)
    brightness: Mapped[float | None] = mapped_column(REAL)  # mean of the tile, 0 to 1
    dismissed: Mapped[int] = mapped_column(server_default="0")  # bits of `FindingKind`: said to be no fault, for good
    came_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    sha256: Mapped[str] = mapped_column(String(64))
    name: Mapped[str]  # file name of its first appearance
    # In small letters, for the Sift: changing case at each search would take most of its time.
    folded_name: Mapped[str] = mapped_column(Computed("lower(name)", persisted=True))
    mode: Mapped[str] = mapped_column(String(20))
    format: Mapped[str] = mapped_column(String(20))
    note: Mapped[str] = mapped_column(default="")
    __table_args__ = (
        UniqueConstraint("project_id", "sha256"),
        Index("ix_picture_project_id_id", "project_id", "id"),
        Index("ix_picture_own_area", "project_id", postgresql_where=text("area_id is not null")),
        Index("ix_picture_copy_group", "project_id", "copy_group", postgresql_where=text("copy_group is not null")),
    )


class Cube(UserDefinedType[str]):
    """A point of many numbers, of PostgreSQL's own extension `cube`: it knows how far two are apart."""

    cache_ok = True

    def get_col_spec(self, **_: Any) -> str:
        """Its name in SQL."""
        return "cube"

    def bind_expression(self, bindvalue: BindParameter[str]) -> ColumnElement[str]:
        """Written as text, `(0.1, 0.2, …)`."""
        return cast(bindvalue, self)


# So that a column of this type is known when the schema is read from the database.
ischema_names["cube"] = Cube


class PicturePrint(Base):
    """A picture's fingerprint, for finding others like it."""

    __tablename__ = "picture_print"
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    place: Mapped[str] = mapped_column(Cube)
    compared: Mapped[bool] = mapped_column(Boolean, default=False)  # copies of it were looked for


class PictureMeasure(Base):
    """What was measured of a picture when it was first judged, or looked at for findings."""

    __tablename__ = "picture_measure"
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    contrast: Mapped[float] = mapped_column(REAL)  # 0 to 0.5, see `core.pictures.measures`
    sharpness: Mapped[float] = mapped_column(REAL)  # 0 to 1
    # See `core.findings.seeing`; None of what was measured before there were findings.
    light: Mapped[float | None] = mapped_column(REAL)
    span: Mapped[float | None] = mapped_column(REAL)
    blur: Mapped[float | None] = mapped_column(REAL)
    noise: Mapped[float | None] = mapped_column(REAL)
    cut: Mapped[float | None] = mapped_column(REAL)
    frame: Mapped[float | None] = mapped_column(REAL)  # grey level of an even frame; None also without one


class PictureTile(Base):
    """A picture on 24×24 pixels, for fields of small tiles; whoever finds it missing makes it."""

    __tablename__ = "picture_tile"
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    pixels: Mapped[bytes]  # red, green, blue, row by row


class Import(Base):
    """One time that pictures were brought in."""

    __tablename__ = "import"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    source_name: Mapped[str]  # of the zip or folder, as the person knows it
    source_kind: Mapped[str] = mapped_column(String(10), default="upload")  # upload, folder, bucket, project
    location: Mapped[str]  # the id of an upload, empty once it is gone; a path on the server; a bucket and a prefix
    state: Mapped[str] = mapped_column(String(10), default=ImportState.READING.value)
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    survey: Mapped[dict[str, Any] | None]  # what the source holds, and the readings tried, likeliest first
    choice: Mapped[dict[str, Any] | None]  # the reading that a person chose
    report: Mapped[dict[str, Any] | None]  # added, known, repeated, skipped, notes, classes
    window: Mapped[str] = mapped_column(String(64), default="")  # which window asked for it
    undone_at: Mapped[dt.datetime | None]
    __table_args__ = (
        CheckConstraint("source_kind in ('upload', 'folder', 'bucket', 'project')", name="source_kind"),
        CheckConstraint("state in ('reading', 'planned', 'importing', 'done')", name="state"),
        # Never a path: whatever code forgets to look, an upload is named by an id of ours, and has one import.
        CheckConstraint("source_kind <> 'upload' or location ~ '^([0-9a-f]{16})?$'", name="location"),
        Index(
            "uq_import_upload",
            "location",
            unique=True,
            postgresql_where=text("source_kind = 'upload' and location <> ''"),
        ),
    )


class Appearance(Base):
    """One file in which a picture's content came in."""

    __tablename__ = "appearance"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"))
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"), index=True)
    path: Mapped[str]
    class_name: Mapped[str | None]
    set_name: Mapped[str | None] = mapped_column(String(10))
    group_key: Mapped[str | None]  # pictures of one group belong together, says the source
    __table_args__ = (UniqueConstraint("picture_id", "path"),)
