"""Exports, read by an independent runtime."""

import json
from dataclasses import replace

import numpy as np
import onnx
import onnxruntime
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.tolerances import EXPORT
from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.blocks import (
    AttentionBlock,
    ConvBlock,
    Part,
    Repeat,
    ResidualBlock,
    SeparableBlock,
)
from vast_orchard.core.network.checking import check
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.ops.softmax import softmax_cross_entropy
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.optimizers import Adam, clip_by_norm, gradient_norm
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.values import Examples
from vast_orchard.errors import DescriptionError, InputError
from vast_orchard.formats.model_file import Model, read_model, write_model
from vast_orchard.formats.onnx_model import onnx_bytes


def _model(description: NetworkDescription, seed: int = 0) -> Model:
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
        classes=("needle", "Säule", "雪")[: plan(description).layers[-1].shape[0]],
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
    model = _model(resolved(ready_network(name), (32, 32, 3), 3))
    pixels = np.random.default_rng(1).integers(0, 256, (5, 32, 32, 3), dtype=np.uint8)
    np.testing.assert_allclose(_runtime(model, pixels), model.probabilities(pixels), atol=EXPORT)
    # What a person is told of the file before there is one.
    told = check(ready_network(name), (32, 32, 3), 3, batch_size=8, pictures=0).file_bytes
    assert told == pytest.approx(len(onnx_bytes(model)), rel=0.02)


_slides = {
    "kernel": st.integers(1, 5),
    "stride": st.integers(1, 3),
    "edge": st.sampled_from(["keep", "cut"]),
    "dilation": st.integers(1, 2),
    "bias": st.booleans(),
}
_pools = {"kernel": st.integers(1, 3), "stride": st.integers(0, 3), "edge": st.sampled_from(["keep", "cut"])}
_middle = st.one_of(
    st.builds(d.Conv, channels=st.integers(1, 5), **_slides),
    st.builds(d.Conv, channels=st.just(12), groups=st.just(3), **_slides),
    st.builds(d.DepthwiseConv, **_slides),
    st.builds(d.MaxPool, **_pools),
    st.builds(d.AveragePool, **_pools),
    st.sampled_from([d.BatchNorm(), d.ReLU(), d.LeakyReLU(slope=0.2), d.SiLU(), d.Tanh(), d.Sigmoid()]),
    st.sampled_from([d.ClippedReLU(limit=1.5), d.HardSigmoid(), d.HardSwish(), d.Softmax()]),
    st.builds(d.Pad, **{side: st.integers(0, 3) for side in ("top", "bottom", "left", "right")}),
    st.builds(
        ConvBlock, channels=st.integers(1, 4), stride=st.integers(1, 2), activation=st.sampled_from(["silu", "relu"])
    ),
    st.builds(ResidualBlock, channels=st.integers(2, 4), stride=st.integers(1, 2)),
    st.builds(SeparableBlock, channels=st.integers(1, 4), activation=st.sampled_from(["hard_swish", "clipped_relu"])),
    st.builds(AttentionBlock, reduction=st.integers(1, 3)),
    st.builds(Repeat, times=st.just(2), layers=st.just((ResidualBlock(channels=3),))),
    st.builds(d.Dropout, share=st.floats(0, 0.5)),
    st.builds(d.ChannelDropout, share=st.floats(0, 0.5)),
)
_ends = [
    (d.GlobalAveragePool(),),
    (d.Flatten(),),
    (d.Flatten(), d.Dense(outputs=4, bias=False), d.BatchNorm(), d.ReLU()),
    # Joints: a residual sum, and channels side by side, of values that are read more than once.
    (
        d.Conv(channels=6, id="a"), d.BatchNorm(), d.ReLU(), d.Conv(channels=6, id="b"),
        d.Add(inputs=("a", "b"), id="c"), d.Concat(inputs=("a", "c", "a")), d.GlobalAveragePool(),
    ),
    (
        d.Conv(channels=6, id="maps"), d.GlobalAveragePool(keep_sides=True), d.Conv(channels=6), d.HardSigmoid(id="w"),
        d.Multiply(inputs=("maps", "w"), id="weighed"), d.Multiply(inputs=("weighed", "maps")), d.GlobalAveragePool(),
    ),
]  # fmt: skip


def _after_a_step(description: NetworkDescription, seed: int) -> dict[str, Array]:
    """Weights and running statistics as one step of training leaves them, on numbers around zero."""
    network, random = Network(description, seed), np.random.default_rng(seed)
    x = random.standard_normal((6, *description.input_shape)).astype(np.float32)
    logits = network.forward(x, random)
    network.backward(softmax_cross_entropy(logits, np.eye(3, dtype=np.float32)[[0, 1, 2, 0, 1, 2]])[1])
    clip_by_norm(network.gradients, gradient_norm(network.gradients), 1.0)
    Adam().step(network.parameters, network.gradients, 0.01)
    return network.state()


@given(
    layers=st.lists(_middle, max_size=6),
    end=st.sampled_from(_ends),
    channels=st.sampled_from([1, 3]),
    seed=st.integers(0, 1000),
)
@settings(max_examples=80)
def test_random_networks_agree_after_a_training_step(
    layers: list[Part], end: tuple[d.Layer, ...], channels: int, seed: int
) -> None:
    described = NetworkDescription(
        name="random", input_shape=(24, 24, channels), layers=(*layers, *end, d.Dense(outputs=3))
    )
    try:
        plan(described)
    except DescriptionError:
        return  # shrank to nothing, or cannot be divided into groups
    # Sane bounds: statistics of `_model` between 0.3 and 3, means about 0.5, so that no layer leaves the scale of one;
    # weights that a step has moved from their first draw.
    model, moved = _model(described, seed), _after_a_step(described, seed)
    weights = {name: moved[name] if name.endswith("weights") else value for name, value in model.weights.items()}
    model = replace(model, weights=weights)
    pixels = np.random.default_rng(seed).integers(0, 256, (3, 24, 24, channels), dtype=np.uint8)
    np.testing.assert_allclose(_runtime(model, pixels), model.probabilities(pixels), atol=EXPORT)


@pytest.mark.parametrize("seed", range(3))
def test_a_network_trained_for_a_few_steps_agrees(seed: int) -> None:
    # All of its numbers as training left them, running statistics too.
    described = resolved(ready_network("small"), (32, 32, 3), 3)
    random = np.random.default_rng(seed)
    examples = Examples(
        pixels=random.integers(0, 256, (64, 32, 32, 3), dtype=np.uint8),
        labels=random.integers(0, 3, 64),
        identities=np.arange(64, dtype=np.uint64),
    )
    settings = TrainingSettings(epochs=2, batch_size=16)
    recipe = Recipe(network=ready_network("small"), settings=settings, preprocessing=Preprocessing(size=32))
    running = begin(recipe, 3, examples, examples)
    for _ in running.results:
        pass
    model = replace(_model(described), weights=running.network.state(), statistics=running.statistics)
    np.testing.assert_allclose(_runtime(model, examples.pixels), model.probabilities(examples.pixels), atol=EXPORT)


def test_classes_and_preprocessing_travel_in_the_file() -> None:
    model = _model(resolved(ready_network("plain 4"), (16, 16, 1), 3))
    made = onnx.load_model_from_string(onnx_bytes(model))
    facts = {entry.key: json.loads(entry.value) for entry in made.metadata_props}
    assert facts["classes"] == ["needle", "Säule", "雪"]
    assert facts["preprocessing"] == {
        "size": 16, "fit": "distort", "colour": "grey", "ground": [0, 0, 0], "border": [0, 0, 0],
        "scale": "deviation", "views": "one",
    }  # fmt: skip


def test_models_survive_their_file() -> None:
    model = _model(resolved(ready_network("plain 4"), (16, 16, 3), 3))
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
