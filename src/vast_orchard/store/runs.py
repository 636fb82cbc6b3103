"""Runs: their start, what they report, and what has changed since."""

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

from sqlalchemy import and_, case, func, literal, or_, select, true, update
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.orm import Session

from vast_orchard.errors import MissingError
from vast_orchard.store.areas import area_now, rules_now
from vast_orchard.store.database import tell
from vast_orchard.store.ledger import one_run
from vast_orchard.store.projects import checked_name
from vast_orchard.store.schema import Class, Epoch, Picture, Project, Run, RunGroup, Snapshot, SnapshotPicture, Split
from vast_orchard.store.snapshots import take_snapshot
from vast_orchard.store.values import EpochValue, Footing, RunValue, WatchedEpoch

__all__ = [
    "START_FILE",
    "add_epoch",
    "create_run",
    "describe_run",
    "footing",
    "get_run",
    "link_runs",
    "list_epochs",
    "list_watched",
    "set_last_state",
    "set_parameters",
    "set_start",
    "set_varied",
]

# Of a run's epochs, those whose layers are read, and the last ones that are read in any case.
_WATCHED, _WATCHED_LAST = 400, 50

START_FILE = "start.safetensors"  # in a run's folder: the model that it started from, whole


def create_run(
    session: Session,
    project_id: int,
    split_id: int,
    recipe: Mapping[str, Any],
    *,
    program: str,
    variation_id: int | None = None,
    preprocessing_id: int | None = None,
    network_id: int | None = None,
    group_id: int | None = None,
    name: str = "",
    note: str = "",
    class_ids: Sequence[int] | None = None,
    snapshot_id: int | None = None,
    place: Mapping[str, Any] = MappingProxyType({}),
) -> RunValue:
    """A new run with a snapshot of its pictures and classes; `set_parameters` completes its recipe.

    Parameters
    ----------
    snapshot_id : int, optional
        Of pictures as they were earlier; the split as it is now by default.
    place : mapping
        Of a run of a plan `trial`, `varied` and `until_epoch`; of a final training `repeats`.
    class_ids : sequence of int, optional
        Of a model that is trained already, see `take_snapshot`.

    Raises
    ------
    MissingError
        There is no such split or group in the project.
    ConflictError
        The split cannot be trained on, see `take_snapshot`.
    """
    split = session.get(Split, split_id)
    if split is None or split.project_id != project_id:
        raise MissingError(f"There is no split {split_id} in this project.", "Divide the pictures first.")
    group = session.get(RunGroup, group_id) if group_id else None
    if group_id and (group is None or group.project_id != project_id):
        raise MissingError(f"There is no group of runs {group_id} in this project.", "Make it first.")
    project = session.get_one(Project, project_id, with_for_update=True)
    project.last_run += 1
    fellows = Run.group_id == group_id if group_id else Run.group_id.is_(None)
    previous = session.scalar(
        select(Run.id)
        .where(Run.project_id == project_id, Run.deleted_at.is_(None), fellows)
        .order_by(Run.number.desc())
        .limit(1)
    )
    snapshot_id = snapshot_id or take_snapshot(session, project_id, split_id, class_ids).id
    row = Run(
        **place,
        project_id=project_id,
        number=project.last_run,
        name=_run_name(name),
        note=note.strip(),
        group_id=group_id,
        previous_id=previous,
        snapshot_id=snapshot_id,
        split_id=split_id,
        split_number=split.number,
        variation_id=variation_id,
        preprocessing_id=preprocessing_id,
        network_id=network_id,
        recipe=dict(recipe),
        program=program,
        parameters=0,
    )
    session.add(row)
    session.flush()
    tell(session, "runs", project_id, run=row.id)
    return get_run(session, row.id)


def link_runs(session: Session, project_id: int) -> None:
    """Say which run was before which, when runs came with an archive, went to the bin, or came back from it."""
    order = func.lag(Run.id).over(partition_by=Run.group_id, order_by=Run.number)
    before = (
        select(Run.id.label("own"), order.label("previous"))
        .where(Run.project_id == project_id, Run.deleted_at.is_(None))
        .subquery()
    )
    session.execute(
        update(Run)
        .where(Run.id == before.c.own, Run.previous_id.is_distinct_from(before.c.previous))
        .values(previous_id=before.c.previous),
        execution_options={"synchronize_session": False},
    )


def _row(session: Session, run_id: int) -> Run:
    row = session.get(Run, run_id)
    if row is None:
        raise MissingError(f"There is no run {run_id}.", "Open the Ledger for those there are.")
    return row


def get_run(session: Session, run_id: int) -> RunValue:
    """One run; test outcomes are left out of it (see `models.add_look`).

    Raises
    ------
    MissingError
    """
    found = one_run(session, run_id)
    if found is None:
        raise MissingError(f"There is no run {run_id}.", "Open the Ledger for those there are; it may lie in the bin.")
    return found


def describe_run(session: Session, run_id: int, *, name: str | None = None, note: str | None = None) -> RunValue:
    """Give a run a name or a note; what is None stays, what is empty goes.

    Raises
    ------
    MissingError, InputError
    """
    row = _row(session, run_id)
    row.name = row.name if name is None else _run_name(name)
    row.note = row.note if note is None else note.strip()
    session.flush()
    tell(session, "runs", row.project_id, run=run_id)
    return get_run(session, run_id)


def _run_name(text: str) -> str:
    return checked_name(text, "run") if text.strip() else ""


def list_epochs(session: Session, run_id: int) -> Sequence[EpochValue]:
    """Figures of a run's epochs, in their order."""
    query = (
        select(Epoch.number, Epoch.figures, Epoch.recalls, Epoch.watched["losses"].label("losses"))
        .where(Epoch.run_id == run_id)
        .order_by(Epoch.number)
    )
    return [
        EpochValue(number=row.number, figures=row.figures, recalls=row.recalls, losses=row.losses or [])
        for row in session.execute(query)
    ]


def list_watched(session: Session, run_id: int, *, whole: bool = False) -> Sequence[WatchedEpoch]:
    """Everything that is recorded of a run's epochs, in their order.

    Beyond 400 epochs the figures of layers are those of every so manieth and of the last fifty, unless the whole of it
    is asked for.
    """
    last = 0 if whole else session.scalar(select(func.max(Epoch.number)).where(Epoch.run_id == run_id)) or 0
    every = -(-last // _WATCHED)
    # Of a long run the figures of layers are read of some epochs only: all of them are hundreds of megabytes.
    read = or_(Epoch.number % every == 0, Epoch.number > last - _WATCHED_LAST) if every > 1 else true()
    query = (
        select(
            Epoch.number,
            Epoch.figures,
            case((read, Epoch.watched), else_=Epoch.watched.op("-")(literal("layers"))).label("watched"),
        )
        .where(Epoch.run_id == run_id)
        .order_by(Epoch.number)
    )
    return [WatchedEpoch(**row._mapping) for row in session.execute(query)]


def add_epoch(
    session: Session,
    run_id: int,
    number: int,
    figures: Mapping[str, float],
    *,
    kept: bool,
    train_s: float,
    recalls: Sequence[float | None] = (),
    watched: Mapping[str, Any] = MappingProxyType({}),
) -> None:
    """Record an epoch; one that is computed a second time after a crash has the same figures and replaces itself.

    Parameters
    ----------
    kept : bool
        Its state is the run's model now.
    train_s : float
        Seconds that the run has trained so far, so that an interrupted one goes on counting.
    recalls : sequence of float or None
        Of each class on validation.
    watched : mapping
        What else is recorded of it, see `core.watching.history`.
    """
    row = _row(session, run_id)
    values = {"figures": dict(figures), "recalls": list(recalls), "watched": dict(watched)}
    statement = upsert(Epoch).values(run_id=run_id, number=number, **values)
    session.execute(
        statement.on_conflict_do_update(
            index_elements=[Epoch.run_id, Epoch.number],
            set_={name: statement.excluded[name] for name in values},
        )
    )
    row.epochs_done, row.train_s = number, train_s
    if kept:
        row.figures = dict(figures)
    tell(session, "epochs", row.project_id, run=run_id)


def set_last_state(session: Session, run_id: int, epoch: int, path: str) -> str | None:
    """Point at a newly written state to go on from; returns the path that it replaces."""
    row = _row(session, run_id)
    old, row.state_path, row.state_epoch = row.state_path, path, epoch
    return old if old != path else None


def set_varied(session: Session, run_id: int, varied: Mapping[str, Any]) -> None:
    """Store what a run of a plan varies, with the scores that it has reached."""
    _row(session, run_id).varied = dict(varied)
    session.flush()


def set_start(session: Session, run_id: int, path: str) -> None:
    """Say where the weights lie that a run starts from."""
    _row(session, run_id).start_path = path
    session.flush()


def set_parameters(session: Session, run_id: int, recipe: Mapping[str, Any], parameters: int) -> None:
    """Store the recipe with its network resolved for the run's classes, and the size of that."""
    row = _row(session, run_id)
    row.recipe, row.parameters = dict(recipe), parameters
    session.flush()


def footing(session: Session, run_id: int) -> Footing:
    """What the run stands on, and what has changed since."""
    row = _row(session, run_id)
    was = SnapshotPicture
    same = and_(Picture.id == was.picture_id, Picture.project_id == row.project_id, Picture.deleted_at.is_(None))
    counted = session.execute(
        select(
            func.count().label("pictures"),
            func.count()
            .filter(Picture.id.is_not(None), Picture.class_id.is_distinct_from(was.class_id))
            .label("moved"),
            func.count().filter(Picture.id.is_(None)).label("gone"),
            func.count()
            .filter(Picture.id.is_not(None), area_now(session, row.project_id).is_distinct_from(was.area_id))
            .label("areas"),
        )
        .select_from(was)
        .outerjoin(Picture, same)
        .where(was.snapshot_id == row.snapshot_id)
    ).one()
    added = session.scalar(
        select(func.count())
        .select_from(Picture)
        .where(
            Picture.project_id == row.project_id,
            Picture.class_id.is_not(None),
            Picture.deleted_at.is_(None),
            Picture.came_at > row.created_at,
        )
    )
    classes = session.scalar(select(Snapshot.classes).where(Snapshot.id == row.snapshot_id)) or []
    names = {entry["id"]: entry["name"] for entry in classes}
    now = session.execute(select(Class.id, Class.name).where(Class.id.in_(names))).all()
    return Footing(
        run_number=row.number,
        split_number=row.split_number,
        pictures=counted.pictures,
        labels_changed=counted.moved,
        pictures_added=added or 0,
        pictures_gone=counted.gone,
        classes_renamed=sum(1 for class_id, name in now if names[class_id] != name),
        areas_changed=counted.areas,
        fresh_changed=rules_now(session, row.project_id).fresh != row.recipe["preprocessing"].get("area"),
    )
