"""Measures of pictures, taken once of each by whoever needs them first: judging, or looking for findings."""

from collections.abc import Mapping, Sequence

from sqlalchemy import or_, select
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
        .where(among(Picture.id, picture_ids), or_(PictureMeasure.picture_id.is_(None), PictureMeasure.blur.is_(None)))
    )
    return set(session.scalars(query))


def add_measures(session: Session, measures: Mapping[int, Mapping[str, float | None]]) -> None:
    """Keep measures by picture, named as their columns, of pictures that are still there."""
    here = session.scalars(
        select(Picture.id).where(among(Picture.id, list(measures))).with_for_update(key_share=True)
    ).all()
    if here:
        rows = [{"picture_id": x, **measures[x]} for x in here]
        put = insert(PictureMeasure)
        again = {name: put.excluded[name] for name in rows[0] if name != "picture_id"}
        session.execute(put.on_conflict_do_update(index_elements=["picture_id"], set_=again), rows)
