"""Makes the demo project, once for a data folder."""

import secrets
from collections.abc import Callable

from vast_orchard.demo.write import PICTURES_FOLDER, write_collection
from vast_orchard.jobs.queue import start_job
from vast_orchard.settings import Settings
from vast_orchard.store.database import Database
from vast_orchard.store.imports import create_import
from vast_orchard.store.projects import create_project, list_projects
from vast_orchard.store.schema import JobKind

__all__ = ["DEMO_PROJECT", "make_demo"]

DEMO_PROJECT = "Snow crystals"


def make_demo(settings: Settings, database: Database, say: Callable[[str], None]) -> None:
    """Draw the crystals and hand them to the data worker; does nothing where there ever was a project.

    Only pictures are handed over: the list of planted faults stays out of the application.
    """
    with database.session() as session:
        if list_projects(session) or list_projects(session, deleted=True):
            return
    say("Drawing the demo's snow crystals")
    upload = secrets.token_hex(8)
    draft = settings.data_dir / "uploads" / f"{upload}.new"
    write_collection(draft)
    place = settings.data_dir / "uploads" / upload
    place.mkdir(parents=True)
    (draft / PICTURES_FOLDER).rename(place / PICTURES_FOLDER)
    for rest in draft.iterdir():
        rest.unlink()
    draft.rmdir()
    with database.session() as session:
        project = create_project(session, DEMO_PROJECT)
        entry = create_import(session, project.id, PICTURES_FOLDER, upload)
        start_job(session, project.id, JobKind.IMPORT, f"Bring in {PICTURES_FOLDER}", entry.id)
