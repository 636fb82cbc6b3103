"""Reads classes and sets from the folders that pictures lie in."""

import unicodedata
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from posixpath import splitext

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


def _reason_to_skip(parts: tuple[str, ...]) -> str | None:
    if any(part.lower() in _SYSTEM or part.startswith(".") for part in parts):
        return "a hidden or system file"
    name = parts[-1].lower() if parts else ""
    if name.endswith(ARCHIVE_ENDINGS):
        return "an archive within the source; bring it in by itself"
    ending = splitext(name)[1]
    if ending not in PICTURE_ENDINGS:
        return f"not a picture file ({splitext(parts[-1])[1] if ending else 'no ending'})"
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
    # Two lists, and one tuple for each folder: a hundred thousand names should cost little more than themselves.
    pictures: list[str] = []
    folders: list[tuple[str, ...]] = []
    known: dict[tuple[str, ...], tuple[str, ...]] = {}
    for name in names:
        # By hand, because a path object would keep every name that it ever saw.
        parts = tuple(part for part in name.split("/") if part not in ("", "."))
        reason = _reason_to_skip(parts)
        if reason:
            skipped.append(SkippedFile(path=name, reason=reason))
        else:
            pictures.append(name)
            folders.append(known.setdefault(parts[:-1], parts[:-1]))
    depth = _see_through(list(known)) if pictures else 0
    set_folders = {f[depth] for f in known if len(f) > depth + 1 and _set_of(f[depth])}
    below = {
        folder: depth + 1 + _see_through([f[depth + 1 :] for f in known if f[depth : depth + 1] == (folder,)])
        for folder in set_folders
    }
    read = {
        f: _read_one(f[depth:], f[below[f[depth]] :] if f[depth : depth + 1] and f[depth] in below else None)
        for f in known
    }
    planned = [
        PlannedFile(path=name, class_name=read[folder][0], set_name=read[folder][1])
        for name, folder in zip(pictures, folders, strict=True)
    ]
    files, notes = _merge_spellings(planned)
    if set_folders:
        notes.append(f"Sets were read from the folders {', '.join(sorted(set_folders))}.")
    wrappers = folders[0][:depth] if folders else ()
    return ReadingPlan(files=tuple(files), skipped=tuple(skipped), wrappers=wrappers, notes=tuple(notes))


def _read_one(folders: tuple[str, ...], in_set: tuple[str, ...] | None) -> tuple[str | None, SetName | None]:
    """Class and set of the pictures in one folder; `in_set` are the folders below that of a set."""
    if in_set is None:
        return _class_of(folders), None
    return _class_of(in_set), _set_of(folders[0])


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
    if not notes:
        return planned, notes
    files = [
        PlannedFile(
            path=file.path,
            class_name=chosen[file.class_name.casefold()] if file.class_name else None,
            set_name=file.set_name,
        )
        for file in planned
    ]
    return files, notes
