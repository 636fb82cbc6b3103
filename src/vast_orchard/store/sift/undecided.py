"""Answers that lie under a model's own threshold, as a condition."""

from collections.abc import Mapping

from sqlalchemy import ColumnElement, and_, case, false, func, null, or_

from vast_orchard.store.schema import Prediction

__all__ = ["undecided"]


def undecided(unsure_below: Mapping[int, float | None] | None) -> ColumnElement[bool]:
    """Whether the model on show says "unsure" of a picture.

    Parameters
    ----------
    unsure_below : mapping of int to float or None, optional
        By class id: a less probable answer of this class is "unsure", of None every one. Without it none is.
    """
    if not unsure_below:
        return false()
    # Thresholds are said of calibrated probabilities; where nothing was calibrated the plain ones are meant.
    p = func.coalesce(Prediction.calibrated, Prediction.p)
    known = {class_id: below for class_id, below in unsure_below.items() if below is not None}
    below = case(known, value=Prediction.predicted_class, else_=null()) if known else null()
    return and_(Prediction.predicted_class.is_not(None), or_(below.is_(None), p < below))
