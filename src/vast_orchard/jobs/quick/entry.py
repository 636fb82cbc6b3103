"""Where the quick process begins; imports the tasks, and with them the numerics, only inside it."""

import ctypes
import importlib
import signal
from collections.abc import Mapping
from typing import Any

from vast_orchard.settings import Settings

__all__ = ["begin", "quick"]

_PR_SET_PDEATHSIG = 1


def begin(settings: Settings) -> None:
    """Prepare the fresh process: it dies with the API, and leaves signals to it."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, int(signal.SIGKILL), 0, 0, 0)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    importlib.import_module("vast_orchard.jobs.quick.tasks").set_up(settings)


def quick(task: str, arguments: Mapping[str, Any]) -> Any:
    """Run one task by its name."""
    tasks = importlib.import_module("vast_orchard.jobs.quick.tasks")
    return tasks.TASKS[task](**arguments)
