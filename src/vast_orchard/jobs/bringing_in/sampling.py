"""Draws a made-up collection for a project, brings it in, and trains a first run on it if that was asked for."""

from pathlib import Path

from vast_orchard.demo.write import PICTURES_FOLDER, write_collection
from vast_orchard.jobs.bringing_in.importing import import_pictures
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.training.starting import RunOrder, start_run
from vast_orchard.store.disk import full_disk_in_words
from vast_orchard.store.imports import get_import
from vast_orchard.store.ledger import list_runs

__all__ = ["bring_sample"]


def bring_sample(context: WorkContext, import_id: int, progress: Progress, *, pictures: int, with_run: bool) -> None:
    """Fill a project with a made-up collection; only its pictures go in, never the list of what was planted.

    Repeated after a crash it draws again what was not handed over, and starts no second run.

    Parameters
    ----------
    import_id : int
        The import as which it comes in; its location is where the pictures are drawn to.
    pictures : int
        Labelled ones; a few unlabelled ones come beside them.
    with_run : bool
        Train with the defaults when they are in.
    """
    with context.database.session() as session:
        entry = get_import(session, import_id)
    if entry.state == "reading" and entry.survey is None:
        with full_disk_in_words(context.settings.data_dir):
            _draw(context, context.folder.upload(entry.location), pictures, progress)
    import_pictures(context, import_id, progress)
    if with_run:
        with context.database.session() as session:
            if not list_runs(session, entry.project_id, limit=1).runs:
                start_run(session, entry.project_id, RunOrder())


def _draw(context: WorkContext, place: Path, pictures: int, progress: Progress) -> None:
    if (place / PICTURES_FOLDER).exists():
        return  # drawn whole before a crash
    draft = place.with_suffix(".new")
    context.folder.remove(draft)
    progress.stage("Drawing pictures", pictures)
    drawn = 0

    def tell(done: int, total: int) -> None:
        nonlocal drawn
        progress.advance((done - drawn) * pictures / total)
        drawn = done

    try:
        write_collection(draft, pictures, progress=tell)
        place.mkdir(parents=True, exist_ok=True)
        (draft / PICTURES_FOLDER).rename(place / PICTURES_FOLDER)
    finally:
        context.folder.remove(draft)
