"""A judged set as tables to take away."""

import csv
import io
from dataclasses import asdict
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.formats.answers import ANSWER_COLUMNS, answer_row
from vast_orchard.formats.csv_cells import harmless
from vast_orchard.formats.score_table import matrix_table, score_table
from vast_orchard.store.models import sureness_of
from vast_orchard.store.predictions import list_outcomes
from vast_orchard.store.values import ModelValue

__all__ = ["answers_as_csv", "matrix_as_csv", "scores_as_csv"]

# As many as a project may have, and more than a spreadsheet opens.
_MOST = 1_000_000


def scores_as_csv(session: Session, model: ModelValue, set_name: str, scores: dict[str, Any]) -> str:
    """CSV of a judgement, with intervals where they are known."""
    return score_table(scores, sureness_of(session, model.id, set_name), _names(model))


def matrix_as_csv(model: ModelValue, scores: dict[str, Any]) -> str:
    """CSV of the confusion matrix of a judgement."""
    return matrix_table(scores["confusion"], _names(model))


def answers_as_csv(session: Session, model: ModelValue, set_name: str) -> str:
    """CSV of every answer on a set beside the truth, the most surprising first."""
    written = io.StringIO(newline="")
    table = csv.writer(written)
    table.writerow(["name", "sha256", *(name for name, _, _ in ANSWER_COLUMNS)])
    for entry in list_outcomes(session, model, set_name, (), wrong_only=False, limit=_MOST):
        said = {**asdict(entry), "run": model.run_number, "digest": model.digest, "set_name": set_name}
        table.writerow(harmless([entry.name, entry.sha256, *answer_row(said, model.classes)]))
    return written.getvalue()


def _names(model: ModelValue) -> list[str]:
    return [entry["name"] for entry in model.classes]
