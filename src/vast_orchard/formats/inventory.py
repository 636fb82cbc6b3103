"""What a source holds, file by file, as lines of JSON that are written and read one at a time.

A hundred thousand files never lie in memory together: the reading plan and the import go through the lines.
"""

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO

__all__ = ["ListedFile", "read_inventory", "write_lines"]


@dataclass(frozen=True, kw_only=True, slots=True)
class ListedFile:
    """One file of a source."""

    path: str  # as the source names it
    sha256: str  # empty if it is skipped
    size_bytes: int
    width: int  # as stored, pixels
    height: int
    format: str
    traits: tuple[str, ...]
    known: bool  # the project held this content when the source was read
    skipped: str | None  # why it is not brought in


def write_lines(file: IO[str], entries: Iterable[ListedFile]) -> None:
    """Append entries to an inventory."""
    for x in entries:
        row = [x.path, x.sha256, x.size_bytes, x.width, x.height, x.format, x.traits, x.known, x.skipped]
        file.write(json.dumps(row, ensure_ascii=False) + "\n")


def read_inventory(path: Path) -> Iterator[ListedFile]:
    """The entries of an inventory, in the order of the source."""
    with path.open(encoding="utf-8") as file:
        for line in file:
            name, sha256, size, width, height, kind, traits, known, skipped = json.loads(line)
            yield ListedFile(
                path=name,
                sha256=sha256,
                size_bytes=size,
                width=width,
                height=height,
                format=kind,
                traits=tuple(traits),
                known=known,
                skipped=skipped,
            )
