"""A judged set by the labels of today: counted in the database, however many answers there are."""

from dataclasses import dataclass

from sqlalchemy import and_, case, cast, func, select
from sqlalchemy.dialects.postgresql import DOUBLE_PRECISION
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Picture, Prediction
from vast_orchard.store.values import ModelValue

__all__ = ["LabelledToday", "labelled_today"]


@dataclass(frozen=True, kw_only=True)
class LabelledToday:
    """What a set comes to by today's labels."""

    cells: dict[tuple[int, int], int]  # pictures by their class of today and the predicted one
    loss_sum: float
    relabelled: int  # of them, under another label than the one that they were judged by
    left_out: int  # excluded or binned since, or without a class that the model knows


def labelled_today(session: Session, model: ModelValue, set_name: str, *, least: float) -> LabelledToday:
    """Counts of a judged set.

    Parameters
    ----------
    least : float
        The smallest probability that counts in a loss.
    """
    ids = [entry["id"] for entry in model.classes]
    # Arrays of the database begin at 1.
    place = case({class_id: n for n, class_id in enumerate(ids, 1)}, value=Picture.class_id)
    p = cast(Prediction.probabilities[place], DOUBLE_PRECISION)
    rows = session.execute(
        select(
            Picture.class_id,
            Prediction.predicted_class,
            func.count(),
            func.sum(-func.ln(func.greatest(p, least))),
            func.count().filter(Picture.class_id.is_distinct_from(Prediction.true_class)),
        )
        .select_from(Prediction)
        .join(Picture, and_(Picture.id == Prediction.picture_id, Picture.deleted_at.is_(None), ~Picture.excluded))
        .where(Prediction.model_id == model.id, Prediction.set_name == set_name, Picture.class_id.in_(ids))
        .group_by(Picture.class_id, Prediction.predicted_class)
    ).all()
    whole = select(func.count()).where(Prediction.model_id == model.id, Prediction.set_name == set_name)
    counted = sum(row[2] for row in rows)
    return LabelledToday(
        cells={(row[0] or 0, row[1]): row[2] for row in rows},
        loss_sum=sum(row[3] for row in rows),
        relabelled=sum(row[4] for row in rows),
        left_out=(session.scalar(whole) or 0) - counted,
    )
