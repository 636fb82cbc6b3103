"""An import: brings in what a reading plan says, keeps pictures by content, and reports what it skipped and why.

Repeating it, whole or after a crash, changes nothing that is there already.
"""

import csv
import shutil
from collections import Counter, deque
from collections.abc import Callable, Iterator
from itertools import islice
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.errors import DatabaseGoneError, LeaseLostError
from vast_orchard.formats.collection import check_some
from vast_orchard.formats.inventory import read_inventory
from vast_orchard.formats.reading_choice import choice_from_json, choice_to_json
from vast_orchard.formats.reading_plan import ChosenFile, OpenPlan, open_plan
from vast_orchard.jobs.arriving import Outcome, opening
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.queue import look_for_copies
from vast_orchard.jobs.reading import read_source, record_of
from vast_orchard.jobs.source_place import settled_files
from vast_orchard.store.classes import find_or_add_classes, list_classes
from vast_orchard.store.imports import (
    add_batch,
    choose_reading,
    count_added,
    end_import,
    get_import,
    take_turn,
)
from vast_orchard.store.locks import holding_bytes
from vast_orchard.store.values import ArrivedPicture, ImportValue

__all__ = ["import_pictures", "read_for_plan"]

# A batch ends with one commit, and with everything written so far on the disk.
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
    try:
        read_source(context, import_id, progress)
    except (DatabaseGoneError, LeaseLostError):
        raise
    except Exception:
        _remove_upload(context, import_id)
        raise


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
    try:
        entry = _decided(context, entry, progress)
    except (DatabaseGoneError, LeaseLostError):
        raise  # it is done again, and needs its files for that
    except Exception:
        _remove_upload(context, import_id)
        raise
    reader = _bring_in(context, entry, progress)
    if not reader.left_out:
        _remove_files(context, entry)
        record_of(context, import_id).forget_source()
    files = (entry.survey or {})["files"]
    check_some(len(reader.seen), files, [_last(path) for path, _ in reader.skipped])


def _remove_upload(context: WorkContext, import_id: int) -> None:
    """Remove what a source that cannot be read was, wherever it lies by now."""
    with context.database.session() as session:
        _remove_files(context, get_import(session, import_id))


def _remove_files(context: WorkContext, entry: ImportValue) -> None:
    """Remove the files of an import that needs them no more; those of a folder on the server are not ours."""
    if entry.source_kind == "upload" and entry.location:
        shutil.rmtree(context.uploads / entry.location, ignore_errors=True)


def _decided(context: WorkContext, entry: ImportValue, progress: Progress) -> ImportValue:
    """The import with its inventory made and its reading chosen."""
    if entry.survey is None or not record_of(context, entry.id).inventory.exists():
        read_source(context, entry.id, progress)
        with context.database.session() as session:
            entry = get_import(session, entry.id)
    if entry.state != "importing":
        survey = entry.survey or {}
        check_some(survey["pictures"], survey["files"], [_last(skip["path"]) for skip in survey["skipped"]])
        with context.database.session() as session:
            entry = choose_reading(session, entry.id, survey["readings"][0]["choice"])
    return entry


def _last(path: str) -> str:
    return path.rpartition("/")[2]


def _bring_in(context: WorkContext, entry: ImportValue, progress: Progress) -> "_Reader":
    """Go through the plan, and report; the reader tells what it saw."""
    survey = entry.survey or {}
    tables = [table["path"] for table in survey["tables"]]
    progress.stage("Going through the plan", 0)
    plan = open_plan(record_of(context, entry.id).held_if_few(), tables, choice_from_json(entry.choice or {}))
    with holding_bytes(context.database):
        reader = _Reader(context, entry, plan)
        try:
            reader.run(progress)
        except (DatabaseGoneError, LeaseLostError):
            raise
        except Exception:
            # What came in stays, what did not can still be decided on: the source is kept.
            reader.write_report(over=False)
            raise
        reader.write_report(over=True)
    return reader


class _Reader:
    """One pass over a plan's files."""

    def __init__(self, context: WorkContext, entry: ImportValue, plan: OpenPlan) -> None:
        self._context, self._entry, self._plan = context, entry, plan
        survey = entry.survey or {}
        self.skipped: list[tuple[str, str]] = [(skip["path"], skip["reason"]) for skip in survey["skipped"]]
        self._skipped_count: int = survey["skipped_count"]
        self.seen: set[int] = set()  # contents, by the first half of their hash: a hundred thousand fit into little
        self.left_out = self._read = 0
        self._classes: Counter[str] = Counter()
        self._new_classes: list[int] = []
        self._classes_named = False
        self._record = record_of(context, entry.id)

    def run(self, progress: Progress) -> None:
        """Go through the plan, and write down what becomes of each file."""
        with self._record.fates.open("w", encoding="utf-8", newline="") as fates:
            self._table = csv.writer(fates)
            self._table.writerow(["path", "class", "set", "fate", "reason"])
            self._write_skipped()
            self._run(progress)

    def _run(self, progress: Progress) -> None:
        """Take every chosen file in and record it, a batch at a time; while one is recorded, others are decoded."""
        pictures = (self._entry.survey or {})["pictures"]
        progress.stage("Bringing in pictures", pictures)
        under_way: deque[tuple[list[ChosenFile], Callable[[], list[Outcome]]]] = deque()
        with opening(settled_files(self._context, self._entry), pictures) as opener:
            for files in self._groups(progress):
                under_way.append((files, opener.arrive(files)))
                if len(under_way) > _AHEAD:
                    self._note(*under_way.popleft(), progress)
            while under_way:
                self._note(*under_way.popleft(), progress)

    def _groups(self, progress: Progress) -> Iterator[list[ChosenFile]]:
        """Chosen files, some at a time; what the random part leaves out is only counted."""
        files = self._plan.files()
        while group := list(islice(files, _BATCH)):
            chosen = [file for file in group if file.chosen]
            for file in group:
                if not file.chosen:
                    self._write_fate(file, "left out", "not in the random part")
            self.left_out += len(group) - len(chosen)
            progress.advance(len(group) - len(chosen))
            if chosen:
                yield chosen

    def _note(self, files: list[ChosenFile], outcomes_of: Callable[[], list[Outcome]], progress: Progress) -> None:
        """Commit a batch, once its bytes are on the disk."""
        outcomes = outcomes_of()
        arrived = [outcome for outcome in outcomes if isinstance(outcome, ArrivedPicture)]
        if arrived:
            self._context.store.settle()
            with self._context.database.session() as session:
                take_turn(session, self._entry.project_id)
                if not self._classes_named:
                    self._name_classes(session)
                add_batch(session, self._entry.id, self._entry.project_id, arrived)
            self._classes_named = True
        for file, outcome in zip(files, outcomes, strict=True):
            self._count(file, outcome)
        progress.advance(len(outcomes))
        progress.report()

    def _count(self, file: ChosenFile, outcome: Outcome) -> None:
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
        self._table.writerow([file.file.path, file.class_name or "", set_name, fate, reason])

    def _write_skipped(self) -> None:
        """What the reading skipped, before what the import does."""
        for entry in read_inventory(self._record.inventory):
            if entry.skipped is not None:
                self._table.writerow([entry.path, "", "", "skipped", entry.skipped])

    def _name_classes(self, session: Session) -> None:
        """Add the source's classes in its own order if it tells one, else by their names.

        With the first pictures and not before, so that a source without any leaves no classes behind.
        """
        before = {entry.id for entry in list_classes(session, self._entry.project_id)}
        names = self._plan.class_names()
        told = {name.casefold(): place for place, name in enumerate((self._entry.survey or {})["class_order"])}
        names.sort(key=lambda name: told.get(name.casefold(), len(told)))
        rows = find_or_add_classes(session, self._entry.project_id, names).values()
        self._new_classes = list(dict.fromkeys(row.id for row in rows if row.id not in before))

    def write_report(self, *, over: bool) -> None:
        """Store what was found so far, in a form that a person reads and a program counts."""
        with self._context.database.session() as session:
            added = count_added(session, self._entry.id)
            report = self._report(added)
            end_import(
                session,
                self._entry.id,
                report,
                new_classes=self._new_classes,
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
