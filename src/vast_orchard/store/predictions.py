"""What models said of pictures: stored whole, read by set and cell, the most surprising first."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import and_, func, insert, or_, select
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Picture, Prediction, SnapshotPicture
from vast_orchard.store.values import ModelValue, OutcomeValue, StoredAnswer

__all__ = ["SureAnswers", "list_outcomes", "store_predictions", "stored_answers", "sure_answers"]


def store_predictions(session: Session, model_id: int, set_name: str, rows: Sequence[Mapping[str, Any]]) -> None:
    """Store a model's predictions on one set, whose judgement stands."""
    session.execute(insert(Prediction), [{"model_id": model_id, "set_name": set_name, **row} for row in rows])


def stored_answers(session: Session, model: ModelValue, set_name: str, count: int) -> Sequence[StoredAnswer]:
    """Some answers on a set whose pictures are still here, the same ones each time."""
    rows = session.execute(
        select(Prediction.picture_id, Picture.sha256, Prediction.probabilities)
        .join(Picture, Picture.id == Prediction.picture_id)
        .where(Prediction.model_id == model.id, Prediction.set_name == set_name)
        .order_by(Picture.sha256)
        .limit(count)
    )
    return [StoredAnswer(picture_id=row[0], sha256=row[1], probabilities=list(row[2])) for row in rows]


def list_outcomes(
    session: Session,
    model: ModelValue,
    set_name: str,
    cells: Sequence[tuple[int, int]],
    *,
    wrong_only: bool,
    limit: int,
) -> Sequence[OutcomeValue]:
    """Predictions on a set, highest loss first; of unlabelled pictures the least probable.

    Parameters
    ----------
    cells : sequence of (int, int)
        True and predicted class ids; none means all.
    wrong_only : bool
        Leave out those that were right; only without cells.
    """
    # What lay in no set is in no snapshot.
    sha256 = func.coalesce(SnapshotPicture.sha256, Picture.sha256, "")
    query = (
        select(Prediction, sha256, Picture.name, Picture.class_id, Picture.id)
        .outerjoin(
            SnapshotPicture,
            and_(
                SnapshotPicture.snapshot_id == (model.snapshot_id or 0),
                SnapshotPicture.picture_id == Prediction.picture_id,
            ),
        )
        .outerjoin(Picture, and_(Picture.id == Prediction.picture_id, Picture.deleted_at.is_(None)))
        .where(Prediction.model_id == model.id, Prediction.set_name == set_name)
        .order_by(Prediction.loss.desc().nulls_last(), Prediction.p, Prediction.picture_id)
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


@dataclass(frozen=True, kw_only=True)
class SureAnswers:
    """Answers of a judged set above a probability."""

    count: int
    wrong: int
    expected: float  # wrong ones, if the probabilities were true


def sure_answers(session: Session, model_id: int, set_name: str, above: float) -> SureAnswers:
    """Those whose calibrated probability lies above; the plain one, where nothing was calibrated."""
    p = func.coalesce(Prediction.calibrated, Prediction.p)
    wrong = func.count().filter(Prediction.true_class != Prediction.predicted_class)
    row = session.execute(
        select(func.count(), wrong, func.coalesce(func.sum(1 - p), 0.0)).where(
            Prediction.model_id == model_id, Prediction.set_name == set_name, p >= above
        )
    ).one()
    return SureAnswers(count=row[0], wrong=row[1], expected=float(row[2]))
