"""Says every other second that a job's own work goes on, and notices when it goes on for nothing."""

import threading
import time
from collections.abc import Callable
from types import TracebackType

import structlog

from vast_orchard.errors import OrchardError
from vast_orchard.store.database import Database
from vast_orchard.store.jobs import give_sign

__all__ = ["SignOfLife"]

_log = structlog.get_logger()
_EVERY_S = 2.0
# A worker whose job was taken away finds out at its next report. One that has none for so long does not come to it any
# more: it waits for something that never comes.
_STUCK_S = 30.0


class SignOfLife:
    """A thread beside the work, from its beginning to its end.

    Parameters
    ----------
    database : Database
    job_id : int
    owner : str
    when_stuck : callable, optional
        Called when the work goes on long after it was taken away; a worker ends its process then, and is started
        again.
    """

    def __init__(
        self, database: Database, job_id: int, owner: str, when_stuck: Callable[[], object] | None = None
    ) -> None:
        self._database, self._job_id, self._owner, self._when_stuck = database, job_id, owner, when_stuck
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name="sign-of-life", daemon=True)

    def __enter__(self) -> "SignOfLife":
        self._thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._ended.set()

    def _run(self) -> None:
        lost_at: float | None = None
        while not self._ended.wait(_EVERY_S):
            try:
                with self._database.session() as session:
                    held = give_sign(session, self._job_id, self._owner)
            except OrchardError:
                continue  # the database is away; the next sign will do
            if held:
                lost_at = None
                continue
            lost_at = lost_at or time.monotonic()
            if self._when_stuck and time.monotonic() - lost_at > _STUCK_S and not self._ended.is_set():
                _log.error("Work that was taken away does not end.", action="worker_stuck", job=self._job_id)
                self._when_stuck()
