"""What a Sift can compare or order by as a number."""

from typing import Any

from sqlalchemy import ColumnElement, Float, cast, func, select

from vast_orchard.store.schema import Picture, PictureMeasure, Prediction

__all__ = ["NUMBERS"]

_LONGER_SIDE = func.greatest(Picture.width, Picture.height)


def _measured(column: Any) -> ColumnElement[Any]:
    """Of the picture's measures, which lie in a table of their own."""
    return select(column).where(PictureMeasure.picture_id == Picture.id).correlate(Picture).scalar_subquery()


NUMBERS: dict[str, ColumnElement[Any]] = {
    "width": Picture.width.expression,
    "height": Picture.height.expression,
    "side": _LONGER_SIDE,
    "shape": cast(Picture.width, Float) / Picture.height,
    "size": Picture.size_bytes.expression,
    "brightness": Picture.brightness.expression,
    "contrast": _measured(PictureMeasure.contrast),
    "sharpness": _measured(PictureMeasure.sharpness),
    "light": _measured(PictureMeasure.light),
    "span": _measured(PictureMeasure.span),
    "blur": _measured(PictureMeasure.blur),
    "noise": _measured(PictureMeasure.noise),
    "cut": _measured(PictureMeasure.cut),
    "p": Prediction.p.expression,
    "loss": Prediction.loss.expression,
}
