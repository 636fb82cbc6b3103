"""Makes the demo project, once for a data folder."""

import time
from collections.abc import Callable
from typing import TypeVar

from sqlalchemy.orm import Session

from vast_orchard.demo.write import PICTURES_FOLDER, write_collection
from vast_orchard.errors import DatabaseGoneError
from vast_orchard.jobs.queue import start_job
from vast_orchard.settings import Settings
from vast_orchard.store.data_folder import DataFolder
from vast_orchard.store.database import Database
from vast_orchard.store.imports import create_import
from vast_orchard.store.projects import create_project, list_projects
from vast_orchard.store.schema import JobKind

__all__ = ["DEMO_PROJECT", "make_demo"]

T = TypeVar("T")

DEMO_PROJECT = "Snow crystals"


# An outage of the database is over by then, or the start fails for other reasons.
_PATIENCE_S = 120.0
_ASK_EVERY_S = 1.0


def make_demo(settings: Settings, url: Callable[[], str], say: Callable[[str], None]) -> None:
    """Draw the crystals and hand them to the data worker; does nothing where there ever was a project.

    Only pictures are handed over: the list of planted faults stays out of the application. Interrupted before the
    hand-over, which is one transaction, it is done anew at the next start.

    Parameters
    ----------
    url : callable
        The address of the database now: it may be started again, elsewhere, while the crystals are drawn.

    Raises
    ------
    DatabaseGoneError
        The database stays away.
    """
    if _patiently(url, _ever_held_a_project):
        return
    say("Drawing the demo's snow crystals")
    folder = DataFolder(settings.data_dir)
    upload = folder.new_upload()
    place = folder.upload(upload)
    draft = place.with_suffix(".new")
    write_collection(draft)
    (draft / PICTURES_FOLDER).rename(place / PICTURES_FOLDER)
    folder.remove(draft)
    _patiently(url, lambda session: _hand_over(session, upload))


def _patiently(url: Callable[[], str], work: Callable[[Session], T]) -> T:
    """One transaction; as often as it takes, for it leaves nothing when it fails."""
    deadline = time.monotonic() + _PATIENCE_S
    while True:
        database = Database(url())
        try:
            with database.session() as session:
                return work(session)
        except DatabaseGoneError:
            if time.monotonic() > deadline:
                raise
        finally:
            database.close()
        time.sleep(_ASK_EVERY_S)


def _ever_held_a_project(session: Session) -> bool:
    return bool(list_projects(session) or list_projects(session, deleted=True))


def _hand_over(session: Session, upload: str) -> None:
    if _ever_held_a_project(session):
        return  # it was recorded, and only the answer was lost
    project = create_project(session, DEMO_PROJECT)
    entry = create_import(session, project.id, PICTURES_FOLDER, upload)
    start_job(session, project.id, JobKind.IMPORT, f"Bring in {PICTURES_FOLDER}", entry.id)
