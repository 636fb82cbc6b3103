"""How much files on their way in take together: counted as they come, measured only when that is too much."""

import os
import threading
from pathlib import Path

from vast_orchard.errors import InputError

__all__ = ["UploadSpace"]


class UploadSpace:
    """The uploads of a data folder.

    Parameters
    ----------
    folder : Path
    limit_mb : int
        What all of them may take together.
    """

    def __init__(self, folder: Path, limit_mb: int) -> None:
        self._folder, self._limit = folder, limit_mb * 2**20
        self._lock = threading.Lock()
        self._taken: int | None = None  # never less than it is: imports remove files without telling

    def check(self, more: int) -> None:
        """Make sure that there is room for so many bytes more.

        Raises
        ------
        InputError
            All uploads together would take more than the limit.
        """
        with self._lock:
            if self._taken is None or self._taken + more > self._limit:
                self._taken = _bytes_below(self._folder)
            if self._taken + more > self._limit:
                raise InputError(
                    f"What is on its way in takes {self._taken / 2**20:.0f} MB already.",
                    f"The limit is {self._limit // 2**20} MB (setting upload_limit_mb): bring in or give up what was "
                    "sent before.",
                )

    def add(self, size: int) -> None:
        """Count bytes that came."""
        with self._lock:
            self._taken = (self._taken or 0) + size


def _bytes_below(folder: Path) -> int:
    total = 0
    for place, _, names in os.walk(folder):
        for name in names:
            try:
                total += os.lstat(f"{place}/{name}").st_size
            except OSError:
                continue  # it was brought in meanwhile
    return total
