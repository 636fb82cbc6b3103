"""How sure the figures of a judged set are, and how far a model's probabilities can be believed."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.answering import Answering, answering
from vast_orchard.core.judging.calibration import Calibration, calibration, fit_temperature, tempered
from vast_orchard.core.judging.five_parts import PARTS, five_parts
from vast_orchard.core.judging.scores_with_intervals import ClassIntervals, ScoreWithInterval, scores_with_intervals

__all__ = ["Sureness", "sureness"]


@dataclass(frozen=True, kw_only=True)
class Sureness:
    """Intervals, calibration as the network answers and with a temperature, and what answering less would bring."""

    scores: tuple[ScoreWithInterval, ...]
    classes: tuple[ClassIntervals, ...]
    plain: Calibration
    temperature: float | None  # the logits are divided by it; None where there is nothing to fit it on
    # With the temperature. Where it was fitted on these very pictures, each part's by the four others: validation
    # chose the epoch too, and would flatter itself.
    tempered: Calibration
    cross_fitted: bool
    answering: Answering  # on the tempered probabilities


def sureness(
    logits: FloatArray, labels: Array, groups: Array, *, temperature: float | None = None, fit: bool
) -> Sureness:
    """Look at a judged set.

    Parameters
    ----------
    logits : ndarray, shape (V, N, K)
        Of each view of each picture.
    labels : ndarray, shape (N,), int
    groups : ndarray, shape (N,), int
        Pictures with the same number are copies of one another.
    temperature : float, optional
        What was fitted on other pictures.
    fit : bool
        Fit it on these pictures instead.
    """
    probabilities, parts = tempered(logits, 1.0), five_parts(labels, groups)
    if fit:
        temperature = fit_temperature(logits, labels)
        calibrated = _cross_fitted(logits, labels, parts)
    else:
        calibrated = tempered(logits, temperature or 1.0)
    scores, classes = scores_with_intervals(probabilities, labels, groups)
    return Sureness(
        scores=scores,
        classes=classes,
        plain=calibration(probabilities, labels),
        temperature=temperature,
        tempered=calibration(calibrated, labels),
        cross_fitted=fit,
        answering=answering(calibrated, labels, parts),
    )


def _cross_fitted(logits: FloatArray, labels: Array, parts: Array) -> FloatArray:
    out = np.empty(logits.shape[1:], logits.dtype)
    for part in range(PARTS):
        here = parts == part
        if not here.any():
            continue
        others = fit_temperature(logits[:, ~here], labels[~here]) if not here.all() else None
        out[here] = tempered(logits[:, here], others or 1.0)
    return out
