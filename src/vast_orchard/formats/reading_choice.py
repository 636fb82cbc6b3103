"""How a person wants a source read: which reading, which classes under which names, and how much of it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from vast_orchard.errors import InputError

__all__ = ["Part", "ReadAs", "ReadingChoice", "choice_from_json", "choice_to_json"]

_LARGEST_SEED = 2**31 - 1


class ReadAs(StrEnum):
    """Where classes are read from."""

    FOLDERS = "folders"  # the outermost folder that does not hold everything, sets above
    INNER_FOLDERS = "inner_folders"  # the folder that the picture itself lies in
    PATTERN = "pattern"
    TABLE = "table"
    ONE_CLASS = "one_class"  # all pictures are of one class that the person names
    UNLABELLED = "unlabelled"


@dataclass(frozen=True, kw_only=True)
class Part:
    """A balanced random part: at most so many pictures of each class, and of those without one."""

    per_class: int
    seed: int = 1


@dataclass(frozen=True, kw_only=True)
class ReadingChoice:
    """A reading and what a person changed of it."""

    read_as: ReadAs = ReadAs.FOLDERS
    pattern: str = ""  # of ReadAs.PATTERN
    class_name: str = ""  # of ReadAs.ONE_CLASS
    table: str = ""  # path of the table within the source, of ReadAs.TABLE
    columns: Mapping[str, str] = field(default_factory=dict)  # column by role, of ReadAs.TABLE
    # Class as it was read to class as it shall be; two of one name are merged, an empty name means unlabelled.
    renamed: Mapping[str, str] = field(default_factory=dict)
    part: Part | None = None
    # Left out for now: classes as they were read ("" is what has none), and folders with all that lies in them.
    without_classes: tuple[str, ...] = ()
    without_folders: tuple[str, ...] = ()


def choice_to_json(choice: ReadingChoice) -> dict[str, Any]:
    """As it is stored and sent."""
    return {
        "read_as": choice.read_as.value,
        "pattern": choice.pattern,
        "class_name": choice.class_name,
        "table": choice.table,
        "columns": dict(choice.columns),
        "renamed": dict(choice.renamed),
        "part": {"per_class": choice.part.per_class, "seed": choice.part.seed} if choice.part else None,
        "without_classes": list(choice.without_classes),
        "without_folders": list(choice.without_folders),
    }


def choice_from_json(data: Mapping[str, Any]) -> ReadingChoice:
    """Read it back, every value checked.

    Raises
    ------
    InputError
    """
    kind = data.get("read_as", ReadAs.FOLDERS.value)
    if kind not in set(ReadAs):
        raise InputError(f"There is no reading {kind!r}.", f"Choose one of {', '.join(ReadAs)}.")
    part = data.get("part")
    if part and not (part["per_class"] >= 1 and 0 <= part.get("seed", 1) <= _LARGEST_SEED):
        raise InputError(
            f"A part of {part['per_class']} of each class with seed {part.get('seed')} cannot be drawn.",
            f"Take at least 1 of each class, and a seed from 0 to {_LARGEST_SEED}.",
        )
    return ReadingChoice(
        read_as=ReadAs(kind),
        pattern=data.get("pattern", ""),
        class_name=data.get("class_name", ""),
        table=data.get("table", ""),
        columns=dict(data.get("columns") or {}),
        renamed=dict(data.get("renamed") or {}),
        part=Part(per_class=part["per_class"], seed=part.get("seed", 1)) if part else None,
        without_classes=tuple(data.get("without_classes") or ()),
        without_folders=tuple(folder.strip("/") for folder in data.get("without_folders") or ()),
    )
