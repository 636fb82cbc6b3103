"""A folder as a source of members."""

import os
from collections.abc import Iterator
from itertools import islice
from pathlib import Path

from vast_orchard.errors import ArchiveError
from vast_orchard.formats.members import SourceLimits, readable_name

__all__ = ["FolderSource"]


class FolderSource:
    """A folder on this machine; links that lead out of it are not followed."""

    def __init__(self, root: Path, limits: SourceLimits | None = None) -> None:
        self._root = root.resolve()
        self._limits = limits or SourceLimits()
        self._odd: dict[str, str] = {}  # names on the disk that are not UTF-8, by what they are called here

    def names(self) -> list[str]:
        """Every file below the folder, sorted, so that the order does not depend on the file system."""
        # No more are listed than may be.
        found = list(islice(self._files(str(self._root), ""), self._limits.files + 1))
        if len(found) > self._limits.files:
            raise ArchiveError(f"The folder holds more than {self._limits.files} files.", "Bring it in in parts.")
        return sorted(found)

    def _files(self, folder: str, before: str) -> Iterator[str]:
        with os.scandir(folder) as entries:
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    yield from self._files(entry.path, f"{before}{entry.name}/")
                # Only links can lead out, so only they are followed to where they end.
                elif entry.is_file(follow_symlinks=False) or (
                    entry.is_file() and Path(entry.path).resolve().is_relative_to(self._root)
                ):
                    yield self._known(before + entry.name)

    def _known(self, name: str) -> str:
        readable = readable_name(name)
        if readable != name:
            self._odd[readable] = name
        return readable

    def place_of(self, name: str) -> str:
        """Where a file lies on the disk."""
        place = f"{self._root}/{self._odd.get(name, name)}"
        if not name.isascii() and not self._odd and not os.path.lexists(place):
            # A name from an earlier listing, whose odd names this object has not met yet.
            self.names()
            self._odd.setdefault(name, name)
            return self.place_of(name)
        return place

    def read(self, name: str) -> bytes:
        """The bytes of one file; at most one byte more than the limit, so that larger ones are noticed.

        Raises
        ------
        ArchiveError
            It cannot be read, or is no longer there.
        """
        try:
            # Without a buffer, and not just up to the limit: so much memory would be asked for every file.
            with open(self.place_of(name), "rb", buffering=0) as file:  # noqa: PTH123
                return file.read(min(os.fstat(file.fileno()).st_size, self._limits.member_mb * 2**20) + 1)
        except FileNotFoundError as error:
            raise ArchiveError(f"{name} is no longer there.", "Put it back, or read the folder again.") from error
        except OSError as error:
            raise ArchiveError(f"{name} cannot be read ({error.strerror}).", "Allow reading, then repeat.") from error
