"""What a source holds, file by file, as lines of JSON that are written and read one at a time.

A hundred thousand files never lie in memory together: the reading plan and the import go through the lines.
"""

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO

__all__ = ["InventoryWriter", "ListedFile", "SeenWhole", "read_inventory"]

_encode = json.JSONEncoder(ensure_ascii=False).encode


@dataclass(frozen=True, kw_only=True, slots=True)
class SeenWhole:
    """What is noted of a small picture that was decoded already, so that it need not be opened again."""

    mode: str  # Pillow's name for how the file stores pixels
    tile: int  # place of its tile among those of the source
    stamp: int | None  # when the file was last written, in nanoseconds; None: it cannot be told, or is not ours


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
    whole: SeenWhole | None = None  # None: only its head was looked at


class InventoryWriter:
    """Writes an inventory and the tiles that stand beside it.

    Parameters
    ----------
    lines : text file
    tiles : binary file
    most_held : int
        Up to so many entries are held in memory too, for whoever goes through them next.
    """

    def __init__(self, lines: IO[str], tiles: IO[bytes], most_held: int = 0) -> None:
        self._lines, self._tiles, self._most_held = lines, tiles, most_held
        self._tile_count = 0
        self.held: list[ListedFile] | None = []

    def add(self, entries: Iterable[ListedFile]) -> None:
        """Append entries."""
        for x in entries:
            whole = x.whole and (x.whole.mode, x.whole.tile, x.whole.stamp)
            row = [x.path, x.sha256, x.size_bytes, x.width, x.height, x.format, x.traits, x.known, x.skipped, whole]
            self._lines.write(_encode(row) + "\n")
            if self.held is not None:
                self.held.append(x)
        if self.held is not None and len(self.held) > self._most_held:
            self.held = None

    def add_tile(self, tile: bytes) -> int:
        """Append a tile and return its place."""
        self._tiles.write(tile)
        self._tile_count += 1
        return self._tile_count - 1


def read_inventory(path: Path) -> Iterator[ListedFile]:
    """The entries of an inventory, in the order of the source."""
    with path.open(encoding="utf-8") as file:
        for line in file:
            # Inventories of earlier versions end before what was seen of whole pictures.
            name, sha256, size, width, height, kind, traits, known, skipped, *rest = json.loads(line)
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
                whole=SeenWhole(mode=rest[0][0], tile=rest[0][1], stamp=rest[0][2]) if rest and rest[0] else None,
            )
