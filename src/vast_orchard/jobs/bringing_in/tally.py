"""What becomes of each file of an import: counted for its report, and written down in a table, a line a file."""

import csv
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from vast_orchard.formats.csv_cells import harmless
from vast_orchard.formats.reading_choice import ReadingChoice, choice_to_json
from vast_orchard.formats.reading_plan import ChosenFile
from vast_orchard.formats.source_survey import SourceRecord
from vast_orchard.formats.told import Reading
from vast_orchard.jobs.bringing_in.stored_picture import KeptPicture

__all__ = ["Tally"]

# The report keeps this many skipped files by name and counts the rest; the table of fates names all.
_LISTED = 500


class Tally:
    """The count of an import.

    Parameters
    ----------
    survey : mapping
        What the reading of the source found; what it skipped counts here too.
    """

    def __init__(self, survey: Mapping[str, Any]) -> None:
        self._files = survey["files"]
        self.skipped: list[tuple[str, str]] = [(skip["path"], skip["reason"]) for skip in survey["skipped"]]
        self._skipped_count: int = survey["skipped_count"]
        self.seen: set[int] = set()  # contents, by the first half of their hash: a hundred thousand fit into little
        self.left_out = self._read = 0
        self._classes: Counter[str] = Counter()
        self.new_classes: list[int] = []

    @contextmanager
    def writing(self, record: SourceRecord) -> Iterator[None]:
        """Open the table of fates anew; what the reading skipped stands in it first."""
        with record.fates.open("w", encoding="utf-8", newline="") as fates:
            self._table = csv.writer(fates)
            self._table.writerow(["path", "class", "set", "fate", "reason"])
            for entry in record.entries():
                if entry.skipped is not None:
                    self._table.writerow(harmless([entry.path, "", "", "skipped", entry.skipped]))
            yield

    def leave_out(self, file: ChosenFile) -> None:
        """Count a file that is not in the random part."""
        self.left_out += 1
        self._write(file, "left out", "not in the random part")

    def count(self, batch: Iterable[tuple[ChosenFile, KeptPicture | str]]) -> None:
        """Count files that were recorded, or why they were skipped."""
        for file, outcome in batch:
            if isinstance(outcome, str):
                self._skipped_count += 1
                if len(self.skipped) < _LISTED:
                    self.skipped.append((file.file.path, outcome))
                self._write(file, "skipped", outcome)
                continue
            content = int(outcome.sha256[:16], 16)
            fate = "repeated" if content in self.seen else "here already" if file.file.known else "new"
            self._write(file, fate, "")
            self.seen.add(content)
            self._read += 1
            self._classes[file.class_name or ""] += 1

    def _write(self, file: ChosenFile, fate: str, reason: str) -> None:
        set_name = file.told.set_name.value if file.told.set_name else ""
        self._table.writerow(harmless([file.file.path, file.class_name or "", set_name, fate, reason]))

    def report(self, reading: Reading, choice: ReadingChoice, added: int) -> dict[str, Any]:
        """What is stored of it; plain JSON values.

        Parameters
        ----------
        added : int
            Pictures that are in the project by this import and were not before.
        """
        return {
            "files": self._files,
            "added": added,
            "known": max(0, len(self.seen) - added),
            "repeated": self._read - len(self.seen),
            "left_out": self.left_out,
            "skipped": [{"path": path, "reason": reason} for path, reason in self.skipped],
            "skipped_count": self._skipped_count,
            "wrappers": list(reading.wrappers),
            "notes": list(reading.notes),
            "classes": dict(self._classes),
            "choice": choice_to_json(choice),
        }
