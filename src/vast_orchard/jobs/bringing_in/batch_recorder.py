"""Records the pictures of an import, a batch at a time, in a thread of its own while the next batch is made ready.

A batch is one transaction, which also tells how far the job is: it fails as a whole if the job is another worker's.
"""

from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from types import TracebackType

from sqlalchemy.orm import Session

from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.store.classes import class_ids, find_or_add_classes
from vast_orchard.store.imports import add_batch, take_turn
from vast_orchard.store.values import ArrivedPicture, ImportValue

__all__ = ["Recorder"]


class Recorder:
    """Records one batch at a time; leaving it waits for the last.

    Parameters
    ----------
    class_names : callable
        Gives the names of the classes that the import needs, in the order in which new ones are made.
    """

    def __init__(
        self, context: WorkContext, entry: ImportValue, class_names: Callable[[], list[str]], progress: Progress
    ) -> None:
        self._context, self._entry, self._progress = context, entry, progress
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="record")
        # At once: nothing is recorded before the first files are opened.
        self._class_names = self._thread.submit(class_names)
        self._under_way: Future[bool] | None = None
        self._named = False
        self.new_classes: list[int] = []

    def __enter__(self) -> "Recorder":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._thread.shutdown(wait=True)

    def begin(self, arrived: Sequence[ArrivedPicture]) -> None:
        """Begin to record a batch, whose bytes must be on the disk; the one before must have ended."""
        assert self._under_way is None, "one batch at a time"
        self._under_way = self._thread.submit(self._record, arrived)

    def end(self) -> bool:
        """Wait until the batch is recorded; True if a person wants the job stopped.

        Raises
        ------
        DatabaseGoneError, LeaseLostError
            Nothing of the batch was recorded.
        """
        under_way, self._under_way = self._under_way, None
        return under_way.result() if under_way else False

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
        self.new_classes = list(dict.fromkeys(row.id for row in rows if row.id not in before))
