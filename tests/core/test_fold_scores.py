"""Means over folds: figures by hand, and intervals that hold the truth where training sets overlap."""

import numpy as np
import pytest

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.fold_scores import fold_difference, fold_scores
from vast_orchard.core.sets.grouped import stratified_folds
from vast_orchard.errors import ShapeError


def test_the_interval_is_the_one_worked_out_by_hand() -> None:
    # The mean is 0.8, the variance 0.04 / 3; 97.5 % of Student's t with 3 degrees of freedom is 3.1824463.
    told = fold_scores(np.array([0.7, 0.7, 0.9, 0.9]), 1 / 3)
    assert told.mean == pytest.approx(0.8)
    assert told.deviation == pytest.approx(np.sqrt(0.04 / 3))
    half = 3.1824463 * np.sqrt((1 / 4 + 1 / 3) * 0.04 / 3)
    assert told.interval == pytest.approx((0.8 - half, 1.0), abs=1e-6)
    assert half > 0.2  # what lies above 1 is cut off


def test_a_difference_is_told_with_its_chance() -> None:
    first = np.array([0.6, 0.7, 0.8, 0.7, 0.6])
    none = fold_difference(first, first, 0.25)
    assert (none.mean, none.interval, none.chance) == (0.0, (0.0, 0.0), 1.0)
    # The differences have the variance 0.00005; t is 0.1 / sqrt(0.45 · 0.00005) = 21.08 with 4 degrees.
    better = fold_difference(first, first + np.array([0.1, 0.11, 0.09, 0.1, 0.1]), 0.25)
    assert better.mean == pytest.approx(0.1)
    assert better.interval == pytest.approx((0.1 - 2.7764451 * 0.0047434, 0.1 + 2.7764451 * 0.0047434), abs=1e-6)
    assert 1e-5 < better.chance < 1e-4
    with pytest.raises(ShapeError):
        fold_difference(first, first[:3], 0.25)
    with pytest.raises(ShapeError):
        fold_scores(first[:1], 0.25)


def _said(pictures: FloatArray, means: FloatArray) -> Array:
    return np.asarray(((pictures[:, None] - means) ** 2).sum(axis=2).argmin(axis=1))


def _means(pictures: FloatArray, labels: Array) -> FloatArray:
    return np.stack([pictures[labels == k].mean(axis=0) for k in (0, 1)])


def test_the_interval_holds_the_truth_where_a_plain_one_does_not() -> None:
    """A simulation: what folds say of a classifier by nearest mean against how good it is on endless fresh data."""
    draws = np.random.default_rng(11)
    count, sides, repeats = 60, 20, 4
    centres = np.zeros((2, sides))
    centres[1, 0] = 0.9
    labels, fresh_labels = np.arange(count) % 2, np.arange(20_000) % 2
    names = [str(label) for label in labels]
    fresh = draws.normal(size=(20_000, sides)) + centres[fresh_labels]
    truths, told, plain = [], [], []
    for _ in range(200):
        pictures = draws.normal(size=(count, sides)) + centres[labels]
        identities = [f"{number:x}" for number in draws.integers(2**62, size=count)]
        scores = []
        for repeat in range(repeats):
            folds = np.array(stratified_folds(identities, names, [None] * count, 5, repeat))
            for fold in range(5):
                inside = folds == fold
                means = _means(pictures[~inside], labels[~inside])
                scores.append(float((_said(pictures[inside], means) == labels[inside]).mean()))
        told.append(fold_scores(np.array(scores), 1 / 4).interval)
        plain.append(fold_scores(np.array(scores), 0.0).interval)
        learnt = count * 4 // 5
        truths.append(float((_said(fresh, _means(pictures[:learnt], labels[:learnt])) == fresh_labels).mean()))
    truth = np.mean(truths)

    def coverage(intervals: list[tuple[float, float]]) -> float:
        return float(np.mean([low <= truth <= high for low, high in intervals]))

    assert coverage(told) >= 0.9
    assert coverage(plain) < 0.8
