"""What people and workers did and do, as tables: the history, long work, what was taken out."""

import datetime as dt
from enum import StrEnum
from typing import Any

from sqlalchemy import BigInteger, Boolean, CheckConstraint, Float, ForeignKey, Index, String, func, text
from sqlalchemy.orm import Mapped, mapped_column

from vast_orchard.store.schema.base import Base, project_key

__all__ = ["Action", "ActionChange", "Job", "JobKind", "JobState", "Parcel"]


class JobState(StrEnum):
    """waiting → running → done | failed | stopped.

    A killed worker's job goes from running to running again, and one that found the disk full back to waiting.
    """

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
    DUPLICATE = "duplicate"
    SAMPLE = "sample"
    EMPTY = "empty"
    COPIES = "copies"
    FINDINGS = "findings"
    TRAIN = "train"
    JUDGE = "judge"
    EXPORT = "export"
    TELL = "tell"  # the web hook of a run
    PLAN = "plan"  # what a plan that has ended found
    COMBINE = "combine"  # several models that answer together


class Action(Base):
    """One step of a person, with every picture's before and after; append-only."""

    __tablename__ = "action"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    project_id: Mapped[int] = project_key()
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
    # By fact, [before, after]: class (an id), note, excluded, unsure, copies (a group), dismissed (bits), binned, and
    # set, which is one of the split that the step's detail names.
    change: Mapped[dict[str, Any]] = mapped_column(server_default="{}")
    __table_args__ = (Index("ix_action_change_picture_id", "picture_id", "action_id"),)


class Job(Base):
    """Long work: the truth about its state, whatever the queue thinks."""

    __tablename__ = "job"
    id: Mapped[int] = mapped_column(primary_key=True)
    # None: it outlives the project that it removes.
    project_id: Mapped[int | None] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(10))
    title: Mapped[str]
    subject_id: Mapped[int]  # of the import, run, model or export
    part: Mapped[str] = mapped_column(String(10), server_default="")  # of the subject: the set that is judged
    options: Mapped[dict[str, Any]] = mapped_column(server_default="{}")  # what was asked for besides
    state: Mapped[str] = mapped_column(String(10), default=JobState.WAITING.value)
    stage: Mapped[str] = mapped_column(default="")
    done: Mapped[float] = mapped_column(Float, default=0.0)
    total: Mapped[float] = mapped_column(Float, default=0.0)
    stage_started_at: Mapped[dt.datetime | None]
    left_s: Mapped[float | None]
    line: Mapped[list[Any]] = mapped_column(server_default="[]")  # losses of the epoch under way, as few points
    error: Mapped[str | None]
    owner: Mapped[str | None] = mapped_column(String(64))  # lease of the worker that runs it
    # When its own work last gave a sign of life; whatever the queue thinks, work without one is handed out again.
    sign_at: Mapped[dt.datetime | None]
    stop_asked: Mapped[bool] = mapped_column(Boolean, default=False)
    stop_asked_at: Mapped[dt.datetime | None]
    pause_asked: Mapped[bool] = mapped_column(Boolean, server_default="false")  # waits again as soon as it can
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
            "part",
            unique=True,
            postgresql_where=text("state in ('waiting', 'running')"),
        ),
    )


class Parcel(Base):
    """What was asked to be taken out: a collection as a zip, or a whole project as an archive."""

    __tablename__ = "parcel"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    kind: Mapped[str] = mapped_column(String(10))  # collection, project
    options: Mapped[dict[str, Any]]
    name: Mapped[str]  # of the file, as it is downloaded
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    size_bytes: Mapped[int | None] = mapped_column(BigInteger)  # None until it is there
    pictures: Mapped[int | None]
    __table_args__ = (CheckConstraint("kind in ('collection', 'project')", name="kind"),)
