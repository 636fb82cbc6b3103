"""Contrast and sharpness of pictures, which judging measures once for each."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from vast_orchard.store.database import among
from vast_orchard.store.schema import Appearance, Import, Picture, PictureMeasure, Prediction
from vast_orchard.store.values import ModelValue

__all__ = ["add_measures", "judged_facts", "unmeasured"]


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


def judged_facts(session: Session, model: ModelValue, set_name: str) -> Sequence[Any]:
    """Facts of every picture of a judged set that is still there, with its true and its predicted class."""
    source = (
        select(Appearance.picture_id, func.min(Import.source_name).label("source"))
        .join(Import, Import.id == Appearance.import_id)
        .where(Import.project_id == model.project_id, Import.undone_at.is_(None))
        .group_by(Appearance.picture_id)
        .subquery()
    )
    return session.execute(
        select(
            Prediction.true_class,
            Prediction.predicted_class,
            Picture.brightness,
            PictureMeasure.contrast,
            PictureMeasure.sharpness,
            Picture.width,
            Picture.height,
            Picture.size_bytes,
            Picture.came_at,
            Picture.format,
            source.c.source,
        )
        .join(Picture, Picture.id == Prediction.picture_id)
        .outerjoin(PictureMeasure, PictureMeasure.picture_id == Picture.id)
        .outerjoin(source, source.c.picture_id == Picture.id)
        .where(Prediction.model_id == model.id, Prediction.set_name == set_name, Picture.deleted_at.is_(None))
        .order_by(Prediction.picture_id)
    ).all()
