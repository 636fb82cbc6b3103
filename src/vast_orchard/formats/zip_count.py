"""Counts the entries of a zip before anybody lists them all in memory.

By the layout of the .ZIP format (APPNOTE 6.3, sections 4.3.12 to 4.3.16): the end record says where the central
directory begins and how long it is, and each of its entries how long itself is.
"""

import struct
from pathlib import Path
from typing import IO

from vast_orchard.errors import ArchiveError

__all__ = ["check_entries"]

_END, _END_SIZE, _LONGEST_COMMENT = b"PK\5\6", 22, 65535
_FAR_END, _FAR_END_SIZE = b"PK\6\6", 56
_LOCATOR, _LOCATOR_SIZE = b"PK\6\7", 20
_ENTRY, _ENTRY_SIZE = b"PK\1\2", 46
_BUFFER = 1 << 16


def check_entries(path: Path, most: int) -> None:
    """Raise `ArchiveError` if a zip lists more than `most` entries; a file that is no zip passes.

    Whoever opens it with the standard library would hold half a kilobyte for each.
    """
    with path.open("rb", buffering=_BUFFER) as file:
        found = _directory(file)
        if found is None:
            return
        start, end = found
        count, place = 0, start
        file.seek(start)
        while place + _ENTRY_SIZE <= end:
            head = file.read(_ENTRY_SIZE)
            if len(head) < _ENTRY_SIZE or head[:4] != _ENTRY:
                return  # damaged; opening it says so
            count += 1
            if count > most:
                raise ArchiveError(f"The archive lists more than {most} files.", "Bring it in in parts.")
            more = sum(struct.unpack("<HHH", head[28:34]))
            file.seek(more, 1)
            place += _ENTRY_SIZE + more


def _directory(file: IO[bytes]) -> tuple[int, int] | None:
    """Where the central directory begins and ends, counted back from the end record, as the standard library does."""
    size = file.seek(0, 2)
    file.seek(max(0, size - _END_SIZE - _LONGEST_COMMENT))
    tail = file.read()
    at = tail.rfind(_END)
    if at < 0 or len(tail) - at < _END_SIZE:
        return None
    end = size - len(tail) + at
    length = struct.unpack("<I", tail[at + 12 : at + 16])[0]
    file.seek(max(0, end - _LOCATOR_SIZE - _FAR_END_SIZE))
    before = file.read(_FAR_END_SIZE + _LOCATOR_SIZE)
    if before[-_LOCATOR_SIZE:][:4] == _LOCATOR and before[:4] == _FAR_END:
        end -= _LOCATOR_SIZE + _FAR_END_SIZE
        length = struct.unpack("<Q", before[40:48])[0]
    return (end - length, end) if end - length >= 0 else None
