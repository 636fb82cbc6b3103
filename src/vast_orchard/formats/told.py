"""What a reading says of a file, and the words that all readings share."""

import unicodedata
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Protocol

from vast_orchard.types import SetName

__all__ = ["NOTHING_TOLD", "Reading", "Told", "class_or_none", "clean_name", "merge_spellings", "set_of"]

_SETS = {
    **dict.fromkeys(("train", "training", "trn", "train_set", "training_set"), SetName.TRAINING),
    **dict.fromkeys(("val", "valid", "validation", "dev", "validation_set", "val_set"), SetName.VALIDATION),
    **dict.fromkeys(("test", "testing", "tst", "test_set", "holdout"), SetName.TEST),
}
_UNLABELLED = {"unlabelled", "unlabeled", "unknown", "unsorted", "no label", "no_label"}


@dataclass(frozen=True, kw_only=True, slots=True)
class Told:
    """What is known of a file beside its bytes."""

    class_name: str | None = None  # None: unlabelled
    set_name: SetName | None = None  # None: no set is named
    group: str | None = None  # files of one group belong together
    note: str = ""
    name: str | None = None  # None: the last part of its path
    area: str = ""  # its working area, as JSON in the form of `core.pictures.area`; empty: none of its own
    is_mask: bool = False  # no picture: it shows which part of another one counts


NOTHING_TOLD = Told()


class Reading(Protocol):
    """A way to understand the files of a source."""

    notes: tuple[str, ...]  # what else was understood, in words
    wrappers: tuple[str, ...]  # folders around everything, seen through

    def tell(self, path: str) -> Told:
        """What it says of a file."""


def clean_name(text: str) -> str:
    """A class name without control characters and outer spaces, in Unicode's composed form."""
    if text.isascii() and text.isprintable():
        return text.strip()
    composed = unicodedata.normalize("NFC", text)
    return "".join(c for c in composed if unicodedata.category(c)[0] != "C" or c in "\u200c\u200d").strip()


@lru_cache(maxsize=4096)
def class_or_none(text: str) -> str | None:
    """A class name, or None where the words say that there is none."""
    name = clean_name(text)[:200]
    return None if not name or name.lower() in _UNLABELLED else name


def set_of(text: str) -> SetName | None:
    """The set that a folder or a cell names in one of the usual spellings."""
    return _SETS.get(clean_name(text).lower().replace("-", "_").replace(" ", "_"))


def merge_spellings(counts: Mapping[str, int] | Iterable[str]) -> tuple[dict[str, str], list[str]]:
    """Class names that differ only in case are one class, under the spelling most pictures have.

    Returns
    -------
    chosen : dict of str to str
        The spelling to use, for each name that has another.
    notes : list of str
    """
    spellings: dict[str, Counter[str]] = {}
    for name, count in Counter(counts).items():
        spellings.setdefault(name.casefold(), Counter())[name] += count
    several = [counter for counter in spellings.values() if len(counter) > 1]
    chosen = {name: counter.most_common(1)[0][0] for counter in several for name in counter}
    notes = [
        f"{' and '.join(sorted(counter))} differ only in case and were read as one class,"
        f" {counter.most_common(1)[0][0]}."
        for counter in several
    ]
    return chosen, notes
