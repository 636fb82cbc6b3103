"""Versions of a project's rules for working areas: the newest holds; taking back makes the next of what was before."""

from collections.abc import Mapping
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Action, AreaRules

__all__ = ["NO_RULES", "add_rules", "content_of", "newest_rules", "reverse_rules"]

# What holds before anybody makes rules.
NO_RULES: Mapping[str, Any] = {"rules": [], "fresh_by": "rule", "fresh_id": None}


def newest_rules(session: Session, project_id: int) -> AreaRules | None:
    """The version that holds."""
    query = select(AreaRules).where(AreaRules.project_id == project_id).order_by(AreaRules.number.desc()).limit(1)
    return session.scalar(query)


def content_of(row: AreaRules | None) -> Mapping[str, Any]:
    """What a version says, whichever its number."""
    return {name: getattr(row, name) for name in NO_RULES} if row else NO_RULES


def add_rules(session: Session, project_id: int, content: Mapping[str, Any]) -> AreaRules:
    """The next version, of what `content_of` gives."""
    last = session.scalar(select(func.max(AreaRules.number)).where(AreaRules.project_id == project_id)) or 0
    row = AreaRules(project_id=project_id, number=last + 1, **content)
    session.add(row)
    session.flush()
    return row


def reverse_rules(session: Session, action: Action, back: Action) -> tuple[int, int]:
    """Let the rules be what they were before a step, unless somebody changed them since; numbers changed and left."""
    changed = (action.detail or {}).get("rules")
    if changed is None or changed["before"] == changed["after"]:
        return 0, 0
    now = newest_rules(session, action.project_id)
    was, became = (session.get(AreaRules, changed[key]) if changed[key] else None for key in ("before", "after"))
    if content_of(now) != content_of(became):
        return 0, 1
    made = add_rules(session, action.project_id, content_of(was))
    back.detail = {"rules": {"before": now.id if now else None, "after": made.id}}
    return 1, 0
