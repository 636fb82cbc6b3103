"""Projects: list, new, rename, delete and restore."""

import datetime as dt
from collections.abc import Sequence

from sqlalchemy import func, select, text, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, InputError, MissingError
from vast_orchard.store.database import tell
from vast_orchard.store.pictures import sample_pictures
from vast_orchard.store.schema import (
    Action,
    Class,
    Import,
    Job,
    JobState,
    Judgement,
    Model,
    Picture,
    Project,
    Run,
)
from vast_orchard.store.values import ProjectGlimpse, ProjectName, ProjectValue, ResultValue, SampleValue
from vast_orchard.types import SetName

__all__ = [
    "checked_name",
    "count_project",
    "create_project",
    "delete_project",
    "describe_project",
    "free_name",
    "get_project",
    "glimpse_of",
    "list_projects",
    "put_away",
    "restore_project",
]

_LONGEST = 200


def checked_name(text: str, what: str) -> str:
    """A name without outer spaces.

    Raises
    ------
    InputError
        Empty, too long, or with control characters.
    """
    name = text.strip()
    if not name:
        raise InputError(f"The name of the {what} is empty.", "Type at least one character.")
    if len(name) > _LONGEST:
        raise InputError(f"The name of the {what} has {len(name)} characters.", f"Use at most {_LONGEST}.")
    if any(not c.isprintable() and c not in "\u200c\u200d" for c in name):
        raise InputError(f"The name of the {what} holds a control character.", "Type it again without.")
    return name


def list_projects(session: Session, *, deleted: bool = False) -> Sequence[ProjectValue]:
    """Projects, newest first; those in the bin when `deleted`."""
    in_bin = Project.deleted_at.is_not(None) & Project.purged.is_(False)
    chosen = in_bin if deleted else Project.deleted_at.is_(None)
    return [_value(session, row) for row in session.scalars(select(Project).where(chosen).order_by(Project.id.desc()))]


def _value(session: Session, row: Project) -> ProjectValue:
    def count(table: type[Picture] | type[Class] | type[Run]) -> int:
        query = select(func.count()).select_from(table).where(table.project_id == row.id)
        return session.scalar(query.where(text("deleted_at is null"))) or 0

    return ProjectValue(
        id=row.id,
        name=row.name,
        description=row.description,
        created_at=row.created_at,
        deleted_at=row.deleted_at,
        archived_at=row.archived_at,
        worked_at=_worked_at(session, row),
        pictures=count(Picture),
        classes=count(Class),
        runs=count(Run),
    )


def _worked_at(session: Session, row: Project) -> dt.datetime:
    moments = (
        select(func.max(Action.done_at)).where(Action.project_id == row.id),
        select(func.max(Import.created_at)).where(Import.project_id == row.id),
        select(func.max(Run.created_at)).where(Run.project_id == row.id),
    )
    return max(filter(None, (row.created_at, *map(session.scalar, moments))))


def glimpse_of(session: Session, project_id: int, pictures: int) -> ProjectGlimpse:
    """A few pictures, of as many classes as possible, and the newest result with what it stands on."""
    result = session.execute(
        select(Run.id, Run.number, Run.split_number, Judgement.scores)
        .join(Model, Model.run_id == Run.id)
        .join(Judgement, Judgement.model_id == Model.id)
        .where(
            Run.project_id == project_id,
            Run.deleted_at.is_(None),
            Judgement.set_name == SetName.VALIDATION.value,
        )
        .order_by(Run.number.desc())
        .limit(1)
    ).first()
    return ProjectGlimpse(
        samples=[
            SampleValue(sha256=picture.sha256, class_id=picture.class_id or 0)
            for picture in sample_pictures(session, project_id, pictures)
        ],
        result=ResultValue(
            run_id=result.id,
            run=result.number,
            accuracy=result.scores["accuracy"],
            count=result.scores["count"],
            split=result.split_number,
        )
        if result
        else None,
    )


def put_away(session: Session, project_id: int, *, away: bool) -> ProjectValue:
    """Have a project stand apart in the list, or among the others again; nothing else of it changes.

    Raises
    ------
    MissingError
    """
    row = _row(session, project_id)
    row.archived_at = dt.datetime.now(dt.UTC) if away else None
    session.flush()
    tell(session, "projects", row.id)
    return _value(session, row)


def _row(session: Session, project_id: int, *, deleted: bool = False) -> Project:
    row = session.get(Project, project_id)
    if row is None or row.purged or (row.deleted_at is not None) != deleted:
        raise MissingError(f"There is no project {project_id}.", "Open the list of projects; it may be in the bin.")
    return row


def get_project(session: Session, project_id: int) -> ProjectName:
    """One project that is not in the bin, without its counts: nearly every request asks for it.

    Raises
    ------
    MissingError
    """
    row = _row(session, project_id)
    return ProjectName(id=row.id, name=row.name, description=row.description)


def count_project(session: Session, project_id: int) -> ProjectValue:
    """One project that is not in the bin, with its counts.

    Raises
    ------
    MissingError
    """
    return _value(session, _row(session, project_id))


def _flush_name(session: Session, name: str) -> None:
    try:
        session.flush()
    except IntegrityError as error:
        raise ConflictError(f"There is a project named {name} already.", "Choose another name.") from error


def free_name(session: Session, name: str) -> str:
    """The name, or if a project has it already, the next free one with a number."""
    taken = set(session.scalars(select(func.lower(Project.name)).where(Project.deleted_at.is_(None))))
    choices = (name if n == 1 else f"{name} ({n})" for n in range(1, len(taken) + 2))
    return next(choice for choice in choices if choice.lower() not in taken)


def create_project(session: Session, name: str, description: str = "") -> ProjectValue:
    """A new, empty project.

    Raises
    ------
    ConflictError
        The name is taken.
    """
    row = Project(name=checked_name(name, "project"), description=description.strip())
    session.add(row)
    _flush_name(session, row.name)
    tell(session, "projects", row.id)
    return _value(session, row)


def describe_project(
    session: Session, project_id: int, *, name: str | None = None, description: str | None = None
) -> ProjectValue:
    """Give a project another name or description; what is None stays.

    Raises
    ------
    MissingError, InputError, ConflictError
    """
    row = _row(session, project_id)
    row.name = row.name if name is None else checked_name(name, "project")
    row.description = row.description if description is None else description.strip()
    _flush_name(session, row.name)
    tell(session, "projects", row.id)
    return _value(session, row)


def delete_project(session: Session, project_id: int) -> None:
    """Put a project into the bin and ask its jobs to stop."""
    row = _row(session, project_id)
    row.deleted_at = session.scalar(select(func.now()))
    active = Job.state.in_([JobState.WAITING, JobState.RUNNING])
    session.execute(update(Job).where(Job.project_id == row.id, active).values(stop_asked=True))
    tell(session, "projects", row.id)


def restore_project(session: Session, project_id: int) -> ProjectValue:
    """Take a project out of the bin, as it was.

    Raises
    ------
    ConflictError
        Its name was given to another in the meantime.
    """
    row = _row(session, project_id, deleted=True)
    row.deleted_at = None
    _flush_name(session, row.name)
    tell(session, "projects", row.id)
    return _value(session, row)
