"""Working areas: values, the rules that hold, and which picture has which."""

import datetime as dt
import hashlib
import json
from collections.abc import Collection, Mapping, Sequence
from typing import Any

from sqlalchemy import ColumnElement, Integer, and_, case, cast, func, literal, null, or_, select
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.orm import Session

from vast_orchard.store.area_rules import newest_rules
from vast_orchard.store.database import among
from vast_orchard.store.schema import AreaRules, Class, Picture, SnapshotPicture, WorkingArea
from vast_orchard.store.sift.compiler import compile_sift
from vast_orchard.store.sift.parser import parse
from vast_orchard.store.sift.rule import check_rule_sift
from vast_orchard.store.sift.scope import SiftScope
from vast_orchard.store.values import AreaCounts, AreaRulesValue, AreaRuleValue, ModelValue

__all__ = [
    "area_counts",
    "area_id",
    "area_now",
    "area_tests",
    "area_values",
    "areas_for",
    "check_rules_sift",
    "list_rules",
    "rules_now",
]

_VERSIONS = 50  # that are listed


def area_id(session: Session, project_id: int, value: Mapping[str, Any]) -> int:
    """The id of an area, which is stored if it is new."""
    digest = hashlib.md5(json.dumps(value, sort_keys=True).encode(), usedforsecurity=False).hexdigest()
    statement = upsert(WorkingArea).values(project_id=project_id, digest=digest, value=dict(value))
    session.execute(statement.on_conflict_do_nothing())
    known = (WorkingArea.project_id == project_id, WorkingArea.digest == digest)
    return session.scalars(select(WorkingArea.id).where(*known)).one()


def area_values(session: Session, ids: Collection[int]) -> dict[int, dict[str, Any]]:
    """Areas by their ids."""
    rows = session.execute(select(WorkingArea.id, WorkingArea.value).where(among(WorkingArea.id, sorted(set(ids)))))
    return {row.id: row.value for row in rows}


def _values(session: Session, rows: Sequence[AreaRules]) -> Sequence[AreaRulesValue]:
    ids = {rule["area_id"] for row in rows for rule in row.rules} | {row.fresh_id for row in rows if row.fresh_id}
    known = area_values(session, ids)
    return [
        AreaRulesValue(
            number=row.number,
            rules=[AreaRuleValue(sift=rule["sift"], area=known[rule["area_id"]]) for rule in row.rules],
            fresh_by=row.fresh_by,
            fresh=known[row.fresh_id] if row.fresh_id else None,
            created_at=row.created_at,
        )
        for row in rows
    ]


def rules_now(session: Session, project_id: int) -> AreaRulesValue:
    """The rules that hold; of number 0 and empty where nobody made any."""
    row = newest_rules(session, project_id)
    if row is None:
        return AreaRulesValue(number=0, rules=[], fresh_by="rule", fresh=None, created_at=None)
    return _values(session, [row])[0]


def list_rules(session: Session, project_id: int) -> Sequence[AreaRulesValue]:
    """Their versions, newest first."""
    query = select(AreaRules).where(AreaRules.project_id == project_id).order_by(AreaRules.number.desc())
    return _values(session, session.scalars(query.limit(_VERSIONS)).all())


def _scope(session: Session, project_id: int) -> SiftScope:
    """What the Sift of a rule is read against: facts of the files alone."""
    names = session.execute(
        select(Class.name, Class.id).where(Class.project_id == project_id, Class.deleted_at.is_(None))
    )
    return SiftScope(
        project_id=project_id, now=dt.datetime.now().astimezone(), classes={row.name: row.id for row in names}
    )


def check_rules_sift(session: Session, project_id: int, line: str) -> None:
    """That a rule may go by this Sift.

    Raises
    ------
    SiftError
        It cannot be read, or asks for what tells the class or what a new picture does not have.
    """
    scope = _scope(session, project_id)
    parsed = parse(line)
    check_rule_sift(parsed, list(scope.classes))
    compile_sift(parsed, scope)


def area_now(session: Session, project_id: int) -> ColumnElement[int | None]:
    """The id of each picture's working area, for queries over `Picture`: its own, else that of the first rule.

    Where there are none a constant, which PostgreSQL leaves out of whatever is made of it.
    """
    row = newest_rules(session, project_id)
    by_rule: ColumnElement[Any] = null()
    own = select(Picture.id).where(Picture.project_id == project_id, Picture.area_id.is_not(None))
    owned = session.scalar(select(own.exists()))
    scope = _scope(session, project_id) if row and any(rule["sift"].strip() for rule in row.rules) else None
    # From behind: each rule goes before what those after it say.
    for rule in reversed(row.rules if row else []):
        given = literal(int(rule["area_id"]), Integer)
        if not rule["sift"].strip():
            by_rule = given
        elif scope is not None:
            where = compile_sift(parse(rule["sift"]), scope).where
            by_rule = case((where, given), else_=by_rule)
    by_rule = cast(by_rule, Integer)
    return func.coalesce(Picture.area_id, by_rule) if owned else by_rule


def areas_for(
    session: Session, project_id: int, picture_ids: Sequence[int], model: ModelValue | None = None
) -> dict[int, dict[str, Any]]:
    """The working areas of those pictures that have one, by the pictures' ids.

    Parameters
    ----------
    model : ModelValue, optional
        What it was trained and judged on counts for pictures of its run, whatever has changed since.
    """
    now = area_now(session, project_id)
    query = select(Picture.id, now).where(among(Picture.id, picture_ids), Picture.project_id == project_id)
    found: dict[int, int | None] = dict(session.execute(query).all())
    if model is not None and model.snapshot_id:
        then = select(SnapshotPicture.picture_id, SnapshotPicture.area_id).where(
            SnapshotPicture.snapshot_id == model.snapshot_id, among(SnapshotPicture.picture_id, picture_ids)
        )
        found.update(dict(session.execute(then).all()))
    known = area_values(session, [area for area in found.values() if area])
    return {picture: known[area] for picture, area in found.items() if area}


def area_counts(session: Session, project_id: int) -> AreaCounts:
    """How many pictures have an area of their own, one by a rule, and none."""
    now = area_now(session, project_id)
    row = session.execute(
        select(
            func.count().label("pictures"),
            func.count(Picture.area_id).label("own"),
            func.count(now).label("all"),
        ).where(Picture.project_id == project_id, Picture.deleted_at.is_(None))
    ).one()
    return AreaCounts(own=row.own, by_rule=row.all - row.own, whole=row.pictures - row.all)


def area_tests(session: Session, project_id: int) -> dict[str, ColumnElement[bool]]:
    """What `area:` asks of a picture in the Sift, by its word."""
    now, value = area_now(session, project_id), WorkingArea.value
    here = select(WorkingArea.id).where(WorkingArea.project_id == project_id)
    covers = func.jsonb_array_length(value["covered"]) > 0
    counts_whole = here.where(value["keep"].astext.is_(None), value["margin"].astext.is_(None), ~covers)
    return {
        "own": Picture.area_id.is_not(None),
        "rule": and_(Picture.area_id.is_(None), now.is_not(None)),
        "covered": and_(now.is_not(None), now.in_(here.where(covers))),
        "found": and_(now.is_not(None), now.in_(here.where(value["margin"].astext.is_not(None)))),
        "whole": or_(now.is_(None), now.in_(counts_whole)),
    }
