"""Splits, runs and what became of them, as tables."""

import datetime as dt
from enum import StrEnum
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Index, Integer, String, UniqueConstraint, func
from sqlalchemy.dialects.postgresql import ARRAY, REAL
from sqlalchemy.orm import Mapped, mapped_column

from vast_orchard.store.schema.base import Base, project_key

__all__ = [
    "Checkpoint",
    "Epoch",
    "Export",
    "Ingredient",
    "IngredientKind",
    "Look",
    "Prediction",
    "Run",
    "RunPicture",
    "Split",
    "SplitMember",
]


class IngredientKind(StrEnum):
    """What is kept by name for several runs."""

    VARIATION = "variation"
    PREPROCESSING = "preprocessing"


class Ingredient(Base):
    """A version of something that runs are made of; what a run has used never changes."""

    __tablename__ = "ingredient"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    kind: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(100))
    version: Mapped[int]  # of the name, from 1
    value: Mapped[dict[str, Any]]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    deleted_at: Mapped[dt.datetime | None]
    __table_args__ = (
        Index("uq_ingredient_version", "project_id", "kind", func.lower(name), "version", unique=True),
        CheckConstraint("kind in ('variation', 'preprocessing')", name="kind"),
    )


class Split(Base):
    """A division of pictures into sets; what a run has used never changes."""

    __tablename__ = "split"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    number: Mapped[int]  # within the project, from 1
    # With defaults in the database, because archives of projects may be older than these columns.
    name: Mapped[str] = mapped_column(String(100), server_default="Split")
    version: Mapped[int] = mapped_column(server_default="1")  # of the name, from 1
    revision: Mapped[int] = mapped_column(server_default="0")  # counts what was changed in it before a run used it
    method: Mapped[str] = mapped_column(String(20))  # random, folders
    shares: Mapped[dict[str, Any]]
    seed: Mapped[int] = mapped_column(BigInteger)
    rule: Mapped[dict[str, Any]] = mapped_column(
        server_default="{}"
    )  # what else it was made by, as `jobs.dividing` says
    fit: Mapped[list[Any]] = mapped_column(server_default="[]")  # what was wanted and met for each class and set
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    __table_args__ = (UniqueConstraint("project_id", "number"),)


class SplitMember(Base):
    """Which set a picture is in."""

    __tablename__ = "split_member"
    split_id: Mapped[int] = mapped_column(ForeignKey("split.id", ondelete="CASCADE"), primary_key=True)
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    set_name: Mapped[str] = mapped_column(String(10))
    __table_args__ = (CheckConstraint("set_name in ('training', 'validation', 'test')", name="set_name"),)


class Run(Base):
    """One training, complete in itself."""

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    number: Mapped[int]  # within the project, from 1
    split_id: Mapped[int | None] = mapped_column(ForeignKey("split.id", ondelete="SET NULL"))
    split_number: Mapped[int]
    variation_id: Mapped[int | None] = mapped_column(ForeignKey("ingredient.id", ondelete="SET NULL"))
    preprocessing_id: Mapped[int | None] = mapped_column(ForeignKey("ingredient.id", ondelete="SET NULL"))
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
    project_id: Mapped[int] = project_key()
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), index=True)
    place: Mapped[str] = mapped_column(String(40))
    looked_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())


class Export(Base):
    """A pack that was asked for, and its proof once it is there."""

    __tablename__ = "export"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), index=True)
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    path: Mapped[str | None]
    size_bytes: Mapped[int | None] = mapped_column(Integer)
    proof: Mapped[dict[str, Any] | None]
