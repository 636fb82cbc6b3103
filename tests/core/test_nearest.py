"""Features that a network compares pictures by, and the pictures that lie nearest."""

import numpy as np
import pytest

from vast_orchard.core.judging.nearest import nearest
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.features import last_features
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.pictures.standardise import channel_statistics, standardise
from vast_orchard.errors import InputError
from vast_orchard.formats.feature_file import read_features, write_features


def _pixels(count: int, side: int = 16) -> np.ndarray:
    return np.random.default_rng(count).integers(0, 256, (count, side, side, 3), np.uint8)


@pytest.mark.parametrize("name", sorted(READY_NETWORKS))
def test_the_last_layer_makes_the_logits_of_the_features(name: str) -> None:
    network = Network(resolved(ready_network(name), (32, 32, 3), 4), 3)
    pixels = _pixels(5, 32)
    statistics = channel_statistics(pixels)
    features = last_features(network, pixels, statistics)
    assert np.linalg.norm(features, axis=1) == pytest.approx(1, abs=1e-5)
    held = network.held()
    weights = next(value for key, value in reversed(held.items()) if key.endswith("weights") and value.ndim == 2)
    bias = next((value for key, value in reversed(held.items()) if key.endswith("bias") and value.shape == (4,)), 0)
    logits = FrozenNetwork(network).logits(standardise(pixels, statistics)) - bias
    # Features have unit length, so what is made of them points the same way and is as much shorter.
    made = features @ (weights if weights.shape[0] == features.shape[1] else weights.T)
    cosine = (made * logits).sum(1) / np.linalg.norm(made, axis=1) / np.linalg.norm(logits, axis=1)
    assert cosine == pytest.approx(1, abs=1e-4)


def _network(*layers: object) -> Network:
    description = NetworkDescription(name="", input_shape=(16, 16, 3), layers=layers)  # type: ignore[arg-type]
    return Network(resolved(description, (16, 16, 3), 3), 1)


def test_of_flattened_maps_the_mean_of_the_fields_is_taken() -> None:
    network = _network(d.Conv(channels=4), d.ReLU(), d.MaxPool(), d.Dropout(share=0.5), d.Flatten(), d.Dense())
    pixels = _pixels(3)
    statistics = channel_statistics(pixels)
    features = last_features(network, pixels, statistics)
    assert features.shape == (3, 4)
    # What the pooling gives, place 3, field by field.
    maps = FrozenNetwork(network, until=3).values(standardise(pixels, statistics)).mean(axis=(1, 2))
    assert features == pytest.approx(maps / np.linalg.norm(maps, axis=1, keepdims=True), abs=1e-6)


def test_a_single_layer_compares_the_pictures_themselves() -> None:
    pixels = _pixels(2)
    features = last_features(_network(d.Flatten(), d.Dense()), pixels, channel_statistics(pixels))
    assert features.shape == (2, 16 * 16 * 3)


def test_the_nearest_are_those_with_the_smallest_angle() -> None:
    random = np.random.default_rng(1)
    vectors = random.normal(size=(40_000, 6))
    vectors /= np.linalg.norm(vectors, axis=1, keepdims=True)
    one = vectors[31_234].astype(np.float32)
    found = nearest(vectors.astype(np.float16), one, 5)
    expected = np.argsort(np.arccos(np.clip(vectors @ vectors[31_234], -1, 1)))[:5]
    assert found[0][0] == 31_234
    # Half precision may swap neighbours that are as good as equally near.
    assert [likeness for _, likeness in found] == pytest.approx(
        [float(vectors[row] @ vectors[31_234]) for row in expected], abs=2e-3
    )
    assert sorted(row for row, _ in nearest(vectors[:3].astype(np.float16), one, 9)) == [0, 1, 2]
    assert nearest(vectors[:0].astype(np.float16), one, 9) == []


def test_a_file_of_features_reads_back_and_says_when_it_is_damaged() -> None:
    features = np.linspace(0, 1, 12, dtype=np.float32).reshape(4, 3)
    data = write_features([7, 5, 2**40, 1], features)
    ids, read = read_features(data)
    assert (ids.tolist(), str(read.dtype)) == ([7, 5, 2**40, 1], "float16")
    assert read == pytest.approx(features, abs=1e-3)
    with pytest.raises(InputError, match="Judge the model on its training set again"):
        read_features(data[:-4])
