"""An import: reads a source, keeps its pictures by content, and reports what it skipped and why.

Repeating it, whole or after a crash, changes nothing that is there already.
"""

import shutil
from collections import Counter
from pathlib import Path, PurePosixPath
from typing import Any

from sqlalchemy import text
from sqlalchemy.orm import Session

from vast_orchard.errors import DatabaseGoneError, LeaseLostError, OrchardError, ServiceError
from vast_orchard.formats.collection import check_some
from vast_orchard.formats.folder_tree import PlannedFile, ReadingPlan, SkippedFile, read_folders
from vast_orchard.formats.picture_file import read_picture, thumbnail
from vast_orchard.formats.source import Source, open_source
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.store.classes import find_or_add_class
from vast_orchard.store.imports import ArrivedPicture, add_batch, get_import, set_report

__all__ = ["import_pictures"]

_BATCH = 48
# The report keeps this many skipped files by name and counts the rest.
_LISTED = 500


def import_pictures(context: WorkContext, import_id: int, progress: Progress) -> None:
    """Bring in what was uploaded for an import.

    Raises
    ------
    ArchiveError
        The source cannot be read, or holds no readable picture.
    StoppedError
        A person stopped it; the pictures so far are kept and reported.
    """
    with context.database.session() as session:
        entry = get_import(session, import_id)
    place = context.uploads / entry.location
    if entry.report and not place.exists():
        return  # a worker that died after its last step did everything already
    try:
        _read_all(context, import_id, entry.project_id, place, progress)
    except (DatabaseGoneError, LeaseLostError):
        raise  # it is done again, and needs its files for that
    except Exception:
        shutil.rmtree(place, ignore_errors=True)
        raise
    shutil.rmtree(place, ignore_errors=True)


def _read_all(context: WorkContext, import_id: int, project_id: int, location: Path, progress: Progress) -> None:
    zips = list(location.glob("*.zip")) if location.is_dir() else []
    # A dropped zip lies alone in its upload; a zip among dropped files is one of them.
    alone = len(zips) == 1 and len(list(location.iterdir())) == 1
    with open_source(zips[0] if alone else location, context.source_limits) as source:
        names = source.names()
        plan = read_folders(names)
        reader = _Reader(context, import_id, project_id, source, plan)
        try:
            reader.run(progress)
        finally:
            reader.write_report()
        check_some(len(reader.seen), len(names), [PurePosixPath(skip.path).name for skip in reader.skipped])


class _Reader:
    """One pass over a plan's files."""

    def __init__(
        self, context: WorkContext, import_id: int, project_id: int, source: Source, plan: ReadingPlan
    ) -> None:
        self._context, self._import_id, self._project_id = context, import_id, project_id
        self._source, self._plan = source, plan
        self.skipped: list[SkippedFile] = list(plan.skipped)
        self.seen: set[str] = set()
        self._read = 0
        self._classes_named = False

    def run(self, progress: Progress) -> None:
        """Read, keep and record every file, a batch at a time."""
        files = self._plan.files
        progress.stage("Bringing in pictures", len(files))
        for start in range(0, len(files), _BATCH):
            batch = []
            for file in files[start : start + _BATCH]:
                arrived = self._arrive(file)
                if arrived:
                    batch.append(arrived)
                progress.advance()
            self._context.store.settle()
            with self._context.database.session() as session:
                if batch and not self._classes_named:
                    self._name_classes(session)
                    self._classes_named = True
                add_batch(session, self._import_id, self._project_id, batch)
            progress.report()

    def _name_classes(self, session: Session) -> None:
        """Add the source's classes in the order of their names, not in that in which an archive happens to hold them.

        With the first pictures and not before, so that a source without any leaves no classes behind.
        """
        for name in sorted({file.class_name for file in self._plan.files if file.class_name}, key=str.casefold):
            find_or_add_class(session, self._project_id, name)

    def _arrive(self, file: PlannedFile) -> ArrivedPicture | None:
        store = self._context.store
        try:
            data = self._source.read(file.path)
            picture = read_picture(data, limits=self._context.picture_limits)
            sha256 = store.write_picture(data)
            if not store.exists(store.thumbnail_path(sha256)):
                store.write(store.thumbnail_path(sha256), thumbnail(picture))
        except ServiceError:
            raise  # no room to store is not the file's fault
        except OrchardError as error:
            self.skipped.append(SkippedFile(path=file.path, reason=str(error)))
            return None
        self._read += 1
        self.seen.add(sha256)
        return ArrivedPicture(
            sha256=sha256,
            path=file.path,
            name=PurePosixPath(file.path).name,
            class_name=file.class_name,
            set_name=file.set_name.value if file.set_name else None,
            width=picture.width,
            height=picture.height,
            mode=picture.mode,
            format=picture.format,
            size_bytes=len(data),
        )

    def write_report(self) -> None:
        """Store what was found so far, in a form that a person reads and a program counts."""
        with self._context.database.session() as session:
            added = session.scalar(
                text(
                    "select count(distinct a.picture_id) from appearance a where a.import_id = :this and not exists"
                    " (select 1 from appearance b where b.picture_id = a.picture_id and b.import_id < :this)"
                ),
                {"this": self._import_id},
            )
            set_report(session, self._import_id, self._report(int(added or 0)))

    def _report(self, added: int) -> dict[str, Any]:
        classes = Counter(file.class_name or "" for file in self._plan.files)
        return {
            "files": len(self._plan.files) + len(self._plan.skipped),
            "added": added,
            "known": max(0, len(self.seen) - added),
            "repeated": self._read - len(self.seen),
            "skipped": [{"path": s.path, "reason": s.reason} for s in self.skipped[:_LISTED]],
            "skipped_count": len(self.skipped),
            "wrappers": list(self._plan.wrappers),
            "notes": list(self._plan.notes),
            "classes": dict(classes),
        }
