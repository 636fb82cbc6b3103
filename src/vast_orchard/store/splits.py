"""Splits: which picture is in which set; what a run has used never changes, so editing that makes the next version."""

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import and_, delete, func, insert, literal, select, text
from sqlalchemy.orm import Session, aliased

from vast_orchard.errors import MissingError
from vast_orchard.store.classes import list_classes
from vast_orchard.store.database import among, tell
from vast_orchard.store.projects import checked_name
from vast_orchard.store.schema import Appearance, Import, Model, Picture, Project, Run, Split, SplitMember
from vast_orchard.store.values import SplitValue
from vast_orchard.types import SetName

__all__ = [
    "compare_splits",
    "copy_keys",
    "create_split",
    "days_brought_in",
    "divided_copies",
    "editable_split",
    "folder_sets",
    "get_split",
    "group_keys",
    "left_out",
    "list_splits",
    "looks_on",
    "newest_split_id",
    "newest_version",
    "present_sets",
    "put_in_sets",
    "runs_on",
    "versions_of",
]


def folder_sets(session: Session, project_id: int) -> dict[int, SetName]:
    """The set that each picture's first appearance with one named."""
    rows = session.execute(
        select(Appearance.picture_id, Appearance.set_name)
        .join(Picture, Picture.id == Appearance.picture_id)
        .join(Import, Import.id == Appearance.import_id)
        .where(
            Picture.project_id == project_id,
            Picture.deleted_at.is_(None),
            Appearance.set_name.is_not(None),
            Import.undone_at.is_(None),
        )
        .order_by(Appearance.id.desc())
    )
    return {picture: SetName(str(name)) for picture, name in rows}


def group_keys(session: Session, project_id: int) -> dict[int, tuple[str, str | None]]:
    """Path and grouping key of each picture's first appearance that has one, by picture."""
    rows = session.execute(
        select(Appearance.picture_id, Appearance.path, Appearance.group_key)
        .join(Picture, Picture.id == Appearance.picture_id)
        .join(Import, Import.id == Appearance.import_id)
        .where(Picture.project_id == project_id, Picture.deleted_at.is_(None), Import.undone_at.is_(None))
        .order_by(Appearance.group_key.is_(None).desc(), Appearance.id.desc())
    )
    return {picture: (path, key) for picture, path, key in rows}


def copy_keys(session: Session, project_id: int) -> dict[int, int]:
    """The group of copies of each picture that is in one."""
    rows = session.execute(
        select(Picture.id, Picture.copy_group).where(
            Picture.project_id == project_id, Picture.copy_group.is_not(None), Picture.deleted_at.is_(None)
        )
    )
    return {picture: group for picture, group in rows if group is not None}


def days_brought_in(session: Session, project_id: int) -> dict[int, str]:
    """The day on which each picture came, in UTC."""
    day = func.to_char(func.timezone("UTC", Picture.came_at), "YYYY-MM-DD")
    return dict(session.execute(select(Picture.id, day).where(Picture.project_id == project_id)).tuples().all())


def create_split(
    session: Session,
    project_id: int,
    *,
    method: str,
    shares: Mapping[str, Any],
    seed: int,
    members: Mapping[int, SetName],
    name: str = "",
    rule: Mapping[str, Any] | None = None,
    fit: Sequence[Mapping[str, Any]] = (),
) -> SplitValue:
    """Store a division as the project's next split; under a name that is there, as its next version.

    Parameters
    ----------
    members : mapping of int to SetName
        Set by picture id.
    rule : mapping, optional
        What else it was made by.
    fit : sequence of mapping
        What was wanted and met for each class and set.
    """
    # The project's row is the turnstile for its numbers.
    session.execute(select(Project.id).where(Project.id == project_id).with_for_update())
    last = session.scalar(select(func.max(Split.number)).where(Split.project_id == project_id)) or 0
    name = checked_name(name or f"Split {last + 1}", "split")
    namesake = session.execute(
        select(Split.name, Split.version)
        .where(Split.project_id == project_id, func.lower(Split.name) == name.lower())
        .order_by(Split.version.desc())
        .limit(1)
    ).first()
    row = Split(
        project_id=project_id,
        number=last + 1,
        name=namesake.name if namesake else name,
        version=namesake.version + 1 if namesake else 1,
        method=method,
        shares=dict(shares),
        seed=seed,
        rule=dict(rule or {}),
        fit=[dict(entry) for entry in fit],
    )
    session.add(row)
    session.flush()
    if members:
        session.execute(
            insert(SplitMember),
            [{"split_id": row.id, "picture_id": picture, "set_name": name.value} for picture, name in members.items()],
        )
    tell(session, "splits", project_id)
    return _value(session, row)


def runs_on(session: Session, split_id: int) -> Sequence[int]:
    """Numbers of the runs that were trained on a split."""
    return session.scalars(select(Run.number).where(Run.split_id == split_id).order_by(Run.number)).all()


def editable_split(session: Session, project_id: int, split_id: int) -> Split:
    """The split itself if no run has used it, else a copy of it as the next version of its name.

    Raises
    ------
    MissingError
    """
    session.execute(select(Project.id).where(Project.id == project_id).with_for_update())
    row = session.get(Split, split_id)
    if row is None or row.project_id != project_id:
        raise MissingError(f"There is no split {split_id} in this project.", "Choose one that is there.")
    if not runs_on(session, split_id):
        row.revision += 1
        session.flush()
        tell(session, "splits", project_id)
        return row
    made = create_split(
        session,
        project_id,
        method=row.method,
        shares=row.shares,
        seed=row.seed,
        members={},
        name=row.name,
        rule={**row.rule, "from": row.number},
    )
    session.execute(
        insert(SplitMember).from_select(
            ["split_id", "picture_id", "set_name"],
            select(literal(made.id), SplitMember.picture_id, SplitMember.set_name).where(
                SplitMember.split_id == row.id
            ),
        )
    )
    copied = session.get(Split, made.id)
    assert copied is not None
    return copied


def newest_version(session: Session, split_id: int) -> int:
    """The id of the newest version of a split's name: where a step that changed it is taken back."""
    row = session.get(Split, split_id)
    if row is None:
        return split_id
    found = session.scalar(
        select(Split.id)
        .where(Split.project_id == row.project_id, Split.name == row.name)
        .order_by(Split.version.desc())
        .limit(1)
    )
    return found or split_id


def versions_of(session: Session, split_id: int) -> Sequence[int]:
    """The ids of all versions of a split's name."""
    named = aliased(Split)
    query = select(Split.id).join(named, (named.project_id == Split.project_id) & (named.name == Split.name))
    return session.scalars(query.where(named.id == split_id)).all()


def put_in_sets(session: Session, split_id: int, sets: Mapping[int, str | None]) -> None:
    """Set, or no set, of some pictures in a split that may be changed."""
    gone = [picture for picture, name in sets.items() if name is None]
    if gone:
        session.execute(
            delete(SplitMember).where(SplitMember.split_id == split_id, among(SplitMember.picture_id, gone))
        )
    kept = [(picture, name) for picture, name in sets.items() if name is not None]
    if kept:
        session.execute(
            text(
                "insert into split_member (split_id, picture_id, set_name)"
                " select :split, x.* from unnest(cast(:pictures as bigint[]), cast(:names as text[])) x"
                " on conflict (split_id, picture_id) do update set set_name = excluded.set_name"
            ),
            {"split": split_id, "pictures": [x for x, _ in kept], "names": [name for _, name in kept]},
        )


def present_sets(session: Session, split_id: int, picture_ids: Sequence[int] | None = None) -> dict[int, SetName]:
    """The set of each picture of a split, or of some of them."""
    query = select(SplitMember.picture_id, SplitMember.set_name).where(SplitMember.split_id == split_id)
    if picture_ids is not None:
        query = query.where(among(SplitMember.picture_id, picture_ids))
    return {picture: SetName(name) for picture, name in session.execute(query)}


def compare_splits(session: Session, first_id: int, second_id: int) -> dict[tuple[str | None, str | None], int]:
    """How many pictures stand in which set of the first split and of the second; None is no set."""
    first, second = present_sets(session, first_id), present_sets(session, second_id)
    pairs = Counter(
        (first[n].value if n in first else None, second[n].value if n in second else None)
        for n in first.keys() | second.keys()
    )
    return dict(pairs)


def divided_copies(session: Session, project_id: int, split_id: int) -> dict[int, list[tuple[int, SetName]]]:
    """Groups of copies that stand in more than one set, with their pictures; excluded ones do no harm."""
    rows = session.execute(
        select(Picture.copy_group, Picture.id, SplitMember.set_name)
        .join(SplitMember, SplitMember.picture_id == Picture.id)
        .where(
            SplitMember.split_id == split_id,
            Picture.project_id == project_id,
            Picture.copy_group.is_not(None),
            Picture.deleted_at.is_(None),
            ~Picture.excluded,
        )
        .order_by(Picture.copy_group, Picture.id)
    )
    groups: dict[int, list[tuple[int, SetName]]] = {}
    for group, picture, name in rows:
        groups.setdefault(group or 0, []).append((picture, SetName(name)))
    return {group: members for group, members in groups.items() if len({name for _, name in members}) > 1}


def left_out(session: Session, project_id: int, split_id: int | None) -> dict[str, int]:
    """Pictures that take no part, by the reason; without a split, whatever could take part is in no set."""
    in_split = (
        select(SplitMember.picture_id)
        .where(SplitMember.split_id == split_id, SplitMember.picture_id == Picture.id)
        .exists()
    )
    standing = and_(Picture.class_id.is_not(None), ~Picture.excluded, ~Picture.unsure)
    row = session.execute(
        select(
            func.count().filter(Picture.class_id.is_(None)).label("unlabelled"),
            func.count().filter(Picture.excluded).label("excluded"),
            func.count().filter(Picture.unsure, ~Picture.excluded).label("unsure"),
            func.count().filter(standing, ~in_split).label("none"),
        ).where(Picture.project_id == project_id, Picture.deleted_at.is_(None))
    ).one()
    return dict(row._mapping)


def looks_on(session: Session, split_id: int) -> int:
    """How often the test set of a split was looked at, by whichever run, whether that is there still or not."""
    query = select(func.sum(Model.looks)).join(Run, Run.id == Model.run_id).where(Run.split_id == split_id)
    past = session.scalar(select(Split.past_looks).where(Split.id == split_id)) or 0
    return (session.scalar(query) or 0) + past


def _value(session: Session, row: Split) -> SplitValue:
    rows = session.execute(
        select(Picture.class_id, SplitMember.set_name, func.count())
        .join(SplitMember, SplitMember.picture_id == Picture.id)
        .where(SplitMember.split_id == row.id, Picture.deleted_at.is_(None))
        .group_by(Picture.class_id, SplitMember.set_name)
    )
    counts: dict[int, dict[str, int]] = {}
    for class_id, set_name, count in rows:
        counts.setdefault(class_id or 0, {})[set_name] = count
    outside = session.scalar(
        select(func.count())
        .select_from(Picture)
        .where(
            Picture.project_id == row.project_id,
            Picture.class_id.is_not(None),
            Picture.deleted_at.is_(None),
            ~select(SplitMember.picture_id)
            .where(SplitMember.split_id == row.id, SplitMember.picture_id == Picture.id)
            .exists(),
        )
    )
    return SplitValue(
        id=row.id,
        number=row.number,
        name=row.name,
        version=row.version,
        method=row.method,
        shares=row.shares,
        seed=row.seed,
        rule=row.rule,
        fit=row.fit,
        runs=runs_on(session, row.id),
        created_at=row.created_at,
        counts=counts,
        in_no_set=outside or 0,
        warnings=_warnings(session, row.project_id, counts),
    )


def _warnings(session: Session, project_id: int, counts: Mapping[int, Mapping[str, int]]) -> list[str]:
    warnings = []
    for entry in list_classes(session, project_id):
        here = counts.get(entry.id, {})
        missing = [name.value for name in SetName if not here.get(name.value)]
        if entry.count and missing:
            pictures = "1 picture" if entry.count == 1 else f"{entry.count} pictures"
            warnings.append(f"{entry.name} ({pictures}) is missing from {' and '.join(missing)}.")
    return warnings


def get_split(session: Session, split_id: int, project_id: int | None = None) -> SplitValue:
    """One split; of a project, if that is named.

    Raises
    ------
    MissingError
    """
    row = session.get(Split, split_id)
    if row is None or (project_id is not None and row.project_id != project_id):
        raise MissingError(f"There is no split {split_id}.", "Divide the pictures first.")
    return _value(session, row)


def list_splits(session: Session, project_id: int) -> Sequence[SplitValue]:
    """A project's splits, newest first."""
    rows = session.scalars(select(Split).where(Split.project_id == project_id).order_by(Split.number.desc()))
    return [_value(session, row) for row in rows]


def newest_split_id(session: Session, project_id: int) -> int | None:
    """The split that is meant where none is named."""
    return session.scalar(select(Split.id).where(Split.project_id == project_id).order_by(Split.number.desc()).limit(1))
