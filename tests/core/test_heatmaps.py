"""Heatmaps: gradients against finite differences of an independent forward pass, and maps worked out by hand."""

import numpy as np
import pytest

from tests.tolerances import GRADIENT
from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.heatmaps import covered, covering_heatmap, gradient_heatmap, hottest, upscaled
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.blocks import ConvBlock, ResidualBlock
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.network.sensitivity import mapped_layers, proposed_layer, sensitivity
from vast_orchard.errors import InputError


def _network(layers: tuple[object, ...]) -> Network:
    description = NetworkDescription(name="", input_shape=(9, 8, 3), layers=layers)  # type: ignore[arg-type]
    network = Network(resolved(description, (9, 8, 3), 3), 5, np.float64)
    rng = np.random.default_rng(2)
    for name, value in network.held().items():
        value += 0.1 * rng.standard_normal(value.shape) if "variance" not in name else rng.uniform(0, 1, value.shape)
    return network


_TAIL = (d.GlobalAveragePool(), d.Dense())
_BEFORE: dict[str, tuple[object, ...]] = {
    "relu_1": (
        d.Conv(channels=4),
        d.ReLU(),
        d.Dropout(share=0.5),
        d.Conv(channels=5),
        d.Tanh(),
        d.Flatten(),
        d.Dense(),
    ),
    "conv_block_1_act_1": (ConvBlock(channels=4), ResidualBlock(channels=6), *_TAIL),
    "leaky_relu_1": (d.Conv(channels=4), d.BatchNorm(), d.LeakyReLU(), d.MaxPool(), d.ChannelDropout(), *_TAIL),
    "sigmoid_1": (d.Conv(channels=4), d.Sigmoid(), d.GlobalAveragePool(), d.Dense(outputs=6), d.ReLU(), d.Dense()),
}


@pytest.mark.parametrize("layer", sorted(_BEFORE))
def test_gradients_are_those_of_finite_differences(layer: str) -> None:
    network = _network(_BEFORE[layer])
    place = network.names.index(layer) + 1
    x = np.random.default_rng(3).normal(size=(1, 9, 8, 3))
    found = sensitivity(network, x, 1, layer)
    # As the network answers: no dropout, running statistics.
    assert found.logits == pytest.approx(FrozenNetwork(network).logits(x)[0], abs=1e-9)
    values = FrozenNetwork(network, until=place).values(x)
    assert found.values == pytest.approx(values[0], abs=1e-9)
    rest, step = FrozenNetwork(network, after=place), 1e-5
    for at in [tuple(place) for place in np.random.default_rng(4).integers(0, values.shape[1:], (12, 3))]:
        ends = []
        for sign in (1, -1):
            moved = values.copy()
            moved[(0, *at)] += sign * step
            ends.append(rest.logits(moved)[0, 1])
        assert found.gradient[at] == pytest.approx((ends[0] - ends[1]) / (2 * step), abs=GRADIENT)


@pytest.mark.parametrize("name", sorted(READY_NETWORKS))
def test_every_ready_network_has_maps_that_tell_places_apart(name: str) -> None:
    network = Network(resolved(ready_network(name), (48, 48, 3), 4), 1)
    maps = mapped_layers(network)
    assert proposed_layer(network) in maps
    x = np.random.default_rng(1).normal(size=(1, 48, 48, 3)).astype(np.float32)
    for layer in {maps[0], maps[-1], proposed_layer(network)}:
        heat = gradient_heatmap(network, x, 2, layer)
        assert heat.ndim == 2 and np.isfinite(heat).all()
        assert heat.max() == pytest.approx(1) or heat.max() == 0
    assert min(gradient_heatmap(network, x, 2, proposed_layer(network)).shape) >= 5


def test_what_cannot_be_asked_says_why() -> None:
    network = _network((d.Conv(channels=4), d.GlobalAveragePool(), d.Dense()))
    x = np.zeros((1, 9, 8, 3))
    with pytest.raises(InputError, match="no class 3"):
        sensitivity(network, x, 3, "conv_1")
    with pytest.raises(InputError, match="'global_average_pool_1' gives no feature maps"):
        sensitivity(network, x, 0, "global_average_pool_1")
    flat = _network((d.Flatten(), d.Dense()))
    assert mapped_layers(flat) == ()
    with pytest.raises(InputError, match="no feature maps"):
        proposed_layer(flat)


def test_a_map_by_hand() -> None:
    """A class that is the mean of red: only where there is red it is hot, and in proportion."""
    network = _network((d.Conv(channels=3, kernel=1, bias=False), d.GlobalAveragePool(), d.Dense(bias=False)))
    state = network.state()
    state["conv_1.weights"] = np.eye(3)[None, None]
    state["dense_1.weights"] = np.diag([5.0, 1.0, -2.0])
    network.load({name: value.reshape(network.held()[name].shape) for name, value in state.items()})
    x = np.zeros((1, 9, 8, 3))
    x[0, 2, 3, 0], x[0, 7, 1, 0], x[0, 5, 5, 1] = 4, 1, 9
    wanted = np.zeros((9, 8))
    wanted[2, 3], wanted[7, 1] = 1, 0.25
    assert gradient_heatmap(network, x, 0, "conv_1") == pytest.approx(wanted)
    # What speaks against a class is left out: here all that there is.
    x[0, 5, 5, 2] = 3
    assert gradient_heatmap(network, x, 2, "conv_1").max() == 0


def test_covering_finds_what_the_answer_hangs_on() -> None:
    pixels = np.full((30, 24, 3), 40, np.uint8)
    pixels[22:26, 4:8] = 250

    def answer(pictures: Array) -> FloatArray:
        bright = (pictures[:, 22:26, 4:8] > 200).mean(axis=(1, 2, 3))
        return np.stack([bright, 1 - bright], axis=1)

    heat = covering_heatmap(answer, pixels, 0)
    assert heat.shape == (30, 24)
    row, column = np.unravel_index(heat.argmax(), heat.shape)
    assert 21 <= row <= 26 and 3 <= column <= 8
    assert heat[:15].max() == 0
    assert covering_heatmap(answer, pixels, 1).max() == 0  # covering only makes it likelier


@pytest.mark.parametrize("shape", [(1, 1, 1), (2, 5, 3), (7, 7, 1)])
def test_tiny_pictures_can_be_covered(shape: tuple[int, int, int]) -> None:
    heat = covering_heatmap(lambda pictures: np.ones((len(pictures), 2)), np.zeros(shape, np.uint8), 0)
    assert heat.shape == shape[:2]


def test_the_hottest_share_and_what_covers_it() -> None:
    heat = upscaled(np.array([[0.0, 1.0], [0.0, 0.0]], np.float32), 10, 10)
    assert heat.shape == (10, 10)
    mask = hottest(heat, 0.2)
    assert mask.sum() == 20
    assert mask[:4, 6:].sum() == 16 and not mask[6:].any()
    pixels = np.random.default_rng(1).integers(0, 255, (10, 10, 3), np.uint8)
    filled = covered(pixels, mask)
    assert (filled[~mask] == pixels[~mask]).all()
    assert (filled[mask] == pixels.reshape(-1, 3).mean(axis=0).round()).all()
