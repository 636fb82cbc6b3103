"""A model's answers for unlabelled pictures as proposals: counted by class, and accepted as one step."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from vast_orchard.errors import MissingError
from vast_orchard.store.classes import list_classes
from vast_orchard.store.database import among
from vast_orchard.store.history import Change, action_value, apply, pictures_said, record
from vast_orchard.store.schema import Class, Picture, Prediction
from vast_orchard.store.values import ActionValue, ModelValue, ProposalCount
from vast_orchard.types import JudgedSet

__all__ = ["ACCEPT", "accept_proposals", "count_proposals"]

ACCEPT = "accept"  # kind of the step

# With the model's temperature, where it has one: that is what a threshold of certainty means.
_CERTAINTY = func.coalesce(Prediction.calibrated, Prediction.p)


def _open(model: ModelValue) -> tuple[ColumnElement[bool], ...]:
    """Answers for pictures that still wait for a label, of classes that there still are."""
    return (
        Prediction.model_id == model.id,
        Prediction.set_name == JudgedSet.UNLABELLED.value,
        Picture.id == Prediction.picture_id,
        Picture.project_id == model.project_id,
        Picture.class_id.is_(None),
        Picture.deleted_at.is_(None),
        ~Picture.excluded,
        Class.id == Prediction.predicted_class,
        Class.deleted_at.is_(None),
    )


def count_proposals(session: Session, model: ModelValue, least: float) -> Sequence[ProposalCount]:
    """Of each proposed class, in the project's order, how many wait and how many of them are certain enough."""
    rows = session.execute(
        select(Prediction.predicted_class, func.count(), func.count().filter(least <= _CERTAINTY))
        .select_from(Prediction)
        .join(Picture, Picture.id == Prediction.picture_id)
        .join(Class, Class.id == Prediction.predicted_class)
        .where(*_open(model))
        .group_by(Prediction.predicted_class)
    ).all()
    found = {row[0]: ProposalCount(class_id=row[0], waiting=row[1], certain=row[2]) for row in rows}
    return [found[entry.id] for entry in list_classes(session, model.project_id) if entry.id in found]


def accept_proposals(
    session: Session,
    model: ModelValue,
    window: str,
    *,
    least: float = 0.0,
    class_id: int | None = None,
    picture_ids: Sequence[int] | None = None,
) -> ActionValue:
    """Give unlabelled pictures the label that the model proposes, as one step that says by which model.

    Parameters
    ----------
    least : float
        Of the proposal's probability.
    class_id : int, optional
        Only proposals of this class.
    picture_ids : sequence of int, optional
        Only these pictures; those that somebody has labelled meanwhile are left.

    Raises
    ------
    MissingError
        No proposal is left that is meant.
    """
    query = (
        select(Picture.id, Prediction.predicted_class)
        .join(Prediction, Prediction.picture_id == Picture.id)
        .join(Class, Class.id == Prediction.predicted_class)
        .where(*_open(model), least <= _CERTAINTY)
        .order_by(Picture.id)
        .with_for_update(of=Picture)
    )
    if class_id is not None:
        query = query.where(Prediction.predicted_class == class_id)
    if picture_ids is not None:
        query = query.where(among(Picture.id, picture_ids))
    rows: Sequence[Any] = session.execute(query).all()
    if not rows:
        raise MissingError(
            "No unlabelled picture is left that this model proposes a label for.",
            "Lower the certainty, or have it asked about the unlabelled ones again.",
        )
    words = f"{pictures_said(len(rows))} labelled as run {model.run_number} proposes"
    action = record(session, model.project_id, window, ACCEPT, words)
    # By number and digest, which mean the same wherever the project is brought.
    action.detail = {"by_run": model.run_number, "digest": model.digest, "least": least}
    apply(session, action.id, [Change(picture, "class", None, proposed) for picture, proposed in rows])
    return action_value(action, len(rows))
