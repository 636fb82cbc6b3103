"""Opens the files of a source: looks at them, or decodes, reduces and stores; side by side in processes.

Decoding in threads of one process runs hardly faster than one after the other, because between two calls of a decoder
every thread waits for the interpreter. And a picture that kills its decoder kills no worker this way.
"""

import hashlib
import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from multiprocessing import forkserver, get_context
from pathlib import Path
from types import TracebackType
from typing import NamedTuple, Protocol, TypeVar

from vast_orchard.errors import OrchardError, ServiceError
from vast_orchard.formats.folder_source import FolderSource
from vast_orchard.formats.inventory import ListedFile
from vast_orchard.formats.members import Source, SourceLimits
from vast_orchard.formats.picture_file import PictureLimits, glance
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.bringing_in.stored_picture import KeptPicture, keep_picture
from vast_orchard.jobs.helper_process import die_with_starter
from vast_orchard.settings import Settings
from vast_orchard.store.bytes import ByteStore, byte_store

# Imports no database: what the processes fork from stays small without.
__all__ = ["Glimpse", "Opener", "Openers", "Outcome", "SeenFile", "SettledFiles", "WantedFile", "stand_ready"]


class SeenFile(NamedTuple):
    """What a glance at a file told; a tuple, because those go between processes in a tenth of the time."""

    path: str
    sha256: str
    size_bytes: int
    stamp: int | None  # when it was last written, in nanoseconds, if it is ours
    width: int  # as stored, pixels
    height: int
    format: str
    traits: tuple[str, ...]
    mode: str  # of a small picture that was decoded; else empty
    tile: bytes


class WantedFile(NamedTuple):
    """A file to store, as the reading found it."""

    path: str
    sha256: str
    decoded: bool
    stamp: int | None

    @classmethod
    def of(cls, file: ListedFile) -> "WantedFile":
        """What storing a listed file needs of it."""
        stamp = file.whole.stamp if file.whole else None
        return cls(file.path, file.sha256, file.whole is not None, stamp)


# Or its path, and why it is skipped.
Glimpse = SeenFile | tuple[str, str]
# What was stored; None: just what the reading had noted of it; or why the file is skipped.
Outcome = KeptPicture | str | None

T = TypeVar("T")
R = TypeVar("R")

# Below this many files, forking processes gains nothing.
_FEWEST = 100
# Steps down in the order in which processes get a processor.
_NICE = 5
# Files that one process takes at a time.
_AT_ONCE = 64


class Opener(Protocol):
    """Takes a batch of files and gives back what asks for their outcomes."""

    def glance(self, paths: Sequence[str]) -> Callable[[], list[Glimpse]]:
        """Look at these files."""

    def keep(self, files: Sequence[WantedFile]) -> Callable[[], list[Outcome]]:
        """Store these files, and decode what was not decoded yet."""


@dataclass(frozen=True, kw_only=True)
class _Desk:
    """What opening files needs."""

    store: ByteStore
    source: Source
    limits: PictureLimits
    may_take_over: bool

    def glance(self, path: str) -> Glimpse:
        """Hash one file and look at it."""
        try:
            # Before it is read: if someone writes to it meanwhile, it does not count as what was seen.
            stamp = _stamp(self._own_place(path))
            data = self.source.read(path)
            seen = glance(data, self.limits)
        except OrchardError as error:
            return path, str(error)
        return SeenFile(
            path=path,
            sha256=hashlib.sha256(data).hexdigest(),
            size_bytes=len(data),
            stamp=stamp,
            width=seen.width,
            height=seen.height,
            format=seen.format,
            traits=seen.traits,
            mode=seen.small.mode if seen.small else "",
            tile=seen.small.tile if seen.small else b"",
        )

    def keep(self, file: WantedFile) -> Outcome:
        """Store one file; what the reading decoded is not opened again if it is still the same."""
        try:
            place = self._own_place(file.path)
            untouched = file.stamp is not None and _stamp(place) == file.stamp
            if file.decoded and place and untouched and self.store.take_over(place, file.sha256):
                return None
            data = self.source.read(file.path)
            if file.decoded and hashlib.sha256(data).hexdigest() == file.sha256:
                self.store.write_picture(data, place)
                return None
            return keep_picture(self.store, data, self.limits, place)
        except ServiceError:
            raise  # no room to store is not the file's fault
        except OrchardError as error:
            return str(error)

    def _own_place(self, path: str) -> str | None:
        """Where a file lies that the store may take over instead of writing it again."""
        return self.source.place_of(path) if self.may_take_over and isinstance(self.source, FolderSource) else None


def _stamp(place: str | None) -> int | None:
    """When a file of ours was last written, in nanoseconds: nobody but this program writes there."""
    try:
        return os.stat(place).st_mtime_ns if place else None  # noqa: PTH116 - a path object takes as long again
    except OSError:
        return None  # reading it says so


@dataclass(frozen=True, kw_only=True)
class SettledFiles:
    """Files that lie still, and how to open them; can be handed to another process."""

    settings: Settings
    place: Path  # a folder or an archive
    source_limits: SourceLimits
    limits: PictureLimits
    ours: bool  # files of a folder may be taken over instead of being written again

    @contextmanager
    def open(self) -> Iterator[_Desk]:
        """Open the folder or archive."""
        with open_source(self.place, self.source_limits) as source:
            store = byte_store(self.settings)
            yield _Desk(store=store, source=source, limits=self.limits, may_take_over=self.ours)


class _Here:
    """What a process that opens files holds as long as it lives."""

    desk: _Desk
    stack = ExitStack()


def _begin(source: SettledFiles) -> None:
    die_with_starter()
    # Whoever records what they did, and whoever answers a person meanwhile, goes before them.
    os.nice(_NICE)
    _Here.desk = _Here.stack.enter_context(source.open())


def _glance_all(paths: Sequence[str]) -> list[Glimpse]:
    return [_Here.desk.glance(path) for path in paths]


def _keep_all(files: Sequence[WantedFile]) -> list[Outcome]:
    return [_Here.desk.keep(file) for file in files]


def stand_ready() -> None:
    """Start the process that others are forked from, so that no import waits until its modules are loaded.

    That process has loaded what opens files, and nothing that computes: forking it is safe where forking a worker is
    not. It ends with this one.
    """
    get_context("forkserver").set_forkserver_preload([__name__, f"{__package__}.preloaded"])
    forkserver.ensure_running()


class _AtOnce:
    """Opens files here and now."""

    def __init__(self, desk: _Desk) -> None:
        self._desk = desk

    def glance(self, paths: Sequence[str]) -> Callable[[], list[Glimpse]]:
        found = [self._desk.glance(path) for path in paths]
        return lambda: found

    def keep(self, files: Sequence[WantedFile]) -> Callable[[], list[Outcome]]:
        found = [self._desk.keep(file) for file in files]
        return lambda: found


class _SideBySide:
    """Opens files in processes of a pool."""

    def __init__(self, pool: ProcessPoolExecutor) -> None:
        self._pool = pool

    def glance(self, paths: Sequence[str]) -> Callable[[], list[Glimpse]]:
        return self._shared(_glance_all, paths)

    def keep(self, files: Sequence[WantedFile]) -> Callable[[], list[Outcome]]:
        return self._shared(_keep_all, files)

    def _shared(self, work: Callable[[Sequence[T]], list[R]], things: Sequence[T]) -> Callable[[], list[R]]:
        parts = [self._pool.submit(work, things[n : n + _AT_ONCE]) for n in range(0, len(things), _AT_ONCE)]
        return lambda: _outcomes(parts)


class Openers:
    """What opens a job's files: processes that are forked for its first pass over a source serve the second too."""

    def __init__(self) -> None:
        self._stack = ExitStack()
        self._opener: Opener | None = None
        self._source: SettledFiles | None = None

    def __enter__(self) -> "Openers":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._stack.close()

    def of(self, source: SettledFiles, count: int) -> Opener:
        """What opens batches of these files, as long as this is open.

        Parameters
        ----------
        count : int
            Files that will come; a few are opened here and now, many by processes of their own.
        """
        if self._opener is None or self._source != source:
            self._stack.close()
            self._opener, self._source = self._open(source, count), source
        return self._opener

    def _open(self, source: SettledFiles, count: int) -> Opener:
        processes = source.settings.threads or len(os.sched_getaffinity(0))
        if count < _FEWEST or processes == 1:
            return _AtOnce(self._stack.enter_context(source.open()))
        stand_ready()
        pool = ProcessPoolExecutor(
            processes, mp_context=get_context("forkserver"), initializer=_begin, initargs=(source,)
        )
        self._stack.callback(pool.shutdown, wait=True, cancel_futures=True)
        return _SideBySide(pool)


def _outcomes(parts: "Sequence[Future[list[R]]]") -> list[R]:
    try:
        return [outcome for part in parts for outcome in part.result()]
    except BrokenProcessPool as error:
        raise ServiceError(
            "A process that decodes pictures died.", "Bring in again to go on; if it stays so, see the worker's log."
        ) from error
