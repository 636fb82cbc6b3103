"""Exports, read by an independent runtime."""

import json

import numpy as np
import onnx
import onnxruntime
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.tolerances import EXPORT
from vast_orchard.core.network import description as d
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.errors import DescriptionError, InputError
from vast_orchard.formats.model_file import Model, read_model, write_model
from vast_orchard.formats.onnx_model import onnx_bytes


def _model(description: d.NetworkDescription, seed: int = 0) -> Model:
    """Random weights; variances within sane bounds, as training leaves them."""
    random = np.random.default_rng(seed)
    state = Network(description, seed).state()
    for name, value in state.items():
        if name.endswith("variance"):
            state[name] = random.uniform(0.3, 3, value.shape).astype(np.float32)
        elif name.endswith(("mean", "beta", "bias", "gamma")):
            state[name] = random.normal(0.5, 0.3, value.shape).astype(np.float32)
    channels = description.input_shape[2]
    return Model(
        description=description,
        weights=state,
        classes=("needle", "Säule", "雪")[: d.plan(description)[-1].shape[0]],
        preprocessing=Preprocessing(size=description.input_shape[0], colour="rgb" if channels == 3 else "grey"),
        statistics=ChannelStatistics(mean=(100.0,) * channels, deviation=(50.0,) * channels),
    )


def _runtime(
    model: Model, pixels: np.ndarray[tuple[int, ...], np.dtype[np.uint8]]
) -> np.ndarray[tuple[int, ...], np.dtype[np.float32]]:
    session = onnxruntime.InferenceSession(onnx_bytes(model), providers=["CPUExecutionProvider"])
    return np.asarray(session.run(["probabilities"], {"pixels": pixels})[0])


@pytest.mark.parametrize("name", READY_NETWORKS)
def test_ready_networks_agree(name: str) -> None:
    model = _model(ready_network(name, (32, 32, 3), 3))
    pixels = np.random.default_rng(1).integers(0, 256, (5, 32, 32, 3), dtype=np.uint8)
    np.testing.assert_allclose(_runtime(model, pixels), model.probabilities(pixels), atol=EXPORT)


_middle = st.one_of(
    st.builds(
        d.Conv2D,
        filters=st.integers(1, 5),
        kernel=st.integers(1, 4),
        padding=st.sampled_from(["same", "valid"]),
        bias=st.booleans(),
    ),
    st.builds(d.MaxPool, size=st.integers(1, 3)),
    st.just(d.BatchNorm()),
    st.just(d.ReLU()),
    st.builds(d.Dropout, rate=st.floats(0, 0.5)),
)  # fmt: skip


@given(
    layers=st.lists(_middle, max_size=6),
    end=st.sampled_from(
        [(d.GlobalAveragePool(),), (d.Flatten(),), (d.Flatten(), d.Dense(units=4), d.BatchNorm(), d.ReLU())]
    ),
    channels=st.sampled_from([1, 3]),
    seed=st.integers(0, 1000),
)
@settings(max_examples=40, deadline=None)
def test_random_networks_agree(layers: list[d.Layer], end: tuple[d.Layer, ...], channels: int, seed: int) -> None:
    described = d.NetworkDescription(
        name="random", input_shape=(24, 24, channels), layers=(*layers, *end, d.Dense(units=3))
    )
    try:
        d.plan(described)
    except DescriptionError:
        return  # shrank to nothing
    model = _model(described, seed)
    pixels = np.random.default_rng(seed).integers(0, 256, (3, 24, 24, channels), dtype=np.uint8)
    np.testing.assert_allclose(_runtime(model, pixels), model.probabilities(pixels), atol=EXPORT)


def test_classes_and_preprocessing_travel_in_the_file() -> None:
    model = _model(ready_network("very small", (16, 16, 1), 3))
    made = onnx.load_model_from_string(onnx_bytes(model))
    facts = {entry.key: json.loads(entry.value) for entry in made.metadata_props}
    assert facts["classes"] == ["needle", "Säule", "雪"]
    assert facts["preprocessing"] == {"size": 16, "colour": "grey", "ground": [0, 0, 0]}


def test_models_survive_their_file() -> None:
    model = _model(ready_network("very small", (16, 16, 3), 3))
    again = read_model(write_model(model))
    pixels = np.random.default_rng(1).integers(0, 256, (4, 16, 16, 3), dtype=np.uint8)
    np.testing.assert_array_equal(again.probabilities(pixels), model.probabilities(pixels))
    assert (again.classes, again.preprocessing, again.statistics) == (
        model.classes,
        model.preprocessing,
        model.statistics,
    )
    with pytest.raises(InputError, match="cannot be read"):
        read_model(write_model(model)[:20])
