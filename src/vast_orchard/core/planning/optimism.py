"""By how much the best of many trials looks better than it is, because it was chosen by the same pictures."""

from dataclasses import dataclass, replace

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.errors import ShapeError

__all__ = ["Optimism", "optimism_of", "picture_scores", "told_optimism"]

_DRAWS = 1000
_CONFIDENCE = 0.95


@dataclass(frozen=True, kw_only=True)
class Optimism:
    """Of the best of several trials."""

    chosen: int  # its place
    score: float  # as it stands, on all pictures
    corrected: float  # of what is chosen on some pictures, on others
    interval: tuple[float, float]  # of the corrected score, 95 %
    trials: int  # among which it was chosen


def optimism_of(scores: FloatArray, seed: int = 1) -> Optimism:
    """Score of the best trial, and what remains of it on pictures by which it was not chosen.

    Pictures are drawn with replacement; the trial that is best on those drawn is judged on those that were not
    (Tsamardinos, Greasidou & Borboudakis 2018, "Bootstrapping the out-of-sample predictions for efficient and accurate
    cross-validation", algorithm 2). No trial is trained anew.

    Parameters
    ----------
    scores : ndarray, shape (T, N), float64
        Of each trial on each picture; the higher the better, as 1 for right and 0 for wrong.
    seed : int

    Raises
    ------
    ShapeError
        There is no trial, or there are fewer than two pictures.
    """
    if scores.ndim != 2 or not scores.shape[0] or scores.shape[1] < 2:
        raise ShapeError(f"The scores have shape {scores.shape}.", "Give those of some trials on at least 2 pictures.")
    trials, pictures = scores.shape
    random = np.random.default_rng(seed)
    found = []
    for _ in range(_DRAWS):
        drawn = np.bincount(random.integers(0, pictures, pictures), minlength=pictures)
        out = drawn == 0
        if out.any():
            best = int((scores @ drawn).argmax())
            found.append(float(scores[best, out].mean()))
    chosen = int(scores.mean(axis=1).argmax())
    tail = 100 * (1 - _CONFIDENCE) / 2
    low, high = np.percentile(found, [tail, 100 - tail])
    return Optimism(
        chosen=chosen,
        score=float(scores[chosen].mean()),
        corrected=float(np.mean(found)),
        interval=(float(low), float(high)),
        trials=trials,
    )


def picture_scores(figure: str, labels: Array, right: Array, losses: FloatArray) -> FloatArray:
    """Of each picture a score whose mean is what trials are compared by; the higher the better.

    Instead of macro F1, which is no mean over pictures, the mean recall of the classes stands in.

    Parameters
    ----------
    figure : str
        `validation_accuracy`, `validation_macro_f1` or `validation_loss`.
    labels : ndarray, shape (N,), int
    right : ndarray, shape (N,), bool or int
        Whether it was named rightly.
    losses : ndarray, shape (N,), float

    Returns
    -------
    ndarray, shape (N,), float64
    """
    if figure == "validation_loss":
        return -np.asarray(losses, np.float64)
    scores = np.asarray(right, np.float64)
    if figure == "validation_macro_f1":
        classes, place, counts = np.unique(labels, return_inverse=True, return_counts=True)
        scores = scores * len(labels) / (len(classes) * counts[place])
    return scores


def told_optimism(found: Optimism, figure: str) -> Optimism:
    """The same in the figure's own terms: of losses less is better, and what is told is the loss."""
    if figure != "validation_loss":
        return found
    low, high = found.interval
    return replace(found, score=-found.score, corrected=-found.corrected, interval=(-high, -low))
