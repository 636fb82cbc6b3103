"""Opens the files of a source: looks at heads, or decodes, reduces and stores; side by side in processes.

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
from typing import Protocol, TypeVar

from vast_orchard.errors import OrchardError, ServiceError
from vast_orchard.formats.folder_source import FolderSource
from vast_orchard.formats.inventory import ListedFile
from vast_orchard.formats.members import Source, SourceLimits
from vast_orchard.formats.picture_file import PictureLimits, glance, tile_brightness
from vast_orchard.formats.reading_plan import ChosenFile
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.dying import die_with_starter
from vast_orchard.jobs.keeping import keep_picture
from vast_orchard.settings import Settings
from vast_orchard.store.bytes import ByteStore, byte_store
from vast_orchard.store.values import ArrivedPicture

# Imports no database: what the processes fork from stays small without.
__all__ = ["Glimpse", "Opener", "Outcome", "SettledFiles", "opening", "stand_ready"]

# The stored picture, or why the file is skipped.
Outcome = ArrivedPicture | str
# What a file's head tells, or its path and why it is skipped.
Glimpse = ListedFile | tuple[str, str]

T = TypeVar("T")
R = TypeVar("R")

# Below this many files, forking processes gains nothing.
_FEWEST = 100
# Steps down in the order in which processes get a processor.
_NICE = 5
# Files that one process takes at a time.
_AT_ONCE = 32


class Opener(Protocol):
    """Takes a batch of files and gives back what asks for their outcomes."""

    def glance(self, paths: Sequence[str]) -> Callable[[], list[Glimpse]]:
        """Look at the heads of these files."""

    def arrive(self, files: Sequence[ChosenFile]) -> Callable[[], list[Outcome]]:
        """Decode, reduce and store these files."""


@dataclass(frozen=True, kw_only=True)
class _Desk:
    """What opening files needs."""

    store: ByteStore
    source: Source
    limits: PictureLimits
    may_take_over: bool

    def glance(self, path: str) -> Glimpse:
        """Hash one file and look at its head."""
        try:
            data = self.source.read(path)
            seen = glance(data, self.limits)
        except OrchardError as error:
            return path, str(error)
        return ListedFile(
            path=path,
            sha256=hashlib.sha256(data).hexdigest(),
            size_bytes=len(data),
            width=seen.width,
            height=seen.height,
            format=seen.format,
            traits=seen.traits,
            known=False,
            skipped=None,
        )

    def arrive(self, file: ChosenFile) -> Outcome:
        """Read, decode, reduce and store one file."""
        try:
            data = self.source.read(file.file.path)
            kept = keep_picture(self.store, data, self.limits, self._own_place(file.file.path))
        except ServiceError:
            raise  # no room to store is not the file's fault
        except OrchardError as error:
            return str(error)
        told = file.told
        return ArrivedPicture(
            sha256=kept.sha256,
            path=file.file.path,
            name=told.name or file.file.path.rpartition("/")[2],
            class_name=file.class_name,
            set_name=told.set_name.value if told.set_name else None,
            width=kept.picture.width,
            height=kept.picture.height,
            mode=kept.picture.mode,
            format=kept.picture.format,
            size_bytes=len(data),
            thumbnail_bytes=kept.thumbnail_bytes,
            brightness=tile_brightness(kept.tile),
            tile=kept.tile,
            group_key=told.group,
            note=told.note,
        )

    def _own_place(self, path: str) -> str | None:
        """Where a file lies that the store may take over instead of writing it again."""
        return self.source.place_of(path) if self.may_take_over and isinstance(self.source, FolderSource) else None


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


def _arrive_all(files: Sequence[ChosenFile]) -> list[Outcome]:
    return [_Here.desk.arrive(file) for file in files]


def stand_ready() -> None:
    """Start the process that others are forked from, so that no import waits until its modules are loaded.

    That process has loaded what opens files, and nothing that computes: forking it is safe where forking a worker is
    not. It ends with this one.
    """
    get_context("forkserver").set_forkserver_preload([__name__, f"{__package__}.loaded_ahead"])
    forkserver.ensure_running()


class _AtOnce:
    """Opens files here and now."""

    def __init__(self, desk: _Desk) -> None:
        self._desk = desk

    def glance(self, paths: Sequence[str]) -> Callable[[], list[Glimpse]]:
        found = [self._desk.glance(path) for path in paths]
        return lambda: found

    def arrive(self, files: Sequence[ChosenFile]) -> Callable[[], list[Outcome]]:
        found = [self._desk.arrive(file) for file in files]
        return lambda: found


class _SideBySide:
    """Opens files in processes of a pool."""

    def __init__(self, pool: ProcessPoolExecutor) -> None:
        self._pool = pool

    def glance(self, paths: Sequence[str]) -> Callable[[], list[Glimpse]]:
        return self._shared(_glance_all, paths)

    def arrive(self, files: Sequence[ChosenFile]) -> Callable[[], list[Outcome]]:
        return self._shared(_arrive_all, files)

    def _shared(self, work: Callable[[Sequence[T]], list[R]], things: Sequence[T]) -> Callable[[], list[R]]:
        parts = [self._pool.submit(work, things[n : n + _AT_ONCE]) for n in range(0, len(things), _AT_ONCE)]
        return lambda: _outcomes(parts)


@contextmanager
def opening(source: SettledFiles, count: int) -> Iterator[Opener]:
    """What opens batches of files, as long as this is open.

    Parameters
    ----------
    count : int
        Files that will come; a few are opened here and now, many by processes of their own.
    """
    processes = source.settings.threads or len(os.sched_getaffinity(0))
    if count < _FEWEST or processes == 1:
        with source.open() as desk:
            yield _AtOnce(desk)
        return
    stand_ready()
    pool = ProcessPoolExecutor(processes, mp_context=get_context("forkserver"), initializer=_begin, initargs=(source,))
    try:
        yield _SideBySide(pool)
    finally:
        pool.shutdown(wait=True, cancel_futures=True)


def _outcomes(parts: "Sequence[Future[list[R]]]") -> list[R]:
    try:
        return [outcome for part in parts for outcome in part.result()]
    except BrokenProcessPool as error:
        raise ServiceError(
            "A process that decodes pictures died.", "Bring in again to go on; if it stays so, see the worker's log."
        ) from error
