"""Reads classes and sets from the folders that pictures lie in."""

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from posixpath import splitext

from vast_orchard.formats.picture_file import PICTURE_ENDINGS
from vast_orchard.formats.source import ARCHIVE_ENDINGS
from vast_orchard.formats.told import NOTHING_TOLD, Told, class_or_none, merge_spellings, set_of
from vast_orchard.types import SetName

__all__ = [
    "FolderReading",
    "PlannedFile",
    "ReadFolders",
    "SkippedFile",
    "count_folders",
    "read_folders",
    "reason_to_skip",
]

_SYSTEM = {"__macosx", "thumbs.db", "desktop.ini"}

_Folders = tuple[str, ...]


@dataclass(frozen=True, kw_only=True, slots=True)
class PlannedFile:
    """One file that should be a picture."""

    path: str  # as the source names it
    class_name: str | None  # None: unlabelled
    set_name: SetName | None  # None: the folders name no set


@dataclass(frozen=True, kw_only=True)
class SkippedFile:
    """One file that is not brought in."""

    path: str
    reason: str


@dataclass(frozen=True, kw_only=True)
class ReadFolders:
    """What was understood of a list of file names."""

    files: tuple[PlannedFile, ...]
    skipped: tuple[SkippedFile, ...]
    wrappers: tuple[str, ...]
    notes: tuple[str, ...]


def _parts(path: str) -> tuple[str, ...]:
    # By hand, because a path object would keep every name that it ever saw.
    return tuple(part for part in path.split("/") if part not in ("", "."))


def reason_to_skip(path: str) -> str | None:
    """Why a file cannot be a picture, by its name alone; None if it can."""
    parts = _parts(path)
    if any(part.lower() in _SYSTEM or part.startswith(".") for part in parts):
        return "a hidden or system file"
    name = parts[-1].lower() if parts else ""
    if name.endswith(ARCHIVE_ENDINGS):
        return "an archive within the source; bring it in by itself"
    ending = splitext(name)[1]
    if ending not in PICTURE_ENDINGS:
        return f"not a picture file ({splitext(parts[-1])[1] if ending else 'no ending'})"
    return None


def _see_through(folders: Collection[_Folders]) -> int:
    """How many outer folders hold everything and mean nothing.

    A folder that holds everything is a wrapper only if something stands between it and the pictures; the last one
    names a class. A set's folder is never a wrapper.
    """
    seen = 0
    while True:
        outer = {path[seen] if len(path) > seen else None for path in folders}
        if len(outer) != 1 or None in outer or set_of(str(next(iter(outer)))):
            return seen
        if not any(len(path) > seen + 1 for path in folders):
            return seen
        # plate/plate/x.png alone: the inner folder repeats the outer one, and is the class.
        seen += 1


class FolderReading:
    """Class, and set, by folder.

    The outermost folder that does not hold everything is the class, or the set if its name is a usual spelling of
    one and further folders lie in it. Folders within a class folder are looked through. With `innermost`, the folder
    that the picture itself lies in is the class instead.

    Parameters
    ----------
    counts : mapping of tuple of str to int
        Pictures by the folders that they lie in.
    innermost : bool
    """

    def __init__(self, counts: Mapping[_Folders, int], *, innermost: bool = False) -> None:
        known = list(counts)
        depth = _see_through(known) if known else 0
        set_folders = {f[depth] for f in known if len(f) > depth + 1 and set_of(f[depth])}
        below = {
            folder: depth + 1 + _see_through([f[depth + 1 :] for f in known if f[depth : depth + 1] == (folder,)])
            for folder in set_folders
        }
        self._told: dict[_Folders, Told] = {}
        self._by_folder: dict[str, Told] = {}  # the same by the folder as a path spells it
        by_class: Counter[str] = Counter()
        for folders, count in counts.items():
            in_set = folders[depth] if folders[depth : depth + 1] and folders[depth] in below else None
            inner = folders[below[in_set] if in_set else depth :]
            told = Told(
                class_name=class_or_none(inner[-1] if innermost else inner[0]) if inner else None,
                set_name=set_of(in_set) if in_set else None,
            )
            self._told[folders] = told
            if told.class_name:
                by_class[told.class_name] += count
        chosen, notes = merge_spellings(by_class)
        if chosen:
            for folders, told in self._told.items():
                if told.class_name in chosen:
                    self._told[folders] = Told(class_name=chosen[told.class_name], set_name=told.set_name)
        if set_folders:
            notes.append(f"Sets were read from the folders {', '.join(sorted(set_folders))}.")
        self.notes = tuple(notes)
        self.wrappers = known[0][:depth] if known else ()

    def tell(self, path: str) -> Told:
        """What the file's folder says."""
        folder = path.rpartition("/")[0]
        told = self._by_folder.get(folder)
        if told is None:
            told = self._by_folder[folder] = self._told.get(_parts(folder), NOTHING_TOLD)
        return told


def count_folders(paths: Iterable[str]) -> Counter[_Folders]:
    """How many files lie in each folder."""
    counts: Counter[_Folders] = Counter()
    # Taken apart once a folder and not once a file.
    for folder, count in Counter(path.rpartition("/")[0] for path in paths).items():
        counts[_parts(folder)] += count
    return counts


def read_folders(names: Sequence[str]) -> ReadFolders:
    """Understand a source's file names by their folders, for work without a reading plan.

    Parameters
    ----------
    names : sequence of str
        Paths with forward slashes.
    """
    skipped: list[SkippedFile] = []
    pictures: list[str] = []
    for name in names:
        reason = reason_to_skip(name)
        if reason:
            skipped.append(SkippedFile(path=name, reason=reason))
        else:
            pictures.append(name)
    reading = FolderReading(count_folders(pictures))
    return ReadFolders(
        files=tuple(_planned(pictures, reading)),
        skipped=tuple(skipped),
        wrappers=reading.wrappers,
        notes=reading.notes,
    )


def _planned(pictures: Iterable[str], reading: FolderReading) -> Iterable[PlannedFile]:
    for path in pictures:
        told = reading.tell(path)
        yield PlannedFile(path=path, class_name=told.class_name, set_name=told.set_name)
