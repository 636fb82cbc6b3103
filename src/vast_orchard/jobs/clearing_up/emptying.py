"""Empties bins: records first, then the bytes that nobody holds any more."""

from collections.abc import Sequence

from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.store.bin import (
    count_bin,
    delete_project_records,
    delete_some_binned,
    held_contents,
    is_purged,
    project_contents,
    project_files,
)
from vast_orchard.store.binned_runs import delete_binned_runs
from vast_orchard.store.locks import alone_with_bytes

__all__ = ["empty_bin"]

_BATCH = 500


def empty_bin(context: WorkContext, project_id: int, progress: Progress) -> None:
    """Remove a project's binned runs and pictures, or all of a project that was taken out of the bin for good.

    Stopped or killed in between, it has removed some, and goes on from there when it is repeated.
    """
    with context.database.session() as session:
        whole = is_purged(session, project_id)
    progress.stage("Waiting for an import to end", 0)
    with alone_with_bytes(context.database, progress.report):
        if whole:
            _remove_project(context, project_id, progress)
        else:
            _remove_binned(context, project_id, progress)


def _remove_binned(context: WorkContext, project_id: int, progress: Progress) -> None:
    with context.database.session() as session:
        files, remembered = delete_binned_runs(session, project_id)
        progress_total = count_bin(session, project_id)
    for path in files:
        context.store.remove(path)
    for start in range(0, len(remembered), _BATCH):
        _reclaim(context, remembered[start : start + _BATCH])
    progress.stage("Emptying the bin", progress_total)
    while True:
        with context.database.session() as session:
            contents = delete_some_binned(session, project_id, _BATCH)
        if not contents:
            return
        # Records first: a worker killed here leaves a few bytes that nobody names, never a name without bytes.
        _reclaim(context, contents)
        progress.advance(len(contents))


def _remove_project(context: WorkContext, project_id: int, progress: Progress) -> None:
    with context.database.session() as session:
        contents = project_contents(session, project_id)
        files = project_files(session, project_id)
    progress.stage("Removing the project", len(contents) + 1)
    # Nobody sees the project any more, so its bytes may go before the records that name them: killed in between,
    # the work can be repeated.
    for start in range(0, len(contents), _BATCH):
        part = contents[start : start + _BATCH]
        _reclaim(context, part, but_for=project_id)
        progress.advance(len(part))
    for path in [*files.weights, *files.exports]:
        context.store.remove(path)
    for parcel in files.parcels:
        context.folder.remove(context.folder.parcel(parcel))
    for upload in files.uploads:
        context.folder.remove(context.folder.upload(upload))
    for entry in files.imports:
        context.folder.remove(context.folder.reading(entry))
    with context.database.session() as session:
        delete_project_records(session, project_id)
    progress.advance()


def _reclaim(context: WorkContext, contents: Sequence[str], *, but_for: int = 0) -> None:
    """Remove the bytes of those contents that no project and no run holds."""
    with context.database.session() as session:
        held = held_contents(session, contents, but_for=but_for)
    for sha256 in set(contents) - held:
        context.store.remove(context.store.picture_path(sha256))
        context.store.remove(context.store.thumbnail_path(sha256))
