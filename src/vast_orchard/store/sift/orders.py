"""What the pictures of a Sift stand in order by."""

from typing import Any

from sqlalchemy import ColumnElement, Float, func, select

from vast_orchard.store.schema import ActionChange, Class, Picture, PicturePrint, Prediction
from vast_orchard.store.sift.found import strangest
from vast_orchard.store.sift.numbers import NUMBERS
from vast_orchard.store.sift.scope import SiftScope, need_run
from vast_orchard.store.sift.syntax import Order, Place, SiftError
from vast_orchard.store.sift.words import RUN_ORDERS

__all__ = ["in_order", "order_key"]


def _last_change() -> ColumnElement[Any]:
    return (
        select(func.max(ActionChange.action_id))
        .where(ActionChange.picture_id == Picture.id)
        .correlate(Picture)
        .scalar_subquery()
    )


def _likeness(place: Place, scope: SiftScope) -> ColumnElement[Any]:
    """How far a picture's fingerprint is from that of the chosen one."""
    if scope.like_id is None:
        raise SiftError("order:like asks for a picture, and none is chosen.", "Choose one, then order by it.", place)
    chosen = select(PicturePrint.place).where(PicturePrint.picture_id == scope.like_id).scalar_subquery()
    return (
        select(PicturePrint.place.op("<->", return_type=Float())(chosen))
        .where(PicturePrint.picture_id == Picture.id)
        .correlate(Picture)
        .scalar_subquery()
    )


def in_order(entry: Order, scope: SiftScope) -> ColumnElement[Any]:
    """As a query orders by it."""
    key = order_key(entry, scope)
    # What has no such value stands last, whichever way it goes.
    return (key.desc() if entry.falling else key.asc()).nulls_last()


def order_key(entry: Order, scope: SiftScope) -> ColumnElement[Any]:
    """What the pictures are compared by.

    Raises
    ------
    SiftError
        It asks for a run or a picture where there is none.
    """
    if entry.key in RUN_ORDERS:
        need_run(f"order:{entry.key}", entry.place, scope)
    keys: dict[str, ColumnElement[Any]] = {
        **NUMBERS,
        # By code points, which sorts five times as fast as by the words of a language.
        "name": Picture.folded_name.collate("C"),
        "came": Picture.came_at.expression,
        "class": Class.place.expression,
        "worth": Prediction.worth.expression,
    }
    match entry.key:
        case "changed":
            return _last_change()
        case "finding":
            return strangest()
        case "like":
            return _likeness(entry.place, scope)
    return keys[entry.key]
