"""Runs, what they stand on and what they reported, as tables."""

import datetime as dt
from enum import StrEnum
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Index, String, UniqueConstraint, func, text
from sqlalchemy.orm import Mapped, mapped_column

from vast_orchard.store.schema.base import Base, project_key

__all__ = [
    "Epoch",
    "GroupKind",
    "PlanEnding",
    "PlanState",
    "Run",
    "RunEnding",
    "RunGroup",
    "RunState",
    "Snapshot",
    "SnapshotPicture",
]


class RunState(StrEnum):
    """waiting → training → ended, or waiting → ended; nothing leads away from ended.

    A run whose worker died, or that found the disk full, is training still: its job is handed out again. One of a plan
    that drops some early goes training → resting, and from there → waiting if it goes on, → ended if it is dropped.
    """

    WAITING = "waiting"
    TRAINING = "training"
    RESTING = "resting"  # at an epoch of its budget, until its plan says whether it goes on
    ENDED = "ended"


class RunEnding(StrEnum):
    """Why a run ended; its numbers stand beside it."""

    EPOCHS = "epochs"  # all of them were done
    STOPPED = "stopped"  # a person did it
    CONDITION = "condition"  # one that it was started with was met
    FAILED = "failed"  # it could not go on; there is a mend
    BROUGHT = "brought"  # it was no training: its model was brought in as a file
    COMBINED = "combined"  # it was none either: its model is several that answer together
    POOLED = "pooled"  # nor this: what the folds of a plan answered, each picture by one that had not learnt from it


class GroupKind(StrEnum):
    """What a group of runs varies."""

    TRIALS = "trials"  # settings
    FOLDS = "folds"  # which pictures are validated on
    COPIES = "copies"  # the seed


class PlanState(StrEnum):
    """running ⇄ paused, and both → ended; a plan that is given more to do is running again."""

    RUNNING = "running"
    PAUSED = "paused"  # nothing of it begins
    ENDED = "ended"


class PlanEnding(StrEnum):
    """Why a plan ended; in words beside it."""

    DONE = "done"  # everything was tried, or its time is spent
    STOPPED = "stopped"  # a person did it
    FAILED = "failed"  # none of its trials could be trained


class Snapshot(Base):
    """Pictures with class and set as they were, and the classes in their order; never changes, and runs share it."""

    __tablename__ = "snapshot"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    # Sums over the pictures by which the same division is found again; None where another snapshot has the same.
    digest: Mapped[str | None] = mapped_column(String(100))
    classes: Mapped[list[Any]]  # [{id, name, sign}] in the order of the outputs
    counts: Mapped[dict[str, Any]]  # pictures by set
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    __table_args__ = (UniqueConstraint("project_id", "digest"),)


class SnapshotPicture(Base):
    """A picture as it was."""

    __tablename__ = "snapshot_picture"
    snapshot_id: Mapped[int] = mapped_column(ForeignKey("snapshot.id", ondelete="CASCADE"), primary_key=True)
    picture_id: Mapped[int] = mapped_column(BigInteger, primary_key=True)  # kept if the picture is gone
    sha256: Mapped[str] = mapped_column(String(64))
    class_id: Mapped[int]
    set_name: Mapped[str] = mapped_column(String(10))
    # Its working area then; not looked up at every row, for no area is ever removed before its project.
    area_id: Mapped[int | None]
    __table_args__ = (Index("ix_snapshot_picture_picture_id", "picture_id"),)


class RunGroup(Base):
    """The runs of one plan; they stand outside the plain Ledger."""

    __tablename__ = "run_group"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    kind: Mapped[str] = mapped_column(String(10))
    question: Mapped[str] = mapped_column(String(200))
    budget: Mapped[dict[str, Any]]  # what it may cost: runs, minutes
    # What is to be done, complete in itself: see `at_once.planning.order`. Empty of a group that is filled by hand.
    plan: Mapped[dict[str, Any]] = mapped_column(server_default="{}")
    split_id: Mapped[int | None] = mapped_column(ForeignKey("split.id", ondelete="SET NULL"))
    # The pictures of all its runs as they were when it began.
    snapshot_id: Mapped[int | None] = mapped_column(ForeignKey("snapshot.id", ondelete="SET NULL"), index=True)
    state: Mapped[str] = mapped_column(String(10), server_default=PlanState.ENDED.value)
    ended_by: Mapped[str | None] = mapped_column(String(10))
    ending: Mapped[dict[str, Any] | None]  # what and mend, in words
    ended_at: Mapped[dt.datetime | None]
    found: Mapped[dict[str, Any] | None]  # what was read out of its runs when it ended
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    __table_args__ = (
        CheckConstraint("kind in ('trials', 'folds', 'copies')", name="kind"),
        CheckConstraint("state in ('running', 'paused', 'ended')", name="state"),
        CheckConstraint("ended_by in ('done', 'stopped', 'failed')", name="ended_by"),
    )


class Run(Base):
    """One training, complete in itself."""

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    number: Mapped[int]  # within the project, from 1
    name: Mapped[str] = mapped_column(String(80), server_default="")
    note: Mapped[str] = mapped_column(server_default="")
    deleted_at: Mapped[dt.datetime | None]  # lies in the bin since, with its model
    group_id: Mapped[int | None] = mapped_column(ForeignKey("run_group.id", ondelete="SET NULL"), index=True)
    # The one started before it, of the same group or as plain: what it says that it changed is held against that.
    previous_id: Mapped[int | None] = mapped_column(ForeignKey("run.id", ondelete="SET NULL"), index=True)
    snapshot_id: Mapped[int] = mapped_column(ForeignKey("snapshot.id"), index=True)
    split_id: Mapped[int | None] = mapped_column(ForeignKey("split.id", ondelete="SET NULL"))
    split_number: Mapped[int]
    variation_id: Mapped[int | None] = mapped_column(ForeignKey("ingredient.id", ondelete="SET NULL"))
    preprocessing_id: Mapped[int | None] = mapped_column(ForeignKey("ingredient.id", ondelete="SET NULL"))
    network_id: Mapped[int | None] = mapped_column(ForeignKey("ingredient.id", ondelete="SET NULL"))
    recipe: Mapped[dict[str, Any]]  # values of all ingredients, with the version of their form
    program: Mapped[str] = mapped_column(String(40))
    parameters: Mapped[int]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    state: Mapped[str] = mapped_column(String(10), server_default=RunState.WAITING.value)
    ended_by: Mapped[str | None] = mapped_column(String(10))
    ending: Mapped[dict[str, Any] | None]  # its numbers: `run_states.end_run` says which
    ended_at: Mapped[dt.datetime | None]
    train_s: Mapped[float | None]
    epochs_done: Mapped[int] = mapped_column(server_default="0")
    figures: Mapped[dict[str, Any]] = mapped_column(server_default="{}")  # of the kept epoch, by name
    # The last state, to go on from.
    state_path: Mapped[str | None]
    state_epoch: Mapped[int | None]
    start_path: Mapped[str | None]  # weights that it started from
    # Of what waits, over all projects: the smallest place has the next turn; without one, in the order of starting.
    queue_place: Mapped[float | None]
    held: Mapped[bool] = mapped_column(server_default="false")  # has no turn until it is let go
    # Of a plan: its number there, what it varies, and after which epoch it rests or ends before all are done.
    trial: Mapped[int | None]
    varied: Mapped[dict[str, Any] | None]
    until_epoch: Mapped[int | None]
    # Of a final training: whose course it goes through again, see `jobs.planning.finishing`.
    repeats: Mapped[dict[str, Any] | None]
    listed: Mapped[bool] = mapped_column(server_default="false")  # stands in the plain Ledger though it is of a group
    __table_args__ = (
        UniqueConstraint("project_id", "number"),
        CheckConstraint("state in ('waiting', 'training', 'resting', 'ended')", name="state"),
        CheckConstraint(
            "ended_by in ('epochs', 'stopped', 'condition', 'failed', 'brought', 'combined', 'pooled')", name="ended_by"
        ),
        CheckConstraint("(state = 'ended') = (ended_by is not null)", name="ended"),
        Index("uq_run_trial", "group_id", "trial", unique=True, postgresql_where=text("trial is not null")),
        Index("ix_run_ledger", "project_id", text("number desc"), postgresql_where=text("group_id is null or listed")),
    )


class Epoch(Base):
    """Figures of one epoch, by name."""

    __tablename__ = "epoch"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    figures: Mapped[dict[str, Any]]
    # Of each class on validation, in the order of the run's classes; null of one that has no picture there.
    recalls: Mapped[list[Any]] = mapped_column(server_default="[]")
    watched: Mapped[dict[str, Any]] = mapped_column(server_default="{}")  # see `core.watching.history`
