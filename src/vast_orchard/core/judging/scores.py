"""Accuracy, loss, precision, recall, F1 and the confusion matrix, always with their counts."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.intervals import wilson_interval
from vast_orchard.errors import ShapeError

__all__ = [
    "LEAST_PROBABILITY",
    "ClassScores",
    "Judgement",
    "judge",
    "judged_matrix",
    "macro_f1",
    "picture_losses",
    "recalls",
]

# The smallest probability counted in a loss: float32 rounds what is surely wrong to 0, whose loss is infinite.
LEAST_PROBABILITY = 1e-12


@dataclass(frozen=True, kw_only=True)
class ClassScores:
    """One class; a score is None where its denominator is zero, which is not the same as a score of zero."""

    precision: float | None  # right / predicted as this class
    recall: float | None  # right / truly of this class
    f1: float | None  # harmonic mean of both; None if the class neither occurs nor is predicted
    count: int  # truly of this class
    predicted: int
    right: int


@dataclass(frozen=True, kw_only=True)
class Judgement:
    """What a model did on one set."""

    count: int
    right: int
    accuracy: float
    accuracy_interval: tuple[float, float]  # Wilson, 95 %
    loss: float  # mean cross-entropy, nats
    largest_class_share: float  # the accuracy of always naming the most frequent class
    macro_precision: float  # means over the classes that occur
    macro_recall: float
    macro_f1: float
    classes: tuple[ClassScores, ...]
    confusion: tuple[tuple[int, ...], ...]  # rows true, columns predicted


def _ratio(part: int, whole: int) -> float | None:
    return part / whole if whole else None


def picture_losses(probabilities: FloatArray, labels: Array) -> FloatArray:
    """Cross-entropy of each picture in nats: (N,), float64, for probabilities of shape (N, K) and labels (N,)."""
    true = probabilities[np.arange(len(labels)), labels].astype(np.float64)
    return -np.log(np.maximum(true, LEAST_PROBABILITY))


def judge(probabilities: FloatArray, labels: Array) -> Judgement:
    """Score predictions against labels, as `judged_matrix`.

    Parameters
    ----------
    probabilities : ndarray, shape (N, K)
    labels : ndarray, shape (N,), int

    Raises
    ------
    ShapeError
        Nothing to judge, or shapes that do not fit.
    """
    if probabilities.ndim != 2 or labels.shape != probabilities.shape[:1] or not len(labels):
        raise ShapeError(
            f"Probabilities have shape {probabilities.shape} and labels {labels.shape}.",
            "Give (N, K) and (N,), with at least one picture.",
        )
    classes = probabilities.shape[1]
    predicted = probabilities.argmax(axis=1)
    confusion = np.zeros((classes, classes), np.int64)
    np.add.at(confusion, (labels, predicted), 1)
    return judged_matrix(confusion, float(picture_losses(probabilities, labels).mean()))


def judged_matrix(confusion: Array, loss: float) -> Judgement:
    """The scores that follow from the matrix alone, and the loss as it is.

    A class that occurs but is never predicted has no precision; in the macro means it counts as 0, so that leaving
    out a hard class cannot raise them. Classes that do not occur are left out of the means.

    Parameters
    ----------
    confusion : ndarray, shape (K, K), int64
        Counts of at least one picture; rows true, columns predicted.
    loss : float
        Mean cross-entropy, nats.
    """
    scores = _all_scores(confusion)
    present = [entry for entry in scores if entry.count]
    count, right = int(confusion.sum()), int(np.trace(confusion))
    return Judgement(
        count=count,
        right=right,
        accuracy=right / count,
        accuracy_interval=wilson_interval(right, count),
        loss=loss,
        largest_class_share=max(entry.count for entry in scores) / count,
        macro_precision=float(np.mean([entry.precision or 0.0 for entry in present])),
        macro_recall=float(np.mean([entry.recall or 0.0 for entry in present])),
        macro_f1=macro_f1(confusion),
        classes=scores,
        confusion=tuple(tuple(int(n) for n in row) for row in confusion),
    )


def macro_f1(confusion: Array) -> float:
    """Mean F1 over the classes that occur.

    Parameters
    ----------
    confusion : ndarray, shape (K, K), int64
        Counts; rows true, columns predicted.
    """
    return float(np.mean([entry.f1 or 0.0 for entry in _all_scores(confusion) if entry.count]))


def recalls(confusion: Array) -> tuple[float | None, ...]:
    """Share of each class's pictures that were named rightly; None of a class that does not occur.

    Parameters
    ----------
    confusion : ndarray, shape (K, K), int64
        Counts; rows true, columns predicted.
    """
    return tuple(entry.recall if entry.count else None for entry in _all_scores(confusion))


def _all_scores(confusion: Array) -> tuple[ClassScores, ...]:
    return tuple(_class_scores(confusion, place) for place in range(len(confusion)))


def _class_scores(confusion: Array, place: int) -> ClassScores:
    right = int(confusion[place, place])
    count, predicted = int(confusion[place].sum()), int(confusion[:, place].sum())
    return ClassScores(
        precision=_ratio(right, predicted),
        recall=_ratio(right, count),
        f1=_ratio(2 * right, count + predicted),
        count=count,
        predicted=predicted,
        right=right,
    )
