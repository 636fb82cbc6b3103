"""Which steps of the history stand, and what pictures would be like by those alone.

A step stands unless it was taken back, and again when that was taken back, and so on. A picture is as the last standing
step that changed it left it, or as it was before the first one. So taking a step back never goes over someone's later
choice, also where that choice has the same value; and when all have taken everything back, all is as it was.
"""

from collections.abc import Collection, Mapping
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, select, true
from sqlalchemy.orm import Session, aliased

from vast_orchard.store.database import among
from vast_orchard.store.schema import Action, ActionChange

__all__ = ["Replayed", "Standing"]


class Replayed(NamedTuple):
    """A fact of one picture by the history, without a step and with it."""

    before: Any  # as long as the taking back did not count
    after: Any


class Standing:
    """The steps of a project that were taken back or done again, and by which."""

    def __init__(self, session: Session, project_id: int) -> None:
        self._session = session
        undone = aliased(Action)
        rows = session.execute(
            select(Action.id, undone.id, undone.kind)
            .join(undone, undone.id == Action.undoes)
            .where(Action.project_id == project_id)
        ).all()
        self._undoes = {step: undone_id for step, undone_id, _ in rows}
        self._taken_back_by = {undone_id: step for step, undone_id in self._undoes.items()}
        # An import has no changes of its own: those that put its pictures into the bin are of its taking back.
        self._of_imports = {step for step, _, kind in rows if kind == "import"}

    def root(self, step: int) -> int:
        """The step whose changes a taking back or doing again is about."""
        while step in self._undoes and step not in self._of_imports:
            step = self._undoes[step]
        return step

    def stands(self, step: int, *, without: int = 0) -> bool:
        """True if a root stands; `without` counts a step as if it had never been."""
        is_so, last = True, step
        while last in self._taken_back_by and self._taken_back_by[last] != without:
            is_so, last = not is_so, self._taken_back_by[last]
        return is_so

    def is_root(self, step: int) -> bool:
        """True for a step that is not about another one."""
        return self.root(step) == step

    def replay(
        self,
        fact: str,
        picture_ids: Collection[int],
        step: int,
        *,
        within: ColumnElement[bool] | None = None,
    ) -> Mapping[int, Replayed]:
        """What a fact of some pictures is by all standing steps, before `step` changed which these are, and after.

        Parameters
        ----------
        fact : str
            As changes name it.
        within : condition, optional
            Only steps of this kind count.
        """
        rows = self._session.execute(
            select(ActionChange.picture_id, ActionChange.action_id, ActionChange.change[fact])
            .join(Action, Action.id == ActionChange.action_id)
            .where(
                among(ActionChange.picture_id, list(picture_ids)),
                ActionChange.change.has_key(fact),
                true() if within is None else within,
            )
            .order_by(ActionChange.picture_id, ActionChange.action_id)
        )
        stood: dict[int, bool] = {}
        stands: dict[int, bool] = {}
        found: dict[int, Replayed] = {}
        for picture, changed_by, (was, became) in rows:
            if not self.is_root(changed_by):
                continue
            if changed_by not in stands:
                stands[changed_by] = self.stands(changed_by)
                stood[changed_by] = self.stands(changed_by, without=step)
            so_far = found.get(picture, Replayed(was, was))
            found[picture] = Replayed(
                became if stood[changed_by] else so_far.before, became if stands[changed_by] else so_far.after
            )
        return found
