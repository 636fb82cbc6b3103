"""A helper process dies with the one that started it, however that one ends."""

import ctypes
import signal

__all__ = ["die_with_parent"]

_PR_SET_PDEATHSIG = 1


def die_with_parent() -> None:
    """Ask the kernel to end this process with its parent, and leave Ctrl-C to that."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, int(signal.SIGKILL), 0, 0, 0)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
