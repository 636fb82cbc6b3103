"""The API's side of the quick process: one spawned process, made anew when it dies. Imports no numerics."""

import threading
from collections.abc import Mapping
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures import TimeoutError as FutureTimeoutError
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context
from typing import Any

from vast_orchard.errors import ServiceError
from vast_orchard.jobs.quick.entry import begin, quick
from vast_orchard.settings import Settings

__all__ = ["QuickProcess"]

# To start Python and compile the numerics, even for the first time and while everything else is busy.
_START_LIMIT_S = 180
# Tasks that compute with compiled kernels; the others need not wait for these.
_NUMERIC = frozenset({"variation_sheet", "operation_extremes", "answer", "heatmap", "network_file"})


class QuickProcess:
    """Runs the tasks of `jobs.quick.tasks` by name, one at a time, in a process of its own."""

    def __init__(self, settings: Settings) -> None:
        self._settings = settings
        self._lock = threading.Lock()
        self._pool: ProcessPoolExecutor | None = None
        self._stands: Future[Any] = Future()
        self._warm: Future[Any] | None = None  # of the present process

    def _present_pool(self) -> ProcessPoolExecutor:
        with self._lock:
            if self._pool is None:
                self._pool = ProcessPoolExecutor(
                    1, mp_context=get_context("spawn"), initializer=begin, initargs=(self._settings,)
                )
                self._stands, self._warm = self._pool.submit(quick, "stands", {}), None
            return self._pool

    def _warmed(self, pool: ProcessPoolExecutor) -> Future[Any]:
        with self._lock:
            if self._warm is None:
                self._warm = pool.submit(quick, "ready", {})
            return self._warm

    def _drop(self, pool: ProcessPoolExecutor) -> None:
        with self._lock:
            if self._pool is pool:
                self._pool = None
        for process in list((getattr(pool, "_processes", None) or {}).values()):
            process.kill()
        pool.shutdown(wait=False, cancel_futures=True)

    def warm_up(self) -> None:
        """Start the process and load the kernels now, so that the first person does not wait for them."""
        self._warmed(self._present_pool())

    def run(self, task: str, **arguments: Any) -> Any:
        """The task's answer.

        Raises
        ------
        ServiceError
            It took too long, or the process died twice.
        OrchardError
            What the task itself raised.
        """
        for last in (False, True):
            pool = self._present_pool()
            try:
                return self._ask(pool, task, arguments)
            except BrokenProcessPool as error:
                self._drop(pool)
                if last:
                    raise ServiceError(
                        "The process for previews died.", "It was started again; try once more."
                    ) from error
        raise AssertionError("unreachable")

    def _ask(self, pool: ProcessPoolExecutor, task: str, arguments: Mapping[str, Any]) -> Any:
        try:
            # The task's own limit begins when the process stands: on a busy machine that alone can take longer.
            self._stands.result(timeout=_START_LIMIT_S)
            if task in _NUMERIC or self._warm is not None:
                self._warmed(pool).result(timeout=_START_LIMIT_S)
            return pool.submit(quick, task, arguments).result(timeout=self._settings.quick_limit_s)
        except FutureTimeoutError as error:
            self._drop(pool)
            raise ServiceError(
                f"The preview was given up: it takes longer than {self._settings.quick_limit_s} s.",
                "Try it with fewer or smaller pictures.",
            ) from error

    def close(self) -> None:
        """End the process."""
        if self._pool is not None:
            self._drop(self._pool)
