"""The figures of a judged set with their intervals, as a table: a figure of the whole or of a class a row."""

import csv
import io
from collections.abc import Mapping, Sequence
from typing import Any

from vast_orchard.formats.csv_cells import harmless

__all__ = ["score_table"]

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
