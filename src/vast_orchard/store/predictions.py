"""What models said of pictures: stored whole, read by set and cell, the most surprising first."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import and_, insert, or_, select
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Picture, Prediction, SnapshotPicture
from vast_orchard.store.values import ModelValue, OutcomeValue

__all__ = ["list_outcomes", "store_predictions"]


def store_predictions(session: Session, model_id: int, set_name: str, rows: Sequence[Mapping[str, Any]]) -> None:
    """Store a model's predictions on one set, whose judgement stands."""
    session.execute(insert(Prediction), [{"model_id": model_id, "set_name": set_name, **row} for row in rows])


def list_outcomes(
    session: Session,
    model: ModelValue,
    set_name: str,
    cells: Sequence[tuple[int, int]],
    *,
    wrong_only: bool,
    limit: int,
) -> Sequence[OutcomeValue]:
    """Predictions on a set, highest loss first.

    Parameters
    ----------
    cells : sequence of (int, int)
        True and predicted class ids; none means all.
    wrong_only : bool
        Leave out those that were right; only without cells.
    """
    query = (
        select(Prediction, SnapshotPicture.sha256, Picture.name, Picture.class_id, Picture.id)
        .join(
            SnapshotPicture,
            and_(
                SnapshotPicture.snapshot_id == (model.snapshot_id or 0),
                SnapshotPicture.picture_id == Prediction.picture_id,
            ),
        )
        .outerjoin(Picture, and_(Picture.id == Prediction.picture_id, Picture.deleted_at.is_(None)))
        .where(Prediction.model_id == model.id, Prediction.set_name == set_name)
        .order_by(Prediction.loss.desc(), Prediction.picture_id)
        .limit(limit)
    )
    if cells:
        query = query.where(or_(*(and_(Prediction.true_class == t, Prediction.predicted_class == p) for t, p in cells)))
    elif wrong_only:
        query = query.where(Prediction.true_class != Prediction.predicted_class)
    return [
        OutcomeValue(
            picture_id=row.picture_id,
            sha256=sha256,
            name=name or "",
            true_class=row.true_class,
            predicted_class=row.predicted_class,
            p=row.p,
            loss=row.loss,
            probabilities=list(row.probabilities),
            class_now=class_now,
            gone=present is None,
        )
        for row, sha256, name, class_now, present in session.execute(query)
    ]
