"""Removes files that were sent and never brought in."""

import datetime as dt

import structlog

from vast_orchard.jobs.context import WorkContext
from vast_orchard.store.uploads import uploads_in_use

__all__ = ["sweep_uploads"]

_log = structlog.get_logger()


def sweep_uploads(context: WorkContext, now: dt.datetime) -> int:
    """Remove uploads that no import needs and to which nothing was sent for long; returns how many."""
    place = context.folder.uploads
    if not place.is_dir():
        return 0
    oldest = (now - dt.timedelta(hours=context.settings.upload_keep_h)).timestamp()
    with context.database.session() as session:
        used = uploads_in_use(session)
    given_up = [
        entry
        for entry in place.iterdir()
        if entry.name.partition(".")[0] not in used and not entry.is_symlink() and entry.stat().st_mtime < oldest
    ]
    for entry in given_up:
        context.folder.remove(entry)
    if given_up:
        _log.info("Given-up uploads were removed.", action="uploads_swept", uploads=len(given_up))
    return len(given_up)
