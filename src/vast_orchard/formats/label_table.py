"""Reads classes, sets, groups and notes from a table (CSV or TSV) that lies beside its pictures."""

import csv
import io
import json
import sys
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from posixpath import splitext

from vast_orchard.core.pictures.area import area_from_json, area_to_json
from vast_orchard.errors import InputError
from vast_orchard.formats.csv_cells import plain
from vast_orchard.formats.picture_file import PICTURE_ENDINGS
from vast_orchard.formats.told import NOTHING_TOLD, Told, clean_name, merge_spellings, set_of

__all__ = ["ROLES", "TABLE_ENDINGS", "Table", "TableReading", "guess_columns", "open_table"]

TABLE_ENDINGS = (".csv", ".tsv")

# What a column can be used for, and the headings that usually say so.
ROLES = {
    "path": ("path", "file", "filename", "file_name", "image", "picture", "image_path", "file_path", "img"),
    "label": ("label", "class", "class_name", "category", "target", "species", "kind", "type"),
    "set": ("set", "split", "subset", "partition"),
    "group": ("group", "group_key", "series", "session", "specimen", "subject", "patient", "site", "station"),
    "note": ("note", "notes", "comment", "remark", "remarks"),
    "name": ("name", "original_name"),
    "area": ("area", "working_area"),
    "mask": ("mask", "mask_path"),
}

_MOST_COLUMNS = 500
_SAMPLE_ROWS = 500
_LISTED = 20
_MASK = Told(is_mask=True)
csv.field_size_limit(1 << 20)


@dataclass(frozen=True, kw_only=True)
class Table:
    """A table's text, told apart into columns."""

    text: str
    delimiter: str
    columns: tuple[str, ...]
    has_header: bool
    notes: tuple[str, ...]

    def rows(self) -> Iterator[list[str]]:
        """Every row below the headings, one at a time.

        Raises
        ------
        InputError
            A row cannot be told apart; says which.
        """
        reader = csv.reader(io.StringIO(self.text, newline=""), delimiter=self.delimiter)
        try:
            for number, row in enumerate(reader):
                if row and (number or not self.has_header):
                    yield [plain(cell) for cell in row]
        except csv.Error as error:
            raise InputError(
                f"The table cannot be read in line {reader.line_num} ({error}).", "Mend or save it again."
            ) from error


def _decode(data: bytes) -> tuple[str, str | None]:
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        try:
            return data.decode("utf-16"), None
        except UnicodeDecodeError as error:
            raise InputError("The table begins like UTF-16 and is not.", "Save it again as UTF-8.") from error
    try:
        return data.decode("utf-8-sig"), None
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace"), "It is not UTF-8 and was read as Western European."


def open_table(data: bytes, name: str) -> Table:
    """A table of which nothing but its headings is taken apart yet.

    Parameters
    ----------
    data : bytes
        UTF-8 with or without a byte order mark, UTF-16 with one, or Western European.
    name : str
        Its file name; `.tsv` means tabs. In others the commonest of comma, semicolon and tab in the first line counts.

    Raises
    ------
    InputError
        Empty, or not a table.
    """
    if b"\0" in data[:4096] and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise InputError(f"{name} is not a table: it holds zero bytes.", "Save it as CSV with UTF-8.")
    text, note = _decode(data)
    text = text.replace("\0", "")
    first = text.lstrip("\r\n").partition("\n")[0]
    if not first.strip():
        raise InputError(f"{name} is empty.", "A table has a row of headings and a row for each picture.")
    delimiter = "\t" if name.lower().endswith(".tsv") else max(",;\t", key=first.count)
    try:
        cells = next(csv.reader([first], delimiter=delimiter))
    except csv.Error as error:
        raise InputError(f"{name} cannot be read in line 1 ({error}).", "Save it again as CSV.") from error
    if len(cells) > _MOST_COLUMNS:
        raise InputError(f"{name} has {len(cells)} columns.", f"The limit is {_MOST_COLUMNS}.")
    has_header = not any(splitext(cell.strip())[1].lower() in PICTURE_ENDINGS for cell in cells)
    columns = [cell.strip() or f"column {n}" for n, cell in enumerate(cells, 1)]
    if not has_header:
        columns = [f"column {n}" for n in range(1, len(cells) + 1)]
    # Two columns of one heading must stay two.
    seen = Counter[str]()
    for place, column in enumerate(columns):
        seen[column] += 1
        if seen[column] > 1:
            columns[place] = f"{column} ({seen[column]})"
    return Table(
        text=text, delimiter=delimiter, columns=tuple(columns), has_header=has_header, notes=(note,) if note else ()
    )


def _normal(path: str) -> str:
    return "/".join(part for part in path.strip().replace("\\", "/").split("/") if part not in ("", "."))


def _keys(path: str) -> tuple[str, str]:
    """The last part of a path, with its ending and without."""
    name = path.rpartition("/")[2]
    return name, splitext(name)[0]


def guess_columns(table: Table, names: Collection[str]) -> dict[str, str]:
    """The likeliest column for each role; `path` is missing if no column names files of the source.

    Parameters
    ----------
    names : collection of str
        Last parts of the source's paths, with their endings and without.
    """
    rows = [row for row, _ in zip(table.rows(), range(_SAMPLE_ROWS), strict=False)]
    cells = {column: [row[place] for row in rows if place < len(row)] for place, column in enumerate(table.columns)}
    hits = {column: sum(_keys(_normal(cell))[0] in names for cell in found) for column, found in cells.items()}
    path = max(hits, key=lambda column: hits[column], default="")
    if not rows or not path or not hits[path]:
        return {}
    guessed = {"path": path}
    for role, headings in ROLES.items():
        wanted = [c for h in headings for c in table.columns if c.lower().replace(" ", "_") == h]
        free = [column for column in wanted if column not in guessed.values()]
        if role != "path" and free:
            guessed[role] = free[0]
    if "label" not in guessed:
        few = {
            column: len(set(found))
            for column, found in cells.items()
            if column not in guessed.values() and 1 < len(set(found)) <= max(2, len(rows) // 2)
        }
        if few:
            guessed["label"] = min(few, key=lambda column: few[column])
    return guessed


class TableReading:
    """What a table's rows say of the files they name.

    A row's path may be whole, or begin at any folder of the file's path, or be the file's name alone, or that name
    without its ending. A file that several rows name has the label of the first.

    Parameters
    ----------
    table : Table
    columns : mapping of str to str
        Column by role; `path` is needed.
    names : collection of str
        Last parts of the source's paths, with their endings and without: other rows are counted and forgotten.

    Raises
    ------
    InputError
        A column is not in the table, or none holds paths.
    """

    wrappers: tuple[str, ...] = ()

    def __init__(self, table: Table, columns: Mapping[str, str], names: Collection[str]) -> None:
        places = _places(table, columns)
        self._told: dict[str, Told] = {}
        self._by_name: dict[str, str | None] = {}  # the one path of a name; None: several rows have it
        self.rows = self.missing = self.repeated = self.short = 0
        self.contradicted: list[str] = []
        self.contradictions = self.odd_sets = self.odd_areas = 0
        self.odd_area = ""  # what is wrong with the first of them
        self._masks: set[str] = set()
        self.missing_examples: list[str] = []
        labels = Counter[str]()
        for row in table.rows():
            self.rows += 1
            if len(row) <= places["path"]:
                self.short += 1
                continue
            path = _normal(row[places["path"]])
            name, _ = _keys(path)
            if name not in names:
                self.missing += 1
                if len(self.missing_examples) < _LISTED:
                    self.missing_examples.append(path)
                continue
            told = self._told_of(row, places)
            before = self._told.setdefault(path, told)
            if before is not told:
                self._doubled(path, before, told)
                continue
            labels[told.class_name or ""] += 1
            known = self._by_name.setdefault(name, path)
            if known != path:
                self._by_name[name] = None
        labels.pop("", None)
        self._chosen, spellings = merge_spellings(labels)
        self.notes = (*table.notes, *spellings, *self._said())

    def _told_of(self, row: Sequence[str], places: Mapping[str, int]) -> Told:
        def cell(role: str) -> str:
            place = places.get(role)
            return row[place].strip() if place is not None and place < len(row) else ""

        set_name = set_of(cell("set")) if cell("set") else None
        if cell("set") and set_name is None:
            self.odd_sets += 1
        if cell("mask"):
            self._masks.add(_normal(cell("mask")))
        label = clean_name(cell("label"))[:200]
        return Told(
            class_name=sys.intern(label) if label else None,
            set_name=set_name,
            group=sys.intern(cell("group")) or None,
            note=cell("note"),
            name=cell("name") or None,
            area=self._area(cell("area")),
        )

    def _area(self, text: str) -> str:
        if not text:
            return ""
        try:
            return _read_area(text)
        except InputError as error:
            self.odd_areas += 1
            self.odd_area = self.odd_area or error.what
            return ""

    def _doubled(self, path: str, before: Told, told: Told) -> None:
        if (before.class_name or "").casefold() == (told.class_name or "").casefold():
            self.repeated += 1
            return
        self.contradictions += 1
        if len(self.contradicted) < _LISTED:
            self.contradicted.append(
                f"{path}: {before.class_name or 'unlabelled'}, then {told.class_name or 'unlabelled'}"
            )

    def _said(self) -> list[str]:
        said = []
        if self.missing:
            example = self.missing_examples[0]
            said.append(f"{_rows(self.missing, 'names', 'name')} files that are not here, such as {example}.")
        if self.repeated:
            said.append(f"{_rows(self.repeated, 'repeats', 'repeat')} an earlier one; nothing changes by that.")
        if self.contradictions:
            said.append(
                f"{_rows(self.contradictions, 'gives', 'give')} a picture a second label; the first stands"
                f" ({'; '.join(self.contradicted[:3])})."
            )
        if self.short:
            said.append(f"{_rows(self.short, 'is', 'are')} too short to hold a path.")
        if self.odd_sets:
            said.append(f"{_rows(self.odd_sets, 'names', 'name')} a set that is not training, validation or test.")
        if self.odd_areas:
            said.append(f"{_rows(self.odd_areas, 'has', 'have')} a working area that cannot be used: {self.odd_area}")
        return said

    def tell(self, path: str) -> Told:
        """What the row of this file says; nothing if there is none."""
        if self._masks and any(rest in self._masks for rest in _suffixes(path)):
            return _MASK
        told = self._row_of(path)
        if told.class_name in self._chosen:
            return replace(told, class_name=self._chosen[told.class_name])
        return told

    def _row_of(self, path: str) -> Told:
        for rest in _suffixes(path):
            if rest in self._told:
                return self._told[rest]
        for key in _keys(path):
            known = self._by_name.get(key)
            # A row whose folders say something else means another file of that name.
            if known and ("/" not in known or known.endswith(f"/{path}")):
                return self._told[known]
        return NOTHING_TOLD


@lru_cache(maxsize=4096)
def _read_area(text: str) -> str:
    """The same area, written as it is stored."""
    try:
        data = json.loads(text)
    except ValueError as error:
        raise InputError("It is not JSON.", "Write it as docs/areas.md shows.") from error
    if not isinstance(data, dict):
        raise InputError("It is not an object.", "Write it as docs/areas.md shows.")
    return json.dumps(area_to_json(area_from_json(data)))


def _rows(count: int, one: str, many: str) -> str:
    return f"1 row {one}" if count == 1 else f"{count:,} rows {many}"


def _suffixes(path: str) -> Iterator[str]:
    """The path, then what is left of it without its first, second, … folder."""
    while path:
        yield path
        path = path.partition("/")[2]


def _places(table: Table, columns: Mapping[str, str]) -> dict[str, int]:
    places = {}
    for role, column in columns.items():
        if role not in ROLES:
            raise InputError(f"A column cannot be used as {role!r}.", f"Use one of {', '.join(ROLES)}.")
        if column not in table.columns:
            raise InputError(f"The table has no column {column!r}.", f"It has {', '.join(table.columns[:20])}.")
        places[role] = table.columns.index(column)
    if "path" not in places:
        raise InputError("No column holds the pictures' paths.", "Choose the column with the file names.")
    return places
