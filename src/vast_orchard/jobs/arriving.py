"""Takes picture files from a source into the store: read, decoded, reduced, written; side by side in processes.

Decoding in threads of one process runs hardly faster than one after the other, because between two calls of a decoder
every thread waits for the interpreter. And a picture that kills its decoder kills no worker this way.
"""

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

from vast_orchard.errors import OrchardError, ServiceError
from vast_orchard.formats.members import Source, SourceLimits
from vast_orchard.formats.picture_file import THUMBNAIL_SIDE, PictureLimits, read_picture, thumbnail
from vast_orchard.formats.reading_plan import ChosenFile
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.dying import die_with_parent
from vast_orchard.settings import Settings
from vast_orchard.store.bytes import ByteStore, byte_store
from vast_orchard.store.values import ArrivedPicture

# Imports no database: a process that decodes starts in half the time without.
__all__ = ["Arrivals", "Outcome", "arrivals"]

# The stored picture, or why the file is skipped.
Outcome = ArrivedPicture | str

# Below this many files, starting processes would take longer than decoding.
_FEWEST = 1000
# Files that one process takes at a time.
_AT_ONCE = 32

# Takes a batch of files and gives back what asks for their outcomes.
Arrivals = Callable[[Sequence[ChosenFile]], Callable[[], list[Outcome]]]


@dataclass(frozen=True, kw_only=True)
class _Desk:
    """What taking in needs."""

    store: ByteStore
    source: Source
    limits: PictureLimits

    def arrive(self, file: ChosenFile) -> Outcome:
        """Read, decode, reduce and store one file."""
        try:
            data = self.source.read(file.file.path)
            picture = read_picture(data, limits=self.limits, reduced_to=2 * THUMBNAIL_SIDE)
            small = thumbnail(picture)
            sha256 = self.store.write_picture(data)
            if not self.store.exists(self.store.thumbnail_path(sha256)):
                self.store.write(self.store.thumbnail_path(sha256), small)
        except ServiceError:
            raise  # no room to store is not the file's fault
        except OrchardError as error:
            return str(error)
        told = file.told
        return ArrivedPicture(
            sha256=sha256,
            path=file.file.path,
            name=told.name or file.file.path.rpartition("/")[2],
            class_name=file.class_name,
            set_name=told.set_name.value if told.set_name else None,
            width=picture.width,
            height=picture.height,
            mode=picture.mode,
            format=picture.format,
            size_bytes=len(data),
            thumbnail_bytes=len(small),
            group_key=told.group,
            note=told.note,
        )


class _Here:
    """What a process that decodes holds open as long as it lives."""

    desk: _Desk
    stack = ExitStack()


def _begin(settings: Settings, place: Path, source_limits: SourceLimits, limits: PictureLimits) -> None:
    die_with_parent()
    source = _Here.stack.enter_context(open_source(place, source_limits))
    _Here.desk = _Desk(store=byte_store(settings), source=source, limits=limits)


def _arrive_all(files: Sequence[ChosenFile]) -> list[Outcome]:
    return [_Here.desk.arrive(file) for file in files]


@contextmanager
def arrivals(
    settings: Settings, place: Path, source_limits: SourceLimits, limits: PictureLimits, count: int
) -> Iterator[Arrivals]:
    """What takes batches of files in, as long as this is open.

    Parameters
    ----------
    place : Path
        The source's folder or archive.
    count : int
        Files that will come; a few are taken in here and now, many by processes of their own.
    """
    processes = settings.threads or len(os.sched_getaffinity(0))
    if count < _FEWEST or processes == 1:
        with open_source(place, source_limits) as source:
            desk = _Desk(store=byte_store(settings), source=source, limits=limits)

            def at_once(files: Sequence[ChosenFile]) -> Callable[[], list[Outcome]]:
                found = [desk.arrive(file) for file in files]
                return lambda: found

            yield at_once
        return
    pool = ProcessPoolExecutor(
        processes,
        mp_context=get_context("spawn"),
        initializer=_begin,
        initargs=(settings, place, source_limits, limits),
    )

    def side_by_side(files: Sequence[ChosenFile]) -> Callable[[], list[Outcome]]:
        parts = [pool.submit(_arrive_all, files[n : n + _AT_ONCE]) for n in range(0, len(files), _AT_ONCE)]
        return lambda: _outcomes(parts)

    try:
        yield side_by_side
    finally:
        pool.shutdown(wait=True, cancel_futures=True)


def _outcomes(parts: "Sequence[Future[list[Outcome]]]") -> list[Outcome]:
    try:
        return [outcome for part in parts for outcome in part.result()]
    except BrokenProcessPool as error:
        raise ServiceError(
            "A process that decodes pictures died.", "Bring in again to go on; if it stays so, see the worker's log."
        ) from error
