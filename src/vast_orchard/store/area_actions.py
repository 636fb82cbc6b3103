"""What people do to working areas; each is one step of the history."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError
from vast_orchard.store.actions import locked_pictures
from vast_orchard.store.area_rules import add_rules, content_of, newest_rules
from vast_orchard.store.areas import area_id, check_rules_sift
from vast_orchard.store.database import tell
from vast_orchard.store.history import Change, action_value, apply, pictures_said, record
from vast_orchard.store.schema import Picture, Project
from vast_orchard.store.values import ActionValue

__all__ = ["give_area", "set_rules"]


def give_area(
    session: Session, project_id: int, window: str, picture_ids: Sequence[int], area: Mapping[str, Any] | None
) -> ActionValue:
    """Give pictures a working area of their own, which goes before every rule, or with None take it away.

    Parameters
    ----------
    area : mapping, optional
        A checked value, as `core.pictures.area` writes it.

    Raises
    ------
    MissingError
        A picture is not in the project; nothing is changed then.
    """
    wanted = None if area is None else area_id(session, project_id, area)
    rows = locked_pictures(session, project_id, picture_ids, Picture.area_id)
    changes = [Change(picture, "area", before, wanted) for picture, before in rows if before != wanted]
    words = "given a working area" if area is not None else "without a working area of their own"
    action = record(session, project_id, window, "area", f"{pictures_said(len(changes))} {words}")
    apply(session, action.id, changes)
    return action_value(action, len(changes))


def set_rules(
    session: Session,
    project_id: int,
    window: str,
    rules: Sequence[tuple[str, Mapping[str, Any]]],
    *,
    fresh_by: str,
    fresh: Mapping[str, Any] | None,
    was: int,
) -> ActionValue:
    """Make the next version of a project's rules, as one step; no picture is touched.

    Parameters
    ----------
    rules : sequence of (str, mapping)
        Sift and checked area of each; the first that lets a picture through gives it its area. An empty Sift lets
        all through and stands last.
    fresh_by : {"rule", "found", "whole"}
        By what a picture from elsewhere gets its area.
    fresh : mapping, optional
        That area; None: it counts whole.
    was : int
        Number of the version that these were made of.

    Raises
    ------
    SiftError
        A rule asks for what tells the class.
    ConflictError
        Somebody has changed the rules since, or a rule stands behind one that lets all through.
    """
    session.get_one(Project, project_id, with_for_update=True)
    now = newest_rules(session, project_id)
    if (now.number if now else 0) != was:
        raise ConflictError(
            "The rules were changed in another window since.", "Look at them as they are now, then change them again."
        )
    for place, (sift, _) in enumerate(rules):
        if sift.strip():
            check_rules_sift(session, project_id, sift)
        elif place < len(rules) - 1:
            raise ConflictError("A rule stands behind the one for all pictures.", "Put that one last.")
    content = {
        "rules": [{"sift": sift.strip(), "area_id": area_id(session, project_id, area)} for sift, area in rules],
        "fresh_by": fresh_by,
        "fresh_id": None if fresh is None else area_id(session, project_id, fresh),
    }
    made = add_rules(session, project_id, content) if content != content_of(now) else now
    action = record(session, project_id, window, "area_rules", _said(rules))
    action.detail = {"rules": {"before": now.id if now else None, "after": made.id if made else None}}
    tell(session, "areas", project_id)
    return action_value(action)


def _said(rules: Sequence[tuple[str, Mapping[str, Any]]]) -> str:
    if not rules:
        return "Working area: no rule"
    named = [f"for {sift.strip()}" if sift.strip() else "for all pictures" for sift, _ in rules]
    return f"Working area {', '.join(named)}"
