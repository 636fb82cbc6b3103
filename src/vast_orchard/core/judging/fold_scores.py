"""What the scores of folds tell together: a mean, and how far it may be from the truth."""

from dataclasses import dataclass

import numpy as np
from scipy.stats import t as student

from vast_orchard.core.arrays import FloatArray
from vast_orchard.errors import ShapeError

__all__ = ["FoldDifference", "FoldScores", "fold_difference", "fold_scores"]

_CONFIDENCE = 0.95


@dataclass(frozen=True, kw_only=True)
class FoldScores:
    """Of one set-up."""

    mean: float
    deviation: float  # of single folds, with one degree of freedom less
    interval: tuple[float, float]  # 95 % of the mean, within 0 to 1


@dataclass(frozen=True, kw_only=True)
class FoldDifference:
    """Of two set-ups on the same folds."""

    mean: float  # second less first
    interval: tuple[float, float]  # 95 %
    chance: float  # two-sided: how often as large a one comes about where both are equally good


def _error(values: FloatArray, share: float) -> float:
    """Standard error of a mean over folds.

    Nadeau and Bengio 2003, "Inference for the generalization error", section 4: the training sets of folds overlap, so
    that their scores vary less than independent ones would. Their variance is multiplied by 1/J and the share of held
    out pictures over training ones, instead of by 1/J alone.
    """
    if values.ndim != 1 or len(values) < 2:
        raise ShapeError(f"The scores have shape {values.shape}.", "Give those of at least two folds.")
    return float(np.sqrt((1 / len(values) + share) * values.var(ddof=1)))


def fold_scores(scores: FloatArray, share: float) -> FoldScores:
    """Mean, deviation and interval of a score between 0 and 1.

    Parameters
    ----------
    scores : ndarray, shape (J,), float64
        One a fold, of all repeats.
    share : float
        Pictures held out over those learnt from: 1 / (folds − 1).

    Raises
    ------
    ShapeError
        There are fewer than two.
    """
    half = float(student.ppf((1 + _CONFIDENCE) / 2, len(scores) - 1)) * _error(scores, share)
    mean = float(scores.mean())
    return FoldScores(
        mean=mean,
        deviation=float(scores.std(ddof=1)),
        interval=(max(0.0, mean - half), min(1.0, mean + half)),
    )


def fold_difference(first: FloatArray, second: FloatArray, share: float) -> FoldDifference:
    """By how much the second set-up is better, fold by fold.

    Folds that all differ alike leave nothing to chance: it is 0, or 1 where they do not differ at all.

    Parameters
    ----------
    first, second : ndarray, shape (J,), float64
        Scores of the same folds in the same order.
    share : float
        As of `fold_scores`.

    Raises
    ------
    ShapeError
        There are fewer than two, or not as many of one as of the other.
    """
    if first.shape != second.shape:
        raise ShapeError(f"{len(first)} scores stand beside {len(second)}.", "Give two of each fold.")
    apart = second - first
    mean, error = float(apart.mean()), _error(apart, share)
    half = float(student.ppf((1 + _CONFIDENCE) / 2, len(apart) - 1)) * error
    if error > 0:
        chance = float(2 * student.sf(abs(mean) / error, len(apart) - 1))
    else:
        chance = 0.0 if mean else 1.0
    return FoldDifference(mean=mean, interval=(mean - half, mean + half), chance=chance)
