"""Pooling, batch norm and activations against their slow twins, by hand, and by finite differences."""

import itertools
from collections.abc import Callable

import numpy as np
import pytest

from tests import reference
from tests.tolerances import DOUBLE_SUMS, GRADIENT, SINGLE_SUMS
from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.ops.activations import Activation, activate, activation_gradient
from vast_orchard.core.ops.batch_norm import (
    batch_moments,
    batch_norm,
    batch_norm_backward,
    merge_moments,
)
from vast_orchard.core.ops.pooling import (
    average_pool,
    average_pool_backward,
    global_average_pool,
    global_average_pool_backward,
    max_pool,
    max_pool_backward,
)
from vast_orchard.errors import ShapeError


def _random(*shape: int, seed: int = 0) -> FloatArray:
    return np.random.default_rng([seed, *shape]).standard_normal(shape)


_POOLS = list(itertools.product((1, 2, 3), (0, 1, 2, 3), ("cut", "keep")))


@pytest.mark.parametrize("shape", [(2, 6, 4, 3), (1, 5, 7, 17)])
@pytest.mark.parametrize(("size", "stride", "edge"), _POOLS)
def test_pooling_is_its_twin(shape: tuple[int, ...], size: int, stride: int, edge: str) -> None:
    x = _random(*shape)
    largest, _ = max_pool(x, size, stride=stride, edge=edge)
    np.testing.assert_array_equal(largest, reference.max_pool(x, size, stride, edge))
    mean = average_pool(x, size, stride=stride, edge=edge)
    np.testing.assert_allclose(mean, reference.average_pool(x, size, stride, edge), atol=DOUBLE_SUMS)


@pytest.mark.parametrize(("size", "stride", "edge"), _POOLS)
def test_gradients_of_pooling(size: int, stride: int, edge: str) -> None:
    x = _random(2, 5, 4, 2)
    out, winners = max_pool(x, size, stride=stride, edge=edge)
    towards = _random(*out.shape, seed=1)
    found = max_pool_backward(winners, towards, x.shape, size, stride=stride, edge=edge)
    numeric = reference.numeric_gradient(
        lambda: float((max_pool(x, size, stride=stride, edge=edge)[0] * towards).sum()), x
    )
    np.testing.assert_allclose(found, numeric, atol=GRADIENT)
    found = average_pool_backward(towards, x.shape, size, stride=stride, edge=edge)
    numeric = reference.numeric_gradient(
        lambda: float((average_pool(x, size, stride=stride, edge=edge) * towards).sum()), x
    )
    np.testing.assert_allclose(found, numeric, atol=GRADIENT)


def test_of_equal_maxima_only_the_first_gets_the_gradient() -> None:
    _, winners = max_pool(np.ones((1, 2, 2, 1)))
    gradient = max_pool_backward(winners, np.full((1, 1, 1, 1), 5.0), (1, 2, 2, 1))
    assert gradient[0, :, :, 0].tolist() == [[5.0, 0.0], [0.0, 0.0]]


@pytest.mark.parametrize("place", [0, 1, 2, 3])
def test_a_maximum_does_not_hide_what_is_no_number(place: int) -> None:
    x = np.array([1.0, 2.0, 3.0, 4.0])
    x[place] = np.nan
    assert np.isnan(max_pool(x.reshape(1, 2, 2, 1))[0]).all()


def test_global_average_and_its_gradient() -> None:
    x = _random(3, 4, 5, 18)
    np.testing.assert_allclose(global_average_pool(x), reference.global_average_pool(x), atol=DOUBLE_SUMS)
    towards = _random(3, 18)
    numeric = reference.numeric_gradient(lambda: float((global_average_pool(x) * towards).sum()), x)
    np.testing.assert_allclose(global_average_pool_backward(x.shape, towards), numeric, atol=GRADIENT)


def test_batch_norm_by_hand() -> None:
    # One channel with the values 1, 2, 3, 6: mean 3, variance 3.5.
    x = np.array([1.0, 2.0, 3.0, 6.0]).reshape(2, 2, 1, 1)
    moments = batch_moments(x)
    assert (moments.count, moments.mean[0], moments.variance[0]) == (4, 3.0, 3.5)
    out = batch_norm(x, np.array([2.0]), np.array([10.0]), moments.mean, moments.variance)
    np.testing.assert_allclose(out.ravel(), 10 + 2 * (x.ravel() - 3) / np.sqrt(3.5 + 1e-5), atol=DOUBLE_SUMS)
    rectified = batch_norm(x, np.array([2.0]), np.zeros(1), moments.mean, moments.variance, slope=0.0)
    assert rectified.ravel()[:3].tolist() == [0, 0, 0]


@pytest.mark.parametrize("slope", [1.0, 0.0, 0.2])
@pytest.mark.parametrize("shape", [(3, 2, 2, 3), (2, 3, 1, 17)])
def test_gradients_of_batch_norm(shape: tuple[int, ...], slope: float) -> None:
    x, gamma, beta = _random(*shape), _random(shape[3]) + 2, _random(shape[3])
    towards = _random(*x.shape, seed=1)

    def loss() -> float:
        moments = batch_moments(x)
        return float((batch_norm(x, gamma, beta, moments.mean, moments.variance, slope) * towards).sum())

    found = batch_norm_backward(x, gamma, beta, batch_moments(x), towards, slope)
    for gradient, value in zip(found, (x, gamma, beta), strict=True):
        np.testing.assert_allclose(gradient, reference.numeric_gradient(loss, value), atol=GRADIENT)


def test_moments_keep_their_digits_beside_a_large_mean() -> None:
    x = (1000 + _random(4, 16, 16, 2)).astype(np.float32)
    moments, wanted = batch_moments(x), x.astype(np.float64)
    np.testing.assert_allclose(moments.mean, wanted.mean(axis=(0, 1, 2)), rtol=1e-7)
    np.testing.assert_allclose(moments.variance, wanted.var(axis=(0, 1, 2)), rtol=1e-5)


def test_moments_of_parts_are_those_of_the_whole() -> None:
    parts = [_random(n, 3, seed=n) * n + n for n in (1, 5, 9)]
    pivots = np.stack([part[0] for part in parts] + [np.full(3, 99.0)])
    sums = np.stack(
        [np.stack([(p - p[0]).sum(axis=0), ((p - p[0]) ** 2).sum(axis=0)]) for p in parts] + [np.zeros((2, 3))]
    )
    found = merge_moments(pivots, sums, np.array([1, 5, 9, 0]))
    whole = np.concatenate(parts)
    np.testing.assert_allclose(found.mean, whole.mean(axis=0), atol=DOUBLE_SUMS)
    np.testing.assert_allclose(found.variance, whole.var(axis=0), atol=DOUBLE_SUMS)


_CURVES: dict[Activation, Callable[[FloatArray], FloatArray]] = {
    Activation.LEAKY_RELU: lambda x: np.where(x > 0, x, 0.1 * x),
    Activation.SILU: lambda x: x / (1 + np.exp(-x)),
    Activation.TANH: np.tanh,
    Activation.SIGMOID: lambda x: 1 / (1 + np.exp(-x)),
    Activation.CLIPPED_RELU: lambda x: np.where(x < 0, 0, np.where(x > 0.1, 0.1, x)),
    Activation.HARD_SIGMOID: lambda x: np.interp(x, [-3, 3], [0, 1]),
    Activation.HARD_SWISH: lambda x: x * np.interp(x, [-3, 3], [0, 1]),
}


@pytest.mark.parametrize("kind", Activation)
def test_activations_and_their_gradients(kind: Activation) -> None:
    x, towards = _random(2, 3, 3, 2) * 3, _random(2, 3, 3, 2, seed=1)
    out = np.empty_like(x)

    def loss() -> float:
        activate(kind, x, out, 0.1)
        return float((out * towards).sum())

    loss()
    np.testing.assert_allclose(out, _CURVES[kind](x), atol=DOUBLE_SUMS)
    found = activation_gradient(kind, x, out.copy(), towards, 0.1)
    np.testing.assert_allclose(found, reference.numeric_gradient(loss, x), atol=GRADIENT)


@pytest.mark.parametrize("kind", Activation)
def test_activations_stay_numbers_far_out(kind: Activation) -> None:
    x = np.array([-1e4, -50, 0, 50, 1e4], np.float32)
    out = np.empty_like(x)
    bend = 0.1 if kind == Activation.CLIPPED_RELU else 0
    activate(kind, x, out, bend)
    gradient = activation_gradient(kind, x, out, np.ones_like(x), bend)
    assert np.isfinite(out).all() and np.isfinite(gradient).all()
    with np.errstate(over="ignore"):
        wanted = np.maximum(x, 0) if kind == Activation.LEAKY_RELU else _CURVES[kind](x.astype(np.float64))
    np.testing.assert_allclose(out, wanted, atol=SINGLE_SUMS, rtol=1e-6)


def test_what_does_not_fit_is_named_with_its_mend() -> None:
    with pytest.raises(ShapeError, match="window does not fit"):
        max_pool(_random(1, 1, 1, 1), 2)
    with pytest.raises(ShapeError, match="floating-point"):
        average_pool(np.zeros((1, 4, 4, 1), np.uint8))
    with pytest.raises(ShapeError, match="3 channels and gamma"):
        batch_norm(_random(1, 2, 2, 3), np.ones(2), np.ones(2), np.ones(2), np.ones(2))
