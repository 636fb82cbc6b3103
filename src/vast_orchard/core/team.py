"""Threads that share out work whose pieces do not depend on each other; kernels release the interpreter lock."""

import threading
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from vast_orchard.errors import SettingError

__all__ = ["Team"]

T = TypeVar("T")


class Team:
    """Some threads, the caller's among them.

    Which thread takes which piece of work is left to chance, so pieces must not add to the same numbers.

    Parameters
    ----------
    threads : int
        At least 1; 1 works in the caller's thread alone.

    Raises
    ------
    SettingError
        Fewer than one thread.
    """

    def __init__(self, threads: int) -> None:
        if threads < 1:
            raise SettingError(f"{threads} threads are asked for.", "Ask for at least 1.")
        self.threads = threads
        self._pool = ThreadPoolExecutor(threads - 1, "team") if threads > 1 else None

    def run(self, work: Callable[[T], None], pieces: Iterable[T]) -> None:
        """Do `work` on each piece; the first error is raised when all threads have stopped."""
        if self._pool is None:
            for piece in pieces:
                work(piece)
            return
        shared, lock = iter(pieces), threading.Lock()

        def drain() -> None:
            for piece in _shared(shared, lock):
                work(piece)

        helpers = [self._pool.submit(drain) for _ in range(self.threads - 1)]
        try:
            drain()
        finally:
            errors = [helper.exception() for helper in helpers]
        for error in errors:
            if error is not None:
                raise error

    def close(self) -> None:
        """End the threads."""
        if self._pool is not None:
            self._pool.shutdown()


def _shared(pieces: Iterator[T], lock: threading.Lock) -> Iterator[T]:
    while True:
        with lock:
            try:
                piece = next(pieces)
            except StopIteration:
                return
        yield piece
