"""The records as tables. ORM rows stay inside `store`; what leaves it are plain values."""

import datetime as dt
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    BigInteger,
    Boolean,
    CheckConstraint,
    Computed,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    MetaData,
    String,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, REAL
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

__all__ = [
    "Action",
    "ActionChange",
    "Appearance",
    "Base",
    "Checkpoint",
    "Class",
    "Epoch",
    "Export",
    "Import",
    "ImportState",
    "Job",
    "JobKind",
    "JobState",
    "Look",
    "Parcel",
    "Picture",
    "PictureTile",
    "Prediction",
    "Project",
    "Run",
    "RunPicture",
    "Split",
    "SplitMember",
]


class JobState(StrEnum):
    """waiting → running → done | failed | stopped; a killed worker's job goes from running to running again."""

    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"


class JobKind(StrEnum):
    """What a job works on; its subject is the record of that kind."""

    READ = "read"
    IMPORT = "import"
    TAKE_OUT = "take_out"
    BRING_BACK = "bring_back"
    EMPTY = "empty"
    TRAIN = "train"
    JUDGE = "judge"
    EXPORT = "export"


class ImportState(StrEnum):
    """reading → planned → importing → done, or straight from reading to importing when no plan was asked for."""

    READING = "reading"
    PLANNED = "planned"
    IMPORTING = "importing"
    DONE = "done"


class Base(DeclarativeBase):
    """Names every constraint, so that migrations can refer to it."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012 (SQLAlchemy reads a plain dict)
        dt.datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
    }


def _project_key() -> Mapped[int]:
    return mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)


class Project(Base):
    """A heap of pictures and all work on it."""

    __tablename__ = "project"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    deleted_at: Mapped[dt.datetime | None]  # lies in the bin since
    purged: Mapped[bool] = mapped_column(Boolean, default=False)  # out of the bin, its records are being removed
    __table_args__ = (
        Index("uq_project_name", func.lower(name), unique=True, postgresql_where=text("deleted_at is null")),
    )


class Class(Base):
    """A label that pictures can have; renaming keeps the id."""

    __tablename__ = "class"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = _project_key()
    name: Mapped[str] = mapped_column(String(200))
    place: Mapped[int]  # in the order that every export lists, from 0
    sign: Mapped[str] = mapped_column(String(4))
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
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    sha256: Mapped[str] = mapped_column(String(64))
    name: Mapped[str]  # file name of its first appearance
    # In small letters, for the Sift: changing case at each search would take most of its time.
    folded_name: Mapped[str] = mapped_column(Computed("lower(name)", persisted=True))
    class_id: Mapped[int | None] = mapped_column(ForeignKey("class.id"), index=True)
    two_labels: Mapped[bool] = mapped_column(Boolean, default=False)
    width: Mapped[int]
    height: Mapped[int]
    mode: Mapped[str] = mapped_column(String(20))
    format: Mapped[str] = mapped_column(String(20))
    size_bytes: Mapped[int]
    thumbnail_bytes: Mapped[int] = mapped_column(default=0)
    note: Mapped[str] = mapped_column(default="")
    excluded: Mapped[bool] = mapped_column(Boolean, default=False)  # left out of dividing and training
    unsure: Mapped[bool] = mapped_column(Boolean, default=False)
    brightness: Mapped[float | None] = mapped_column(REAL)  # mean of the tile, 0 to 1
    # The import that put it here; with it goes what an undone import takes back.
    import_id: Mapped[int | None] = mapped_column(ForeignKey("import.id", ondelete="SET NULL"), index=True)
    came_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    deleted_at: Mapped[dt.datetime | None]  # lies in the bin since
    __table_args__ = (
        UniqueConstraint("project_id", "sha256"),
        Index("ix_picture_project_id_id", "project_id", "id"),
    )


class PictureTile(Base):
    """A picture on 24×24 pixels, for fields of small tiles; whoever finds it missing makes it."""

    __tablename__ = "picture_tile"
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    pixels: Mapped[bytes]  # red, green, blue, row by row


class Import(Base):
    """One time that pictures were brought in."""

    __tablename__ = "import"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = _project_key()
    source_name: Mapped[str]  # of the zip or folder, as the person knows it
    source_kind: Mapped[str] = mapped_column(String(10), default="upload")  # upload, folder, bucket
    location: Mapped[str]  # below the data folder's uploads; a path on the server; a bucket and a prefix
    state: Mapped[str] = mapped_column(String(10), default=ImportState.READING.value)
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    survey: Mapped[dict[str, Any] | None]  # what the source holds, and the readings tried, likeliest first
    choice: Mapped[dict[str, Any] | None]  # the reading that a person chose
    report: Mapped[dict[str, Any] | None]  # added, known, repeated, skipped, notes, classes
    window: Mapped[str] = mapped_column(String(64), default="")  # which window asked for it
    undone_at: Mapped[dt.datetime | None]
    __table_args__ = (
        CheckConstraint("source_kind in ('upload', 'folder', 'bucket')", name="source_kind"),
        CheckConstraint("state in ('reading', 'planned', 'importing', 'done')", name="state"),
    )


class Appearance(Base):
    """One file in which a picture's content came in."""

    __tablename__ = "appearance"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), index=True)
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"), index=True)
    path: Mapped[str]
    class_name: Mapped[str | None]
    set_name: Mapped[str | None] = mapped_column(String(10))
    group_key: Mapped[str | None]  # pictures of one group belong together, says the source
    __table_args__ = (UniqueConstraint("picture_id", "path"),)


class Action(Base):
    """One step of a person, with every picture's before and after; append-only."""

    __tablename__ = "action"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    project_id: Mapped[int] = _project_key()
    window: Mapped[str] = mapped_column(String(64))  # which window did it
    kind: Mapped[str] = mapped_column(String(20))  # label, note, bin, import, class_new, class_rename, undo
    summary: Mapped[str]
    detail: Mapped[dict[str, Any] | None]  # of class changes: class id, before, after; of imports: its id, new classes
    undoes: Mapped[int | None] = mapped_column(ForeignKey("action.id"), unique=True)
    done_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())


class ActionChange(Base):
    """What an action changed on one picture."""

    __tablename__ = "action_change"
    action_id: Mapped[int] = mapped_column(ForeignKey("action.id", ondelete="CASCADE"), primary_key=True)
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    class_before: Mapped[int | None] = mapped_column(ForeignKey("class.id"))
    class_after: Mapped[int | None] = mapped_column(ForeignKey("class.id"))
    note_before: Mapped[str | None]  # both None: the note was not touched
    note_after: Mapped[str | None]
    excluded_before: Mapped[bool | None]
    excluded_after: Mapped[bool | None]
    unsure_before: Mapped[bool | None]
    unsure_after: Mapped[bool | None]
    binned_before: Mapped[bool | None]  # both None: it was not moved to or from the bin
    binned_after: Mapped[bool | None]
    __table_args__ = (Index("ix_action_change_picture_id", "picture_id", "action_id"),)


class Split(Base):
    """A division of pictures into sets; it never changes once made."""

    __tablename__ = "split"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = _project_key()
    number: Mapped[int]  # within the project, from 1
    method: Mapped[str] = mapped_column(String(20))  # random, folders
    shares: Mapped[dict[str, Any]]
    seed: Mapped[int] = mapped_column(BigInteger)
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    __table_args__ = (UniqueConstraint("project_id", "number"),)


class SplitMember(Base):
    """Which set a picture is in."""

    __tablename__ = "split_member"
    split_id: Mapped[int] = mapped_column(ForeignKey("split.id", ondelete="CASCADE"), primary_key=True)
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    set_name: Mapped[str] = mapped_column(String(10))
    __table_args__ = (CheckConstraint("set_name in ('training', 'validation', 'test')", name="set_name"),)


class Job(Base):
    """Long work: the truth about its state, whatever the queue thinks."""

    __tablename__ = "job"
    id: Mapped[int] = mapped_column(primary_key=True)
    # None: it outlives the project that it removes.
    project_id: Mapped[int | None] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(10))
    title: Mapped[str]
    subject_id: Mapped[int]  # of the import, run or export
    state: Mapped[str] = mapped_column(String(10), default=JobState.WAITING.value)
    stage: Mapped[str] = mapped_column(default="")
    done: Mapped[float] = mapped_column(Float, default=0.0)
    total: Mapped[float] = mapped_column(Float, default=0.0)
    stage_started_at: Mapped[dt.datetime | None]
    left_s: Mapped[float | None]
    error: Mapped[str | None]
    owner: Mapped[str | None] = mapped_column(String(64))  # lease of the worker that runs it
    stop_asked: Mapped[bool] = mapped_column(Boolean, default=False)
    seen: Mapped[bool] = mapped_column(Boolean, default=False)  # its end was looked at and put away
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    started_at: Mapped[dt.datetime | None]
    ended_at: Mapped[dt.datetime | None]
    __table_args__ = (
        CheckConstraint("state in ('waiting', 'running', 'done', 'failed', 'stopped')", name="state"),
        # One piece of work on one subject at a time.
        Index(
            "uq_job_active",
            "kind",
            "subject_id",
            unique=True,
            postgresql_where=text("state in ('waiting', 'running')"),
        ),
    )


class Run(Base):
    """One training, complete in itself."""

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = _project_key()
    number: Mapped[int]  # within the project, from 1
    split_id: Mapped[int | None] = mapped_column(ForeignKey("split.id", ondelete="SET NULL"))
    split_number: Mapped[int]
    recipe: Mapped[dict[str, Any]]
    classes: Mapped[list[Any]]  # [{id, name, sign}] in the order of the outputs
    program: Mapped[str] = mapped_column(String(40))
    parameters: Mapped[int]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    train_s: Mapped[float | None]
    kept_epoch: Mapped[int | None]
    ended_because: Mapped[str | None]
    judgements: Mapped[dict[str, Any]] = mapped_column(default=dict)  # by set
    __table_args__ = (UniqueConstraint("project_id", "number"),)


class RunPicture(Base):
    """A picture as it was when the run started."""

    __tablename__ = "run_picture"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    picture_id: Mapped[int] = mapped_column(BigInteger, primary_key=True)  # kept if the picture is gone
    sha256: Mapped[str] = mapped_column(String(64))
    class_id: Mapped[int]
    set_name: Mapped[str] = mapped_column(String(10))
    __table_args__ = (Index("ix_run_picture_picture_id", "picture_id"),)


class Epoch(Base):
    """Figures of one epoch."""

    __tablename__ = "epoch"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    training_loss: Mapped[float]
    training_accuracy: Mapped[float]
    validation_loss: Mapped[float]
    validation_accuracy: Mapped[float]
    learning_rate: Mapped[float]


class Checkpoint(Base):
    """Where a run's last state and its kept model lie."""

    __tablename__ = "checkpoint"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    kind: Mapped[str] = mapped_column(String(5), primary_key=True)  # last, kept
    epoch: Mapped[int]
    path: Mapped[str]


class Prediction(Base):
    """What the kept state of a run says of a picture."""

    __tablename__ = "prediction"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    picture_id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    set_name: Mapped[str] = mapped_column(String(10))
    true_class: Mapped[int]  # ids, as in the run's class list
    predicted_class: Mapped[int]
    p: Mapped[float] = mapped_column(REAL)  # probability of the predicted class
    loss: Mapped[float] = mapped_column(REAL)
    probabilities: Mapped[list[float]] = mapped_column(ARRAY(REAL))
    __table_args__ = (Index("ix_prediction_cell", "run_id", "set_name", "true_class", "predicted_class"),)


class Look(Base):
    """One time that outcomes on the test set were shown or computed."""

    __tablename__ = "look"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = _project_key()
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), index=True)
    place: Mapped[str] = mapped_column(String(40))
    looked_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())


class Export(Base):
    """A pack that was asked for, and its proof once it is there."""

    __tablename__ = "export"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = _project_key()
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), index=True)
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    path: Mapped[str | None]
    size_bytes: Mapped[int | None] = mapped_column(Integer)
    proof: Mapped[dict[str, Any] | None]


class Parcel(Base):
    """What was asked to be taken out: a collection as a zip, or a whole project as an archive."""

    __tablename__ = "parcel"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = _project_key()
    kind: Mapped[str] = mapped_column(String(10))  # collection, project
    options: Mapped[dict[str, Any]]
    name: Mapped[str]  # of the file, as it is downloaded
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    size_bytes: Mapped[int | None] = mapped_column(BigInteger)  # None until it is there
    pictures: Mapped[int | None]
    __table_args__ = (CheckConstraint("kind in ('collection', 'project')", name="kind"),)
