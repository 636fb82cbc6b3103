"""Copies of one picture: the groups that they form, and what people decide about them.

A picture is compared with all others once, when it is new. So a group that was dismissed does not come back by itself.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import Subquery, func, select, text, update
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.database import among, tell
from vast_orchard.store.history import Change, action_value, apply, pictures_said, record
from vast_orchard.store.prints import pictures_to_compare
from vast_orchard.store.schema import Appearance, Import, Picture, PicturePrint
from vast_orchard.store.values import ActionValue, CopiesValue

__all__ = [
    "Copies",
    "copies_known",
    "copy_groups",
    "dismiss_copies",
    "keep_agreeing",
    "keep_of_copies",
    "record_copies",
]

# A number of our own for PostgreSQL's advisory locks.
_GROUPS_LOCK = 0x564F32


@dataclass(frozen=True, kw_only=True)
class Copies:
    """Two pictures that were found to be copies."""

    first: int
    second: int
    exact: bool  # the same pixels


def record_copies(session: Session, project_id: int, found: Sequence[Copies], compared: Sequence[int]) -> None:
    """Join pairs to groups, those that are there and new ones, and note who has been compared."""
    session.execute(select(func.pg_advisory_xact_lock(_GROUPS_LOCK, project_id)))
    touched = sorted({picture for pair in found for picture in (pair.first, pair.second)})
    rows = session.execute(
        select(Picture.id, Picture.copy_group)
        .where(Picture.project_id == project_id, among(Picture.id, touched))
        .order_by(Picture.id)
        .with_for_update()
    ).all()
    before = {row.id: row.copy_group for row in rows}
    free = session.scalar(select(func.max(Picture.copy_group)).where(Picture.project_id == project_id)) or 0
    groups = _joined_groups([pair for pair in found if {pair.first, pair.second} <= before.keys()], before, free + 1)
    for old, new in groups.renamed.items():
        session.execute(
            update(Picture).where(Picture.project_id == project_id, Picture.copy_group == old).values(copy_group=new)
        )
    session.execute(
        text(
            "update picture set copy_group = x.number from"
            " unnest(cast(:pictures as bigint[]), cast(:numbers as int[])) x (picture, number) where id = x.picture"
        ),
        {"pictures": list(groups.of), "numbers": list(groups.of.values())},
    )
    exact = {picture for pair in found if pair.exact for picture in (pair.first, pair.second)}
    session.execute(update(Picture).where(among(Picture.id, sorted(exact))).values(copy_exact=True))
    session.execute(update(PicturePrint).where(among(PicturePrint.picture_id, compared)).values(compared=True))
    if found:
        tell(session, "pictures", project_id)
    tell(session, "copies", project_id)


@dataclass(frozen=True, kw_only=True)
class _Groups:
    """What pairs make of the groups that were there."""

    of: Mapping[int, int]  # group by picture, of those that the pairs name
    renamed: Mapping[int, int]  # groups that were joined to another


def _joined_groups(found: Sequence[Copies], before: Mapping[int, int | None], fresh: int) -> _Groups:
    """Union of all pairs and of the groups before; a joined group keeps the lowest number, a new one takes the next."""
    parent: dict[int, int] = {}

    def root(node: int) -> int:
        while (above := parent.setdefault(node, node)) != node:
            parent[node] = parent[above]
            node = above
        return node

    # A group that was there is a node as well, under its number below zero.
    links = [(pair.first, pair.second) for pair in found]
    links += [(picture, -group) for pair in links for picture in pair if (group := before[picture])]
    for one, other in links:
        parent[root(one)] = root(other)
    joined: dict[int, list[int]] = {}
    for node in sorted(parent):
        joined.setdefault(root(node), []).append(node)
    of: dict[int, int] = {}
    renamed: dict[int, int] = {}
    for nodes in joined.values():
        present = sorted(-node for node in nodes if node < 0)
        number = present[0] if present else fresh
        fresh += not present
        of |= {node: number for node in nodes if node > 0}
        renamed |= dict.fromkeys(present[1:], number)
    return _Groups(of=of, renamed=renamed)


def copy_groups(project_id: int) -> Subquery:
    """Groups of copies with columns `number`, `standing` (pictures not excluded) and `labels` (different ones)."""
    here = Picture.excluded.is_(False)
    return (
        select(
            Picture.copy_group.label("number"),
            func.count().filter(here).label("standing"),
            func.count(Picture.class_id.distinct()).filter(here).label("labels"),
        )
        .where(Picture.project_id == project_id, Picture.deleted_at.is_(None), Picture.copy_group.is_not(None))
        .group_by(Picture.copy_group)
        .subquery()
    )


def copies_known(session: Session, project_id: int) -> CopiesValue:
    """What is known of a project's copies, counted."""
    groups = copy_groups(project_id)
    open_groups, differing, pictures = session.execute(
        select(
            func.count(),
            func.count().filter(groups.c.labels > 1),
            func.coalesce(func.sum(groups.c.standing), 0),
        ).where(groups.c.standing > 1)
    ).one()
    again = (
        select(Appearance.picture_id, Picture.two_labels)
        .join(Picture, Picture.id == Appearance.picture_id)
        .join(Import, Import.id == Appearance.import_id)
        .where(Picture.project_id == project_id, Picture.deleted_at.is_(None), Import.undone_at.is_(None))
        .group_by(Appearance.picture_id, Picture.two_labels)
        .having(func.count() > 1)
        .subquery()
    )
    repeated, two = session.execute(select(func.count(), func.count().filter(again.c.two_labels))).one()
    return CopiesValue(
        groups=open_groups,
        differing=differing,
        pictures=int(pictures),
        waiting=pictures_to_compare(session, project_id),
        repeated=repeated,
        repeated_differing=two,
    )


def _members(session: Session, project_id: int, groups: Sequence[int]) -> Sequence[Picture]:
    """The pictures of these groups that are in the project, best first: labelled, large, many bytes, first come."""
    return session.scalars(
        select(Picture)
        .where(
            Picture.project_id == project_id,
            Picture.deleted_at.is_(None),
            among(Picture.copy_group, groups),
        )
        .order_by(
            Picture.class_id.is_(None),
            (Picture.width * Picture.height).desc(),
            Picture.size_bytes.desc(),
            Picture.id,
        )
        .with_for_update()
    ).all()


def _exclude_rest(
    session: Session, project_id: int, window: str, groups: Sequence[int], kept: set[int], said: str
) -> ActionValue:
    members = _members(session, project_id, groups)
    changes = [Change(row.id, "excluded", row.excluded, row.id not in kept) for row in members]
    changes = [change for change in changes if change.before != change.after]
    gone = sum(change.after for change in changes)
    action = record(session, project_id, window, "copies_keep", f"{said}, {pictures_said(gone)} excluded")
    apply(session, action.id, changes)
    return action_value(action, len(changes))


def keep_of_copies(session: Session, project_id: int, window: str, picture_ids: Sequence[int]) -> ActionValue:
    """Keep these of their groups, and exclude all other copies.

    Raises
    ------
    MissingError
        One of them is in no group, or not in the project; nothing is changed then.
    """
    wanted = set(picture_ids)
    rows = session.execute(
        select(Picture.id, Picture.copy_group).where(
            Picture.project_id == project_id, Picture.deleted_at.is_(None), among(Picture.id, sorted(wanted))
        )
    ).all()
    groups = {group for _, group in rows if group is not None}
    if not rows or len([row for row in rows if row.copy_group is not None]) != len(wanted):
        raise MissingError(
            "Not all of these pictures have copies.", "Another window may have settled them; look again."
        )
    said = "1 of its copies kept" if len(wanted) == 1 else f"{len(wanted):,} pictures kept of their copies"
    return _exclude_rest(session, project_id, window, sorted(groups), wanted, said)


def keep_agreeing(session: Session, project_id: int, window: str) -> ActionValue:
    """Of every open group whose labels agree, keep the largest picture and exclude the others.

    Raises
    ------
    ConflictError
        There is no such group.
    """
    groups = copy_groups(project_id)
    agreeing = session.scalars(select(groups.c.number).where(groups.c.standing > 1, groups.c.labels <= 1)).all()
    if not agreeing:
        raise ConflictError("There are no copies under one label.", "Settle the others one by one.")
    best: dict[int | None, int] = {}
    for row in _members(session, project_id, agreeing):
        if not row.excluded:
            best.setdefault(row.copy_group, row.id)
    said = f"One kept of each of {len(best):,} groups of copies" if len(best) > 1 else "One kept of a group of copies"
    return _exclude_rest(session, project_id, window, agreeing, set(best.values()), said)


def dismiss_copies(session: Session, project_id: int, window: str, picture_ids: Sequence[int]) -> ActionValue:
    """Say that these pictures are no copies of each other, for good: they leave their groups.

    Raises
    ------
    MissingError
        None of them is in a group.
    """
    rows = session.execute(
        select(Picture.id, Picture.copy_group)
        .where(Picture.project_id == project_id, Picture.copy_group.is_not(None), among(Picture.id, picture_ids))
        .order_by(Picture.id)
        .with_for_update()
    ).all()
    if not rows:
        raise MissingError("None of these pictures has copies.", "Another window may have settled them; look again.")
    action = record(session, project_id, window, "copies_dismiss", f"{pictures_said(len(rows))} said to be no copies")
    apply(session, action.id, [Change(picture, "copies", group, None) for picture, group in rows])
    return action_value(action, len(rows))
