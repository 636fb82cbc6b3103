"""Runs: the snapshot they start from, what they report, and what has changed since."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Select, and_, func, insert, select
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.classes import list_classes
from vast_orchard.store.database import tell
from vast_orchard.store.jobs import job_of
from vast_orchard.store.schema import (
    Checkpoint,
    Class,
    Epoch,
    JobKind,
    JobState,
    Look,
    Picture,
    Project,
    Run,
    RunPicture,
    Split,
    SplitMember,
)
from vast_orchard.store.values import EpochValue, Footing, RunPictureValue, RunValue

__all__ = [
    "add_epoch",
    "add_look",
    "check_look",
    "checkpoint_path",
    "count_looks",
    "create_run",
    "end_run",
    "footing",
    "get_run",
    "judgement_of",
    "list_runs",
    "run_pictures",
    "set_checkpoint",
    "set_judgement",
    "set_parameters",
    "set_train_s",
    "trained_on",
]


def create_run(
    session: Session,
    project_id: int,
    split_id: int,
    recipe: Mapping[str, Any],
    *,
    program: str,
    variation_id: int | None = None,
    preprocessing_id: int | None = None,
) -> RunValue:
    """A new run with a snapshot of its pictures, classes and ingredients.

    Raises
    ------
    ConflictError
        The split leaves training or validation empty, or fewer than two classes have training pictures.
    """
    split = session.get(Split, split_id)
    if split is None or split.project_id != project_id:
        raise MissingError(f"There is no split {split_id} in this project.", "Divide the pictures first.")
    session.execute(select(Project.id).where(Project.id == project_id).with_for_update())
    last = session.scalar(select(func.max(Run.number)).where(Run.project_id == project_id)) or 0
    members = session.execute(_standing_members(split_id)).all()
    classes = _trainable_classes(session, project_id, members)
    known = {entry["id"] for entry in classes}
    row = Run(
        project_id=project_id,
        number=last + 1,
        split_id=split_id,
        split_number=split.number,
        variation_id=variation_id,
        preprocessing_id=preprocessing_id,
        recipe=dict(recipe),
        classes=classes,
        program=program,
        parameters=0,
        judgements={},
    )
    session.add(row)
    session.flush()
    session.execute(
        insert(RunPicture),
        [
            {
                "run_id": row.id,
                "picture_id": picture,
                "sha256": sha256,
                "class_id": class_id,
                "set_name": set_name,
            }
            for picture, sha256, class_id, set_name in members
            if class_id in known
        ],
    )
    tell(session, "runs", project_id, run=row.id)
    return _value(session, row)


def _standing_members(split_id: int) -> Select[int, str, int | None, str]:
    """Id, content, class and set of a split's pictures that take part in training and judging."""
    return (
        select(Picture.id, Picture.sha256, Picture.class_id, SplitMember.set_name)
        .join(SplitMember, SplitMember.picture_id == Picture.id)
        .where(
            SplitMember.split_id == split_id,
            Picture.class_id.is_not(None),
            Picture.deleted_at.is_(None),
            ~Picture.excluded,
            ~Picture.unsure,
        )
    )


def trained_on(session: Session, split_id: int) -> Sequence[tuple[str, int]]:
    """SHA-256 and class id of the pictures that a training on this split would be shown."""
    members = session.execute(_standing_members(split_id).where(SplitMember.set_name == "training"))
    return [(sha256, class_id) for _, sha256, class_id, _ in members if class_id is not None]


def _trainable_classes(session: Session, project_id: int, members: Sequence[Any]) -> list[dict[str, Any]]:
    """Classes in their order; those without a training picture are left out, for nothing could be learnt of them."""
    sets = {member.set_name for member in members}
    for needed in ("training", "validation"):
        if needed not in sets:
            raise ConflictError(f"The split has no {needed} pictures.", "Divide again so that every set holds some.")
    trained = {member.class_id for member in members if member.set_name == "training"}
    classes = [
        {"id": entry.id, "name": entry.name, "sign": entry.sign}
        for entry in list_classes(session, project_id)
        if entry.id in trained
    ]
    if len(classes) < 2:
        names = ", ".join(str(entry["name"]) for entry in classes) or "none"
        raise ConflictError(
            f"Only {len(classes)} class has training pictures ({names}).",
            "A network tells at least two classes apart: label pictures of another, then divide again.",
        )
    return classes


def _value(session: Session, row: Run) -> RunValue:
    counts = session.execute(
        select(RunPicture.set_name, func.count()).where(RunPicture.run_id == row.id).group_by(RunPicture.set_name)
    )
    epochs = session.scalars(select(Epoch).where(Epoch.run_id == row.id).order_by(Epoch.number))
    job = job_of(session, JobKind.TRAIN, row.id)
    return RunValue(
        id=row.id,
        project_id=row.project_id,
        number=row.number,
        split_id=row.split_id,
        split_number=row.split_number,
        recipe=row.recipe,
        classes=row.classes,
        program=row.program,
        parameters=row.parameters,
        created_at=row.created_at,
        train_s=row.train_s,
        kept_epoch=row.kept_epoch,
        ended_because=row.ended_because,
        judgements={name: value for name, value in row.judgements.items() if name != "test"},
        state=job.state if job else JobState.WAITING.value,
        counts=dict(counts.all()),
        epochs=[
            EpochValue(
                number=entry.number,
                training_loss=entry.training_loss,
                training_accuracy=entry.training_accuracy,
                validation_loss=entry.validation_loss,
                validation_accuracy=entry.validation_accuracy,
                learning_rate=entry.learning_rate,
            )
            for entry in epochs
        ],
        looks=count_looks(session, row.id),
    )


def _row(session: Session, run_id: int) -> Run:
    row = session.get(Run, run_id)
    if row is None:
        raise MissingError(f"There is no run {run_id}.", "Open the Ledger for those there are.")
    return row


def get_run(session: Session, run_id: int) -> RunValue:
    """One run; test outcomes are left out of it (see `add_look`).

    Raises
    ------
    MissingError
    """
    return _value(session, _row(session, run_id))


def list_runs(session: Session, project_id: int) -> Sequence[RunValue]:
    """A project's runs, newest first."""
    rows = session.scalars(select(Run).where(Run.project_id == project_id).order_by(Run.number.desc()))
    return [_value(session, row) for row in rows]


def run_pictures(session: Session, run_id: int) -> Sequence[RunPictureValue]:
    """The run's pictures as they were, ordered by content, so that arrays made of them are always the same."""
    rows = session.scalars(select(RunPicture).where(RunPicture.run_id == run_id).order_by(RunPicture.sha256))
    return [
        RunPictureValue(picture_id=row.picture_id, sha256=row.sha256, class_id=row.class_id, set_name=row.set_name)
        for row in rows
    ]


def add_epoch(session: Session, run_id: int, figures: Mapping[str, Any], kept_epoch: int) -> None:
    """Record an epoch; one that is computed a second time after a crash has the same figures and replaces itself."""
    row = _row(session, run_id)
    statement = upsert(Epoch).values(run_id=run_id, **figures)
    session.execute(
        statement.on_conflict_do_update(
            index_elements=[Epoch.run_id, Epoch.number],
            set_={key: statement.excluded[key] for key in figures if key != "number"},
        )
    )
    row.kept_epoch = kept_epoch
    tell(session, "epochs", row.project_id, run=run_id)


def set_checkpoint(session: Session, run_id: int, kind: str, epoch: int, path: str) -> str | None:
    """Point at a newly written state; returns the path it replaces, which may be removed after the commit."""
    row = session.get(Checkpoint, (run_id, kind))
    old = row.path if row else None
    if row is None:
        session.add(Checkpoint(run_id=run_id, kind=kind, epoch=epoch, path=path))
    else:
        row.epoch, row.path = epoch, path
    return old if old != path else None


def checkpoint_path(session: Session, run_id: int, kind: str) -> str | None:
    """Where the state lies, if there is one."""
    row = session.get(Checkpoint, (run_id, kind))
    return row.path if row else None


def judgement_of(session: Session, run_id: int, set_name: str) -> dict[str, Any] | None:
    """Scores on a set, if it was judged; for the test set the caller counts a look first."""
    found: dict[str, Any] | None = _row(session, run_id).judgements.get(set_name)
    return found


def set_parameters(session: Session, run_id: int, parameters: int) -> None:
    """Store the size of the run's network."""
    _row(session, run_id).parameters = parameters


def set_train_s(session: Session, run_id: int, train_s: float) -> None:
    """Store how long the run has trained so far, so that an interrupted one goes on counting."""
    _row(session, run_id).train_s = train_s


def end_run(session: Session, run_id: int, because: str, train_s: float) -> None:
    """Store why the training ended, in words, and how long it took."""
    row = _row(session, run_id)
    row.ended_because, row.train_s = because, train_s
    tell(session, "runs", row.project_id, run=run_id)


def set_judgement(session: Session, run_id: int, set_name: str, judgement: Mapping[str, Any]) -> None:
    """Store the scores on one set."""
    row = _row(session, run_id)
    row.judgements = {**row.judgements, set_name: dict(judgement)}
    tell(session, "runs", row.project_id, run=run_id)


def add_look(session: Session, run_id: int, place: str) -> int:
    """Count one look at the test set; its id opens the test outcomes."""
    row = _row(session, run_id)
    look = Look(project_id=row.project_id, run_id=run_id, place=place)
    session.add(look)
    session.flush()
    tell(session, "runs", row.project_id, run=run_id)
    return look.id


def check_look(session: Session, run_id: int, look_id: int | None) -> None:
    """Raise `ConflictError` unless the look was counted for this run."""
    look = session.get(Look, look_id) if look_id else None
    if look is None or look.run_id != run_id:
        raise ConflictError(
            "Outcomes on the test set are shown only when the look is counted.",
            "Count it first (POST …/looks) and pass its id as look.",
        )


def count_looks(session: Session, run_id: int) -> int:
    """How often the test set of this run was looked at."""
    return session.scalar(select(func.count()).select_from(Look).where(Look.run_id == run_id)) or 0


def footing(session: Session, run_id: int) -> Footing:
    """What the run stands on, and what has changed since."""
    row = _row(session, run_id)
    snapshot = select(RunPicture.picture_id).where(RunPicture.run_id == run_id)

    def count(query: Any) -> int:
        return session.scalar(select(func.count()).select_from(query.subquery())) or 0

    same = and_(Picture.id == RunPicture.picture_id, Picture.project_id == row.project_id, Picture.deleted_at.is_(None))
    joined = select(RunPicture.picture_id).where(RunPicture.run_id == run_id)
    names = {entry["id"]: entry["name"] for entry in row.classes}
    now = session.execute(select(Class.id, Class.name).where(Class.id.in_(names))).all()
    return Footing(
        run_number=row.number,
        split_number=row.split_number,
        pictures=count(snapshot),
        labels_changed=count(joined.join(Picture, same).where(Picture.class_id.is_distinct_from(RunPicture.class_id))),
        pictures_added=count(
            select(Picture.id).where(
                Picture.project_id == row.project_id,
                Picture.class_id.is_not(None),
                Picture.deleted_at.is_(None),
                Picture.came_at > row.created_at,
            )
        ),
        pictures_gone=count(joined.outerjoin(Picture, same).where(Picture.id.is_(None))),
        classes_renamed=sum(1 for class_id, name in now if names[class_id] != name),
    )
