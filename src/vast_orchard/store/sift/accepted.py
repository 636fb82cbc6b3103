"""Which pictures bear the label that a run proposed and a person accepted, as a condition of the Sift."""

from sqlalchemy import ColumnElement, Integer, cast, select

from vast_orchard.store.schema import Action, ActionChange, Picture
from vast_orchard.store.sift.against import run_number
from vast_orchard.store.sift.syntax import Word

__all__ = ["accepted_of"]


def accepted_of(word: Word, project_id: int) -> ColumnElement[bool]:
    """What was taken back or labelled otherwise since bears another label, and is not meant.

    Raises
    ------
    SiftError
        The word is not the number of a run.
    """
    number = run_number(word)
    accepted = (
        select(ActionChange.picture_id)
        .join(Action, Action.id == ActionChange.action_id)
        .where(
            Action.project_id == project_id,
            Action.kind == "accept",
            Action.detail["by_run"].as_integer() == number,
            ActionChange.picture_id == Picture.id,
            cast(ActionChange.change["class"][1].astext, Integer) == Picture.class_id,
        )
        .correlate(Picture)
    )
    return accepted.exists()
