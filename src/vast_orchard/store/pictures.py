"""Pictures: pages for the field, facts for the Close-up."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy import Row, Select, select
from sqlalchemy.orm import Session, aliased

from vast_orchard.errors import MissingError
from vast_orchard.store.database import among
from vast_orchard.store.schema import Action, ActionChange, Appearance, Class, Import, Picture, SplitMember
from vast_orchard.store.values import AppearanceValue, FullPicture, PictureDetail, PictureValue

__all__ = [
    "labelled_pictures",
    "packed_pictures",
    "picture_detail",
    "picture_value",
    "pictures_by_id",
    "sample_pictures",
]


def _query(project_id: int, split_id: int | None) -> Select[Picture, str | None]:
    member = (SplitMember.picture_id == Picture.id) & (SplitMember.split_id == (split_id or 0))
    return (
        select(Picture, SplitMember.set_name)
        .outerjoin(SplitMember, member)
        .where(Picture.project_id == project_id, Picture.deleted_at.is_(None))
        .order_by(Picture.id)
    )


_SHOWN = (
    "id", "sha256", "name", "class_id", "two_labels", "excluded", "unsure", "width", "height", "note", "area_id",
)  # fmt: skip


def picture_value(row: Picture | Row[*tuple[Any, ...]], set_name: str | None) -> PictureValue:
    """A picture as the field knows it."""
    return PictureValue(
        id=row.id,
        sha256=row.sha256,
        name=row.name,
        class_id=row.class_id,
        set_name=set_name,
        two_labels=row.two_labels,
        excluded=row.excluded,
        unsure=row.unsure,
        width=row.width,
        height=row.height,
        note=row.note,
        own_area=row.area_id is not None,
    )


def pictures_by_id(session: Session, project_id: int, picture_ids: Sequence[int]) -> Sequence[PictureValue]:
    """Those of the pictures that are in the project, in the order asked for."""
    query = _query(project_id, None).where(among(Picture.id, picture_ids))
    found = {row.id: picture_value(row, set_name) for row, set_name in session.execute(query)}
    return [found[picture] for picture in picture_ids if picture in found]


def labelled_pictures(session: Session, project_id: int) -> Sequence[PictureValue]:
    """Every picture with a label that nobody excluded or is unsure of."""
    sure = Picture.class_id.is_not(None), ~Picture.excluded, ~Picture.unsure
    # Columns, for a record takes as long to be made an object of as all the rest.
    columns = [getattr(Picture, name) for name in _SHOWN]
    query = _query(project_id, None).where(*sure).with_only_columns(*columns, SplitMember.set_name)
    return [picture_value(row, row.set_name) for row in session.execute(query)]


def sample_pictures(session: Session, project_id: int, count: int) -> Sequence[PictureValue]:
    """A few labelled pictures, of as many classes as possible; the same ones each time."""
    first = (
        select(Picture.id)
        .where(Picture.project_id == project_id, Picture.class_id == Class.id, Picture.deleted_at.is_(None))
        .order_by(Picture.sha256)
        .limit(1)
        .scalar_subquery()
    )
    ids = session.scalars(select(first).where(Class.project_id == project_id, Class.deleted_at.is_(None)))
    chosen = [picture for picture in ids if picture is not None][:count]
    if len(chosen) < count:
        more = select(Picture.id).where(
            Picture.project_id == project_id, Picture.deleted_at.is_(None), Picture.id.not_in(chosen)
        )
        chosen += session.scalars(more.order_by(Picture.sha256).limit(count - len(chosen)))
    return pictures_by_id(session, project_id, chosen)


def packed_pictures(
    session: Session, project_id: int, split_id: int | None, picture_ids: Sequence[int] | None
) -> Sequence[FullPicture]:
    """Pictures with everything that is known of them, in the order they came.

    Parameters
    ----------
    split_id : int, optional
        Split whose sets are told; without one, those that came with the sources.
    picture_ids : sequence of int, optional
        Only these; all by default.
    """
    query = _query(project_id, split_id).outerjoin(Class, Class.id == Picture.class_id).add_columns(Class.name)
    if picture_ids is not None:
        query = query.where(among(Picture.id, picture_ids))
    appearances: dict[int, list[tuple[Appearance, str]]] = {}
    came = (
        select(Appearance, Import.source_name)
        .join(Import, Import.id == Appearance.import_id)
        .where(Import.project_id == project_id, Import.undone_at.is_(None))
        .order_by(Appearance.id)
    )
    for entry, source in session.execute(came):
        appearances.setdefault(entry.picture_id, []).append((entry, source))
    found = []
    for row, set_name, class_name in session.execute(query):
        of = appearances.get(row.id, [])
        told = next((entry.set_name for entry, _ in of if entry.set_name), None)
        found.append(
            FullPicture(
                id=row.id,
                sha256=row.sha256,
                name=row.name,
                class_name=class_name,
                set_name=set_name if split_id else told,
                group_key=next((entry.group_key for entry, _ in of if entry.group_key), None),
                note=row.note,
                width=row.width,
                height=row.height,
                mode=row.mode,
                format=row.format,
                size_bytes=row.size_bytes,
                two_labels=row.two_labels,
                came_at=row.came_at,
                appearances=[f"{source}: {entry.path}" for entry, source in of],
            )
        )
    return found


def picture_detail(session: Session, project_id: int, picture_id: int, split_id: int | None) -> PictureDetail:
    """One picture with every appearance and its history.

    Raises
    ------
    MissingError
    """
    found = session.execute(_query(project_id, split_id).where(Picture.id == picture_id)).first()
    if found is None:
        raise MissingError(f"There is no picture {picture_id} in this project.", "Reload and choose again.")
    row, set_name = found
    appearances = session.execute(
        select(Appearance, Import)
        .join(Import, Import.id == Appearance.import_id)
        .where(Appearance.picture_id == picture_id, Import.undone_at.is_(None))
        .order_by(Appearance.id)
    )
    before, after = aliased(Class), aliased(Class)
    history = session.execute(
        select(Action.done_at, before.name, after.name, Action.detail["by_run"].as_integer())
        .select_from(ActionChange)
        .join(Action, Action.id == ActionChange.action_id)
        .outerjoin(before, before.id == ActionChange.change["class"][0].as_integer())
        .outerjoin(after, after.id == ActionChange.change["class"][1].as_integer())
        # Its labels; what else was done to it is told in the history of steps.
        .where(ActionChange.picture_id == picture_id, ActionChange.change.has_key("class"))
        .order_by(Action.id.desc())
    )
    return PictureDetail(
        picture=picture_value(row, set_name),
        mode=row.mode,
        format=row.format,
        size_bytes=row.size_bytes,
        came_at=row.came_at,
        appearances=[
            AppearanceValue(
                source=source.source_name,
                path=entry.path,
                class_name=entry.class_name,
                set_name=entry.set_name,
                group_key=entry.group_key,
                came_at=source.created_at,
            )
            for entry, source in appearances
        ],
        history=[
            f"{old or 'unlabelled'} → {new or 'unlabelled'}, {when:%Y-%m-%d %H:%M}"
            + (f", as run {run} proposed" if run else "")
            for when, old, new, run in history
        ],
    )
