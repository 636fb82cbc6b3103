"""Reads classes and sets from the folders that pictures lie in."""

import unicodedata
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath

from vast_orchard.formats.picture_file import PICTURE_ENDINGS
from vast_orchard.formats.source import ARCHIVE_ENDINGS
from vast_orchard.types import SetName

__all__ = ["PlannedFile", "ReadingPlan", "SkippedFile", "clean_name", "read_folders"]

_SETS = {
    **dict.fromkeys(("train", "training", "trn", "train_set", "training_set"), SetName.TRAINING),
    **dict.fromkeys(("val", "valid", "validation", "dev", "validation_set", "val_set"), SetName.VALIDATION),
    **dict.fromkeys(("test", "testing", "tst", "test_set", "holdout"), SetName.TEST),
}
_UNLABELLED = {"unlabelled", "unlabeled", "unknown", "unsorted", "no label", "no_label"}
_SYSTEM = {"__macosx", "thumbs.db", "desktop.ini"}


@dataclass(frozen=True, kw_only=True)
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
class ReadingPlan:
    """What was understood of a source's folders."""

    files: tuple[PlannedFile, ...]
    skipped: tuple[SkippedFile, ...]
    wrappers: tuple[str, ...]  # folders around everything, seen through
    notes: tuple[str, ...]  # what else was understood, in words


def clean_name(text: str) -> str:
    """A class name without control characters and outer spaces, in Unicode's composed form."""
    composed = unicodedata.normalize("NFC", text)
    return "".join(c for c in composed if unicodedata.category(c)[0] != "C" or c in "\u200c\u200d").strip()


def _reason_to_skip(path: PurePosixPath) -> str | None:
    parts = [part.lower() for part in path.parts]
    if any(part in _SYSTEM or part.startswith(".") for part in parts):
        return "a hidden or system file"
    if path.name.lower().endswith(ARCHIVE_ENDINGS):
        return "an archive within the source; bring it in by itself"
    if path.suffix.lower() not in PICTURE_ENDINGS:
        return f"not a picture file ({path.suffix or 'no ending'})"
    return None


def _set_of(folder: str) -> SetName | None:
    return _SETS.get(clean_name(folder).lower().replace("-", "_").replace(" ", "_"))


def _see_through(folders: Sequence[tuple[str, ...]]) -> int:
    """How many outer folders hold everything and mean nothing.

    A folder that holds everything is a wrapper only if something stands between it and the pictures; the last one
    names a class. A set's folder is never a wrapper.
    """
    seen = 0
    while True:
        outer = {path[seen] if len(path) > seen else None for path in folders}
        if len(outer) != 1 or None in outer or _set_of(str(next(iter(outer)))):
            return seen
        if not any(len(path) > seen + 1 for path in folders):
            return seen
        # plate/plate/x.png alone: the inner folder repeats the outer one, and is the class.
        seen += 1


def _class_of(folders: tuple[str, ...]) -> str | None:
    if not folders:
        return None
    name = clean_name(folders[0])
    return None if not name or name.lower() in _UNLABELLED else name


def read_folders(names: Sequence[str]) -> ReadingPlan:
    """Understand a source's file names.

    The outermost folder that does not hold everything is the class, or the set if its name is a usual spelling of
    one and further folders lie in it. Folders within a class folder are looked through.

    Parameters
    ----------
    names : sequence of str
        Paths with forward slashes.
    """
    skipped: list[SkippedFile] = []
    pictures: list[tuple[str, tuple[str, ...]]] = []
    for name in names:
        path = PurePosixPath(name)
        reason = _reason_to_skip(path)
        if reason:
            skipped.append(SkippedFile(path=name, reason=reason))
        else:
            pictures.append((name, path.parts[:-1]))
    depth = _see_through([folders for _, folders in pictures]) if pictures else 0
    wrappers = pictures[0][1][:depth] if pictures else ()
    inner = [(name, folders[depth:]) for name, folders in pictures]
    set_folders = {f[0] for _, f in inner if len(f) > 1 and _set_of(f[0])}
    planned: list[PlannedFile] = []
    for folder in sorted(set_folders):
        members = [(name, f[1:]) for name, f in inner if f and f[0] == folder]
        below = _see_through([f for _, f in members])
        planned += [
            PlannedFile(path=name, class_name=_class_of(f[below:]), set_name=_set_of(folder)) for name, f in members
        ]
    planned += [
        PlannedFile(path=name, class_name=_class_of(f), set_name=None)
        for name, f in inner
        if not f or f[0] not in set_folders
    ]
    place = {name: i for i, name in enumerate(names)}
    planned.sort(key=lambda file: place[file.path])
    files, notes = _merge_spellings(planned)
    if set_folders:
        notes.append(f"Sets were read from the folders {', '.join(sorted(set_folders))}.")
    return ReadingPlan(files=tuple(files), skipped=tuple(skipped), wrappers=tuple(wrappers), notes=tuple(notes))


def _merge_spellings(planned: list[PlannedFile]) -> tuple[list[PlannedFile], list[str]]:
    """Folders whose names differ only in case are one class, under the spelling most pictures have."""
    spellings: dict[str, Counter[str]] = {}
    for file in planned:
        if file.class_name:
            spellings.setdefault(file.class_name.casefold(), Counter())[file.class_name] += 1
    chosen = {key: counter.most_common(1)[0][0] for key, counter in spellings.items()}
    notes = [
        f"{' and '.join(sorted(counter))} differ only in case and were read as one class, {chosen[key]}."
        for key, counter in spellings.items()
        if len(counter) > 1
    ]
    files = [
        PlannedFile(
            path=file.path,
            class_name=chosen[file.class_name.casefold()] if file.class_name else None,
            set_name=file.set_name,
        )
        for file in planned
    ]
    return files, notes
