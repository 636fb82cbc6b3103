"""Numbers of 8 bits: by hand, and within half a step of what they stand for over any numbers."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.eight_bit import LARGEST_WEIGHT, eight_bit_weights, value_range, value_ranges
from vast_orchard.core.network.network import Network
from vast_orchard.core.pictures.standardise import ChannelStatistics

_NUMBERS = st.floats(-1e3, 1e3, width=32)


def test_each_channel_has_its_own_step() -> None:
    weights = np.array([[1.0, 0.064], [-0.5, 0.032], [0.25, -0.001]], np.float32)
    small = eight_bit_weights(weights)
    assert small.values.tolist() == [[64, 64], [-32, 32], [16, -1]]
    np.testing.assert_allclose(small.steps, [1 / 64, 0.001], rtol=1e-6)


@given(arrays.arrays(np.float32, st.tuples(st.integers(1, 5), st.integers(1, 4)), elements=_NUMBERS))
def test_weights_are_met_within_half_a_step_and_stay_in_bounds(weights: np.ndarray) -> None:
    small = eight_bit_weights(weights)
    assert np.abs(small.values.astype(int)).max() <= LARGEST_WEIGHT
    away = np.abs(small.values * small.steps.astype(np.float64) - weights)
    assert (away <= 0.5001 * small.steps + 1e-12).all()


@given(_NUMBERS, _NUMBERS)
def test_values_are_met_within_a_step_and_nothing_is_nothing(one: float, other: float) -> None:
    by = value_range(min(one, other), max(one, other))
    assert 0 <= by.zero <= 255
    for value in (one, other, 0.0):
        whole = np.clip(np.rint(value / by.step) + by.zero, 0, 255)
        assert abs((whole - by.zero) * by.step - value) <= 1.001 * by.step + 1e-9
    assert (by.zero - by.zero) * by.step == 0


def test_ranges_are_those_of_what_layers_give() -> None:
    description = NetworkDescription(
        name="sum",
        input_shape=(8, 8, 3),
        layers=(d.Conv(channels=2, kernel=1), d.ReLU(), d.GlobalAveragePool(), d.Dense(outputs=2)),
    )
    network = Network(description, 1)
    weights = network.state()
    weights["conv_1.weights"] = np.array([[[[1.0, -1.0]] * 3]], np.float32).reshape(1, 1, 3, 2)
    weights["conv_1.bias"] = np.zeros(2, np.float32)
    network.load(weights)
    pixels = np.zeros((5, 8, 8, 3), np.uint8)
    pixels[2:, 0, 0] = 255
    # From 0 to 1: the first channel sums to 0 or 3, the second is never above 0.
    ranges = value_ranges(network, pixels, ChannelStatistics(mean=(0.0,) * 3, deviation=(255.0,) * 3))
    assert ranges[0].zero == 0
    assert abs(ranges[0].step - 1 / 255) < 1e-9
    assert abs(ranges[2].step - 3 / 255) < 1e-6
    assert ranges[2].zero == 0
