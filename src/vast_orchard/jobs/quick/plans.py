"""Reading plans and their sample pictures, for a person who waits: the inventory is held between two questions."""

import io
from collections.abc import Mapping, Sequence
from contextlib import ExitStack
from functools import lru_cache
from pathlib import Path
from typing import Any

from PIL import Image

from vast_orchard.errors import MissingError, OrchardError
from vast_orchard.formats.inventory import ListedFile, read_inventory
from vast_orchard.formats.members import Source
from vast_orchard.formats.picture_file import read_picture
from vast_orchard.formats.reading_choice import choice_from_json
from vast_orchard.formats.reading_plan import open_plan, plan_to_json
from vast_orchard.formats.source_survey import SourceRecord
from vast_orchard.jobs.bringing_in.source_files import open_settled
from vast_orchard.jobs.context import WorkContext
from vast_orchard.store.values import ImportValue

__all__ = ["Plans"]

_MISSING = (128, 128, 128)


@lru_cache(maxsize=1)
def _held(folder: str, _written_at: float) -> SourceRecord:
    record = SourceRecord(folder=Path(folder))
    return SourceRecord(folder=record.folder, held=[x for x in read_inventory(record.inventory) if x.skipped is None])


@lru_cache(maxsize=1)
def _by_content(folder: str, written_at: float) -> dict[str, ListedFile]:
    found: dict[str, ListedFile] = {}
    for entry in _held(folder, written_at).pictures():
        found.setdefault(entry.sha256, entry)
    return found


class Plans:
    """Holds the last source that was asked about open."""

    def __init__(self, context: WorkContext) -> None:
        self._context = context
        self._stack = ExitStack()
        self._source: Source | None = None
        self._opened: tuple[int, str] | None = None

    def _key(self, import_id: int) -> tuple[str, float]:
        record = SourceRecord(folder=self._context.folder.reading(import_id))
        if not record.inventory.exists():
            raise MissingError("The notes on this source are gone.", "Read it again.")
        return str(record.folder), record.inventory.stat().st_mtime

    def plan(
        self, import_id: int, tables: Sequence[str], choice: Mapping[str, Any], here: Mapping[str, int]
    ) -> dict[str, Any]:
        """What bringing in by this choice would do."""
        return plan_to_json(open_plan(_held(*self._key(import_id)), tables, choice_from_json(choice)), here)

    def strip(self, entry: ImportValue, contents: Sequence[str], side: int) -> bytes:
        """Some of a source's pictures in one row of squares, as JPEG; what cannot be read leaves its place grey."""
        listed = _by_content(*self._key(entry.id))
        strip = Image.new("RGB", (side * max(1, len(contents)), side), _MISSING)
        for place, sha256 in enumerate(contents):
            file = listed.get(sha256)
            if file is not None:
                self._paste(strip, entry, file, place, side)
        buffer = io.BytesIO()
        strip.save(buffer, "JPEG", quality=82)
        return buffer.getvalue()

    def _paste(self, strip: Image.Image, entry: ImportValue, file: ListedFile, place: int, side: int) -> None:
        try:
            picture = read_picture(
                self._open(entry).read(file.path), limits=self._context.picture_limits, reduced_to=2 * side
            )
        except OrchardError:
            return
        small = picture.upright
        small.thumbnail((side, side), Image.Resampling.BILINEAR)
        strip.paste(small, (place * side + (side - small.width) // 2, (side - small.height) // 2))

    def _open(self, entry: ImportValue) -> Source:
        key = (entry.id, entry.location)
        if self._opened != key or self._source is None:
            self._stack.close()
            self._opened = None
            self._source = self._stack.enter_context(open_settled(self._context, entry))
            self._opened = key
        return self._source
