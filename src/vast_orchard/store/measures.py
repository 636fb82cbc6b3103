"""Contrast and sharpness of pictures, which judging measures once for each."""

from collections.abc import Mapping, Sequence

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from vast_orchard.store.database import among
from vast_orchard.store.schema import Picture, PictureMeasure

__all__ = ["add_measures", "unmeasured"]


def unmeasured(session: Session, picture_ids: Sequence[int]) -> set[int]:
    """Those of the pictures that nobody has measured, and that are still there."""
    query = (
        select(Picture.id)
        .outerjoin(PictureMeasure, PictureMeasure.picture_id == Picture.id)
        .where(among(Picture.id, picture_ids), PictureMeasure.picture_id.is_(None))
    )
    return set(session.scalars(query))


def add_measures(session: Session, measures: Mapping[int, tuple[float, float]]) -> None:
    """Keep contrast and sharpness by picture, of pictures that are still there."""
    here = session.scalars(
        select(Picture.id).where(among(Picture.id, list(measures))).with_for_update(key_share=True)
    ).all()
    if here:
        rows = [{"picture_id": x, "contrast": measures[x][0], "sharpness": measures[x][1]} for x in here]
        session.execute(insert(PictureMeasure).on_conflict_do_nothing(), rows)
