"""Descriptions, shapes, counts, and whole networks' gradients."""

import json

import numpy as np
import pytest

from tests.reference import numeric_gradient
from tests.tolerances import GRADIENT
from vast_orchard.core.network.description import (
    BatchNorm,
    Conv2D,
    Dense,
    Dropout,
    Flatten,
    GlobalAveragePool,
    Layer,
    MaxPool,
    NetworkDescription,
    ReLU,
    description_from_json,
    description_to_json,
    plan,
)
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.ops.softmax import softmax_cross_entropy
from vast_orchard.errors import DescriptionError, SettingError, ShapeError


def _described(*layers: Layer, shape: tuple[int, int, int] = (8, 8, 2)) -> NetworkDescription:
    return NetworkDescription(name="test", input_shape=shape, layers=layers)


def test_a_known_network_has_its_known_shapes_and_parameters() -> None:
    layers: list[Layer] = []
    for filters in (32, 48, 96):
        layers += [Conv2D(filters=filters), Conv2D(filters=filters), MaxPool()]
    layers += [Flatten(), Dense(units=128), Dense(units=8)]
    plans = plan(_described(*layers, shape=(32, 32, 3)), classes=8)
    assert sum(entry.parameters for entry in plans) == 367_176
    shapes = [entry.shape for entry in plans if entry.kind not in ("conv2d",)]
    assert shapes == [(16, 16, 32), (8, 8, 48), (4, 4, 96), (1536,), (128,), (8,)]


@pytest.mark.parametrize(
    ("layers", "words"),
    [
        (
            (MaxPool(), MaxPool(), MaxPool(), MaxPool()),
            "Layer 4 pools 1×1 to nothing. Remove it or raise the input size",
        ),
        ((Conv2D(filters=3, kernel=9, padding="valid"),), "Layer 1 convolves 8×8 with 9×9 to nothing"),
        ((Dense(units=3),), "Layer 1 is dense over a picture"),
        ((Flatten(), Conv2D(filters=1)), "Layer 2 convolves values that are no longer a picture"),
        ((Flatten(), Dense(units=0)), "Layer 2 has 0 units"),
        ((Dropout(rate=1.5),), "Layer 1 drops a share of 1.5"),
        ((Flatten(), Dense(units=5)), "Layer 2 gives .*not one value for each of 3 classes"),
        ((), "no layers"),
    ],
)
def test_mistakes_are_named_by_place_with_a_repair(layers: tuple[Layer, ...], words: str) -> None:
    with pytest.raises(DescriptionError, match=words):
        plan(_described(*layers), classes=3)


def test_descriptions_survive_json() -> None:
    for name in READY_NETWORKS:
        made = ready_network(name, (48, 48, 3), 7)
        assert description_from_json(json.loads(json.dumps(description_to_json(made)))) == made
    with pytest.raises(DescriptionError, match="unknown kind 'spiral'"):
        description_from_json({"name": "x", "input_shape": [1, 1, 1], "layers": [{"kind": "spiral"}]})
    with pytest.raises(DescriptionError, match="incomplete"):
        description_from_json({"layers": []})


@pytest.mark.parametrize("classes", [2, 3, 11])
@pytest.mark.parametrize("name", READY_NETWORKS)
def test_ready_networks_end_with_one_value_a_class(name: str, classes: int) -> None:
    network = Network(ready_network(name, (32, 32, 1), classes))
    probabilities = network.probabilities(np.zeros((2, 32, 32, 1), np.float32))
    assert probabilities.shape == (2, classes)
    np.testing.assert_allclose(probabilities.sum(axis=1), 1, atol=1e-6)  # float32 rounding of a sum of few numbers


def test_one_class_is_not_enough() -> None:
    with pytest.raises(SettingError, match="at least two classes"):
        ready_network("small", (32, 32, 3), 1)


def test_a_whole_network_has_the_right_gradients() -> None:
    # Every kind of layer in one network, in double precision; dropout draws the same mask each time.
    described = _described(
        Conv2D(filters=3), BatchNorm(), ReLU(), MaxPool(), Conv2D(filters=4, kernel=2, padding="valid"),
        Dropout(rate=0.3), GlobalAveragePool(), Dense(units=3),
    )  # fmt: skip
    network = Network(described, seed=3, dtype=np.float64)
    x = np.random.default_rng(0).standard_normal((3, 8, 8, 2))
    targets = np.eye(3)[[0, 2, 1]]

    def loss() -> float:
        logits = network.forward(x, np.random.default_rng(5))
        return float(softmax_cross_entropy(logits, targets)[0].mean())

    logits = network.forward(x, np.random.default_rng(5))
    network.backward(softmax_cross_entropy(logits, targets)[1])
    gradients = {name: value.copy() for name, value in network.gradients.items()}
    assert gradients.keys() == network.parameters.keys()
    for name, value in network.parameters.items():
        np.testing.assert_allclose(gradients[name], numeric_gradient(loss, value), atol=GRADIENT, err_msg=name)


def test_flatten_hands_gradients_back_in_shape() -> None:
    network = Network(_described(Conv2D(filters=2), Flatten(), Dense(units=2)), dtype=np.float64)
    network.backward(network.forward(np.ones((1, 8, 8, 2)), np.random.default_rng(0)))
    assert network.gradients["01_conv2d.weights"].shape == (3, 3, 2, 2)


def test_state_goes_out_and_in_unchanged_and_only_where_it_fits() -> None:
    one, two = (Network(ready_network("very small", (16, 16, 3), 3), seed=seed) for seed in (1, 2))
    x = np.random.default_rng(0).standard_normal((2, 16, 16, 3)).astype(np.float32)
    assert not np.array_equal(one.forward(x), two.forward(x))
    two.load(one.state())
    np.testing.assert_array_equal(one.forward(x), two.forward(x))
    other = Network(ready_network("very small", (16, 16, 3), 4))
    with pytest.raises(ShapeError, match="belong to another network"):
        other.load(one.state())


def test_pictures_of_another_size_are_refused() -> None:
    network = Network(ready_network("very small", (16, 16, 3), 3))
    with pytest.raises(ShapeError, match=r"\(8, 8, 3\).*expects \(16, 16, 3\)"):
        network.forward(np.zeros((1, 8, 8, 3), np.float32))
