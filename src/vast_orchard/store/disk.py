"""A full disk, said in words: where, how much is free, how much is needed."""

import errno
import json
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from vast_orchard.errors import DiskFullError

__all__ = ["DATABASE_NEEDS_MB", "database_place", "disk_full", "free_mb", "full_disk_in_words", "is_full"]

# With less than this free, PostgreSQL cannot write its log ahead, and says so in many ways.
DATABASE_NEEDS_MB = 32


def is_full(error: OSError) -> bool:
    """True if there was no room to write."""
    return error.errno in (errno.ENOSPC, errno.EDQUOT)


def free_mb(place: Path) -> float:
    """Megabytes that can be written at a place; of a place that is not there yet, where it would be made."""
    while not place.exists() and place != place.parent:
        place = place.parent
    return shutil.disk_usage(place).free / 2**20


def disk_full(what: str, place: Path, needed_bytes: float) -> DiskFullError:
    """The error for something that did not fit.

    Parameters
    ----------
    what : str
        What could not be written, at the beginning of a sentence.
    needed_bytes : float
        What it takes, as far as that is known.
    """
    free = free_mb(place)
    # At least a little more than there is: whoever makes just that much room comes to the next file.
    needed = max(1.0, needed_bytes / 2**20, free + 1.0)
    return DiskFullError(
        f"{what} cannot be written: the disk is full. {place} has {free:.0f} MB free, and at least {needed:.0f} MB are "
        "needed.",
        "Make room there; what was stored is safe.",
        place=str(place),
        needed_mb=needed,
    )


@contextmanager
def full_disk_in_words(place: Path) -> Iterator[None]:
    """Let whatever finds no room to write be `DiskFullError`, also where files are written by others' code."""
    try:
        yield
    except OSError as error:
        if not is_full(error):
            raise
        raise disk_full(str(error.filename or "A file"), place, 0) from error


def database_place(data_dir: Path) -> Path:
    """Where the database of a data folder lies."""
    try:
        return data_dir / str(json.loads((data_dir / "postgres.json").read_text())["folder"])
    except (OSError, ValueError, KeyError, TypeError):
        return data_dir
