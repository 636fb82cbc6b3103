"""Pictures that lie in no set of a model's run: it was neither taught nor judged by them."""

from collections.abc import Sequence

from sqlalchemy import Select, and_, exists, func, or_, select
from sqlalchemy.orm import Session

from vast_orchard.store.areas import area_now
from vast_orchard.store.schema import Picture, SnapshotPicture, Split, SplitMember
from vast_orchard.store.values import JudgedPictureValue, ModelValue
from vast_orchard.types import JudgedSet, SetName

__all__ = ["count_outside", "outside_pictures"]


def _outside(model: ModelValue) -> Select[int, str, int | None]:
    """As they are now; without those that were excluded, whose label is unsure or of a class that it does not know.

    What lies in the test set of any division is left out too: outcomes on it are shown only by a counted look.
    """
    known = [entry["id"] for entry in model.classes]
    of_run = exists().where(
        SnapshotPicture.snapshot_id == (model.snapshot_id or 0), SnapshotPicture.picture_id == Picture.id
    )
    tested = exists().where(
        SplitMember.picture_id == Picture.id,
        SplitMember.set_name == SetName.TEST.value,
        SplitMember.split_id.in_(select(Split.id).where(Split.project_id == model.project_id)),
    )
    return select(Picture.id, Picture.sha256, Picture.class_id).where(
        Picture.project_id == model.project_id,
        Picture.deleted_at.is_(None),
        ~Picture.excluded,
        or_(Picture.class_id.is_(None), and_(Picture.class_id.in_(known), ~Picture.unsure)),
        ~of_run,
        ~tested,
    )


def outside_pictures(session: Session, model: ModelValue) -> Sequence[JudgedPictureValue]:
    """Labelled and unlabelled ones, ordered by content, so that arrays made of them are always the same."""
    query = _outside(model).add_columns(area_now(session, model.project_id)).order_by(Picture.sha256)
    return [
        JudgedPictureValue(picture_id=picture, sha256=sha256, class_id=class_id, area_id=area)
        for picture, sha256, class_id, area in session.execute(query)
    ]


def count_outside(session: Session, model: ModelValue) -> dict[JudgedSet, int]:
    """How many labelled and unlabelled pictures could be judged; none by a model without weights."""
    if not model.has_weights:
        return {JudgedSet.OUTSIDE: 0, JudgedSet.UNLABELLED: 0}
    found = _outside(model).subquery()
    labelled, of_all = session.execute(select(func.count(found.c.class_id), func.count()).select_from(found)).one()
    return {JudgedSet.OUTSIDE: labelled, JudgedSet.UNLABELLED: of_all - labelled}
