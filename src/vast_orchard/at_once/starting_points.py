"""Where a training can start: at models of any project, files that were sent, starters, or where another run did."""

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, InputError, MissingError
from vast_orchard.starters.shipped import starter, starter_file, starters
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.models import get_model
from vast_orchard.store.projects import get_project
from vast_orchard.store.runs import get_run

__all__ = ["Source", "StartPlace", "find_start", "read_start", "starter_values"]

# Far above any network that a processor trains; a larger file is something else.
_LARGEST_BYTES = 256 * 1024 * 1024


@dataclass(frozen=True, kw_only=True)
class Source:
    """Where a person wants to start; one of the four."""

    model_id: int | None = None
    starter: str = ""
    file: Path | None = None  # as it was sent
    run_id: int | None = None  # where that run started


@dataclass(frozen=True, kw_only=True)
class StartPlace:
    """A model file to start from; it was not read yet."""

    words: str  # what people call it
    starter: str = ""
    file: str = ""  # a path on this machine
    stored: str = ""  # a place in the byte store


def find_start(session: Session, source: Source) -> StartPlace:
    """Where the weights lie that a source names.

    Raises
    ------
    MissingError, ConflictError, InputError, SettingError
        It is not there, lies in the bin, is still being trained, or is too large.
    """
    if source.starter:
        return StartPlace(words=f"the starter {starter(source.starter).name}", starter=source.starter)
    if source.file is not None:
        size = source.file.stat().st_size
        if size > _LARGEST_BYTES:
            raise InputError(
                f"{source.file.name} has {size / 1e6:.0f} MB.", f"A model has at most {_LARGEST_BYTES / 1e6:.0f}."
            )
        return StartPlace(words=source.file.name, file=str(source.file))
    if source.run_id is not None:
        run = get_run(session, source.run_id)
        get_project(session, run.project_id)
        if run.start_path is None:
            raise ConflictError(f"Run {run.number} started from nothing.", "Name a model, a file or a starter.")
        return StartPlace(words=run.recipe["start"]["words"], stored=run.start_path)
    if source.model_id is None:
        raise InputError("Nothing is named to start from.", "Name a model, a file or a starter.")
    try:
        entry = get_model(session, source.model_id)
        project = get_project(session, entry.project_id)
    except MissingError as error:
        raise MissingError(
            f"There is no model {source.model_id} to start from.",
            "It may lie in the bin: restore its run or project first, or choose another.",
        ) from error
    if not entry.frozen:
        raise ConflictError("The model to start from is still being trained.", "Wait until its run has ended.")
    return StartPlace(words=f"run {entry.run_number} of {project.name}", stored=entry.weights_path)


def read_start(store: ByteStore, place: StartPlace) -> bytes:
    """The model file of a place.

    Raises
    ------
    MissingError
        It is gone meanwhile.
    """
    if place.starter:
        return starter_file(place.starter)
    return store.read(place.stored) if place.stored else Path(place.file).read_bytes()


def starter_values() -> list[dict[str, Any]]:
    """The starters that are shipped."""
    return [asdict(entry) for entry in starters()]
