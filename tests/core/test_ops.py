"""Every operation against its slow twin, and every gradient against finite differences."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import reference
from tests.tolerances import DOUBLE_SUMS, GRADIENT
from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.ops.batch_norm import batch_norm_backward, batch_norm_inference, batch_norm_train
from vast_orchard.core.ops.conv2d import conv2d, conv2d_backward
from vast_orchard.core.ops.dropout import dropout_mask
from vast_orchard.core.ops.pooling import (
    global_average_pool,
    global_average_pool_backward,
    max_pool,
    max_pool_backward,
)
from vast_orchard.core.ops.softmax import softmax, softmax_cross_entropy
from vast_orchard.errors import SettingError, ShapeError


def _random(*shape: int, seed: int = 0) -> FloatArray:
    return np.random.default_rng([seed, *shape]).standard_normal(shape)


@pytest.mark.parametrize("padding", ["same", "valid"])
@pytest.mark.parametrize("kernel", [(1, 1), (2, 2), (3, 3), (3, 2), (4, 4), (5, 5)])
@pytest.mark.parametrize("shape", [(1, 5, 5, 1), (2, 7, 6, 3), (3, 9, 5, 2)])
def test_convolution_is_its_twin(shape: tuple[int, ...], kernel: tuple[int, int], padding: str) -> None:
    x, weights = _random(*shape), _random(*kernel, shape[3], 4)
    np.testing.assert_allclose(
        conv2d(x, weights, padding), reference.conv2d(x, weights, padding), rtol=DOUBLE_SUMS, atol=DOUBLE_SUMS
    )


def test_convolution_in_parts_is_the_same_as_whole() -> None:
    # More pictures than fit into one chunk of patches, so that the loop over chunks runs several times.
    x, weights = _random(40, 24, 24, 8), _random(3, 3, 8, 5)
    whole = conv2d(x, weights)
    single = np.concatenate([conv2d(x[n : n + 1], weights) for n in range(len(x))])
    np.testing.assert_allclose(whole, single, rtol=DOUBLE_SUMS, atol=DOUBLE_SUMS)


@pytest.mark.parametrize("padding", ["same", "valid"])
@pytest.mark.parametrize("kernel", [(1, 1), (2, 2), (3, 3), (2, 3)])
def test_gradients_of_convolution(kernel: tuple[int, int], padding: str) -> None:
    x, weights = _random(2, 5, 4, 2), _random(*kernel, 2, 3)
    towards = _random(*conv2d(x, weights, padding).shape, seed=1)

    def loss() -> float:
        return float((conv2d(x, weights, padding) * towards).sum())

    x_gradient, weight_gradient = conv2d_backward(x, weights, towards, padding)
    assert x_gradient is not None
    np.testing.assert_allclose(x_gradient, reference.numeric_gradient(loss, x), atol=GRADIENT)
    np.testing.assert_allclose(weight_gradient, reference.numeric_gradient(loss, weights), atol=GRADIENT)


def test_the_first_layer_needs_no_input_gradient() -> None:
    x, weights = _random(2, 5, 5, 1), _random(3, 3, 1, 2)
    towards = _random(2, 5, 5, 2)
    nothing, weight_gradient = conv2d_backward(x, weights, towards, input_gradient=False)
    assert nothing is None
    np.testing.assert_array_equal(weight_gradient, conv2d_backward(x, weights, towards)[1])


@pytest.mark.parametrize(
    ("size", "shape"), [(2, (2, 6, 4, 3)), (2, (1, 5, 7, 2)), (3, (2, 7, 9, 1)), (1, (1, 3, 3, 2))]
)
def test_max_pooling_and_its_gradient(size: int, shape: tuple[int, ...]) -> None:
    x = _random(*shape)
    out = max_pool(x, size)
    np.testing.assert_array_equal(out, reference.max_pool(x, size))
    towards = _random(*out.shape, seed=1)
    gradient = max_pool_backward(x, out, towards, size)
    numeric = reference.numeric_gradient(lambda: float((max_pool(x, size) * towards).sum()), x)
    np.testing.assert_allclose(gradient, numeric, atol=GRADIENT)


def test_of_equal_maxima_only_the_first_gets_the_gradient() -> None:
    x = np.ones((1, 2, 2, 1))
    gradient = max_pool_backward(x, max_pool(x), np.full((1, 1, 1, 1), 5.0))
    assert gradient[0, :, :, 0].tolist() == [[5.0, 0.0], [0.0, 0.0]]


def test_global_average_and_its_gradient() -> None:
    x = _random(3, 4, 5, 2)
    np.testing.assert_allclose(global_average_pool(x), reference.global_average_pool(x), atol=DOUBLE_SUMS)
    towards = _random(3, 2)
    numeric = reference.numeric_gradient(lambda: float((global_average_pool(x) * towards).sum()), x)
    np.testing.assert_allclose(global_average_pool_backward(x.shape, towards), numeric, atol=GRADIENT)


def test_batch_norm_by_hand() -> None:
    # One channel with the values 1, 2, 3, 6: mean 3, variance 3.5.
    x = np.array([1.0, 2.0, 3.0, 6.0]).reshape(4, 1)
    out, saved = batch_norm_train(x, np.array([2.0]), np.array([10.0]))
    assert saved.mean[0] == 3.0
    assert saved.variance[0] == 3.5
    np.testing.assert_allclose(out[:, 0], 10 + 2 * (x[:, 0] - 3) / np.sqrt(3.5 + 1e-5), atol=DOUBLE_SUMS)


def test_gradients_of_batch_norm() -> None:
    x, gamma, beta = _random(3, 2, 2, 3), _random(3) + 2, _random(3)
    towards = _random(*x.shape, seed=1)

    def loss() -> float:
        return float((batch_norm_train(x, gamma, beta)[0] * towards).sum())

    found = batch_norm_backward(batch_norm_train(x, gamma, beta)[1], towards)
    for gradient, value in zip(found, (x, gamma, beta), strict=True):
        np.testing.assert_allclose(gradient, reference.numeric_gradient(loss, value), atol=GRADIENT)


def test_batch_norm_at_inference_uses_what_it_is_given() -> None:
    x = _random(4, 3)
    out = batch_norm_inference(x, np.ones(3), np.zeros(3), np.array([1.0, 2.0, 3.0]), np.full(3, 4.0))
    np.testing.assert_allclose(out, (x - [1, 2, 3]) / np.sqrt(4 + 1e-5), atol=DOUBLE_SUMS)


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
@settings(max_examples=25, deadline=None)
def test_dropout_keeps_the_mean(rate: float, seed: int) -> None:
    mask = dropout_mask((200, 200), rate, np.random.default_rng(seed), np.dtype(np.float64))
    assert set(np.unique(mask).round(9)) <= {0.0, round(1 / (1 - rate), 9)}
    # Four standard deviations of the mean of 40,000 draws.
    assert mask.mean() == pytest.approx(1, abs=4 * np.sqrt(rate / (1 - rate) / 40_000) + 1e-6)


def test_wrong_shapes_are_named_with_their_mend() -> None:
    with pytest.raises(ShapeError, match="3 channels and the filters expect 2"):
        conv2d(_random(1, 4, 4, 3), _random(3, 3, 2, 1))
    with pytest.raises(ShapeError, match="does not fit"):
        conv2d(_random(1, 2, 2, 1), _random(3, 3, 1, 1), "valid")
    with pytest.raises(ShapeError, match="padding is 'wide'"):
        conv2d(_random(1, 4, 4, 1), _random(3, 3, 1, 1), "wide")
    with pytest.raises(ShapeError, match="is empty"):
        conv2d(np.zeros((0, 4, 4, 1)), _random(3, 3, 1, 1))
    with pytest.raises(ShapeError, match="floating-point"):
        conv2d(np.zeros((1, 4, 4, 1), np.uint8), _random(3, 3, 1, 1))
    with pytest.raises(ShapeError, match="window does not fit"):
        max_pool(_random(1, 1, 1, 1), 2)
    with pytest.raises(SettingError, match="dropout rate is 1"):
        dropout_mask((1,), 1.0, np.random.default_rng(0), np.dtype(np.float32))
