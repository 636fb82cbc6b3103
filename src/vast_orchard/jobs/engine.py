"""The engine on this machine: its kernels compiled, and its threads."""

import contextlib
import hashlib
import os
from collections.abc import Callable
from pathlib import Path

from llvmlite import binding

from vast_orchard.core.team import Team
from vast_orchard.core.warm_up import warm_up
from vast_orchard.kernel_cache import kernel_folder
from vast_orchard.settings import Settings, training_threads

__all__ = ["COMPILING", "make_ready", "make_team"]

COMPILING = "Compiling the engine for this processor; this happens once"


def _stamp() -> Path:
    processor = f"{binding.get_host_cpu_name()} {binding.get_host_cpu_features().flatten()}"
    return kernel_folder(os.environ) / f"ready-{hashlib.sha256(processor.encode()).hexdigest()[:16]}"


def make_ready(say: Callable[[str], None], report: Callable[[int, int], None] = lambda done, total: None) -> bool:
    """Compile all kernels unless that was done before on this processor, with this version.

    Parameters
    ----------
    say : callable
        Told that compiling begins; not called when there is nothing to do.
    report : callable
        Told how many of how many kernels are ready.

    Returns
    -------
    bool
        Whether anything had to be compiled.
    """
    # Where nothing can be kept, the next process compiles again; this one is ready all the same.
    with contextlib.suppress(OSError, RuntimeError):
        if _stamp().exists():
            return False
    say(COMPILING)
    warm_up(report)
    with contextlib.suppress(OSError, RuntimeError):
        _stamp().parent.mkdir(parents=True, exist_ok=True)
        _stamp().touch()
    return True


def make_team(settings: Settings) -> Team:
    """The threads of one training."""
    return Team(training_threads(settings))
