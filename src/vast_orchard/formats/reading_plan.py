"""What bringing a source in would do, by one reading: classes, counts, sets, samples, and everything left out.

The same pass decides file by file in the import, so that what the plan says is what happens.
"""

import hashlib
import heapq
from collections import Counter
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from vast_orchard.formats.inventory import ListedFile
from vast_orchard.formats.reading_choice import Part, ReadingChoice
from vast_orchard.formats.source_survey import SourceRecord, open_reading
from vast_orchard.formats.told import Reading, Told, clean_name

__all__ = ["ChosenFile", "OpenPlan", "open_plan", "plan_to_json"]

_SAMPLES = 24
_LISTED = 100
_EXAMPLES = 8
_FOLDERS = 500
_UNLABELLED = ""


@dataclass(frozen=True, kw_only=True, slots=True)
class ChosenFile:
    """A file with what the chosen reading says of it."""

    file: ListedFile
    class_name: str | None
    told: Told
    chosen: bool  # False: a person or the random part leaves it out


def _folders_above(path: str) -> Iterator[str]:
    """The folders that a file lies in, innermost first."""
    while "/" in path:
        path = path.rpartition("/")[0]
        yield path


def _draw(sha256: str, seed: int) -> int:
    """A number of the picture's own: the same in whatever order files come, so that a part can be drawn again."""
    key = seed.to_bytes(8, "big")
    return int.from_bytes(hashlib.blake2b(bytes.fromhex(sha256), key=key, digest_size=8).digest(), "big")


def _limits(named: Iterator[tuple[ListedFile, str]], part: Part) -> dict[str, int]:
    """The largest number drawn that still belongs to the part, by class.

    A heap a class, so that memory goes with the part and not with the source. Repeated files draw the same number.
    """
    smallest: dict[str, list[int]] = {}
    held: dict[str, set[int]] = {}
    for file, name in named:
        heap, members, number = (
            smallest.setdefault(name, []),
            held.setdefault(name, set()),
            _draw(file.sha256, part.seed),
        )
        if number in members:
            continue
        if len(heap) < part.per_class:
            heapq.heappush(heap, -number)
            members.add(number)
        elif number < -heap[0]:
            members.discard(-heapq.heapreplace(heap, -number))
            members.add(number)
    return {name: -heap[0] for name, heap in smallest.items()}


class OpenPlan:
    """A reading with a person's changes, ready to go through the files any number of times."""

    def __init__(self, record: SourceRecord, reading: Reading, choice: ReadingChoice) -> None:
        self._record, self._reading, self._choice = record, reading, choice
        self._without = frozenset(choice.without_classes)
        self._folders = frozenset(choice.without_folders)
        self._renamed = {name: clean_name(to) for name, to in choice.renamed.items()}
        self._limits = (
            _limits(((f, name or _UNLABELLED) for f, name, told in self._named() if self._wanted(f, told)), choice.part)
            if choice.part
            else {}
        )

    @property
    def reading(self) -> Reading:
        """What tells of each file."""
        return self._reading

    def _named(self) -> Iterator[tuple[ListedFile, str | None, Told]]:
        for entry in self._record.pictures():
            told = self._reading.tell(entry.path)
            if told.is_mask:
                continue
            name = told.class_name
            yield entry, (self._renamed.get(name, name) or None) if name else None, told

    def _wanted(self, entry: ListedFile, told: Told) -> bool:
        """Whether a person left it in."""
        if (told.class_name or _UNLABELLED) in self._without:
            return False
        return not (self._folders and any(folder in self._folders for folder in _folders_above(entry.path)))

    def files(self) -> Iterator[ChosenFile]:
        """Every picture file, in the order of the source."""
        part = self._choice.part
        for entry, name, told in self._named():
            chosen = self._wanted(entry, told) and (
                part is None or _draw(entry.sha256, part.seed) <= self._limits[name or _UNLABELLED]
            )
            yield ChosenFile(file=entry, class_name=name, told=told, chosen=chosen)

    def class_names(self) -> list[str]:
        """The classes of the chosen files, in the order of their names."""
        found = {file.class_name for file in self.files() if file.class_name and file.chosen}
        return sorted(found, key=str.casefold)


def open_plan(record: SourceRecord, tables: Collection[str], choice: ReadingChoice) -> OpenPlan:
    """Begin a plan.

    Raises
    ------
    InputError
        The choice cannot be used; says why.
    """
    return OpenPlan(record, open_reading(record, list(tables), choice), choice)


class _ClassCount:
    """What the plan counts of one class."""

    def __init__(self) -> None:
        self.total = self.chosen = self.known = self.repeated = 0
        self.sets: Counter[str] = Counter()
        self.read_as: Counter[str] = Counter()
        self.samples: list[str] = []

    def add(self, file: ChosenFile, repeated: bool) -> None:
        self.total += 1
        if file.told.class_name:
            self.read_as[file.told.class_name] += 1
        if not file.chosen:
            return
        self.chosen += 1
        self.known += file.file.known
        self.repeated += repeated
        self.sets[file.told.set_name.value if file.told.set_name else "none"] += 1
        if not repeated and len(self.samples) < _SAMPLES:
            self.samples.append(file.file.sha256)

    def to_json(self, name: str, here: Mapping[str, int]) -> dict[str, Any]:
        return {
            "name": name,
            "read_as": [read for read, _ in self.read_as.most_common()],
            "files": self.total,
            "chosen": self.chosen,
            "known": self.known,
            "repeated": self.repeated,
            "sets": dict(self.sets),
            "samples": self.samples,
            "in_project": here.get(name.lower()),
        }


def plan_to_json(plan: OpenPlan, here: Mapping[str, int]) -> dict[str, Any]:
    """The plan as a person sees it.

    Parameters
    ----------
    here : mapping of str to int
        Pictures of the project's classes, by name in small letters.
    """
    classes: dict[str, _ClassCount] = {}
    spelled: dict[str, str] = {}
    first_label: dict[int, tuple[str, str]] = {}  # by content: path and class of its first file
    two: list[dict[str, Any]] = []
    new = groups = notes = two_count = 0
    seen_groups: set[str] = set()
    folders: Counter[str] = Counter()
    shown: Counter[str] = Counter()
    matched: list[dict[str, Any]] = []
    for file in plan.files():
        name = file.class_name or _UNLABELLED
        name = spelled.setdefault(name.casefold(), name)
        content = int(file.file.sha256[:16], 16)
        before = first_label.get(content)
        # One file of each class, and some of those in which nothing was found, tell more than the first few.
        shown[name] += 1
        if len(matched) < _EXAMPLES and shown[name] <= (1 if name else _EXAMPLES // 2):
            matched.append({"path": file.file.path, "class_name": file.class_name})
        folders.update(_folders_above(file.file.path))
        classes.setdefault(name, _ClassCount()).add(file, before is not None)
        if not file.chosen:
            continue
        if before is None:
            first_label[content] = (file.file.path, name)
            new += not file.file.known
        elif before[1] != name and before[1] and name:
            two_count += 1
            if len(two) < _LISTED:
                two.append(
                    {
                        "sha256": file.file.sha256,
                        "paths": [before[0], file.file.path],
                        "labels": [before[1], name],
                    }
                )
        if file.told.group and file.told.group not in seen_groups:
            seen_groups.add(file.told.group)
            groups += 1
        notes += bool(file.told.note)
    unlabelled = classes.pop(_UNLABELLED, _ClassCount())
    chosen = unlabelled.chosen + sum(entry.chosen for entry in classes.values())
    total = unlabelled.total + sum(entry.total for entry in classes.values())
    return {
        "classes": [classes[name].to_json(name, here) for name in sorted(classes, key=str.casefold)],
        "unlabelled": unlabelled.to_json("", {}),
        "files": total,
        "chosen": chosen,
        "left_out": total - chosen,
        "new": new,
        "known": len(first_label) - new,
        "repeated": chosen - len(first_label),
        "two_labels": two,
        "two_labels_count": two_count,
        "groups": groups,
        "noted": notes,
        "wrappers": list(plan.reading.wrappers),
        "notes": list(plan.reading.notes),
        "examples": matched,
        "folders": [{"path": path, "files": count} for path, count in sorted(folders.items())[:_FOLDERS]],
        "folders_count": len(folders),
    }
