"""Finds out how a source may be read: tries several readings on its inventory and puts the likeliest first."""

import json
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from itertools import islice
from pathlib import Path
from typing import Any

from vast_orchard.errors import InputError
from vast_orchard.formats.folder_tree import FolderReading, count_folders
from vast_orchard.formats.inventory import InventoryWriter, ListedFile, read_inventory
from vast_orchard.formats.label_table import Table, TableReading, guess_columns, open_table
from vast_orchard.formats.name_pattern import USUAL_PATTERNS, PatternReading
from vast_orchard.formats.picture_file import TILE_BYTES
from vast_orchard.formats.reading_choice import ReadAs, ReadingChoice, choice_to_json
from vast_orchard.formats.told import NOTHING_TOLD, Reading, Told, class_or_none, clean_name

__all__ = ["SourceRecord", "TriedReading", "class_order", "open_reading", "try_readings"]

# A pattern that finds nothing but single pictures has read something else than a class.
_LEAST_IN_CLASS = 2
# Patterns are guesses about names; of a folder and a name that say as much, the folder is believed.
_PATTERN_TRUST = 0.9
# Nobody writes a table by accident.
_TABLE_TRUST = 1.1
_INNER_TRUST = 0.95
# A list of this many files is gone through in memory; a longer one is read from the disk each time.
_HELD = 5000
# Tiles are mostly asked for in their order.
_TILES_AT_ONCE = 256
# Names on which the usual patterns are judged.
_SAMPLED = 150


@dataclass(frozen=True, kw_only=True)
class SourceRecord:
    """Where the notes on a source lie: its inventory, and copies of the tables in it."""

    folder: Path
    held: Sequence[ListedFile] | None = None  # its entries, by someone who goes through them often

    @property
    def inventory(self) -> Path:
        """One line a file."""
        return self.folder / "inventory.jsonl"

    @property
    def tiles(self) -> Path:
        """The tiles of pictures that were decoded already, one behind the other."""
        return self.folder / "tiles"

    @property
    def fates(self) -> Path:
        """What became of each file, as a table."""
        return self.folder / "files.csv"

    @contextmanager
    def open_tiles(self) -> Iterator[Callable[[int], bytes]]:
        """What gives the tile at a place."""
        # Made if it is missing: an earlier version decoded nothing while it read.
        with self.tiles.open("a+b", buffering=_TILES_AT_ONCE * TILE_BYTES) as file:

            def read(place: int) -> bytes:
                file.seek(place * TILE_BYTES)
                return file.read(TILE_BYTES)

            yield read

    def table_copy(self, number: int) -> Path:
        """The bytes of one of the source's tables."""
        return self.folder / f"table-{number}"

    def forget_source(self) -> None:
        """Remove what was noted for deciding; the table of fates stays."""
        for path in self.folder.iterdir():
            if path != self.fates:
                path.unlink()

    @contextmanager
    def writing(self) -> Iterator[InventoryWriter]:
        """What writes the inventory anew."""
        with self.inventory.open("w", encoding="utf-8") as lines, self.tiles.open("wb") as tiles:
            yield InventoryWriter(lines, tiles, most_held=_HELD)

    def held_if_few(self) -> "SourceRecord":
        """The same with its entries in memory, unless there are many."""
        if self.held is not None:
            return self
        held = list(islice(self.entries(), _HELD + 1))
        return replace(self, held=held) if len(held) <= _HELD else self

    def entries(self) -> Iterator[ListedFile]:
        """Every listed file."""
        return read_inventory(self.inventory) if self.held is None else iter(self.held)

    def pictures(self) -> Iterator[ListedFile]:
        """Every listed file that is not skipped."""
        return (entry for entry in self.entries() if entry.skipped is None)


@dataclass(frozen=True, kw_only=True)
class TriedReading:
    """A reading and how well it fits."""

    choice: ReadingChoice
    classes: int
    labelled: int
    likelihood: float  # of no unit; only the order counts

    def to_json(self) -> dict[str, Any]:
        """As the survey keeps it."""
        return {"choice": choice_to_json(self.choice), "classes": self.classes, "labelled": self.labelled}


def _names(record: SourceRecord) -> set[str]:
    """Last parts of all paths, with their endings and without."""
    found = set()
    for entry in record.pictures():
        name = entry.path.rpartition("/")[2]
        found |= {name, name.rpartition(".")[0]}
    return found


def _table(record: SourceRecord, tables: Sequence[str], path: str) -> Table:
    if path not in tables:
        raise InputError(f"There is no table {path!r} in the source.", f"It holds {', '.join(tables) or 'none'}.")
    return open_table(record.table_copy(tables.index(path)).read_bytes(), path)


def open_reading(record: SourceRecord, tables: Sequence[str], choice: ReadingChoice) -> Reading:
    """The reading that a choice names, ready to tell of each file.

    Parameters
    ----------
    tables : sequence of str
        Paths of the source's tables, in the order of their copies.

    Raises
    ------
    InputError
        The pattern, the table or its columns cannot be used.
    """
    paths = (entry.path for entry in record.pictures())
    match choice.read_as:
        case ReadAs.FOLDERS | ReadAs.INNER_FOLDERS:
            return FolderReading(count_folders(paths), innermost=choice.read_as is ReadAs.INNER_FOLDERS)
        case ReadAs.PATTERN:
            return PatternReading(choice.pattern, paths)
        case ReadAs.TABLE:
            return TableReading(_table(record, tables, choice.table), choice.columns, _names(record))
        case ReadAs.ONE_CLASS:
            name = class_or_none(choice.class_name)
            if name is None:
                raise InputError("The class that all pictures are of has no name.", "Write it.")
            return _Alike(Told(class_name=name))
        case ReadAs.UNLABELLED:
            return _Alike(NOTHING_TOLD)


class _Alike:
    """The same is said of every file."""

    notes: tuple[str, ...] = ()
    wrappers: tuple[str, ...] = ()

    def __init__(self, told: Told) -> None:
        self._told = told

    def tell(self, _path: str) -> Told:
        return self._told


def _measured(record: SourceRecord, reading: Reading, choice: ReadingChoice, trust: float) -> TriedReading:
    classes, total, told_of, none_told, masks = Counter[str](), 0, 0, 0, 0
    for entry in record.pictures():
        told = reading.tell(entry.path)
        if told.is_mask:
            masks += 1
            continue
        total += 1
        told_of += told is not NOTHING_TOLD
        name = told.class_name
        none_told += told is not NOTHING_TOLD and name is None
        # A pattern that was not asked for and finds bare numbers has found counters.
        if name and (choice.read_as is not ReadAs.PATTERN or any(map(str.isalpha, name))):
            classes[name] += 1
    labelled = classes.total()
    # A pattern that makes a class of every picture has read a name; folders and tables are made by someone on purpose.
    guessed = choice.read_as is ReadAs.PATTERN
    full = sum(count for count in classes.values() if count >= _LEAST_IN_CLASS or not guessed)
    # What knows which files show parts of others knows what it is about.
    plausible = 1.0 if len(classes) > 1 or masks else 0.4
    # A table that leaves a label empty, or a pattern that fits "unlabelled-7", says that there is none: that fits too.
    fitting = told_of if choice.read_as is ReadAs.TABLE else 0.75 * full + 0.25 * labelled
    fitting += none_told if guessed else 0
    likelihood = trust * plausible * fitting / max(1, total)
    return TriedReading(choice=choice, classes=len(classes), labelled=labelled, likelihood=likelihood)


def _likeliest_pattern(record: SourceRecord) -> ReadingChoice:
    """Of the usual patterns the one that fits best, judged on some of the names."""
    count = sum(1 for _ in record.pictures())
    every = max(1, count // _SAMPLED)
    some = replace(record, held=[x for n, x in enumerate(record.pictures()) if n % every == 0])

    def fit(pattern: str) -> float:
        choice = ReadingChoice(read_as=ReadAs.PATTERN, pattern=pattern)
        return _measured(some, open_reading(some, (), choice), choice, 1.0).likelihood

    # The first of those that fit alike: they stand in the order of their plainness.
    return ReadingChoice(read_as=ReadAs.PATTERN, pattern=max(USUAL_PATTERNS, key=fit))


def _choices(record: SourceRecord, tables: Sequence[str]) -> Iterator[tuple[ReadingChoice, float]]:
    yield ReadingChoice(read_as=ReadAs.FOLDERS), 1.0
    yield ReadingChoice(read_as=ReadAs.INNER_FOLDERS), _INNER_TRUST
    yield _likeliest_pattern(record), _PATTERN_TRUST
    names = _names(record) if tables else set()
    for path in tables:
        try:
            columns = guess_columns(_table(record, tables, path), names)
        except InputError:
            continue  # choosing it says what is wrong with it
        if columns:
            yield ReadingChoice(read_as=ReadAs.TABLE, table=path, columns=columns), _TABLE_TRUST


def _says_something(record: SourceRecord, tried: TriedReading, outer: TriedReading) -> bool:
    match tried.choice.read_as:
        case ReadAs.INNER_FOLDERS:
            one, other = open_reading(record, (), tried.choice), open_reading(record, (), outer.choice)
            folders = {entry.path.rpartition("/")[0] + "/picture" for entry in record.pictures()}
            return any(one.tell(path).class_name != other.tell(path).class_name for path in folders)
        case ReadAs.PATTERN:
            return tried.classes > 1  # one "class" is what a camera calls its files
        case _:
            return tried.labelled > 0


def try_readings(record: SourceRecord, tables: Sequence[str]) -> list[TriedReading]:
    """The likeliest first; what finds no label is left out, but for that there are none, which comes last."""
    record = record.held_if_few()
    found: list[TriedReading] = []
    for choice, trust in _choices(record, tables):
        try:
            found.append(_measured(record, open_reading(record, tables, choice), choice, trust))
        except InputError:
            continue  # a table that breaks off in its middle; choosing it says so
    kept = sorted((x for x in found if _says_something(record, x, found[0])), key=lambda tried: -tried.likelihood)
    nothing = ReadingChoice(read_as=ReadAs.UNLABELLED)
    return [*kept, TriedReading(choice=nothing, classes=0, labelled=0, likelihood=0.0)]


def class_order(metadata: bytes) -> list[str]:
    """Class names in their order, if these are metadata that we wrote with a collection; else nothing."""
    try:
        sets = json.loads(metadata).get("recordSet", [])
        rows: list[dict[str, Any]] = next((entry["data"] for entry in sets if entry.get("@id") == "classes"), [])
        return [clean_name(str(row["classes/name"])) for row in rows]
    except (ValueError, AttributeError, KeyError, TypeError):
        return []
