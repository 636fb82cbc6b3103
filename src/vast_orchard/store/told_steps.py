"""The history as a person reads it: its steps, newest first, all of them or those of one picture or one class."""

from collections.abc import Sequence

from sqlalchemy import ColumnElement, func, or_, select
from sqlalchemy.orm import Session

from vast_orchard.store.history import action_value
from vast_orchard.store.schema import Action, ActionChange
from vast_orchard.store.values import ActionValue

__all__ = ["list_actions"]


def list_actions(
    session: Session,
    project_id: int,
    limit: int = 100,
    *,
    before: int | None = None,
    picture_id: int | None = None,
    class_id: int | None = None,
) -> Sequence[ActionValue]:
    """Steps, newest first, with the number of pictures that each changed.

    Parameters
    ----------
    before : int, optional
        Only steps older than this one.
    picture_id : int, optional
        Only steps that changed this picture.
    class_id : int, optional
        Only steps that put pictures into this class or took them out of it, or changed the class itself.
    """
    count = (
        select(func.count())
        .select_from(ActionChange)
        .where(ActionChange.action_id == Action.id)
        .correlate(Action)
        .scalar_subquery()
    )
    query = select(Action, count).where(Action.project_id == project_id)
    if before is not None:
        query = query.where(Action.id < before)
    if picture_id is not None:
        query = query.where(Action.id.in_(select(ActionChange.action_id).where(ActionChange.picture_id == picture_id)))
    if class_id is not None:
        query = query.where(_about_class(class_id))
    return [action_value(row, n) for row, n in session.execute(query.order_by(Action.id.desc()).limit(limit))]


def _about_class(class_id: int) -> ColumnElement[bool]:
    relabelled = (
        select(ActionChange.picture_id)
        .where(ActionChange.action_id == Action.id, ActionChange.change["class"].contains([class_id]))
        .exists()
    )
    return or_(
        relabelled,
        Action.detail["changes"].contains([{"class_id": class_id}]),
        Action.detail["class"].as_integer() == class_id,
        Action.detail["classes"].contains([class_id]),
    )
