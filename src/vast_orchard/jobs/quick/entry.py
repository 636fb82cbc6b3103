"""Where the quick process begins; imports the tasks, and with them the numerics, only inside it."""

import importlib
from collections.abc import Mapping
from typing import Any

from vast_orchard.jobs.helper_process import die_with_parent
from vast_orchard.settings import Settings

__all__ = ["begin", "quick"]


def begin(settings: Settings) -> None:
    """Prepare the fresh process: it dies with the API, and leaves signals to it."""
    die_with_parent()
    importlib.import_module("vast_orchard.jobs.quick.tasks").set_up(settings)


def quick(task: str, arguments: Mapping[str, Any]) -> Any:
    """Run one task by its name."""
    tasks = importlib.import_module("vast_orchard.jobs.quick.tasks")
    return tasks.TASKS[task](**arguments)
