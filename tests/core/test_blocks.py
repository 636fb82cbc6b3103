"""Blocks and repeated stretches: which layers they come to, their gradients, and what is wrong with them."""

import json
from pathlib import Path

import jsonschema_rs
import numpy as np
import pytest

from tests.reference import numeric_slope
from tests.tolerances import GRADIENT
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.blocks import (
    AttentionBlock,
    ConvBlock,
    Head,
    Part,
    Repeat,
    ResidualBlock,
    SeparableBlock,
)
from vast_orchard.core.network.description import (
    NetworkDescription,
    description_from_json,
    description_to_json,
    resolved,
)
from vast_orchard.core.network.layers import kind_of
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.network.schema import network_schema
from vast_orchard.core.ops.softmax import softmax_cross_entropy
from vast_orchard.errors import DescriptionError


def _described(*parts: Part, shape: tuple[int, int, int] = (8, 8, 2)) -> NetworkDescription:
    return NetworkDescription(name="test", input_shape=shape, layers=parts)


_ALL = _described(
    ConvBlock(channels=2, convolutions=2, activation="silu"),
    ResidualBlock(channels=2, id="same"),
    Repeat(times=2, layers=(ResidualBlock(channels=3, stride=2), AttentionBlock(reduction=3))),
    SeparableBlock(channels=3, activation="hard_swish"),
    Head(hidden=3, dropout=0.3, outputs=3),
    shape=(4, 4, 2),
)


def test_a_network_of_all_blocks_has_the_right_gradients() -> None:
    network = Network(_ALL, seed=3, dtype=np.float64)
    x, targets = np.random.default_rng(0).standard_normal((3, 4, 4, 2)), np.eye(3)[[0, 2, 1]]

    def loss() -> float:
        logits = network.forward(x, np.random.default_rng(5))
        return float(softmax_cross_entropy(logits, targets)[0].mean())

    network.backward(softmax_cross_entropy(network.forward(x, np.random.default_rng(5)), targets)[1])
    gradients = {name: value.copy() for name, value in network.gradients.items()}
    assert gradients.keys() == network.parameters.keys()
    random = np.random.default_rng(7)
    for name, value in network.parameters.items():
        # Along a way by chance every number has a say, at the price of two answers instead of two for each number.
        ways = random.standard_normal((3, *value.shape))
        slopes = [numeric_slope(loss, value, way) for way in ways]
        found = [float((gradients[name] * way).sum()) for way in ways]
        np.testing.assert_allclose(found, slopes, atol=GRADIENT, err_msg=name)


@pytest.mark.parametrize(("channels", "stride", "projected"), [(4, 1, False), (6, 1, True), (4, 2, True)])
def test_what_came_in_is_projected_where_the_shape_changes(channels: int, stride: int, projected: bool) -> None:
    described = _described(d.Conv(channels=4, id="stem"), ResidualBlock(channels=channels, stride=stride, id="block"))
    kinds = {layer.id: kind_of(layer) for layer in described.flat}
    wanted = ["stem", "block_conv_1", "block_norm_1", "block_act_1", "block_conv_2", "block_norm_2"]
    wanted += ["block_projection", "block_projection_norm"] if projected else []
    assert list(kinds) == [*wanted, "block_sum", "block_act_2"]
    joint = described.flat[-2]
    assert joint.inputs == ("block_norm_2", "block_projection_norm" if projected else "stem")
    assert plan(described).layers[-1].shape == (8 // stride, 8 // stride, channels)


def test_channels_are_weighed_by_numbers_between_nought_and_one() -> None:
    # By hand: with weights of zero the gate is a half everywhere, so half of the maps comes out.
    described = _described(AttentionBlock(reduction=1, id="block"), d.Flatten(), d.Dense(outputs=2), shape=(2, 2, 2))
    planned = plan(described)
    assert [entry.shape for entry in planned.layers[:6]] == [(1, 1, 2)] * 5 + [(2, 2, 2)]
    assert planned.layers[5].receptive_field == 1  # of the maps, which each pixel holds by itself
    network = Network(described, dtype=np.float64)
    for name, value in network.parameters.items():
        value[:] = 0 if name.startswith("block") else np.arange(value.size).reshape(value.shape)
    x = np.arange(8.0).reshape(1, 2, 2, 2)
    logits = network.forward(x, np.random.default_rng(0))
    np.testing.assert_allclose(logits[0], (x.ravel() / 2) @ np.arange(16).reshape(8, 2) + [0, 1])


def test_a_stretch_is_written_out_and_named_inputs_mean_the_latest() -> None:
    described = _described(
        d.Conv(channels=3, id="stem"),
        Repeat(
            times=2,
            id="stage",
            layers=(d.Conv(channels=3, id="a"), d.Add(inputs=("a", "stem"), id="b"), d.ReLU(id="stem_2")),
        ),
        d.Concat(inputs=("stage", "b", "stem"), id="end"),
    )
    assert [layer.id for layer in described.flat] == [
        "stem", "a_1", "b_1", "stem_2_1", "a_2", "b_2", "stem_2_2", "end",
    ]  # fmt: skip
    assert described.flat[5].inputs == ("a_2", "stem")
    assert described.flat[7].inputs == ("stem_2_2", "b_2", "stem")
    assert described.expanded.lines == ((0,), (1, 0), (1, 1), (1, 2), (1, 0), (1, 1), (1, 2), (2,))


def test_blocks_go_out_as_json_and_come_back_and_are_resolved() -> None:
    for described in (_ALL, resolved(_described(Head(), shape=(0, 0, 0)), (8, 8, 3), 5)):
        assert description_from_json(description_to_json(described)) == described
    assert plan(resolved(_described(Head(), shape=(0, 0, 0)), (8, 8, 3), 5), 5).layers[-1].shape == (5,)


@pytest.mark.parametrize(
    ("parts", "line", "what"),
    [
        ((ConvBlock(channels=4, activation="wave"),), (0,), "Layer 1 has activation 'wave'"),
        ((d.ReLU(), ConvBlock(channels=4, convolutions=9)), (1,), "Layer 2 has convolutions 9"),
        ((AttentionBlock(reduction=0),), (0,), "Layer 1 has reduction 0"),
        ((Repeat(times=21, layers=(d.ReLU(),)),), (0,), "Layer 1 has times 21"),
        ((Repeat(times=2, layers=(d.ReLU(), d.Conv(channels=0))),), (0, 1), "Layer 1.2 has channels 0"),
        ((Repeat(times=20, layers=(Repeat(times=20, layers=(d.ReLU(),) * 3),)),), (0, 0, 1), "more than 1000 layers"),
        ((d.ReLU(id="x"), Repeat(inputs=("x",), layers=(d.ReLU(),))), (1,), "a stretch with inputs"),
        ((ResidualBlock(channels=4), d.ReLU(inputs=("head",)), Head(id="head")), (1,), "no layer before it"),
        ((d.Flatten(), Head()), (1,), "Layer 2 averages values that are no longer a picture"),
    ],
)
def test_what_is_wrong_is_said_at_its_line(parts: tuple[Part, ...], line: tuple[int, ...], what: str) -> None:
    with pytest.raises(DescriptionError, match=what) as caught:
        plan(_described(*parts))
    assert caught.value.line == line
    assert caught.value.mend


def test_the_schema_that_is_published_lets_through_what_is_read() -> None:
    published = json.loads((Path(__file__).parents[2] / "docs" / "network.schema.json").read_text("utf-8"))
    assert published == json.loads(json.dumps(network_schema()))
    checks = jsonschema_rs.Draft202012Validator(published).is_valid
    for described in (_ALL, *map(ready_network, READY_NETWORKS)):
        assert checks(json.loads(json.dumps(description_to_json(described))))
    assert checks({"layers": [{"kind": "conv", "channels": 4, "inputs": ["input"]}, {"kind": "repeat", "layers": []}]})
    for wrong in (
        {}, {"layers": [{"kind": "conv"}]}, {"layers": [{"kind": "wave"}]}, {"layers": [{"kind": "relu", "slope": 1}]},
        {"layers": [{"kind": "conv", "channels": "4"}]}, {"layers": [{"kind": "max_pool", "edge": "wrap"}]},
    ):  # fmt: skip
        assert not checks(wrong), wrong


@pytest.mark.parametrize(
    ("layers", "what"),
    [
        ([{"kind": "repeat", "layers": {}}], "layers of layer 1 are {}"),
        ([{"kind": "repeat", "layers": [{"kind": "repeat", "layers": [{"kind": "repeat", "layers": []}]}]}], "1.1.1"),
        ([{"kind": "repeat", "layers": [{"kind": "conv_blok"}]}], "Layer 1.1 is of the unknown kind 'conv_blok'"),
        ([{"kind": "head", "hidden": 1.5}], "Layer 1 .head. has hidden 1.5"),
        ([{"kind": "relu"}] * 1001, "There are 1001 layers"),
        ([{"kind": "repeat", "layers": [{"kind": "repeat", "layers": []}] * 500}] * 2, "There are 1002 layers"),
    ],
)
def test_json_that_is_no_list_of_blocks_is_refused(layers: object, what: str) -> None:
    with pytest.raises(DescriptionError, match=what):
        description_from_json({"layers": layers})
