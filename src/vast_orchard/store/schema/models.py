"""Models, what they said of pictures, and what was made of them, as tables."""

import datetime as dt
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    Integer,
    String,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import ARRAY, REAL
from sqlalchemy.orm import Mapped, mapped_column

from vast_orchard.store.schema.base import Base, project_key

__all__ = ["Export", "Judgement", "Look", "Model", "ModelKind", "Offer", "OfferState", "Prediction"]


class ModelKind(StrEnum):
    """Where a model comes from."""

    RUN = "run"  # the kept state of a run
    FINAL = "final"  # a training on all pictures
    COMBINED = "combined"  # several models that answer together
    FILE = "file"  # brought in


class Model(Base):
    """What can be judged, tried, exported and compared.

    A run's model is replaced by each epoch that is kept, until the run ends: then it is frozen and never changes.
    """

    __tablename__ = "model"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    kind: Mapped[str] = mapped_column(String(10))
    run_id: Mapped[int | None] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), index=True)
    epoch: Mapped[int | None]  # of the run
    # SHA-256 of the weights, as `formats.model_file` computes it; None until those of an earlier version were read.
    digest: Mapped[str | None] = mapped_column(String(64))
    path: Mapped[str | None]  # None of the answers of folds, which several networks gave
    classes: Mapped[list[Any]]  # [{id, name, sign}] in the order of the outputs
    preprocessing: Mapped[dict[str, Any]]
    # Fitted on the validation pictures; None until they were judged, or where there was nothing to fit it on.
    temperature: Mapped[float | None]
    # By class, in the order of `classes`: an answer with a lower probability is "unsure"; set by a person.
    unsure_below: Mapped[list[Any] | None]
    looks: Mapped[int] = mapped_column(server_default="0")  # how often outcomes on the test set were shown
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    frozen_at: Mapped[dt.datetime | None]
    __table_args__ = (
        CheckConstraint("kind in ('run', 'final', 'combined', 'file')", name="kind"),
        CheckConstraint("kind <> 'run' or (run_id is not null and epoch is not null)", name="run"),
        UniqueConstraint("id", "digest"),  # what judgements refer to
        Index("uq_model_run", "run_id", unique=True, postgresql_where=text("kind = 'run'")),
    )


class Judgement(Base):
    """Scores of one state of a model on one set: while they stand, the database lets no other state take its place."""

    __tablename__ = "judgement"
    model_id: Mapped[int] = mapped_column(ForeignKey("model.id", ondelete="CASCADE"), primary_key=True)
    set_name: Mapped[str] = mapped_column(String(10), primary_key=True)
    digest: Mapped[str | None] = mapped_column(String(64))
    scores: Mapped[dict[str, Any]]  # of unlabelled pictures their count alone
    sureness: Mapped[dict[str, Any] | None]  # None of what was judged before 0.9
    judged_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    __table_args__ = (
        CheckConstraint("set_name in ('training', 'validation', 'test', 'outside', 'unlabelled')", name="set_name"),
        ForeignKeyConstraint(
            ["model_id", "digest"], ["model.id", "model.digest"], name="fk_judgement_state", ondelete="CASCADE"
        ),
    )


class Prediction(Base):
    """What a model says of a picture; it goes with its judgement."""

    __tablename__ = "prediction"
    model_id: Mapped[int] = mapped_column(primary_key=True)
    picture_id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    set_name: Mapped[str] = mapped_column(String(10))
    true_class: Mapped[int | None]  # ids, as in the model's class list; None of what had no label
    predicted_class: Mapped[int]
    p: Mapped[float] = mapped_column(REAL)  # probability of the predicted class
    loss: Mapped[float | None] = mapped_column(REAL)
    probabilities: Mapped[list[float]] = mapped_column(ARRAY(REAL))
    runner_up: Mapped[int | None]  # id of the class that is next
    worth: Mapped[float | None] = mapped_column(REAL)  # of what has no label: 1 for the first to be labelled, falling
    # Probability of the predicted class with the model's temperature; None where that was not known.
    calibrated: Mapped[float | None] = mapped_column(REAL)
    __table_args__ = (
        ForeignKeyConstraint(
            ["model_id", "set_name"],
            ["judgement.model_id", "judgement.set_name"],
            name="fk_prediction_judgement",
            ondelete="CASCADE",
        ),
        Index("ix_prediction_cell", "model_id", "set_name", "true_class", "predicted_class"),
    )


class Look(Base):
    """One time that outcomes on the test set were shown or computed."""

    __tablename__ = "look"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    model_id: Mapped[int] = mapped_column(ForeignKey("model.id", ondelete="CASCADE"), index=True)
    place: Mapped[str] = mapped_column(String(40))
    looked_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())


class OfferState(StrEnum):
    """tried → in_use → put_away, and from each to each: one version of a name at most is in use."""

    TRIED = "tried"
    IN_USE = "in_use"
    PUT_AWAY = "put_away"


class Offer(Base):
    """A version of a named model that others are to answer by."""

    __tablename__ = "offer"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    model_id: Mapped[int] = mapped_column(ForeignKey("model.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(100))
    version: Mapped[int]  # of the name, from 1
    digest: Mapped[str | None] = mapped_column(String(64))  # of the weights that were put on offer
    purpose: Mapped[str] = mapped_column(server_default="")
    limits: Mapped[str] = mapped_column(server_default="")
    note: Mapped[str] = mapped_column(server_default="")
    state: Mapped[str] = mapped_column(String(10), server_default=OfferState.TRIED.value)
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    used_at: Mapped[dt.datetime | None]  # when it came into use last
    __table_args__ = (
        CheckConstraint("state in ('tried', 'in_use', 'put_away')", name="state"),
        CheckConstraint("state <> 'in_use' or used_at is not null", name="used"),
        Index("uq_offer_version", "project_id", func.lower(name), "version", unique=True),
        Index(
            "uq_offer_in_use", "project_id", func.lower(name), unique=True, postgresql_where=text("state = 'in_use'")
        ),
    )


class Export(Base):
    """A form of a model that was asked for, and its proof once it is there."""

    __tablename__ = "export"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    model_id: Mapped[int] = mapped_column(ForeignKey("model.id", ondelete="CASCADE"), index=True)
    # Of the state that went out, which need not be the one that the model ended with.
    epoch: Mapped[int | None]
    digest: Mapped[str | None] = mapped_column(String(64))
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    path: Mapped[str | None]
    size_bytes: Mapped[int | None] = mapped_column(Integer)
    proof: Mapped[dict[str, Any] | None]
    calibrated: Mapped[bool] = mapped_column(server_default="false")  # with the model's temperature and threshold
    form: Mapped[str] = mapped_column(String(10), server_default="pack")
    __table_args__ = (CheckConstraint("form in ('pack', 'graph', 'small', 'page', 'weights')", name="form"),)
