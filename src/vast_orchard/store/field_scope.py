"""What an address names is what a Sift is read against: its split, its run, and which predictions count."""

import datetime as dt
from collections.abc import Sequence
from typing import Any, TypeVar

from sqlalchemy import ColumnElement, Select, and_, select
from sqlalchemy.orm import Session

from vast_orchard.errors import MissingError
from vast_orchard.store.areas import area_tests
from vast_orchard.store.database import among
from vast_orchard.store.models import check_look, judged_sets
from vast_orchard.store.schema import Class, Model, ModelKind, Picture, Prediction, Run, RunState, Split
from vast_orchard.store.set_codes import set_codes
from vast_orchard.store.sift.scope import SiftScope
from vast_orchard.store.values import SaidValue
from vast_orchard.types import SetName

__all__ = ["joined", "judged", "said_of", "scope_of"]

# A query of any columns.
S = TypeVar("S", bound="Select[Any, *tuple[Any, ...]]")


def scope_of(
    session: Session,
    project_id: int,
    *,
    split_id: int | None = None,
    run_id: int | None = None,
    look_id: int | None = None,
    like_id: int | None = None,
    now: dt.datetime,
) -> SiftScope:
    """What a Sift means, by what the address names.

    Raises
    ------
    MissingError
        The split, the run or the picture is not of this project.
    ConflictError
        The look was not counted for this run.
    """
    classes = session.execute(
        select(Class.name, Class.id)
        .where(Class.project_id == project_id, Class.deleted_at.is_(None))
        .order_by(Class.place)
    )
    split = session.get(Split, split_id) if split_id else None
    run = session.scalar(select(Run).where(Run.id == run_id, Run.deleted_at.is_(None))) if run_id else None
    model = session.scalar(select(Model).where(Model.run_id == run_id, Model.kind == ModelKind.RUN)) if run else None
    like = session.get(Picture, like_id) if like_id else None
    for what, asked, found in (("split", split_id, split), ("run", run_id, run), ("picture", like_id, like)):
        if asked and (found is None or found.project_id != project_id):
            raise MissingError(f"There is no {what} {asked} in this project.", "Choose one that is there.")
    if run and look_id:
        check_look(session, model.id if model else 0, look_id)
    return SiftScope(
        project_id=project_id,
        now=now,
        classes={row.name: row.id for row in classes},
        split_id=split_id,
        sets=set_codes(session, split_id) if split_id else None,
        run_id=run_id,
        model_id=model.id if model else None,
        unjudged=_unjudged(session, run, model, look_id) if run else None,
        run_classes={entry["name"]: entry["id"] for entry in model.classes} if model else {},
        unsure_below=_thresholds(model),
        test_shown=look_id is not None,
        like_id=like_id,
        areas=area_tests(session, project_id),
    )


def _thresholds(model: Model | None) -> dict[int, float | None] | None:
    """Under which probability an answer of each class is "unsure", by the class's id."""
    if model is None or model.unsure_below is None:
        return None
    return {entry["id"]: below for entry, below in zip(model.classes, model.unsure_below, strict=True)}


def _unjudged(session: Session, run: Run, model: Model | None, look_id: int | None) -> str | None:
    """What to do about a run that nothing can be asked of yet; None for one that was judged."""
    if model is not None:
        sets = judged_sets(session, model.id)
        if sets - ({SetName.TEST.value} if look_id is None else set()):
            return None
    if run.state != RunState.ENDED:
        return "It is judged when its training ends: wait, or stop it in the tray."
    if model is None:
        return "It ended before its first epoch and kept nothing: choose another run."
    return "Judge it in Review."


def joined(query: S, scope: SiftScope) -> S:
    """With the run's predictions and the classes beside; PostgreSQL leaves out what is not used."""
    which = judged(Picture.id.expression, scope)
    return (
        query.select_from(Picture)
        .outerjoin(Prediction, which)
        .outerjoin(Class, Class.id == Picture.class_id)
        .where(Picture.project_id == scope.project_id, Picture.deleted_at.is_(None))
    )


def judged(picture_id: ColumnElement[int], scope: SiftScope) -> ColumnElement[bool]:
    """Which of the run's predictions belongs to a picture."""
    said = and_(Prediction.picture_id == picture_id, Prediction.model_id == (scope.model_id or 0))
    return said if scope.test_shown else and_(said, Prediction.set_name != SetName.TEST.value)


def said_of(session: Session, scope: SiftScope, picture_ids: Sequence[int] | None = None) -> dict[int, SaidValue]:
    """What the run on show said of pictures, by their ids; nothing of the test set without a look.

    Parameters
    ----------
    picture_ids : sequence of int, optional
        Only of these; of all that it was asked about by default.
    """
    if scope.model_id is None:
        return {}
    query = (
        select(Prediction, Model.digest, Run.number)
        .join(Model, Model.id == Prediction.model_id)
        .join(Run, Run.id == Model.run_id)
        .where(judged(Prediction.picture_id.expression, scope))
    )
    if picture_ids is not None:
        query = query.where(among(Prediction.picture_id, picture_ids))
    return {
        said.picture_id: SaidValue(
            run=number,
            digest=digest,
            set_name=said.set_name,
            true_class=said.true_class,
            predicted_class=said.predicted_class,
            p=said.p,
            calibrated=said.calibrated,
            loss=said.loss,
            probabilities=list(said.probabilities),
        )
        for said, digest, number in session.execute(query)
    }
