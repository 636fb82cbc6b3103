"""What is wrong with pictures: stored as it was found, counted as it stands now, settled, and dismissed for good."""

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, insert, select
from sqlalchemy.dialects.postgresql import insert as put
from sqlalchemy.orm import Session

from vast_orchard.errors import MissingError
from vast_orchard.store.database import among, tell
from vast_orchard.store.history import Change, action_value, apply, pictures_said, record
from vast_orchard.store.schema import Class, Finding, FindingKind, FindingReport, Picture, PicturePrint
from vast_orchard.store.sift.found import open_finding
from vast_orchard.store.values import ActionValue

__all__ = [
    "FindingReportValue",
    "FoundPicture",
    "dismiss_findings",
    "finding_counts",
    "finding_report",
    "findings_of",
    "nearest_of_class",
    "put_right",
    "set_dismissed_facts",
    "store_findings",
]


@dataclass(frozen=True, kw_only=True)
class FoundPicture:
    """A finding of one picture, as it is stored."""

    picture_id: int
    kind: FindingKind
    weight: float
    class_id: int | None = None
    proposal: int | None = None
    p_label: float | None = None
    p_proposal: float | None = None


@dataclass(frozen=True, kw_only=True)
class FindingReportValue:
    """What was found besides single pictures, when somebody looked last."""

    looked_at: dt.datetime
    report: Mapping[str, Any]  # see `jobs.finding.looking`
    dismissed: Sequence[str]  # names of what is no matter of single pictures


def store_findings(session: Session, project_id: int, found: Sequence[FoundPicture], report: Mapping[str, Any]) -> None:
    """Put what was found in the place of what had been; what was dismissed stays so.

    Pictures that are gone meanwhile are left out.
    """
    session.execute(delete(Finding).where(Finding.project_id == project_id))
    ids = sorted({one.picture_id for one in found})
    here = set(session.scalars(select(Picture.id).where(among(Picture.id, ids)).with_for_update(key_share=True)))
    rows = [
        {
            "project_id": project_id, "picture_id": one.picture_id, "kind": one.kind.value, "weight": one.weight,
            "class_id": one.class_id, "proposal": one.proposal, "p_label": one.p_label, "p_proposal": one.p_proposal,
        }
        for one in found
        if one.picture_id in here
    ]  # fmt: skip
    if rows:
        session.execute(insert(Finding), rows)
    row = put(FindingReport).values(project_id=project_id, report=dict(report), looked_at=func.now())
    session.execute(
        row.on_conflict_do_update(
            index_elements=["project_id"], set_={"report": row.excluded.report, "looked_at": func.now()}
        )
    )
    tell(session, "findings", project_id)
    tell(session, "pictures", project_id)


def finding_report(session: Session, project_id: int) -> FindingReportValue | None:
    """What was found besides single pictures, when somebody looked last; None if nobody has."""
    row = session.get(FindingReport, project_id)
    if row is None:
        return None
    return FindingReportValue(looked_at=row.looked_at, report=row.report, dismissed=row.dismissed)


def set_dismissed_facts(session: Session, project_id: int, name: str, *, dismissed: bool) -> None:
    """Say of what is no matter of single pictures that it is no fault, or that it is one after all.

    Raises
    ------
    MissingError
        Nobody has looked yet.
    """
    row = session.get(FindingReport, project_id, with_for_update=True)
    if row is None:
        raise MissingError("Nobody has looked for findings yet.", "Look for them first.")
    kept = [one for one in row.dismissed if one != name]
    row.dismissed = [*kept, name] if dismissed else kept
    tell(session, "findings", project_id)


def finding_counts(session: Session, project_id: int) -> dict[str, tuple[int, int]]:
    """Of each kind how many are to be settled, and how many were dismissed of those found last."""
    query = (
        select(Finding.kind, func.count().filter(open_finding()), func.count())
        .join(Picture, Picture.id == Finding.picture_id)
        .where(Finding.project_id == project_id)
        .group_by(Finding.kind)
    )
    bits = [func.count().filter(Picture.dismissed.op("&")(kind.bit) != 0) for kind in FindingKind]
    said = session.execute(
        select(*bits).where(Picture.project_id == project_id, Picture.deleted_at.is_(None), Picture.dismissed != 0)
    ).one()
    dismissed = {kind.value: int(count) for kind, count in zip(FindingKind, said, strict=True)}
    found = {kind: waiting for kind, waiting, _ in session.execute(query)}
    return {kind.value: (found.get(kind.value, 0), dismissed[kind.value]) for kind in FindingKind}


def _waiting(project_id: int, kind: FindingKind, picture_ids: Sequence[int] | None) -> Any:
    query = (
        select(Picture.id, Picture.dismissed, Picture.class_id, Finding.proposal)
        .join(Finding, Finding.picture_id == Picture.id)
        .where(Finding.project_id == project_id, Finding.kind == kind.value, open_finding())
        .order_by(Picture.id)
        .with_for_update(of=Picture)
    )
    return query if picture_ids is None else query.where(among(Picture.id, picture_ids))


_SAID = {
    FindingKind.LABEL: "said to be labelled rightly",
    FindingKind.ALONE: "said to belong to their class",
}


def dismiss_findings(
    session: Session, project_id: int, window: str, kind: FindingKind, picture_ids: Sequence[int] | None
) -> ActionValue:
    """Say that pictures have no such fault, for good, as one step.

    Parameters
    ----------
    picture_ids : sequence of int or None
        All that wait, by default.

    Raises
    ------
    MissingError
        None of them waits to be settled.
    """
    rows = session.execute(_waiting(project_id, kind, picture_ids)).all()
    if not rows:
        raise MissingError("None of these pictures has such a finding.", "Another window may have settled them.")
    words = _SAID.get(kind, f"said not to be {kind.value.replace('-', ' ')}")
    action = record(session, project_id, window, "dismiss", f"{pictures_said(len(rows))} {words}")
    apply(session, action.id, [Change(row.id, "dismissed", row.dismissed, row.dismissed | kind.bit) for row in rows])
    tell(session, "findings", project_id)
    return action_value(action, len(rows))


def put_right(session: Session, project_id: int, window: str, picture_ids: Sequence[int] | None) -> ActionValue:
    """Give pictures the class that they probably are of, as one step.

    Raises
    ------
    MissingError
        None of them waits to be settled, or the class is gone.
    """
    live = select(Class.id).where(Class.project_id == project_id, Class.deleted_at.is_(None))
    query = _waiting(project_id, FindingKind.LABEL, picture_ids).where(Finding.proposal.in_(live))
    rows = session.execute(query).all()
    if not rows:
        raise MissingError("None of these labels is doubted.", "Another window may have settled them; look again.")
    action = record(session, project_id, window, "label", f"{pictures_said(len(rows))} labelled as findings propose")
    apply(session, action.id, [Change(row.id, "class", row.class_id, row.proposal) for row in rows])
    tell(session, "findings", project_id)
    return action_value(action, len(rows))


def findings_of(session: Session, project_id: int, picture_id: int) -> Sequence[FoundPicture]:
    """What waits to be settled of one picture, the costliest first."""
    rows = session.scalars(
        select(Finding)
        .join(Picture, Picture.id == Finding.picture_id)
        .where(Finding.project_id == project_id, Finding.picture_id == picture_id, open_finding())
    )
    found = [
        FoundPicture(
            picture_id=row.picture_id, kind=FindingKind(row.kind), weight=row.weight, class_id=row.class_id,
            proposal=row.proposal, p_label=row.p_label, p_proposal=row.p_proposal,
        )
        for row in rows
    ]  # fmt: skip
    return sorted(found, key=lambda one: list(FindingKind).index(one.kind))


def nearest_of_class(session: Session, picture_id: int, class_id: int, count: int) -> list[tuple[int, str]]:
    """Pictures of a class that look most like one, by their fingerprints: id and content."""
    place = select(PicturePrint.place).where(PicturePrint.picture_id == picture_id).scalar_subquery()
    rows = session.execute(
        select(Picture.id, Picture.sha256)
        .join(PicturePrint, PicturePrint.picture_id == Picture.id)
        .where(
            Picture.class_id == class_id,
            Picture.id != picture_id,
            Picture.deleted_at.is_(None),
            ~Picture.excluded,
            select(PicturePrint.picture_id).where(PicturePrint.picture_id == picture_id).exists(),
        )
        .order_by(PicturePrint.place.op("<->")(place), Picture.id)
        .limit(count)
    )
    return [(number, sha256) for number, sha256 in rows]
