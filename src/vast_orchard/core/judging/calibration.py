"""How often an answer of 0.8 is right, and the temperature that makes it so.

Guo et al. 2017, "On calibration of modern neural networks".
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from scipy.optimize import minimize_scalar

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.intervals import wilson_interval
from vast_orchard.core.judging.scores import picture_losses
from vast_orchard.core.judging.scores_with_intervals import brier_scores
from vast_orchard.core.ops.softmax import softmax

__all__ = ["Calibration", "CalibrationBin", "calibration", "fit_temperature", "tempered"]

_BINS = 10
# A bin of fewer pictures would say little: Wilson's interval of 0.8 is 0.37 wide at 15.
_LEAST_IN_BIN = 15
# Outcomes drawn as if every probability were true.
_DRAWS = 200
# Between these a temperature is looked for; beyond them it is the pictures that are wrong.
_LOWEST, _HIGHEST = 0.1, 10.0


@dataclass(frozen=True, kw_only=True)
class CalibrationBin:
    """Answers of like probability."""

    low: float  # the smallest probability in it
    high: float
    mean: float  # of the probabilities
    right: int
    count: int
    interval: tuple[float, float]  # of the share that was right; Wilson, 95 %


@dataclass(frozen=True, kw_only=True)
class Calibration:
    """How far probabilities are from how often they come true."""

    bins: tuple[CalibrationBin, ...]
    # Expected calibration error: distance of the share right from the mean probability, by bin, weighted by pictures.
    error: float
    # The same if every probability were true: few pictures lie apart by chance, and no network is below that.
    error_if_true: float
    error_if_true_high: float  # its 95th percentile
    brier: float  # mean squared distance of the probabilities from the truth, 0 to 2
    loss: float


def tempered(logits: FloatArray, temperature: float) -> FloatArray:
    """Probabilities of logits divided by a temperature, averaged over views.

    Shape (N, K) for logits of shape (V, N, K), in their dtype.
    """
    views = [softmax(view / logits.dtype.type(temperature)) for view in logits]
    return views[0] if len(views) == 1 else np.mean(views, axis=0, dtype=logits.dtype)


def fit_temperature(logits: FloatArray, labels: Array) -> float | None:
    """The temperature with the least loss, between 0.1 and 10.

    Parameters
    ----------
    logits : ndarray, shape (V, N, K)
        Of each view of each picture.
    labels : ndarray, shape (N,), int

    Returns
    -------
    float or None
        None where all answers are right, or none: then the best would be none at all.
    """
    right = tempered(logits, 1.0).argmax(axis=1) == labels
    if right.all() or not right.any():
        return None
    wide = logits.astype(np.float64)

    def loss(log_temperature: float) -> float:
        return float(picture_losses(tempered(wide, float(np.exp(log_temperature))), labels).mean())

    found = minimize_scalar(loss, bounds=(np.log(_LOWEST), np.log(_HIGHEST)), method="bounded", options={"xatol": 1e-4})
    return float(np.exp(found.x))


def calibration(probabilities: FloatArray, labels: Array, *, seed: int = 1) -> Calibration:
    """Hold the probability of each answer against whether it was right, in bins of equal count.

    Parameters
    ----------
    probabilities : ndarray, shape (N, K)
    labels : ndarray, shape (N,), int
    seed : int
        Of the outcomes drawn for `error_if_true`.
    """
    answers = probabilities.max(axis=1).astype(np.float64)
    right = probabilities.argmax(axis=1) == labels
    order = np.argsort(answers, kind="stable")
    edges = np.linspace(0, len(order), min(_BINS, max(1, len(order) // _LEAST_IN_BIN)) + 1).round().astype(int)
    p, hit = answers[order], right[order]

    def error(hits: Array) -> FloatArray:
        return np.asarray(np.abs(np.add.reduceat(hits - p, edges[:-1], axis=-1)).sum(axis=-1) / len(p))

    rng = np.random.default_rng(seed)
    by_chance = np.array([error(rng.random(len(p)) < p) for _ in range(_DRAWS)])
    return Calibration(
        bins=tuple(_bin(p[a:b], hit[a:b]) for a, b in pairwise(edges)),
        error=float(error(hit)),
        error_if_true=float(by_chance.mean()),
        error_if_true_high=float(np.quantile(by_chance, 0.95)),
        brier=float(brier_scores(probabilities, labels).mean()),
        loss=float(picture_losses(probabilities, labels).mean()),
    )


def _bin(p: FloatArray, hit: Array) -> CalibrationBin:
    right = int(hit.sum())
    return CalibrationBin(
        low=float(p[0]), high=float(p[-1]), mean=float(p.mean()), right=right, count=len(p),
        interval=wilson_interval(right, len(p)),
    )  # fmt: skip
