"""Brings a project's archive back as a project of its own, as it was."""

from collections.abc import Callable, Generator
from contextlib import closing
from pathlib import Path
from typing import Any

from sqlalchemy.exc import DataError, IntegrityError, ProgrammingError

from vast_orchard.errors import ArchiveError, InputError, MissingError
from vast_orchard.formats.project_archive import ArchiveReader, open_project_archive
from vast_orchard.jobs.after_failure import after_failure
from vast_orchard.jobs.bringing_in.stored_picture import keep_picture
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.new_files import NewFiles
from vast_orchard.jobs.training.weight_digests import fill_digests
from vast_orchard.store.former_archive import FormerRecords
from vast_orchard.store.imports import get_import
from vast_orchard.store.locks import holding_bytes
from vast_orchard.store.projects import delete_project
from vast_orchard.store.transfer import Loader
from vast_orchard.store.transfer_kinds import RECORDS

__all__ = ["bring_back"]

# What rows raise that this program did not write.
_NOT_OURS = (
    AttributeError, KeyError, OverflowError, TypeError, ValueError, DataError, IntegrityError, ProgrammingError,
)  # fmt: skip


def bring_back(context: WorkContext, import_id: int, progress: Progress) -> None:
    """Fill an empty project from the archive that was uploaded for it: all of it, or nothing.

    Parameters
    ----------
    import_id : int
        The import under which the archive was uploaded; it goes with the records that come in its place.

    Raises
    ------
    ArchiveError, InputError
        It is no archive of a project, or damaged.
    """
    try:
        with context.database.session() as session:
            entry = get_import(session, import_id)
    except MissingError:
        return  # it went with the last step, after which a worker died
    place = context.folder.upload(entry.location)
    with after_failure(lambda: _forget(context, place, entry.project_id)):
        found = list(place.iterdir()) if place.is_dir() else []
        if len(found) != 1:
            raise ArchiveError(f"{len(found)} files were sent.", "Choose the one file of a project's archive.")
        archive, reader = open_project_archive(found[0], context.archive_limits)
        with archive, holding_bytes(context.database):
            _Return(context, entry.project_id, import_id, reader).run(progress)
    context.folder.remove(place)


def _forget(context: WorkContext, place: Path, project_id: int) -> None:
    """Nothing came of it: the project that was made for it lies in the bin, with the reason in the tray."""
    context.folder.remove(place)
    with context.database.session() as session:
        delete_project(session, project_id)


class _Return:
    """One archive on its way in."""

    def __init__(self, context: WorkContext, project_id: int, import_id: int, reader: ArchiveReader) -> None:
        self._context, self._project_id, self._import_id, self._reader = context, project_id, import_id, reader

    def run(self, progress: Progress) -> None:
        """Bytes first, which harm nobody, then all records in one transaction."""
        pictures, files = self._reader.names("pictures"), self._reader.names("files")
        progress.stage("Bringing the project back", len(pictures) + len(files) + len(RECORDS))
        for sha256 in pictures:
            self._keep(sha256)
            progress.advance()
        with NewFiles(self._context.store) as made, self._context.database.session() as session:
            loader = Loader(session, self._project_id)
            try:
                rows = self._reader.batches if self._reader.version > 1 else FormerRecords(self._reader.batches).batches
                self._check(pictures, rows)
                for table in RECORDS:
                    with closing(rows(table)) as batches:
                        loader.load(table, batches)
                self._files(made, loader, files)
                loader.place_files(files)
            except _NOT_OURS as error:
                raise InputError(
                    f"The archive's records do not hold together ({str(error)[:200]}).", "Make it again."
                ) from error
            self._context.store.settle()
            loader.forget_import(self._import_id)
            loader.finish(self._reader.name, self._reader.description)
        fill_digests(self._context, self._project_id)
        progress.advance(len(files) + len(RECORDS))

    def _keep(self, sha256: str) -> None:
        store, data = self._context.store, self._reader.picture(sha256)
        # Decoded once, so that nothing comes in by this way that an import would refuse.
        keep_picture(store, data, self._context.picture_limits)

    def _check(self, pictures: list[str], rows: Callable[[str], Generator[list[dict[str, Any]]]]) -> None:
        held = set(pictures)
        for table in ("picture", "snapshot_picture"):
            with closing(rows(table)) as batches:
                complete = all(str(row.get("sha256")) in held for batch in batches for row in batch)
            if not complete:
                raise ArchiveError("The archive lacks a picture that its records name.", "Make it again.")

    def _files(self, made: NewFiles, loader: Loader, files: list[str]) -> None:
        for path in files:
            made.write(loader.new_path(path), self._reader.file(path))
