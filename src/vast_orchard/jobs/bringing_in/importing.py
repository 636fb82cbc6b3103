"""An import: brings in what a reading plan says, keeps pictures by content, and reports what it skipped and why.

Repeating it, whole or after a crash, changes nothing that is there already.
"""

import csv
from collections import Counter, deque
from collections.abc import Callable, Iterator, Sequence
from itertools import islice
from typing import Any

from vast_orchard.formats.collection import check_some
from vast_orchard.formats.csv_cells import harmless
from vast_orchard.formats.inventory import ListedFile
from vast_orchard.formats.picture_file import tile_brightness
from vast_orchard.formats.reading_choice import choice_from_json, choice_to_json
from vast_orchard.formats.reading_plan import ChosenFile, OpenPlan, open_plan
from vast_orchard.formats.source_survey import SourceRecord
from vast_orchard.jobs.after_failure import after_failure
from vast_orchard.jobs.bringing_in.batch_recorder import Recorder
from vast_orchard.jobs.bringing_in.opened_files import Openers, Outcome, WantedFile
from vast_orchard.jobs.bringing_in.source_files import settled_files
from vast_orchard.jobs.bringing_in.source_reading import read_source, record_of
from vast_orchard.jobs.bringing_in.stored_picture import KeptPicture
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.queue import look_for_copies
from vast_orchard.store.disk import full_disk_in_words
from vast_orchard.store.imports import choose_reading, count_added, end_import, get_import
from vast_orchard.store.locks import holding_bytes
from vast_orchard.store.values import ArrivedPicture, ImportValue

__all__ = ["import_pictures", "read_for_plan"]

# A batch ends with one commit, and with everything written so far on the disk. The first is small, so that recording
# begins early.
_FIRST_BATCH = 128
_BATCH = 512
# So many batches are decoded ahead of the one that is recorded.
_AHEAD = 2
# The report keeps this many skipped files by name and counts the rest; the table of fates names all.
_LISTED = 500


def read_for_plan(context: WorkContext, import_id: int, progress: Progress) -> None:
    """Read an import's source and leave it waiting for a decision.

    Raises
    ------
    ArchiveError, InputError, ServiceError
        The source cannot be read.
    """
    with after_failure(lambda: _remove_upload(context, import_id)), Openers() as openers:
        read_source(context, import_id, progress, openers)


def import_pictures(context: WorkContext, import_id: int, progress: Progress) -> None:
    """Bring in what was decided on; without a decision, what the likeliest reading says.

    Raises
    ------
    ArchiveError, InputError
        The source cannot be read, or holds no readable picture.
    StoppedError
        A person stopped it; the pictures so far are kept and reported.
    """
    with context.database.session() as session:
        entry = get_import(session, import_id)
    if entry.state == "done":
        return  # a worker that died after its last step did everything already
    with Openers() as openers:
        with after_failure(lambda: _remove_upload(context, import_id)):
            entry, record = _decided(context, entry, progress, openers)
        reader = _bring_in(context, entry, record, progress, openers)
    if not reader.left_out:
        _remove_files(context, entry)
        record.forget_source()
    files = (entry.survey or {})["files"]
    check_some(len(reader.seen), files, [_last(path) for path, _ in reader.skipped])


def _remove_upload(context: WorkContext, import_id: int) -> None:
    """Remove what a source that cannot be read was, wherever it lies by now."""
    with context.database.session() as session:
        _remove_files(context, get_import(session, import_id))


def _remove_files(context: WorkContext, entry: ImportValue) -> None:
    """Remove the files of an import that needs them no more; those of a folder on the server are not ours."""
    if entry.source_kind == "upload" and entry.location:
        context.folder.remove(context.folder.upload(entry.location))


def _decided(
    context: WorkContext, entry: ImportValue, progress: Progress, openers: Openers
) -> tuple[ImportValue, SourceRecord]:
    """The import with its reading chosen, and the notes on its source."""
    record = record_of(context, entry.id)
    if entry.survey is None or not record.inventory.exists():
        record = read_source(context, entry.id, progress, openers)
        with context.database.session() as session:
            entry = get_import(session, entry.id)
    if entry.state != "importing":
        survey = entry.survey or {}
        check_some(survey["pictures"], survey["files"], [_last(skip["path"]) for skip in survey["skipped"]])
        with context.database.session() as session:
            entry = choose_reading(session, entry.id, survey["readings"][0]["choice"])
    return entry, record


def _last(path: str) -> str:
    return path.rpartition("/")[2]


def _bring_in(
    context: WorkContext, entry: ImportValue, record: SourceRecord, progress: Progress, openers: Openers
) -> "_Reader":
    """Go through the plan, and report; the reader tells what it saw."""
    survey = entry.survey or {}
    tables = [table["path"] for table in survey["tables"]]
    if record.held is None:
        progress.stage("Going through the plan", 0)
        record = record.held_if_few()
    plan = open_plan(record, tables, choice_from_json(entry.choice or {}))
    with holding_bytes(context.database):
        reader = _Reader(context, entry, record, plan, openers)
        # What came in stays, what did not can still be decided on: the source is kept.
        with after_failure(lambda: reader.write_report(over=False)), full_disk_in_words(context.settings.data_dir):
            reader.run(progress)
        reader.write_report(over=True)
    return reader


class _Reader:
    """One pass over a plan's files."""

    def __init__(
        self, context: WorkContext, entry: ImportValue, record: SourceRecord, plan: OpenPlan, openers: Openers
    ) -> None:
        self._context, self._entry, self._record, self._plan = context, entry, record, plan
        self._openers = openers
        survey = entry.survey or {}
        self.skipped: list[tuple[str, str]] = [(skip["path"], skip["reason"]) for skip in survey["skipped"]]
        self._skipped_count: int = survey["skipped_count"]
        self.seen: set[int] = set()  # contents, by the first half of their hash: a hundred thousand fit into little
        self.left_out = self._read = 0
        self._classes: Counter[str] = Counter()
        self.new_classes: list[int] = []
        self._recording: list[tuple[ChosenFile, KeptPicture | str]] = []

    def run(self, progress: Progress) -> None:
        """Go through the plan, and write down what becomes of each file."""
        with self._record.fates.open("w", encoding="utf-8", newline="") as fates, self._record.open_tiles() as tile:
            self._table, self._tile = csv.writer(fates), tile
            self._table.writerow(["path", "class", "set", "fate", "reason"])
            self._write_skipped()
            self._run(progress)

    def _run(self, progress: Progress) -> None:
        """Take every chosen file in and record it, a batch at a time; while one is recorded, others are opened."""
        pictures = (self._entry.survey or {})["pictures"]
        progress.stage("Bringing in pictures", pictures)
        waiting: deque[tuple[list[ChosenFile], Callable[[], list[Outcome]]]] = deque()
        with Recorder(self._context, self._entry, self._class_names, progress) as recorder:
            opener = self._openers.of(settled_files(self._context, self._entry), pictures)
            try:
                for files in self._groups(progress):
                    waiting.append((files, opener.keep([WantedFile.of(file.file) for file in files])))
                    if len(waiting) > _AHEAD:
                        self._hand_over(*waiting.popleft(), recorder, progress)
                while waiting:
                    self._hand_over(*waiting.popleft(), recorder, progress)
            finally:
                # The last batch; after an error, what was handed over before it counts too.
                stop = self._count_recorded(recorder)
                self.new_classes = recorder.new_classes
            progress.heed(stop)

    def _groups(self, progress: Progress) -> Iterator[list[ChosenFile]]:
        """Chosen files, some at a time; what the random part leaves out is only counted."""
        files, size = self._plan.files(), _FIRST_BATCH
        while group := list(islice(files, size)):
            size = _BATCH
            chosen = [file for file in group if file.chosen]
            for file in group:
                if not file.chosen:
                    self._write_fate(file, "left out", "not in the random part")
            self.left_out += len(group) - len(chosen)
            progress.advance(len(group) - len(chosen))
            if chosen:
                yield chosen

    def _hand_over(
        self,
        files: list[ChosenFile],
        outcomes_of: Callable[[], list[Outcome]],
        recorder: Recorder,
        progress: Progress,
    ) -> None:
        """Have a batch recorded, behind the one before."""
        outcomes = [
            self._as_listed(file.file) if outcome is None else outcome
            for file, outcome in zip(files, outcomes_of(), strict=True)
        ]
        arrived = _arrived(
            [(f, kept) for f, kept in zip(files, outcomes, strict=True) if isinstance(kept, KeptPicture)]
        )
        # What is recorded must be on the disk before; the batch before is still being recorded meanwhile.
        self._context.store.settle()
        progress.heed(self._count_recorded(recorder))
        progress.count(len(files))
        recorder.begin(arrived)
        self._recording = list(zip(files, outcomes, strict=True))

    def _count_recorded(self, recorder: Recorder) -> bool:
        """Wait for the batch that is being recorded and count it; True if a person wants the import stopped."""
        batch, self._recording = self._recording, []
        stop = recorder.end()  # or it raises: then nothing of it is recorded, nor counted
        for file, outcome in batch:
            self._count(file, outcome)
        return stop

    def _as_listed(self, file: ListedFile) -> KeptPicture:
        """What the reading noted of a small picture."""
        assert file.whole is not None, "only what was decoded is stored without being opened again"
        return KeptPicture(
            sha256=file.sha256,
            size_bytes=file.size_bytes,
            width=file.width,
            height=file.height,
            mode=file.whole.mode,
            format=file.format,
            thumbnail_bytes=0,
            tile=self._tile(file.whole.tile),
        )

    def _count(self, file: ChosenFile, outcome: KeptPicture | str) -> None:
        if isinstance(outcome, str):
            self._skipped_count += 1
            if len(self.skipped) < _LISTED:
                self.skipped.append((file.file.path, outcome))
            self._write_fate(file, "skipped", outcome)
            return
        content = int(outcome.sha256[:16], 16)
        fate = "repeated" if content in self.seen else "here already" if file.file.known else "new"
        self._write_fate(file, fate, "")
        self.seen.add(content)
        self._read += 1
        self._classes[file.class_name or ""] += 1

    def _write_fate(self, file: ChosenFile, fate: str, reason: str) -> None:
        set_name = file.told.set_name.value if file.told.set_name else ""
        self._table.writerow(harmless([file.file.path, file.class_name or "", set_name, fate, reason]))

    def _write_skipped(self) -> None:
        """What the reading skipped, before what the import does."""
        for entry in self._record.entries():
            if entry.skipped is not None:
                self._table.writerow(harmless([entry.path, "", "", "skipped", entry.skipped]))

    def _class_names(self) -> list[str]:
        """The plan's classes in the source's own order if it tells one, else by their names."""
        told = {name.casefold(): place for place, name in enumerate((self._entry.survey or {})["class_order"])}
        return sorted(self._plan.class_names(), key=lambda name: told.get(name.casefold(), len(told)))

    def write_report(self, *, over: bool) -> None:
        """Store what was found so far, in a form that a person reads and a program counts."""
        with self._context.database.session() as session:
            added = count_added(session, self._entry.id)
            report = self._report(added)
            end_import(
                session,
                self._entry.id,
                report,
                new_classes=self.new_classes,
                over=over,
                keep_source=self.left_out > 0,
            )
            if added:
                look_for_copies(session, self._entry.project_id)

    def _report(self, added: int) -> dict[str, Any]:
        reading = self._plan.reading
        return {
            "files": (self._entry.survey or {})["files"],
            "added": added,
            "known": max(0, len(self.seen) - added),
            "repeated": self._read - len(self.seen),
            "left_out": self.left_out,
            "skipped": [{"path": path, "reason": reason} for path, reason in self.skipped],
            "skipped_count": self._skipped_count,
            "wrappers": list(reading.wrappers),
            "notes": list(reading.notes),
            "classes": dict(self._classes),
            "choice": choice_to_json(choice_from_json(self._entry.choice or {})),
        }


def _arrived(kept: Sequence[tuple[ChosenFile, KeptPicture]]) -> list[ArrivedPicture]:
    """What is recorded of stored files: what they are, and what the reading says of them."""
    lit = tile_brightness([picture.tile for _, picture in kept])
    return [
        ArrivedPicture(
            sha256=picture.sha256,
            path=file.file.path,
            name=file.told.name or _last(file.file.path),
            class_name=file.class_name,
            set_name=file.told.set_name.value if file.told.set_name else None,
            width=picture.width,
            height=picture.height,
            mode=picture.mode,
            format=picture.format,
            size_bytes=picture.size_bytes,
            thumbnail_bytes=picture.thumbnail_bytes,
            brightness=brightness,
            tile=picture.tile,
            group_key=file.told.group,
            note=file.told.note,
        )
        for (file, picture), brightness in zip(kept, lit, strict=True)
    ]
