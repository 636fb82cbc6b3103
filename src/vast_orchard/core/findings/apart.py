"""Whether two sets of pictures can be told apart by facts that have nothing to do with their classes."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from scipy.stats import mannwhitneyu

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["Apart", "sets_apart"]

_FOLDS = 5
_STEPS = 25
_RIDGE = 1.0  # of standardised facts, so that few pictures do not tell sets apart by many facts
_FEWEST = 20  # pictures of a set


@dataclass(frozen=True, kw_only=True)
class Apart:
    """How well two sets are told apart out of fold."""

    area: float  # how often a picture of the second looks more like it than one of the first does; 0.5 by chance
    chance: float  # how often chance gives as much
    facts: tuple[tuple[str, float], ...]  # each alone, by its area, the most telling first


def sets_apart(facts: Mapping[str, FloatArray], second: Array) -> Apart | None:
    """The classifier two-sample test (Lopez-Paz & Oquab 2017, "Revisiting classifier two-sample tests").

    A logistic regression of the standardised facts, fitted by reweighted least squares (McCullagh & Nelder 1989) on
    four of five folds, answers about the fifth; the rank sum of its answers (Mann & Whitney 1947) says how seldom
    chance tells the sets apart as well.

    Parameters
    ----------
    facts : mapping of str to ndarray, shape (N,) or (N, D), float
    second : ndarray, shape (N,), bool
        Which pictures are of the second set.

    Returns
    -------
    Apart or None
        None where a set has too few pictures.
    """
    if min(int(second.sum()), int((~second).sum())) < _FEWEST or not facts:
        return None
    columns = {name: _standardised(values) for name, values in facts.items()}
    columns = {name: values for name, values in columns.items() if values.shape[1]}
    if not columns:
        return None
    area, chance = _told_apart(np.concatenate(list(columns.values()), axis=1), second)
    alone = {name: _told_apart(values, second)[0] for name, values in columns.items()}
    return Apart(area=area, chance=chance, facts=tuple(sorted(alone.items(), key=lambda entry: -entry[1])))


def _told_apart(facts: FloatArray, second: Array) -> tuple[float, float]:
    """Area under the curve of hits against false alarms, the rank sum as a share of the most it can be; its chance."""
    answers = _out_of_fold(facts, second)
    told = mannwhitneyu(answers[second], answers[~second], alternative="greater")
    return float(told.statistic / (second.sum() * (~second).sum())), float(told.pvalue)


def _standardised(values: FloatArray) -> FloatArray:
    wide = np.asarray(values, np.float64).reshape(len(values), -1)
    deviation = wide.std(axis=0)
    kept = deviation > 1e-12
    return np.asarray((wide[:, kept] - wide[:, kept].mean(axis=0)) / deviation[kept])


def _out_of_fold(facts: FloatArray, second: Array) -> FloatArray:
    fold = np.random.default_rng([1, len(second)]).permutation(len(second)) % _FOLDS
    wide = np.concatenate([np.ones((len(facts), 1)), facts], axis=1)
    answers = np.empty(len(second))
    for held in range(_FOLDS):
        rest = fold != held
        answers[~rest] = wide[~rest] @ _fitted(wide[rest], second[rest].astype(np.float64))
    return answers


def _fitted(facts: FloatArray, wanted: FloatArray) -> FloatArray:
    weights = np.zeros(facts.shape[1])
    ridge = _RIDGE * np.eye(facts.shape[1])
    ridge[0, 0] = 0.0
    for _ in range(_STEPS):
        p = 1 / (1 + np.exp(-np.clip(facts @ weights, -30, 30)))
        slope = facts.T @ (wanted - p) - ridge @ weights
        bend = (facts * (p * (1 - p))[:, None]).T @ facts + ridge
        step = np.linalg.solve(bend + 1e-9 * np.eye(len(weights)), slope)
        weights = weights + step
        if np.abs(step).max() < 1e-8:
            break
    return np.asarray(weights)
