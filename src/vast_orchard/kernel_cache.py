"""Where compiled kernels are kept between processes, and how fast they are here: a folder that can be thrown away.

Compiled code depends on the program's own kernels, on the compiler and on the processor. The folder's name is a digest
of the first two, because a kernel that is built from parts in other files would not notice that they have changed;
Numba itself keeps processors apart in it.
"""

import contextlib
import functools
import hashlib
import os
from collections.abc import MutableMapping
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

__all__ = ["FOLDER_VARIABLE", "keep_pace", "kept_pace", "kernel_folder", "use_kernel_cache"]

FOLDER_VARIABLE = "VAST_ORCHARD_KERNEL_CACHE_DIR"
_NUMBA_VARIABLE = "NUMBA_CACHE_DIR"


@functools.cache
def _digest() -> str:
    found = hashlib.sha256()
    for name in ("numba", "llvmlite", "numpy"):
        try:
            found.update(f"{name} {version(name)}\n".encode())
        except PackageNotFoundError:
            found.update(f"{name} is not installed\n".encode())
    core = Path(__file__).parent / "core"
    for path in sorted(core.rglob("_*.py")):
        found.update(path.read_bytes())
    return found.hexdigest()[:16]


def kernel_folder(environment: MutableMapping[str, str]) -> Path:
    """The folder for this version: below the one that is set, else below the user's cache."""
    given = environment.get(FOLDER_VARIABLE)
    if given:
        base = Path(given)
    else:
        base = Path(environment.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "vast-orchard" / "kernels"
    return base / _digest()


def use_kernel_cache(environment: MutableMapping[str, str] | None = None) -> None:
    """Tell Numba where to keep compiled kernels; must come before the first import of one.

    Does nothing where Numba was told already. A folder that cannot be written is left to Numba, which then looks for
    one itself.
    """
    environment = os.environ if environment is None else environment
    if _NUMBA_VARIABLE in environment:
        return
    # An account without a home has no cache of its own either; then Numba looks for a place by itself.
    with contextlib.suppress(RuntimeError):
        environment[_NUMBA_VARIABLE] = str(kernel_folder(environment))


def _pace_file(environment: MutableMapping[str, str], threads: int) -> Path:
    return kernel_folder(environment) / f"pace-{threads}"


def kept_pace(environment: MutableMapping[str, str], threads: int) -> float | None:
    """How long this machine takes, with so many threads, for a second of the reference; None if it is not known."""
    with contextlib.suppress(OSError, RuntimeError, ValueError):
        pace = float(_pace_file(environment, threads).read_text())
        if 0 < pace < float("inf"):
            return pace
    return None


def keep_pace(environment: MutableMapping[str, str], threads: int, pace: float) -> None:
    """Keep it for other processes and later starts.

    Raises
    ------
    OSError, RuntimeError
        The folder cannot be written, or there is none.
    """
    path = _pace_file(environment, threads)
    path.parent.mkdir(parents=True, exist_ok=True)
    fresh = path.with_name(f"{path.name}.{os.getpid()}")
    fresh.write_text(f"{pace:.4g}\n")
    fresh.replace(path)
