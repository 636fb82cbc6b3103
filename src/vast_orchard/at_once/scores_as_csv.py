"""A judged set as tables to take away."""

from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.formats.score_table import matrix_table, score_table
from vast_orchard.store.models import sureness_of
from vast_orchard.store.values import ModelValue

__all__ = ["matrix_as_csv", "scores_as_csv"]


def scores_as_csv(session: Session, model: ModelValue, set_name: str, scores: dict[str, Any]) -> str:
    """CSV of a judgement, with intervals where they are known."""
    return score_table(scores, sureness_of(session, model.id, set_name), _names(model))


def matrix_as_csv(model: ModelValue, scores: dict[str, Any]) -> str:
    """CSV of the confusion matrix of a judgement."""
    return matrix_table(scores["confusion"], _names(model))


def _names(model: ModelValue) -> list[str]:
    return [entry["name"] for entry in model.classes]
