"""How much files on their way in take together: counted as they come, measured from time to time."""

import os
import threading
import time
from pathlib import Path

from vast_orchard.errors import InputError

__all__ = ["UploadSpace"]

# Measuring a hundred thousand files takes half a second.
_LASTS_S = 60.0


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
        # Workers fetch, unpack and remove files without telling; so the count is of use for a while only.
        self._taken, self._measured_at = 0, float("-inf")

    def check(self, more: int) -> None:
        """Make sure that there is room for so many bytes more.

        Raises
        ------
        InputError
            All uploads together would take more than the limit.
        """
        with self._lock:
            if time.monotonic() > self._measured_at + _LASTS_S or self._taken + more > self._limit:
                self._taken, self._measured_at = _bytes_below(self._folder), time.monotonic()
            if self._taken + more > self._limit:
                raise InputError(
                    f"What is on its way in takes {self._taken / 2**20:.0f} MB already.",
                    f"The limit is {self._limit // 2**20} MB (setting upload_limit_mb): bring in or give up what was "
                    "sent before.",
                )

    def add(self, size: int) -> None:
        """Count bytes that came."""
        with self._lock:
            self._taken += size


def _bytes_below(folder: Path) -> int:
    total = 0
    for place, _, names in os.walk(folder):
        for name in names:
            try:
                total += os.lstat(f"{place}/{name}").st_size
            except OSError:
                continue  # it was brought in meanwhile
    return total
