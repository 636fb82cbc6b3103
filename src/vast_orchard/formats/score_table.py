"""A judged set as tables: its figures with their intervals, one a row, and its confusion matrix."""

import csv
import io
from collections.abc import Mapping, Sequence
from typing import Any

from vast_orchard.formats.csv_cells import harmless

__all__ = ["matrix_table", "score_table"]

_OF_A_CLASS = ("precision", "recall", "f1")


def score_table(scores: Mapping[str, Any], sureness: Mapping[str, Any] | None, classes: Sequence[str]) -> str:
    """RFC 4180 CSV.

    Parameters
    ----------
    scores, sureness : mapping
        Of a judged set, as they are stored; without sureness, intervals are left open.
    classes : sequence of str
        Their names, in order.
    """
    written = io.StringIO(newline="")
    writer = csv.writer(written)
    writer.writerow(["class", "figure", "value", "low", "high", "pictures"])
    if sureness is None:
        whole = [{"name": "accuracy", "value": scores["accuracy"], "interval": scores["accuracy_interval"]}]
    else:
        whole = sureness["scores"]
    for entry in whole:
        writer.writerow(["", entry["name"], entry["value"], *(entry["interval"] or ("", "")), scores["count"]])
    for place, name in enumerate(classes):
        figures = scores["classes"][place]
        between = sureness["classes"][place] if sureness else {}
        for figure in _OF_A_CLASS:
            # Of those predicted as the class, precision; of those truly of it, the others.
            pictures = figures["predicted" if figure == "precision" else "count"]
            value = "" if figures[figure] is None else figures[figure]
            row = [*harmless([name]), figure, value, *(between.get(figure) or ("", "")), pictures]
            writer.writerow(row)
    return written.getvalue()


def matrix_table(confusion: Sequence[Sequence[int]], classes: Sequence[str]) -> str:
    """RFC 4180 CSV: a true class a row, a predicted one a column.

    Parameters
    ----------
    confusion : sequence of sequence of int
        Counts, rows true, columns predicted.
    classes : sequence of str
        Their names, in order.
    """
    written = io.StringIO(newline="")
    writer = csv.writer(written)
    writer.writerow(["true \\ predicted", *harmless(classes)])
    for name, row in zip(classes, confusion, strict=True):
        writer.writerow([*harmless([name]), *row])
    return written.getvalue()
