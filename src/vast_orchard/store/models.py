"""Models: the kept state of a run and what hangs on it, judged state by state."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Select, delete, select, update
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.database import tell
from vast_orchard.store.schema import Judgement, Look, Model, ModelKind, Run, RunState, Snapshot
from vast_orchard.store.values import ModelValue
from vast_orchard.types import SetName

__all__ = [
    "add_look",
    "check_look",
    "check_may_be_tested",
    "check_shown",
    "get_model",
    "judged_counts",
    "judged_sets",
    "judgement_of",
    "keep_state",
    "list_models",
    "model_of_run",
    "model_value",
    "models_without_digest",
    "set_digest",
    "set_unsure",
    "store_judgement",
    "sureness_of",
]


def model_value(row: Model, run_number: int | None, snapshot_id: int | None) -> ModelValue:
    """The value of a row."""
    return ModelValue(
        id=row.id,
        project_id=row.project_id,
        kind=row.kind,
        run_id=row.run_id,
        run_number=run_number,
        snapshot_id=snapshot_id,
        epoch=row.epoch,
        digest=row.digest,
        path=row.path,
        classes=row.classes,
        preprocessing=row.preprocessing,
        temperature=row.temperature,
        unsure_below=row.unsure_below,
        looks=row.looks,
        frozen=row.frozen_at is not None,
    )


def _query() -> Select[Model, int | None, int | None]:
    # A run in the bin has its model with it.
    return (
        select(Model, Run.number, Run.snapshot_id)
        .outerjoin(Run, Run.id == Model.run_id)
        .where(Run.deleted_at.is_(None))
    )


def get_model(session: Session, model_id: int) -> ModelValue:
    """One model.

    Raises
    ------
    MissingError
    """
    row = session.execute(_query().where(Model.id == model_id)).first()
    if row is None:
        raise MissingError(f"There is no model {model_id}.", "Open the Ledger for the runs that kept one.")
    return model_value(*row)


def model_of_run(session: Session, run_id: int) -> ModelValue:
    """What a run has kept.

    Raises
    ------
    ConflictError
        No epoch of it has finished yet, or none did.
    """
    row = session.execute(_query().where(Model.run_id == run_id, Model.kind == ModelKind.RUN)).first()
    if row is None:
        raise ConflictError("This run has kept nothing.", "Wait for its first epoch, or choose another run.")
    return model_value(*row)


def list_models(session: Session, project_id: int) -> Sequence[ModelValue]:
    """A project's models, newest first."""
    rows = session.execute(_query().where(Model.project_id == project_id).order_by(Model.id.desc()))
    return [model_value(*row) for row in rows]


def keep_state(session: Session, run_id: int, *, epoch: int, digest: str, path: str | None) -> str | None:
    """Make an epoch's state the model of its run; returns the path of the state that it replaces.

    What was said by that state is forgotten with it. The same state a second time, after a crash, changes nothing.
    """
    row = session.scalar(select(Model).where(Model.run_id == run_id, Model.kind == ModelKind.RUN).with_for_update())
    if row is None:
        run = session.get_one(Run, run_id)
        session.add(
            Model(
                project_id=run.project_id,
                kind=ModelKind.RUN.value,
                run_id=run_id,
                epoch=epoch,
                digest=digest,
                path=path,
                classes=session.scalar(select(Snapshot.classes).where(Snapshot.id == run.snapshot_id)),
                preprocessing=run.recipe["preprocessing"],
            )
        )
        return None
    if row.digest != digest:
        session.execute(delete(Judgement).where(Judgement.model_id == row.id))
        row.temperature = row.unsure_below = None
    old = row.path
    row.epoch, row.digest, row.path = epoch, digest, path
    session.flush()
    return old if old != path else None


def judgement_of(session: Session, model_id: int, set_name: str) -> dict[str, Any] | None:
    """Scores on a set, if it was judged; for the test set the caller counts a look first."""
    row = session.get(Judgement, (model_id, set_name))
    return row.scores if row else None


def judged_sets(session: Session, model_id: int) -> set[str]:
    """The sets that a model was judged on."""
    return set(session.scalars(select(Judgement.set_name).where(Judgement.model_id == model_id)))


def judged_counts(session: Session, model_id: int) -> dict[str, tuple[int, bool]]:
    """Of each judged set its pictures, and whether it is known how sure the judgement is."""
    query = select(Judgement.set_name, Judgement.scores["count"].as_integer(), Judgement.sureness.is_not(None))
    rows = session.execute(query.where(Judgement.model_id == model_id))
    return {name: (count, sure) for name, count, sure in rows}


def sureness_of(session: Session, model_id: int, set_name: str) -> dict[str, Any] | None:
    """How sure a judgement is, if it is known; for the test set the caller counts a look first."""
    row = session.get(Judgement, (model_id, set_name))
    return row.sureness if row else None


def store_judgement(
    session: Session,
    model: ModelValue,
    set_name: str,
    scores: Mapping[str, Any] | None,
    sureness: Mapping[str, Any] | None = None,
) -> None:
    """Replace the scores of this state of a model on one set, or take them back; predictions by them go.

    What was fitted on the validation pictures becomes the model's temperature.

    Raises
    ------
    ConflictError
        Another state has taken its place meanwhile.
    """
    row = session.scalar(select(Model).where(Model.id == model.id).with_for_update())
    if row is None or row.digest != model.digest:
        raise ConflictError("The run went on while it was judged.", "Judge it when it has ended.")
    session.execute(delete(Judgement).where(Judgement.model_id == model.id, Judgement.set_name == set_name))
    if scores is not None:
        session.add(
            Judgement(
                model_id=model.id,
                set_name=set_name,
                digest=row.digest,
                scores=dict(scores),
                sureness=dict(sureness) if sureness else None,
            )
        )
    if sureness and set_name == SetName.VALIDATION:
        row.temperature = sureness["temperature"]
    session.flush()
    tell(session, "runs", row.project_id, run=row.run_id or 0)


def check_may_be_tested(session: Session, model_id: int) -> None:
    """That outcomes on the test set may be asked for.

    Raises
    ------
    ConflictError
        The model's run still trains, so that its kept state may be another tomorrow.
    """
    state = session.scalar(select(Run.state).join(Model, Model.run_id == Run.id).where(Model.id == model_id))
    if state is not None and state != RunState.ENDED:
        raise ConflictError(
            "The run has not ended, so what it will keep is not known yet.",
            "Wait until it has ended, or stop it; the test set is for what is kept then.",
        )


def add_look(session: Session, model_id: int, place: str) -> int:
    """Count one look at the test set; its id opens the test outcomes.

    Raises
    ------
    ConflictError
        The run of the model has not ended.
    """
    check_may_be_tested(session, model_id)
    row = session.get_one(Model, model_id, with_for_update=True)
    look = Look(project_id=row.project_id, model_id=model_id, place=place)
    session.add(look)
    row.looks += 1
    session.flush()
    tell(session, "runs", row.project_id, run=row.run_id or 0)
    return look.id


def check_look(session: Session, model_id: int, look_id: int | None) -> None:
    """Raise `ConflictError` unless the look was counted for this model."""
    look = session.get(Look, look_id) if look_id else None
    if look is None or look.model_id != model_id:
        raise ConflictError(
            "Outcomes on the test set are shown only when the look is counted.",
            "Count it first (POST …/looks) and pass its id as look.",
        )


def check_shown(session: Session, model_id: int, name: str | None, look_id: int | None) -> None:
    """Raise as `check_look` unless what is said of a set may be shown: of the test set by a counted look only."""
    if name == "test":
        check_look(session, model_id, look_id)


def set_unsure(session: Session, model_id: int, below: Sequence[float | None] | None) -> ModelValue:
    """Say under which probability an answer of each class is "unsure"; None: never.

    Raises
    ------
    ConflictError
        The run of the model has not ended.
    """
    row = session.get_one(Model, model_id, with_for_update=True)
    if row.frozen_at is None:
        raise ConflictError(
            "The run has not ended, so what it will keep is not known yet.", "Set it when the run has ended."
        )
    row.unsure_below = None if below is None else list(below)
    session.flush()
    tell(session, "runs", row.project_id, run=row.run_id or 0)
    return get_model(session, model_id)


def models_without_digest(session: Session, project_id: int | None = None) -> Sequence[tuple[int, str]]:
    """Id and path of models that came from an earlier version, whose weights nobody has read yet."""
    query = select(Model.id, Model.path).where(Model.digest.is_(None), Model.path.is_not(None)).order_by(Model.id)
    if project_id is not None:
        query = query.where(Model.project_id == project_id)
    return [(row.id, row.path) for row in session.execute(query)]


def set_digest(session: Session, model_id: int, digest: str) -> None:
    """Say what the weights of a model of an earlier version are, and that its judgements are theirs."""
    session.execute(update(Model).where(Model.id == model_id, Model.digest.is_(None)).values(digest=digest))
    session.execute(
        update(Judgement).where(Judgement.model_id == model_id, Judgement.digest.is_(None)).values(digest=digest)
    )
