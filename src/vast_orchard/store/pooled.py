"""What the folds of a plan answered, taken together: of each picture the answer of the first that held it out."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, func, insert, literal, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError
from vast_orchard.store.models import get_model
from vast_orchard.store.schema import Model, ModelKind, Prediction, Run, RunEnding
from vast_orchard.store.values import ModelValue
from vast_orchard.types import SetName

__all__ = ["PooledAnswers", "answering_model", "copy_answers", "pooled_answers", "pooled_run"]

_COPIED = (
    "picture_id", "set_name", "true_class", "predicted_class", "p", "loss", "probabilities", "runner_up", "worth",
    "calibrated",
)  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class PooledAnswers:
    """One answer a picture, in the order of their ids."""

    picture_ids: list[int]
    true_classes: list[int]
    probabilities: list[list[float]]


def _first_answers(model_ids: Sequence[int]) -> Select[Any]:
    """Of each picture the answer of the first of the models that was judged by it."""
    return (
        select(*(getattr(Prediction, name) for name in _COPIED))
        .ext(distinct_on(Prediction.picture_id))
        .where(Prediction.model_id.in_(model_ids), Prediction.set_name == SetName.VALIDATION.value)
        .order_by(Prediction.picture_id, func.array_position(list(model_ids), Prediction.model_id))
    )


def pooled_answers(session: Session, model_ids: Sequence[int]) -> PooledAnswers:
    """What models answered on the pictures that they were judged by, the first one's where there are several."""
    rows = session.execute(_first_answers(model_ids)).all()
    return PooledAnswers(
        picture_ids=[row.picture_id for row in rows],
        true_classes=[row.true_class for row in rows],
        probabilities=[row.probabilities for row in rows],
    )


def copy_answers(session: Session, model_id: int, from_ids: Sequence[int]) -> None:
    """Store the same as what another model says, whose judgement on validation stands."""
    first = _first_answers(from_ids).subquery()
    rows = select(literal(model_id), *(first.c[name] for name in _COPIED))
    session.execute(insert(Prediction).from_select(["model_id", *_COPIED], rows))


def pooled_run(session: Session, plan_id: int) -> int | None:
    """The run that holds the answers of all folds of a plan, unless it lies in the bin."""
    return session.scalar(
        select(Run.id)
        .where(Run.group_id == plan_id, Run.ended_by == RunEnding.POOLED, Run.deleted_at.is_(None))
        .order_by(Run.id.desc())
        .limit(1)
    )


def answering_model(session: Session, model: ModelValue, picture_id: int) -> ModelValue:
    """The network that answered a picture: the model itself, or of the answers of folds the fold that held it out.

    Raises
    ------
    ConflictError
        No fold held it out, or that fold's run is gone.
    """
    if model.has_weights:
        return model
    number = session.scalar(
        select(Model.id)
        .join(Run, Run.id == Model.run_id)
        .join(Prediction, Prediction.model_id == Model.id)
        .where(
            Run.group_id == select(Run.group_id).where(Run.id == model.run_id).scalar_subquery(),
            Run.trial.is_not(None),
            Run.deleted_at.is_(None),
            Model.kind == ModelKind.RUN,
            Prediction.picture_id == picture_id,
            Prediction.set_name == SetName.VALIDATION.value,
        )
        .order_by(Run.trial)
        .limit(1)
    )
    if number is None:
        raise ConflictError(
            "No fold that is still there held this picture out, so that no network answered it.",
            "Put the folds' runs back from the bin, or look at it by another model.",
        )
    return get_model(session, number)
