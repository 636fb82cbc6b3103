"""Loss and dropout: by their twins, by finite differences, and by hand."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import reference
from tests.tolerances import DOUBLE_SUMS, GRADIENT
from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.ops.dropout import dropout_mask
from vast_orchard.core.ops.softmax import soft_targets, softmax, softmax_cross_entropy
from vast_orchard.errors import SettingError, ShapeError


def _random(*shape: int, seed: int = 0) -> FloatArray:
    return np.random.default_rng([seed, *shape]).standard_normal(shape)


def test_softmax_cross_entropy_and_its_gradient() -> None:
    logits = _random(4, 5)
    targets = softmax(_random(4, 5, seed=1))
    losses, gradient = softmax_cross_entropy(logits, targets)
    np.testing.assert_allclose(losses, reference.softmax_cross_entropy(logits, targets), atol=DOUBLE_SUMS)
    numeric = reference.numeric_gradient(lambda: float(softmax_cross_entropy(logits, targets)[0].mean()), logits)
    np.testing.assert_allclose(gradient, numeric, atol=GRADIENT)


def test_huge_logits_stay_numbers() -> None:
    losses, gradient = softmax_cross_entropy(np.array([[1e4, -1e4]]), np.array([[0.0, 1.0]]))
    assert losses[0] == pytest.approx(2e4)
    assert np.isfinite(gradient).all()


@given(rate=st.floats(0, 0.9), seed=st.integers(0, 99))
@settings(max_examples=25)
def test_dropout_keeps_the_mean(rate: float, seed: int) -> None:
    mask = dropout_mask((200, 200), rate, np.random.default_rng(seed), np.dtype(np.float64))
    assert set(np.unique(mask).round(9)) <= {0.0, round(1 / (1 - rate), 9)}
    # Four standard deviations of the mean of 40,000 draws.
    assert mask.mean() == pytest.approx(1, abs=4 * np.sqrt(rate / (1 - rate) / 40_000) + 1e-6)


def test_weighted_rows_move_the_mean_and_its_gradient() -> None:
    logits, targets, weights = _random(4, 3), softmax(_random(4, 3, seed=1)), np.array([1.0, 0.0, 2.0, 5.0])
    rows, gradient = softmax_cross_entropy(logits, targets, weights)

    def mean() -> float:
        return float(np.average(softmax_cross_entropy(logits, targets)[0], weights=weights))

    np.testing.assert_allclose(rows, reference.softmax_cross_entropy(logits, targets), atol=DOUBLE_SUMS)
    np.testing.assert_allclose(gradient, reference.numeric_gradient(mean, logits), atol=GRADIENT)
    assert not gradient[1].any()
    with pytest.raises(ShapeError, match="do not fit 4 rows"):
        softmax_cross_entropy(logits, targets, np.zeros(4))


def test_smoothed_targets_by_hand() -> None:
    made = soft_targets(np.array([2, 0]), 4, 0.2)
    np.testing.assert_allclose(made, [[0.05, 0.05, 0.85, 0.05], [0.85, 0.05, 0.05, 0.05]], rtol=1e-6)
    assert soft_targets(np.array([1]), 3).tolist() == [[0, 1, 0]]


def test_bad_shapes_labels_and_rates_are_refused() -> None:
    with pytest.raises(ShapeError, match="reach from 0 to 3"):
        soft_targets(np.array([0, 3]), 3)
    with pytest.raises(ShapeError, match="Give both the same shape"):
        softmax_cross_entropy(_random(2, 3), _random(3, 2))
    with pytest.raises(SettingError, match="dropout rate is 1"):
        dropout_mask((1,), 1.0, np.random.default_rng(0), np.dtype(np.float32))
