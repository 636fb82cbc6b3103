"""A helper process dies with the one that started it, however that one ends."""

import ctypes
import os
import signal
from multiprocessing import parent_process
from multiprocessing.connection import wait
from threading import Thread

__all__ = ["die_with_parent", "die_with_starter"]

_PR_SET_PDEATHSIG = 1


def die_with_parent() -> None:
    """Ask the kernel to end this process with its parent, and leave Ctrl-C to that."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, int(signal.SIGKILL), 0, 0, 0)
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def die_with_starter() -> None:
    """The same for a process that was forked by another than the one it works for, which the kernel does not know.

    The one it works for holds the other end of a pipe, which closes however that one ends.
    """
    starter = parent_process()
    assert starter is not None

    def watch() -> None:
        wait([starter.sentinel])
        os._exit(1)

    Thread(target=watch, daemon=True).start()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
