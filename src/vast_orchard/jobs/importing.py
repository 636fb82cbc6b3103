"""An import: reads a source, keeps its pictures by content, and reports what it skipped and why.

Repeating it, whole or after a crash, changes nothing that is there already.
"""

import os
import shutil
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import Any

from sqlalchemy import text
from sqlalchemy.orm import Session

from vast_orchard.errors import DatabaseGoneError, LeaseLostError, OrchardError, ServiceError
from vast_orchard.formats.collection import check_some
from vast_orchard.formats.folder_tree import PlannedFile, ReadingPlan, SkippedFile, read_folders
from vast_orchard.formats.picture_file import read_picture, thumbnail
from vast_orchard.formats.source import ARCHIVE_ENDINGS, Source, open_source
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.store.classes import find_or_add_class
from vast_orchard.store.imports import ArrivedPicture, add_batch, get_import, set_report

__all__ = ["import_pictures"]

# A batch ends with one commit, and with everything written so far on the disk; whichever comes first closes it.
_BATCH = 256
_BATCH_BYTES = 32 * 2**20

# Files that one thread takes at a time.
_AT_ONCE = 16
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
    inside = list(location.iterdir()) if location.is_dir() else []
    # A dropped archive lies alone in its upload; an archive among dropped files is one of them.
    alone = len(inside) == 1 and inside[0].name.lower().endswith(ARCHIVE_ENDINGS)
    with open_source(inside[0] if alone else location, context.source_limits) as source:
        names = source.names()
        plan = read_folders(names)
        reader = _Reader(context, import_id, project_id, source, plan)
        try:
            reader.run(progress)
        finally:
            reader.write_report()
        check_some(len(reader.seen), len(names), [skip.path.rpartition("/")[2] for skip in reader.skipped])


class _Reader:
    """One pass over a plan's files."""

    def __init__(
        self, context: WorkContext, import_id: int, project_id: int, source: Source, plan: ReadingPlan
    ) -> None:
        self._context, self._import_id, self._project_id = context, import_id, project_id
        self._source, self._plan = source, plan
        self.skipped: list[SkippedFile] = list(plan.skipped)
        self.seen: set[int] = set()  # contents, by the first half of their hash: a hundred thousand fit into little
        self._read = 0
        self._classes_named = False

    def run(self, progress: Progress) -> None:
        """Read, keep and record every file, a batch at a time.

        Files of a batch are decoded side by side, and while one batch is recorded the next is decoded already.
        """
        progress.stage("Bringing in pictures", len(self._plan.files))
        threads = self._context.settings.threads or len(os.sched_getaffinity(0))
        with ThreadPoolExecutor(threads) as pool:
            under_way: list[Future[list[ArrivedPicture | SkippedFile]]] = []
            for batch in self._batches():
                parts = [batch[n : n + _AT_ONCE] for n in range(0, len(batch), _AT_ONCE)]
                following = [pool.submit(self._arrive_all, part) for part in parts]
                try:
                    self._record(under_way, progress)
                except BaseException:
                    pool.shutdown(cancel_futures=True)
                    raise
                under_way = following
            self._record(under_way, progress)

    def _arrive_all(self, files: list[tuple[PlannedFile, bytes]]) -> list[ArrivedPicture | SkippedFile]:
        return [self._arrive(file, data) for file, data in files]

    def _record(self, under_way: "list[Future[list[ArrivedPicture | SkippedFile]]]", progress: Progress) -> None:
        """Commit a batch, once its bytes are on the disk."""
        arrived = []
        for part in under_way:
            outcomes = part.result()
            self.skipped += [outcome for outcome in outcomes if isinstance(outcome, SkippedFile)]
            arrived += [outcome for outcome in outcomes if isinstance(outcome, ArrivedPicture)]
            progress.advance(len(outcomes))
        if arrived:
            self._context.store.settle()
            with self._context.database.session() as session:
                if not self._classes_named:
                    self._name_classes(session)
                add_batch(session, self._import_id, self._project_id, arrived)
            self._classes_named = True
        self._read += len(arrived)
        self.seen.update(int(picture.sha256[:16], 16) for picture in arrived)
        progress.report()

    def _batches(self) -> Iterator[list[tuple[PlannedFile, bytes]]]:
        """Files with their bytes, read one after the other as archives want it; a few megabytes at a time."""
        batch: list[tuple[PlannedFile, bytes]] = []
        size = 0
        for file in self._plan.files:
            try:
                data = self._source.read(file.path)
            except OrchardError as error:
                self.skipped.append(SkippedFile(path=file.path, reason=str(error)))
                continue
            batch.append((file, data))
            size += len(data)
            if len(batch) == _BATCH or size > _BATCH_BYTES:
                yield batch
                batch, size = [], 0
        if batch:
            yield batch

    def _name_classes(self, session: Session) -> None:
        """Add the source's classes in the order of their names, not in that in which an archive happens to hold them.

        With the first pictures and not before, so that a source without any leaves no classes behind.
        """
        for name in sorted({file.class_name for file in self._plan.files if file.class_name}, key=str.casefold):
            find_or_add_class(session, self._project_id, name)

    def _arrive(self, file: PlannedFile, data: bytes) -> ArrivedPicture | SkippedFile:
        store = self._context.store
        try:
            picture = read_picture(data, limits=self._context.picture_limits)
            sha256 = store.write_picture(data)
            if not store.exists(store.thumbnail_path(sha256)):
                store.write(store.thumbnail_path(sha256), thumbnail(picture))
        except ServiceError:
            raise  # no room to store is not the file's fault
        except OrchardError as error:
            return SkippedFile(path=file.path, reason=str(error))
        return ArrivedPicture(
            sha256=sha256,
            path=file.path,
            name=file.path.rpartition("/")[2],
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
