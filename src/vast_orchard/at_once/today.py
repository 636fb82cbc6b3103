"""Scores of a judged set by the labels of today, beside what has changed since it was judged."""

from dataclasses import asdict
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vast_orchard.core.judging.scores import LEAST_PROBABILITY, judged_matrix
from vast_orchard.store.today import labelled_today
from vast_orchard.store.values import ModelValue

__all__ = ["judge_by_today"]


def judge_by_today(session: Session, model: ModelValue, set_name: str) -> dict[str, Any] | None:
    """Scores, with `relabelled` and `left_out`; None if no picture of the set has a label that the model knows."""
    found = labelled_today(session, model, set_name, least=LEAST_PROBABILITY)
    if not found.cells:
        return None
    places = {entry["id"]: place for place, entry in enumerate(model.classes)}
    confusion = np.zeros((len(places), len(places)), np.int64)
    for (truth, predicted), count in found.cells.items():
        confusion[places[truth], places[predicted]] = count
    scores = asdict(judged_matrix(confusion, found.loss_sum / int(confusion.sum())))
    return {**scores, "relabelled": found.relabelled, "left_out": found.left_out}
