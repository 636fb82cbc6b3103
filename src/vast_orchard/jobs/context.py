"""What every piece of work is given: settings, records, bytes, and a way to report and to be stopped."""

import time
from dataclasses import dataclass

from sqlalchemy.orm import Session

from vast_orchard.core.watching.step_line import few_points
from vast_orchard.errors import StoppedError
from vast_orchard.formats.members import SourceLimits
from vast_orchard.formats.picture_file import PictureLimits
from vast_orchard.formats.project_archive import ArchiveLimits
from vast_orchard.settings import Settings
from vast_orchard.store import jobs
from vast_orchard.store.bytes import ByteStore, byte_store
from vast_orchard.store.data_folder import DataFolder
from vast_orchard.store.database import Database

__all__ = ["Progress", "WorkContext", "open_context"]

# A window learns of progress this often; oftener only costs writes.
_REPORT_EVERY_S = 0.3


@dataclass(frozen=True, kw_only=True)
class WorkContext:
    """What a worker has."""

    settings: Settings
    database: Database
    store: ByteStore

    @property
    def picture_limits(self) -> PictureLimits:
        """What one picture may cost."""
        return PictureLimits(
            megapixels=self.settings.picture_limit_megapixels, megabytes=self.settings.picture_limit_mb
        )

    @property
    def source_limits(self) -> SourceLimits:
        """What one import may cost."""
        return SourceLimits(
            total_mb=self.settings.import_limit_mb,
            files=self.settings.import_limit_files,
            ratio=self.settings.import_ratio_limit,
            member_mb=self.settings.picture_limit_mb,
        )

    @property
    def archive_limits(self) -> ArchiveLimits:
        """What one archive of a project may cost."""
        return ArchiveLimits(total_mb=self.settings.archive_limit_mb, picture_mb=self.settings.picture_limit_mb)

    @property
    def folder(self) -> DataFolder:
        """Where files of our own lie."""
        return DataFolder(self.settings.data_dir)


def open_context(settings: Settings) -> WorkContext:
    """Connect to the records and the bytes."""
    return WorkContext(
        settings=settings,
        database=Database(settings.database_url, data_dir=settings.data_dir),
        store=byte_store(settings),
    )


class Progress:
    """Reports how far a job is, and raises when a person wants it stopped or another worker took it over."""

    def __init__(self, database: Database, job_id: int, owner: str) -> None:
        self._database = database
        self.job_id = job_id
        self.owner = owner
        self._stage = ""
        self._total = 0.0
        self._done = 0.0
        self._first = 0.0
        self._began = time.monotonic()
        self._reported = float("-inf")
        self._may_stop = True
        self.pause_asked = False  # as of the last report
        self.line: list[float] = []  # of a training: the losses of the epoch under way, told with each report

    def stage(self, name: str, total: float, done: float = 0.0) -> None:
        """Begin a stage of `total` units, of which `done` are done already."""
        self._stage, self._total, self._done, self._first = name, total, done, done
        self._began = time.monotonic()
        self.report()

    def unstoppable(self) -> "Progress":
        """The same reports without the stop: for the last, short stage of work that was stopped already."""
        self._may_stop = False
        return self

    def advance(self, by: float = 1.0) -> None:
        """Count units as done; the records hear of it a few times a second."""
        self._done += by
        if time.monotonic() - self._reported >= _REPORT_EVERY_S:
            self.report()

    def count(self, by: float) -> None:
        """Count units as done that whoever records them reports."""
        self._done += by

    def report(self) -> None:
        """Tell the records now.

        Raises
        ------
        StoppedError, LeaseLostError
        """
        with self._database.session() as session:
            stop = self.report_within(session)
        self.heed(stop)

    def report_within(self, session: Session) -> bool:
        """Tell the records in a transaction, which then ends with nothing if the job is another worker's.

        Returns
        -------
        bool
            True if a person wants it stopped; to be heeded when the transaction is over.

        Raises
        ------
        LeaseLostError
        """
        asked = jobs.report(
            session,
            self.job_id,
            self.owner,
            stage=self._stage,
            done=self._done,
            total=self._total,
            left_s=self._left_s(),
            line=few_points(self.line),
        )
        self._reported = time.monotonic()
        self.pause_asked = asked.pause
        return asked.stop

    def heed(self, stop: bool) -> None:
        """Raise `StoppedError` if it was asked for, and may be."""
        if stop and self._may_stop:
            raise StoppedError(f"Stopped while {self._stage.lower()}.")

    def _left_s(self) -> float | None:
        """Seconds left at the pace of this stage so far; None until a fiftieth of it is done."""
        here = self._done - self._first
        if here <= 0 or here < (self._total - self._first) / 50:
            return None
        return (time.monotonic() - self._began) / here * (self._total - self._done)
