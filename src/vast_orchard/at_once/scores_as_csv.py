"""The figures of a judged set as a table to take away."""

from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.formats.score_table import score_table
from vast_orchard.store.models import sureness_of
from vast_orchard.store.values import ModelValue

__all__ = ["scores_as_csv"]


def scores_as_csv(session: Session, model: ModelValue, set_name: str, scores: dict[str, Any]) -> str:
    """CSV of a judgement, with intervals where they are known."""
    return score_table(scores, sureness_of(session, model.id, set_name), [entry["name"] for entry in model.classes])
