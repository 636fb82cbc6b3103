"""An import: brings in what a reading plan says, keeps pictures by content, and reports what it skipped and why.

The way of a file, from top to bottom: listed and looked at when the source was read (`source_reading`), chosen by the
plan (`_chosen`), opened and stored (`_opened`), recorded (`batch_recorder`), told (`tally`).

Repeating it, whole or after a crash, changes nothing that is there already.
"""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from itertools import islice

from vast_orchard.formats.collection import check_some
from vast_orchard.formats.inventory import ListedFile
from vast_orchard.formats.reading_choice import choice_from_json
from vast_orchard.formats.reading_plan import ChosenFile, OpenPlan, open_plan
from vast_orchard.formats.source_survey import SourceRecord
from vast_orchard.jobs.after_failure import after_failure
from vast_orchard.jobs.bringing_in.batch_recorder import Batch, Recorder
from vast_orchard.jobs.bringing_in.opened_files import Opener, Openers, Outcome, WantedFile
from vast_orchard.jobs.bringing_in.source_files import settled_files
from vast_orchard.jobs.bringing_in.source_reading import read_source, record_of
from vast_orchard.jobs.bringing_in.stored_picture import KeptPicture
from vast_orchard.jobs.bringing_in.tally import Tally
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.queue import look_for_copies, look_for_findings
from vast_orchard.store.disk import full_disk_in_words
from vast_orchard.store.findings import finding_report
from vast_orchard.store.imports import choose_reading, count_added, end_import, get_import, set_place
from vast_orchard.store.locks import holding_bytes
from vast_orchard.store.values import ImportValue

__all__ = ["import_pictures", "read_for_plan"]

# A batch ends with one commit, and with everything written so far on the disk. The first is small, so that recording
# begins early.
_FIRST_BATCH = 128
_BATCH = 512
# So many batches are decoded ahead of the one that is recorded.
_AHEAD = 2


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
    if entry.state != "done":  # else a worker died after its last record: only the clearing up is left
        with Openers() as openers:
            with after_failure(lambda: _remove_upload(context, import_id)):
                entry, record = _decided(context, entry, progress, openers)
            _bring_in(context, entry, record, progress, openers)
        with context.database.session() as session:
            entry = get_import(session, import_id)
    report = entry.report or {}
    if not report["left_out"]:
        _remove_upload(context, import_id)
        record_of(context, import_id).forget_source()
    check_some(report["added"] + report["known"], report["files"], [_last(skip["path"]) for skip in report["skipped"]])


def _remove_upload(context: WorkContext, import_id: int) -> None:
    """Remove the files of an import that needs them no more, wherever they lie by now; a server's folder is not ours.

    The record names them until they are gone, so that whoever takes over a killed worker's job still finds them.
    """
    with context.database.session() as session:
        entry = get_import(session, import_id)
        if entry.source_kind == "upload" and entry.location:
            context.folder.remove(context.folder.upload(entry.location))
            set_place(session, import_id, location="", kind=entry.source_kind)


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
) -> None:
    """Go through the plan, and report what became of its files."""
    survey = entry.survey or {}
    tables = [table["path"] for table in survey["tables"]]
    if record.held is None:
        progress.stage("Going through the plan", 0)
        record = record.held_if_few()
    plan = open_plan(record, tables, choice_from_json(entry.choice or {}))
    tally = Tally(survey)
    with holding_bytes(context.database):
        # What came in stays, what did not can still be decided on: the source is kept.
        with (
            after_failure(lambda: _report(context, entry, plan, tally, over=False)),
            full_disk_in_words(context.settings.data_dir),
            tally.writing(record),
        ):
            _take_in(context, entry, record, plan, tally, progress, openers)
        _report(context, entry, plan, tally, over=True)


def _take_in(
    context: WorkContext,
    entry: ImportValue,
    record: SourceRecord,
    plan: OpenPlan,
    tally: Tally,
    progress: Progress,
    openers: Openers,
) -> None:
    """Take every chosen file in and record it, a batch at a time; while one is recorded, others are opened."""
    survey = entry.survey or {}
    progress.stage("Bringing in pictures", survey["pictures"])

    def class_names() -> list[str]:
        return _in_order(plan.class_names(), survey["class_order"])

    with record.open_tiles() as tile, Recorder(context, entry, class_names, tally, progress) as recorder:
        opener = openers.of(settled_files(context, entry), survey["pictures"])
        for batch in _opened(opener, _chosen(plan, tally, progress), tile):
            # What is recorded must be on the disk before; the batch before is still being recorded meanwhile.
            context.store.settle()
            recorder.record(batch)


def _in_order(names: Iterable[str], told: Iterable[str]) -> list[str]:
    """Classes in the source's own order if it tells one, else by their names."""
    places = {name.casefold(): place for place, name in enumerate(told)}
    return sorted(names, key=lambda name: places.get(name.casefold(), len(places)))


def _chosen(plan: OpenPlan, tally: Tally, progress: Progress) -> Iterator[list[ChosenFile]]:
    """Chosen files, some at a time; what the random part leaves out is only counted."""
    files, size = plan.files(), _FIRST_BATCH
    while group := list(islice(files, size)):
        size = _BATCH
        chosen = [file for file in group if file.chosen]
        for file in group:
            if not file.chosen:
                tally.leave_out(file)
        progress.advance(len(group) - len(chosen))
        if chosen:
            yield chosen


def _opened(opener: Opener, groups: Iterator[list[ChosenFile]], tile: Callable[[int], bytes]) -> Iterator[Batch]:
    """Groups of files with what became of each; the next ones are being opened meanwhile."""
    waiting: deque[tuple[list[ChosenFile], Callable[[], list[Outcome]]]] = deque()

    def first() -> Batch:
        files, outcomes_of = waiting.popleft()
        return [
            (file, _as_listed(file.file, tile) if outcome is None else outcome)
            for file, outcome in zip(files, outcomes_of(), strict=True)
        ]

    for files in groups:
        waiting.append((files, opener.keep([WantedFile.of(file.file) for file in files])))
        if len(waiting) > _AHEAD:
            yield first()
    while waiting:
        yield first()


def _as_listed(file: ListedFile, tile: Callable[[int], bytes]) -> KeptPicture:
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
        tile=tile(file.whole.tile),
    )


def _report(context: WorkContext, entry: ImportValue, plan: OpenPlan, tally: Tally, *, over: bool) -> None:
    """Store what was found so far, in a form that a person reads and a program counts."""
    with context.database.session() as session:
        added = count_added(session, entry.id)
        end_import(
            session,
            entry.id,
            tally.report(plan.reading, choice_from_json(entry.choice or {}), added),
            new_classes=tally.new_classes,
            over=over,
        )
        if added:
            look_for_copies(session, entry.project_id)
            if finding_report(session, entry.project_id) is not None:
                look_for_findings(session, entry.project_id)
