"""Records the pictures of an import, a batch at a time, in a thread of its own while the next batch is made ready.

A batch is one transaction, which also tells how far the job is: it fails as a whole if the job is another worker's.
"""

from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from types import TracebackType

from sqlalchemy.orm import Session

from vast_orchard.formats.picture_file import tile_brightness
from vast_orchard.formats.reading_plan import ChosenFile
from vast_orchard.jobs.bringing_in.stored_picture import KeptPicture
from vast_orchard.jobs.bringing_in.tally import Tally
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.store.classes import class_ids, find_or_add_classes
from vast_orchard.store.imports import add_batch, take_turn
from vast_orchard.store.values import ArrivedPicture, ImportValue

__all__ = ["Batch", "Recorder"]

# Files of a plan with what was stored of each, or why it is skipped.
Batch = list[tuple[ChosenFile, KeptPicture | str]]


class Recorder:
    """Records one batch at a time and has it counted; leaving it waits for the last.

    Parameters
    ----------
    class_names : callable
        Gives the names of the classes that the import needs, in the order in which new ones are made.
    """

    def __init__(
        self,
        context: WorkContext,
        entry: ImportValue,
        class_names: Callable[[], list[str]],
        tally: Tally,
        progress: Progress,
    ) -> None:
        self._context, self._entry, self._tally, self._progress = context, entry, tally, progress
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="record")
        # At once: nothing is recorded before the first files are opened.
        self._class_names = self._thread.submit(class_names)
        self._under_way: tuple[Batch, Future[bool]] | None = None
        self._named = False

    def __enter__(self) -> "Recorder":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            # The last batch; after an error, what was handed over before it counts too.
            stop = self._end()
        finally:
            self._thread.shutdown(wait=True)
        if error is None:
            self._progress.heed(stop)

    def record(self, batch: Batch) -> None:
        """Begin to record a batch, whose bytes must be on the disk, behind the one before.

        Raises
        ------
        DatabaseGoneError, LeaseLostError
            Nothing of the batch before was recorded.
        StoppedError
            A person wants the job stopped; what was recorded is counted.
        """
        arrived = _arrived([(file, kept) for file, kept in batch if isinstance(kept, KeptPicture)])
        self._progress.heed(self._end())
        self._progress.count(len(batch))
        self._under_way = batch, self._thread.submit(self._record, arrived)

    def _end(self) -> bool:
        """Wait until the batch is recorded, and count it; true if a person wants the job stopped."""
        if self._under_way is None:
            return False
        (batch, recorded), self._under_way = self._under_way, None
        stop = recorded.result()  # or it raises: then nothing of it is recorded, nor counted
        self._tally.count(batch)
        return stop

    def _record(self, arrived: Sequence[ArrivedPicture]) -> bool:
        with self._context.database.session() as session:
            if arrived:
                if not self._named:
                    self._name_classes(session)
                add_batch(session, self._entry.id, self._entry.project_id, arrived)
            stop = self._progress.report_within(session)
        self._named = self._named or bool(arrived)
        return stop

    def _name_classes(self, session: Session) -> None:
        """Add the classes with the first pictures and not before, so that a source without any leaves none behind."""
        take_turn(session, self._entry.project_id)
        before = class_ids(session, self._entry.project_id)
        rows = find_or_add_classes(session, self._entry.project_id, self._class_names.result()).values()
        self._tally.new_classes = list(dict.fromkeys(row.id for row in rows if row.id not in before))


def _arrived(kept: Sequence[tuple[ChosenFile, KeptPicture]]) -> list[ArrivedPicture]:
    """What is recorded of stored files: what they are, and what the reading says of them."""
    lit = tile_brightness([picture.tile for _, picture in kept])
    return [
        ArrivedPicture(
            sha256=picture.sha256,
            path=file.file.path,
            name=file.told.name or file.file.path.rpartition("/")[2],
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
            area=file.told.area,
        )
        for (file, picture), brightness in zip(kept, lit, strict=True)
    ]
