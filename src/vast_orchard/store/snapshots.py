"""Snapshots: the pictures of a split as they are now, taken once and shared by runs between which nothing changed."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    Select,
    String,
    Subquery,
    and_,
    case,
    cast,
    column,
    func,
    insert,
    literal,
    null,
    select,
)
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.orm import Session, aliased

from vast_orchard.errors import ConflictError
from vast_orchard.store.areas import area_now, area_values
from vast_orchard.store.classes import list_classes
from vast_orchard.store.schema import Picture, Snapshot, SnapshotPicture, Split, SplitMember
from vast_orchard.store.values import ClassValue, ModelValue, SnapshotPictureValue
from vast_orchard.types import SetName

__all__ = [
    "class_counts",
    "derived_snapshot",
    "fold_pictures",
    "fold_snapshot",
    "learnt_as",
    "learnt_within",
    "relabelled",
    "seal_snapshots",
    "set_then",
    "snapshot_pictures",
    "take_snapshot",
    "tested_pictures",
    "trained_on",
]

_CODES = {name.value: place for place, name in enumerate(SetName, 1)}


def _standing(split_id: int) -> tuple[Any, ...]:
    """Which pictures of a split take part in training and judging."""
    return (
        SplitMember.split_id == split_id,
        Picture.class_id.is_not(None),
        Picture.deleted_at.is_(None),
        ~Picture.excluded,
        ~Picture.unsure,
    )


def _sums(picture_id: Any, class_id: Any, set_name: Any, area_id: Any) -> tuple[Any, Any]:
    """Two sums of hashes over rows, whose order has no say; together they are as good as a list of the rows."""
    what = cast(class_id, BigInteger) * 4 + case(_CODES, value=set_name, else_=0)
    # A quarter of a hash leaves room to add; nothing is added where there is no area, as before there were any.
    hashed = func.hashint8extended(cast(area_id, BigInteger), 0, type_=BigInteger)
    what += func.coalesce(hashed // 4, 0)
    picture = cast(picture_id, BigInteger)
    return func.sum(func.hashint8extended(picture, what)), func.sum(func.hashint8extended(what, picture))


def _digest(count: int, one: Any, two: Any, classes: Sequence[dict[str, Any]]) -> str:
    named = hashlib.md5(json.dumps(list(classes), sort_keys=True).encode(), usedforsecurity=False).hexdigest()
    return f"{count}:{one}:{two}:{named}"


def take_snapshot(session: Session, project_id: int, split_id: int, class_ids: Sequence[int] | None = None) -> Snapshot:
    """The snapshot of a split as it is now: one that is there already if nothing has changed since, else a new one.

    Classes without a training picture are left out, for nothing could be learnt of them.

    Parameters
    ----------
    class_ids : sequence of int, optional
        The classes of a model that is trained already, in the order of its outputs: these, whether they have pictures
        or not.

    Raises
    ------
    ConflictError
        The split leaves training or validation empty, or fewer than two classes have training pictures; of a model
        that is trained already: no picture has one of its classes.
    """
    area = area_now(session, project_id)
    one, two = _sums(Picture.id, Picture.class_id, SplitMember.set_name, area)
    rows = session.execute(
        select(
            Picture.class_id, SplitMember.set_name, func.count().label("pictures"), one.label("one"), two.label("two")
        )
        .join(SplitMember, SplitMember.picture_id == Picture.id)
        .where(*_standing(split_id))
        .group_by(Picture.class_id, SplitMember.set_name)
    ).all()
    if class_ids is None:
        classes = _trainable_classes(session, project_id, rows)
    else:
        own = {entry.id: entry for entry in list_classes(session, project_id)}
        classes = [_class_entry(own[number]) for number in class_ids]
    known = {entry["id"] for entry in classes}
    chosen = [row for row in rows if row.class_id in known]
    if not chosen:
        raise ConflictError(
            "No picture of the split has one of the model's classes.", "Label pictures by them, or name its classes."
        )
    counts: dict[str, int] = {}
    for row in chosen:
        counts[row.set_name] = counts.get(row.set_name, 0) + row.pictures
    digest = _digest(sum(counts.values()), sum(row.one for row in chosen), sum(row.two for row in chosen), classes)
    found = session.scalar(select(Snapshot).where(Snapshot.project_id == project_id, Snapshot.digest == digest))
    if found is not None:
        return found
    made = Snapshot(project_id=project_id, digest=digest, classes=classes, counts=counts)
    session.add(made)
    session.flush()
    session.execute(insert(SnapshotPicture).from_select(_COLUMNS, _members(split_id, made.id, sorted(known), area)))
    return made


def derived_snapshot(session: Session, base_id: int, sets: Mapping[int, SetName]) -> int:
    """A snapshot of the same pictures in other sets: the one that is there already, or a new one; its id.

    Parameters
    ----------
    sets : mapping of int to SetName
        By the picture's id; pictures without one are left out.
    """
    named = (
        func.unnest(cast(list(sets), ARRAY(BigInteger)), cast([name.value for name in sets.values()], ARRAY(String)))
        .table_valued(column("picture_id", BigInteger), column("set_name", String), name="named")
        .render_derived()
    )
    chosen = (
        select(SnapshotPicture.picture_id, SnapshotPicture.sha256, SnapshotPicture.class_id, named.c.set_name,
               SnapshotPicture.area_id)
        .join(named, named.c.picture_id == SnapshotPicture.picture_id)
        .where(SnapshotPicture.snapshot_id == base_id)
        .subquery()
    )  # fmt: skip
    return _found_or_made(session, base_id, chosen)


def fold_pictures(session: Session, snapshot_id: int) -> list[SnapshotPictureValue]:
    """The pictures that are divided into folds, in the order in which `fold_snapshot` takes their parts."""
    return [one for one in snapshot_pictures(session, snapshot_id) if one.set_name != SetName.TEST]


def fold_snapshot(session: Session, base_id: int, parts: str, held: str) -> int:
    """A snapshot of the pictures that are divided into folds, one part in validation, the rest in training; its id.

    Parameters
    ----------
    parts : str
        The part of each picture as a letter, in the order of `fold_pictures`.
    held : str
        The letter of those that are held out.
    """
    # Every letter as a row: to look for the n-th in the text itself would read all before it each time.
    drawn = (
        func.unnest(func.string_to_array(parts, null()))
        .table_valued(column("part", String), with_ordinality="place", name="drawn")
        .render_derived()
    )
    place = func.row_number().over(order_by=SnapshotPicture.sha256)
    divided = (
        select(SnapshotPicture, place.label("place"))
        .where(SnapshotPicture.snapshot_id == base_id, SnapshotPicture.set_name != SetName.TEST.value)
        .subquery()
    )
    own = case((drawn.c.part == held, SetName.VALIDATION.value), else_=SetName.TRAINING.value)
    chosen = (
        select(divided.c.picture_id, divided.c.sha256, divided.c.class_id, own.label("set_name"), divided.c.area_id)
        .join(drawn, drawn.c.place == divided.c.place)
        .subquery()
    )
    return _found_or_made(session, base_id, chosen)


def _found_or_made(session: Session, base_id: int, chosen: Subquery) -> int:
    base = session.get_one(Snapshot, base_id)
    one, two = _sums(chosen.c.picture_id, chosen.c.class_id, chosen.c.set_name, chosen.c.area_id)
    count, first, second = session.execute(select(func.count(), one, two).select_from(chosen)).one()
    digest = _digest(count, first, second, base.classes)
    found = session.scalar(select(Snapshot.id).where(Snapshot.project_id == base.project_id, Snapshot.digest == digest))
    if found is not None:
        return found
    counted = session.execute(select(chosen.c.set_name, func.count()).group_by(chosen.c.set_name)).all()
    made = Snapshot(
        project_id=base.project_id,
        digest=digest,
        classes=base.classes,
        counts=dict(counted),
    )
    session.add(made)
    session.flush()
    session.execute(
        insert(SnapshotPicture).from_select(
            _COLUMNS, select(literal(made.id), *(getattr(chosen.c, name) for name in _COLUMNS[1:]))
        )
    )
    return made.id


_COLUMNS = ["snapshot_id", "picture_id", "sha256", "class_id", "set_name", "area_id"]


def _members(
    split_id: int, snapshot_id: int, classes: Sequence[int], area: ColumnElement[int | None]
) -> Select[int, int, str, int | None, str, int | None]:
    return (
        select(literal(snapshot_id), Picture.id, Picture.sha256, Picture.class_id, SplitMember.set_name, area)
        .join(SplitMember, SplitMember.picture_id == Picture.id)
        .where(*_standing(split_id), Picture.class_id.in_(classes))
    )


def _class_entry(entry: ClassValue) -> dict[str, Any]:
    return {"id": entry.id, "name": entry.name, "sign": entry.sign}


def _trainable_classes(session: Session, project_id: int, rows: Sequence[Any]) -> list[dict[str, Any]]:
    sets = {row.set_name for row in rows}
    for needed in ("training", "validation"):
        if needed not in sets:
            raise ConflictError(f"The split has no {needed} pictures.", "Divide again so that every set holds some.")
    trained = {row.class_id for row in rows if row.set_name == "training"}
    classes = [_class_entry(entry) for entry in list_classes(session, project_id) if entry.id in trained]
    if len(classes) < 2:
        names = ", ".join(str(entry["name"]) for entry in classes) or "none"
        raise ConflictError(
            f"Only {len(classes)} class has training pictures ({names}).",
            "A network tells at least two classes apart: label pictures of another, then divide again.",
        )
    return classes


def trained_on(session: Session, split_id: int) -> Sequence[tuple[str, int, dict[str, Any] | None]]:
    """SHA-256, class id and working area of the pictures that a training on this split would be shown."""
    project_id = session.get_one(Split, split_id).project_id
    rows = session.execute(
        select(Picture.sha256, Picture.class_id, area_now(session, project_id))
        .join(SplitMember, SplitMember.picture_id == Picture.id)
        .where(*_standing(split_id), SplitMember.set_name == "training")
    ).all()
    values = area_values(session, [area for _, _, area in rows if area])
    return [(sha256, label, values[area] if area else None) for sha256, label, area in rows if label is not None]


def learnt_within(session: Session, snapshot_id: int, split_id: int) -> int:
    """How many contents of a snapshot's training set are validated by in a split, which may be of another project."""
    learnt = select(SnapshotPicture.sha256).where(
        SnapshotPicture.snapshot_id == snapshot_id, SnapshotPicture.set_name == SetName.TRAINING.value
    )
    query = (
        select(func.count(Picture.sha256.distinct()))
        .join(SplitMember, SplitMember.picture_id == Picture.id)
        .where(*_standing(split_id), SplitMember.set_name == SetName.VALIDATION.value, Picture.sha256.in_(learnt))
    )
    return session.scalar(query) or 0


def snapshot_pictures(
    session: Session, snapshot_id: int, set_name: str | None = None
) -> Sequence[SnapshotPictureValue]:
    """The pictures as they were, ordered by content, so that arrays made of them are always the same."""
    query = select(
        SnapshotPicture.picture_id,
        SnapshotPicture.sha256,
        SnapshotPicture.class_id,
        SnapshotPicture.set_name,
        SnapshotPicture.area_id,
    ).where(SnapshotPicture.snapshot_id == snapshot_id)
    if set_name is not None:
        query = query.where(SnapshotPicture.set_name == set_name)
    return [
        SnapshotPictureValue(picture_id=picture, sha256=sha256, class_id=label, set_name=own, area_id=area)
        for picture, sha256, label, own, area in session.execute(query.order_by(SnapshotPicture.sha256))
    ]


def relabelled(session: Session, earlier_id: int, later_id: int) -> dict[str, int]:
    """How many pictures of the later snapshot had another label in the earlier one, by their set."""
    earlier = aliased(SnapshotPicture)
    rows = session.execute(
        select(SnapshotPicture.set_name, func.count())
        .join(earlier, earlier.picture_id == SnapshotPicture.picture_id)
        .where(
            SnapshotPicture.snapshot_id == later_id,
            earlier.snapshot_id == earlier_id,
            earlier.class_id != SnapshotPicture.class_id,
        )
        .group_by(SnapshotPicture.set_name)
    )
    return {name: count for name, count in rows if count}


def set_then(session: Session, snapshot_id: int | None, picture_id: int) -> str | None:
    """The set in which a picture was, by the set's name; None: in none, or it was not there."""
    row = session.get(SnapshotPicture, (snapshot_id or 0, picture_id))
    return row.set_name if row else None


def tested_pictures(session: Session, snapshot_id: int, picture_ids: Sequence[int]) -> set[int]:
    """Those of the pictures that were in the test set."""
    query = select(SnapshotPicture.picture_id).where(
        SnapshotPicture.snapshot_id == snapshot_id,
        SnapshotPicture.set_name == SetName.TEST.value,
        SnapshotPicture.picture_id.in_(picture_ids),
    )
    return set(session.scalars(query))


def learnt_as(session: Session, model: ModelValue, picture_ids: Sequence[int]) -> dict[int, dict[str, Any]]:
    """Content, label then and label now of pictures of a model's run, by their ids."""
    rows = session.execute(
        select(
            SnapshotPicture.picture_id, SnapshotPicture.sha256, SnapshotPicture.class_id, Picture.class_id, Picture.id
        )
        .outerjoin(Picture, and_(Picture.id == SnapshotPicture.picture_id, Picture.deleted_at.is_(None)))
        .where(SnapshotPicture.snapshot_id == (model.snapshot_id or 0), SnapshotPicture.picture_id.in_(picture_ids))
    )
    return {
        picture: {"sha256": sha256, "class_then": then, "class_now": now, "gone": here is None}
        for picture, sha256, then, now, here in rows
    }


def class_counts(session: Session, snapshot_id: int) -> dict[str, dict[int, int]]:
    """How many pictures each class has in each set, by the set's name and the class's id."""
    rows = session.execute(
        select(SnapshotPicture.set_name, SnapshotPicture.class_id, func.count())
        .where(SnapshotPicture.snapshot_id == snapshot_id)
        .group_by(SnapshotPicture.set_name, SnapshotPicture.class_id)
    )
    found: dict[str, dict[int, int]] = {}
    for set_name, class_id, count in rows:
        found.setdefault(set_name, {})[class_id] = count
    return found


def seal_snapshots(session: Session, project_id: int) -> None:
    """Let snapshots that came with an archive be found again: digests are made of ids, which are new here."""
    one, two = _sums(
        SnapshotPicture.picture_id, SnapshotPicture.class_id, SnapshotPicture.set_name, SnapshotPicture.area_id
    )
    rows = session.execute(
        select(Snapshot, func.count(), cast(one, String), cast(two, String))
        .join(SnapshotPicture, SnapshotPicture.snapshot_id == Snapshot.id)
        .where(Snapshot.project_id == project_id, Snapshot.digest.is_(None))
        .group_by(Snapshot.id)
        .order_by(Snapshot.id)
    ).all()
    taken: set[str] = set()
    for snapshot, count, first, second in rows:
        digest = _digest(count, first, second, snapshot.classes)
        # Archives of earlier versions have one for each run; the first of the same is the one that is found.
        if digest not in taken:
            snapshot.digest = digest
            taken.add(digest)
