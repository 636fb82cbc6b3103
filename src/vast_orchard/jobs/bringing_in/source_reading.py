"""Reads a source before anything of it is stored: an inventory of its files, and the readings that fit.

Repeating it, whole or after a crash, begins anew and ends the same.
"""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from itertools import islice
from typing import Any

from vast_orchard.errors import OrchardError
from vast_orchard.formats.folder_tree import reason_to_skip
from vast_orchard.formats.inventory import InventoryWriter, ListedFile, SeenWhole
from vast_orchard.formats.label_table import TABLE_ENDINGS, open_table
from vast_orchard.formats.members import Source
from vast_orchard.formats.source_survey import SourceRecord, class_order, try_readings
from vast_orchard.jobs.after_failure import after_failure
from vast_orchard.jobs.bringing_in.opened_files import Glimpse, Openers, SeenFile
from vast_orchard.jobs.bringing_in.source_files import open_settled, settle_source, settled_files
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.store.disk import full_disk_in_words
from vast_orchard.store.imports import get_import, holds_pictures, known_contents, set_place, set_survey
from vast_orchard.store.values import ImportValue

__all__ = ["read_source", "record_of"]

_BATCH = 256
# The survey lists this many skipped files by name and counts the rest.
_LISTED = 500
_MOST_TABLES = 20
_METADATA = "croissant.json"


def record_of(context: WorkContext, import_id: int) -> SourceRecord:
    """Where the notes on an import's source lie."""
    return SourceRecord(folder=context.folder.reading(import_id))


def read_source(context: WorkContext, import_id: int, progress: Progress, openers: Openers) -> SourceRecord:
    """List a source, look at every picture, try the readings, and store what was found.

    Returns
    -------
    SourceRecord
        The notes on it; of a few files it holds them in memory.

    Raises
    ------
    ArchiveError, InputError, ServiceError
        The source cannot be read; what it had fetched is removed.
    StoppedError
    """
    with context.database.session() as session:
        entry = get_import(session, import_id)
    record = record_of(context, import_id)
    context.folder.remove(record.folder)
    with (
        after_failure(lambda: context.folder.remove(record.folder)),
        full_disk_in_words(context.settings.data_dir),
    ):
        record.folder.mkdir(parents=True)
        surveyor, survey = _survey(context, entry, record, progress, openers)
    with context.database.session() as session:
        set_survey(session, import_id, survey)
    return surveyor.record


def _survey(
    context: WorkContext, entry: ImportValue, record: SourceRecord, progress: Progress, openers: Openers
) -> "tuple[_Surveyor, dict[str, Any]]":
    """Bring a source to this machine and go through it."""
    settled = settle_source(context, entry, progress)
    if (settled.kind, settled.location) != (entry.source_kind, entry.location):
        with context.database.session() as session:
            # At once: a worker that dies from here on finds what was fetched.
            entry = set_place(session, entry.id, location=settled.location, kind=settled.kind)
    with open_settled(context, entry) as source:
        surveyor = _Surveyor(context, entry, source, record, openers, settled.left_out)
        return surveyor, surveyor.run(progress)


class _Surveyor:
    """One pass over a source."""

    def __init__(
        self,
        context: WorkContext,
        entry: ImportValue,
        source: Source,
        record: SourceRecord,
        openers: Openers,
        left_out: Sequence[tuple[str, str]],
    ) -> None:
        self._context, self._entry, self._source, self.record = context, entry, source, record
        self._openers = openers
        self._skipped = list(left_out[:_LISTED])
        self._skipped_count = len(left_out)
        self._reasons = Counter(reason for _, reason in left_out)
        self._formats: Counter[str] = Counter()
        self._traits: Counter[str] = Counter()
        self._pictures = self._known = self._bytes = 0
        with context.database.session() as session:
            self._into_empty = not holds_pictures(session, entry.project_id)
        self._smallest: list[int] = []
        self._largest: list[int] = []

    def run(self, progress: Progress) -> dict[str, Any]:
        """Write the inventory and say what was found."""
        progress.stage("Listing the files", 0)
        names = self._source.names()
        files, folders = len(names), sorted({name.rpartition("/")[0] for name in names})
        progress.stage("Reading the files", files)
        with self.record.writing() as out:
            pictures = self._sort_out(names, out, progress)
            tables, order = self._tables(names)
            del names
            self._look(pictures, out, progress)
        self.record = replace(self.record, held=out.held)
        progress.stage("Trying readings", 0)
        readings = try_readings(self.record, tables)
        return {
            "files": files,
            "pictures": self._pictures,
            "known": self._known,
            "bytes": self._bytes,
            "formats": dict(self._formats.most_common()),
            "traits": dict(self._traits.most_common()),
            "smallest": self._smallest,
            "largest": self._largest,
            "folders": folders[:20],
            "folder_count": len(folders),
            "skipped": [{"path": path, "reason": reason} for path, reason in self._skipped],
            "skipped_count": self._skipped_count,
            "reasons": dict(self._reasons.most_common(20)),
            "tables": [self._table_facts(number, path) for number, path in enumerate(tables)],
            "class_order": order,
            "readings": [tried.to_json() for tried in readings],
        }

    def _sort_out(self, names: Sequence[str], out: InventoryWriter, progress: Progress) -> list[str]:
        """Files that may be pictures by their names; the others are listed as skipped."""
        pictures = []
        for name in names:
            reason = reason_to_skip(name)
            if reason is None:
                pictures.append(name)
            else:
                out.add([self._skip(name, reason)])
        progress.advance(len(names) - len(pictures))
        return pictures

    def _skip(self, name: str, reason: str) -> ListedFile:
        self._skipped_count += 1
        self._reasons[reason] += 1
        if len(self._skipped) < _LISTED:
            self._skipped.append((name, reason))
        return ListedFile(
            path=name, sha256="", size_bytes=0, width=0, height=0, format="", traits=(), known=False, skipped=reason
        )

    def _tables(self, names: Sequence[str]) -> tuple[list[str], list[str]]:
        """Keep copies of the source's tables, and the order of classes if our own metadata lie beside."""
        found = [name for name in names if name.lower().endswith(TABLE_ENDINGS)][:_MOST_TABLES]
        kept: list[str] = []
        order: list[str] = []
        for path in found:
            try:
                self.record.table_copy(len(kept)).write_bytes(self._source.read(path))
            except OrchardError:
                continue  # listed as skipped like every file that is no picture
            kept.append(path)
        for path in names:
            if path.rpartition("/")[2] == _METADATA:
                order = class_order(self._source.read(path))
                break
        return kept, order

    def _table_facts(self, number: int, path: str) -> dict[str, Any]:
        try:
            table = open_table(self.record.table_copy(number).read_bytes(), path)
        except OrchardError as error:
            return {"path": path, "columns": [], "error": str(error)}
        return {"path": path, "columns": list(table.columns), "error": None}

    def _look(self, pictures: Sequence[str], out: InventoryWriter, progress: Progress) -> None:
        """Hash every picture and look at it; only small ones are decoded. While a batch is noted, the next is read."""
        opener = self._openers.of(settled_files(self._context, self._entry), len(pictures))
        names, before = iter(pictures), opener.glance([])
        while batch := list(islice(names, _BATCH)):
            following = opener.glance(batch)
            self._note(before(), out, progress)
            before = following
        self._note(before(), out, progress)

    def _note(self, glimpses: Sequence[Glimpse], out: InventoryWriter, progress: Progress) -> None:
        known = self._known_of({seen.sha256 for seen in glimpses if isinstance(seen, SeenFile)})
        rows = []
        for seen in glimpses:
            if not isinstance(seen, SeenFile):
                rows.append(self._skip(*seen))
                continue
            row = _listed(seen, out, known=seen.sha256 in known)
            self._count(row)
            rows.append(row)
        out.add(rows)
        progress.advance(len(rows))

    def _known_of(self, contents: set[str]) -> set[str]:
        """Those that the project holds already; of an empty project, as it is at a first import, nobody need ask."""
        if self._into_empty:
            return set()
        with self._context.database.session() as session:
            return known_contents(session, self._entry.project_id, contents)

    def _count(self, entry: ListedFile) -> None:
        self._pictures += 1
        self._known += entry.known
        self._bytes += entry.size_bytes
        self._formats[entry.format] += 1
        self._traits.update(entry.traits)
        size = [entry.width, entry.height]
        area = entry.width * entry.height
        if not self._smallest or area < self._smallest[0] * self._smallest[1]:
            self._smallest = size
        if not self._largest or area > self._largest[0] * self._largest[1]:
            self._largest = size


def _listed(seen: SeenFile, out: InventoryWriter, *, known: bool) -> ListedFile:
    whole = SeenWhole(mode=seen.mode, tile=out.add_tile(seen.tile), stamp=seen.stamp) if seen.mode else None
    return ListedFile(
        path=seen.path,
        sha256=seen.sha256,
        size_bytes=seen.size_bytes,
        width=seen.width,
        height=seen.height,
        format=seen.format,
        traits=seen.traits,
        known=known,
        skipped=None,
        whole=whole,
    )
