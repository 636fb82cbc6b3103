"""The figures of a run as a table: an epoch a row, then the recall of every class."""

import csv
import io
from collections.abc import Mapping, Sequence

from vast_orchard.formats.csv_cells import harmless

__all__ = ["epoch_table"]


def epoch_table(
    epochs: Sequence[tuple[int, Mapping[str, float], Sequence[float | None]]], classes: Sequence[str]
) -> str:
    """RFC 4180 CSV.

    Parameters
    ----------
    epochs : sequence of (number, figures by name, recalls in the order of the classes)
    classes : sequence of str
    """
    names = list(dict.fromkeys(name for _, figures, _ in epochs for name in figures))
    by_class = any(recalls for _, _, recalls in epochs)
    written = io.StringIO(newline="")
    writer = csv.writer(written)
    writer.writerow(harmless(["epoch", *names, *(f"recall of {name}" for name in classes if by_class)]))
    for number, figures, recalls in epochs:
        row = [number, *(figures.get(name, "") for name in names)]
        if by_class:
            row += ["" if value is None else value for value in recalls or [None] * len(classes)]
        writer.writerow(row)
    return written.getvalue()
