"""A collection as a zip of class folders, with a table of every fact and metadata in an open vocabulary.

Bringing the zip in again gives the same collection: the table carries labels, sets, groups, notes and names.
"""

import csv
import datetime as dt
import hashlib
import io
import json
import zipfile
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from posixpath import splitext
from typing import Any

from vast_orchard.core.pictures.area import area_from_json
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.formats.answers import ANSWER_COLUMNS
from vast_orchard.formats.croissant import DatasetFacts, croissant
from vast_orchard.formats.csv_cells import harmless
from vast_orchard.formats.picture_file import PICTURE_ENDINGS, area_mask

__all__ = ["TABLE_COLUMNS", "PackedPicture", "write_collection_zip"]

TABLE_COLUMNS = (
    "path", "label", "set", "group", "note", "name", "sha256", "width", "height", "mode", "format", "bytes",
    "two_labels", "came_at", "appearances", "area", "mask",
)  # fmt: skip
_ENDINGS = {
    "JPEG": ".jpg", "PNG": ".png", "WEBP": ".webp", "BMP": ".bmp", "TIFF": ".tif", "GIF": ".gif", "HEIF": ".heic",
}  # fmt: skip
# One level deeper than the pictures, so that nothing takes the one for the other.
_MASKS = "masks"
# Zip knows no year before 1980; one date for all makes the same collection the same file.
_DATE = (1980, 1, 1, 0, 0, 0)


@dataclass(frozen=True, kw_only=True)
class PackedPicture:
    """Everything that is said of a picture in the zip."""

    sha256: str
    name: str
    label: str | None
    set_name: str | None
    group: str | None
    note: str
    width: int
    height: int
    mode: str
    format: str
    size_bytes: int
    two_labels: bool
    came_at: dt.datetime
    appearances: Sequence[str]  # each path it came in under, after its import's name
    area: Mapping[str, Any] | None = None  # its working area, as `core.pictures.area` writes it
    answer: Sequence[object] = ()  # cells of `ANSWER_COLUMNS`, if what a run said goes along


def _folder(text: str) -> str:
    """A class name as the name of one folder on any system; the table keeps the true one."""
    plain = "".join("_" if c in '/\\:*?"<>|' or not c.isprintable() else c for c in text).strip(". ")
    # Nor may a path be taken for a formula where the table is opened.
    return f"_{plain}" if plain[:1] in tuple("=+-@'") else plain or "_"


class _Places:
    """Gives every picture a path of its own."""

    def __init__(self, *, by_set: bool) -> None:
        self._by_set = by_set
        self._taken: Counter[str] = Counter()

    def place(self, picture: PackedPicture) -> str:
        folders = [picture.set_name or "no set"] if self._by_set else []
        folders.append(_folder(picture.label) if picture.label else "unlabelled")
        stem, ending = splitext(_folder(picture.name))
        if ending.lower() not in PICTURE_ENDINGS:
            stem, ending = _folder(picture.name), _ENDINGS.get(picture.format, ".png")
        path = "/".join([*folders, stem + ending])
        # Some systems do not tell capitals apart.
        self._taken[path.lower()] += 1
        while self._taken[path.lower()] > 1:
            path = "/".join([*folders, f"{stem}~{self._taken[path.lower()]}{ending}"])
            self._taken[path.lower()] += 1
        return path


def _row(path: str, picture: PackedPicture, mask: str) -> list[object]:
    return [
        path, picture.label or "", picture.set_name or "", picture.group or "", picture.note, picture.name,
        picture.sha256, picture.width, picture.height, picture.mode, picture.format, picture.size_bytes,
        "yes" if picture.two_labels else "no", picture.came_at.isoformat(), " | ".join(picture.appearances),
        "" if picture.area is None else json.dumps(picture.area), mask,
        *picture.answer,
    ]  # fmt: skip


def write_collection_zip(
    target: Path,
    pictures: Iterable[PackedPicture],
    read: Callable[[str], bytes],
    facts: DatasetFacts,
    *,
    by_set: bool,
    progress: Callable[[], None],
    answered: bool = False,
) -> int:
    """Write the zip and return how many pictures are in it.

    Parameters
    ----------
    read : callable
        The bytes of a picture by its SHA-256.
    by_set : bool
        Put a folder for each set above those of the classes.
    progress : callable
        Called after each picture.
    answered : bool
        The table has columns for what a run said, which the pictures bring.
    """
    table = io.StringIO(newline="")
    writer = csv.writer(table)
    answers = ANSWER_COLUMNS if answered else ()
    writer.writerow([*TABLE_COLUMNS, *(name for name, _, _ in answers)])
    places, count, endings = _Places(by_set=by_set), 0, set()
    # Pictures are packed as they are: they do not get smaller by packing them again.
    with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED) as archive:
        for picture in pictures:
            path = places.place(picture)
            data = read(picture.sha256)
            archive.writestr(zipfile.ZipInfo(path, _DATE), data)
            mask = ""
            if picture.area is not None:
                mask = f"{_MASKS}/{path}.png"
                shown = area_mask(data, Preprocessing(area=area_from_json(picture.area)))
                archive.writestr(zipfile.ZipInfo(mask, _DATE), shown)
            writer.writerow(harmless(_row(path, picture, mask)))
            endings.add(splitext(path)[1])
            count += 1
            progress()
        rows = table.getvalue().encode("utf-8")
        archive.writestr(_packed("pictures.csv"), rows)
        metadata = croissant(
            facts, hashlib.sha256(rows).hexdigest(), len(rows), sorted(endings), by_set=by_set, answers=answers
        )
        archive.writestr(_packed("croissant.json"), json.dumps(metadata, indent=2, ensure_ascii=False))
    return count


def _packed(name: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, _DATE)
    info.compress_type = zipfile.ZIP_DEFLATED
    return info
