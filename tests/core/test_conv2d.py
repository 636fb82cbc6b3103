"""Convolution against its slow twin over a grid of shapes, and its gradients against finite differences."""

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import reference
from tests.tolerances import DOUBLE_SUMS, GRADIENT, MINIMAL_SUMS, SINGLE_SUMS
from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.ops.conv2d import conv2d, conv2d_backward
from vast_orchard.core.ops.window import Window
from vast_orchard.errors import ShapeError


def _random(*shape: int, seed: int = 0) -> FloatArray:
    return np.random.default_rng([seed, *shape]).standard_normal(shape)


# Channels and filters of one and of many, below, at and above whole vectors; plain, grouped, depthwise, multiplied.
_WIDTHS = [(1, 3, 5), (1, 16, 16), (1, 2, 50), (2, 4, 6), (4, 4, 4), (17, 17, 17), (3, 3, 6)]


@pytest.mark.parametrize(("groups", "channels", "filters"), _WIDTHS)
@pytest.mark.parametrize("kernel", [(1, 1), (2, 3), (3, 3), (7, 7)])
def test_convolution_is_its_twin(groups: int, channels: int, filters: int, kernel: tuple[int, int]) -> None:
    x, weights = _random(2, 8, 7, channels), _random(*kernel, channels // groups, filters)
    for edge, stride, dilation in itertools.product(("keep", "cut"), (1, 2, 4), (1, 2)):
        if edge == "cut" and (max(kernel) - 1) * dilation + 1 > 7:
            continue
        found = conv2d(x, weights, edge, stride=stride, dilation=dilation, groups=groups)
        wanted = reference.conv2d(x, weights, edge, stride, dilation, groups)
        np.testing.assert_allclose(
            found, wanted, rtol=DOUBLE_SUMS, atol=DOUBLE_SUMS, err_msg=f"{edge} {stride} {dilation}"
        )


@given(
    side=st.tuples(st.integers(1, 12), st.integers(1, 12)),
    kernel=st.integers(1, 7),
    stride=st.integers(1, 4),
    dilation=st.integers(1, 3),
    edge=st.sampled_from(["keep", "cut"]),
    width=st.sampled_from(_WIDTHS),
)
@settings(max_examples=120)
def test_gradients_are_those_of_a_linear_map(
    side: tuple[int, int], kernel: int, stride: int, dilation: int, edge: str, width: tuple[int, int, int]
) -> None:
    # Convolution is linear in x and in the filters, so ⟨g, conv(dx)⟩ = ⟨gradient, dx⟩ for every direction dx.
    groups, channels, filters = width
    if min(Window(size=kernel, dilation=dilation, edge=edge).count(n) for n in side) < 1:
        return
    x, weights = _random(2, *side, channels), _random(kernel, kernel, channels // groups, filters)

    def run(values: FloatArray, by: FloatArray) -> FloatArray:
        return conv2d(values, by, edge, stride=stride, dilation=dilation, groups=groups)

    towards = _random(*run(x, weights).shape, seed=1)
    x_gradient, weight_gradient = conv2d_backward(
        x, weights, towards, edge, stride=stride, dilation=dilation, groups=groups
    )
    assert x_gradient is not None
    for gradient, direction, moved in (
        (x_gradient, (dx := _random(*x.shape, seed=2)), run(dx, weights)),
        (weight_gradient, (dw := _random(*weights.shape, seed=3)), run(x, dw)),
    ):
        assert (gradient * direction).sum() == pytest.approx((towards * moved).sum(), rel=1e-9, abs=1e-9)


# Enough channels for minimal filtering, sizes that are even and odd, tiles that do not fill their room.
@pytest.mark.parametrize(("channels", "filters"), [(32, 32), (40, 33), (33, 50)])
@pytest.mark.parametrize(("side", "edge"), [((6, 4), "keep"), ((6, 8), "cut"), ((5, 4), "keep"), ((4, 7), "cut")])
def test_minimal_filtering_is_its_twin(side: tuple[int, int], edge: str, channels: int, filters: int) -> None:
    x, weights, bias = _random(1, *side, channels), _random(3, 3, channels, filters), _random(filters)
    found = conv2d(x, weights, edge, bias=bias)
    np.testing.assert_allclose(found, reference.conv2d(x, weights, edge) + bias, rtol=DOUBLE_SUMS, atol=1e-9)


@pytest.mark.parametrize(("channels", "filters", "images"), [(32, 32, 3), (40, 33, 1), (33, 50, 2), (64, 64, 9)])
@pytest.mark.parametrize("edge", ["keep", "cut"])
def test_gradients_of_minimal_filtering(channels: int, filters: int, images: int, edge: str) -> None:
    x, weights = _random(images, 12, 10, channels), _random(3, 3, channels, filters)
    towards = _random(*conv2d(x, weights, edge).shape, seed=1)
    x_gradient, weight_gradient = conv2d_backward(x, weights, towards, edge)
    assert x_gradient is not None
    dx, dw = _random(*x.shape, seed=2), _random(*weights.shape, seed=3)
    # An odd width of the same numbers goes the direct way; its output agrees where both are defined.
    direct = conv2d(np.pad(dx, ((0, 0), (0, 1), (0, 1), (0, 0))), weights, edge)[
        :, : towards.shape[1], : towards.shape[2]
    ]
    inner = (slice(None), slice(0, -1), slice(0, -1)) if edge == "keep" else (slice(None),)
    np.testing.assert_allclose(conv2d(dx, weights, edge)[inner], direct[inner], atol=1e-9)
    assert (x_gradient * dx).sum() == pytest.approx((towards * conv2d(dx, weights, edge)).sum(), rel=1e-9)
    assert (weight_gradient * dw).sum() == pytest.approx((towards * conv2d(x, dw, edge)).sum(), rel=1e-9)


def test_minimal_filtering_keeps_the_digits_of_single_precision() -> None:
    x, weights = _random(2, 24, 24, 128), _random(3, 3, 128, 64) / np.sqrt(1152)
    found, wanted = conv2d(x.astype(np.float32), weights.astype(np.float32)), conv2d(x, weights)
    np.testing.assert_allclose(found, wanted, atol=MINIMAL_SUMS)


@pytest.mark.parametrize(
    ("edge", "stride", "dilation", "groups"),
    [
        ("keep", 1, 1, 1), ("cut", 1, 1, 1), ("keep", 2, 1, 1),
        ("keep", 3, 2, 1), ("cut", 2, 1, 2), ("keep", 1, 1, 2),
    ],
)  # fmt: skip
def test_gradients_by_finite_differences(edge: str, stride: int, dilation: int, groups: int) -> None:
    x, weights = _random(2, 6, 5, 2), _random(3, 3, 2 // groups, 4)

    def run() -> FloatArray:
        return conv2d(x, weights, edge, stride=stride, dilation=dilation, groups=groups)

    towards = _random(*run().shape, seed=1)

    def loss() -> float:
        return float((run() * towards).sum())

    x_gradient, weight_gradient = conv2d_backward(
        x, weights, towards, edge, stride=stride, dilation=dilation, groups=groups
    )
    assert x_gradient is not None
    np.testing.assert_allclose(x_gradient, reference.numeric_gradient(loss, x), atol=GRADIENT)
    np.testing.assert_allclose(weight_gradient, reference.numeric_gradient(loss, weights), atol=GRADIENT)


def test_single_precision_is_as_good_as_its_digits() -> None:
    x, weights = _random(2, 9, 9, 20), _random(3, 3, 20, 40) / np.sqrt(180)
    found = conv2d(x.astype(np.float32), weights.astype(np.float32))
    assert found.dtype == np.float32
    np.testing.assert_allclose(found, conv2d(x, weights), atol=SINGLE_SUMS)


def test_an_image_does_not_depend_on_its_batch() -> None:
    x, weights = _random(9, 5, 5, 3).astype(np.float32), _random(3, 3, 3, 8).astype(np.float32)
    whole = conv2d(x, weights)
    for n in range(len(x)):
        np.testing.assert_array_equal(conv2d(x[n : n + 1], weights)[0], whole[n])


def test_the_first_layer_needs_no_input_gradient() -> None:
    x, weights, towards = _random(2, 5, 5, 1), _random(3, 3, 1, 2), _random(2, 5, 5, 2)
    nothing, weight_gradient = conv2d_backward(x, weights, towards, input_gradient=False)
    assert nothing is None
    np.testing.assert_array_equal(weight_gradient, conv2d_backward(x, weights, towards)[1])


def test_pixels_between_windows_have_no_gradient() -> None:
    # A 1×1 kernel at stride 3 sees every third pixel only.
    gradient, _ = conv2d_backward(np.ones((1, 7, 7, 1)), np.ones((1, 1, 1, 1)), np.ones((1, 3, 3, 1)), stride=3)
    assert gradient is not None
    seen = np.zeros((7, 7))
    seen[::3, ::3] = 1
    np.testing.assert_array_equal(gradient[0, :, :, 0], seen)


def test_infinity_and_not_a_number_are_not_hidden() -> None:
    x = np.zeros((1, 3, 3, 1), np.float32)
    x[0, 1, 1] = np.nan
    assert np.isnan(conv2d(x, np.ones((1, 1, 1, 1), np.float32))[0, 1, 1, 0])


@pytest.mark.parametrize(
    ("x", "weights", "more", "words"),
    [
        ((1, 4, 4, 3), (3, 3, 2, 1), {}, "3 channels and the filters expect 2"),
        ((1, 2, 2, 1), (3, 3, 1, 1), {"edge": "cut"}, "does not fit"),
        ((1, 4, 4, 1), (3, 3, 1, 1), {"edge": "wide"}, "edge is 'wide'"),
        ((0, 4, 4, 1), (3, 3, 1, 1), {}, "is empty"),
        ((1, 4, 4, 3), (3, 3, 1, 4), {"groups": 3}, "cannot be divided into 3 groups"),
        ((1, 4, 4, 1), (3, 3, 1, 1), {"stride": 0}, "stride 0"),
        ((4, 4, 1), (3, 3, 1, 1), {}, r"not \(N, H, W, C\)"),
    ],
)
def test_wrong_shapes_are_named_with_their_mend(
    x: tuple[int, ...], weights: tuple[int, ...], more: dict[str, object], words: str
) -> None:
    with pytest.raises(ShapeError, match=words):
        conv2d(_random(*x), _random(*weights), **more)  # type: ignore[arg-type]


def test_wrong_types_are_named_with_their_mend() -> None:
    with pytest.raises(ShapeError, match="floating-point"):
        conv2d(np.zeros((1, 4, 4, 1), np.uint8), _random(3, 3, 1, 1))
    with pytest.raises(ShapeError, match="float64 and the filters float32"):
        conv2d(_random(1, 4, 4, 1), _random(3, 3, 1, 1).astype(np.float32))
