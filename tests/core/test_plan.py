"""Network descriptions: shapes, counts, receptive field, memory, JSON, and mistakes named by their place."""

import json
from typing import Any

import pytest

from vast_orchard.core.network.description import (
    NetworkDescription,
    description_from_json,
    description_to_json,
)
from vast_orchard.core.network.layers import (
    KINDS,
    Add,
    AveragePool,
    BatchNorm,
    Concat,
    Conv2D,
    Dense,
    DepthwiseConv2D,
    Dropout,
    Flatten,
    GlobalAveragePool,
    Layer,
    LeakyReLU,
    MaxPool,
    ReLU,
)
from vast_orchard.core.network.layout import check_memory, lay_out, memory_for_training
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.errors import DescriptionError, MemoryShortError, SettingError


def _described(*layers: Layer, shape: tuple[int, int, int] = (8, 8, 2)) -> NetworkDescription:
    return NetworkDescription(name="test", input_shape=shape, layers=layers)


def _known() -> NetworkDescription:
    layers: list[Layer] = []
    for filters in (32, 48, 96):
        layers += [Conv2D(filters=filters), Conv2D(filters=filters), MaxPool()]
    return _described(*layers, Flatten(), Dense(units=128), Dense(units=8), shape=(32, 32, 3))


def test_a_known_network_has_its_known_shapes_and_counts() -> None:
    planned = plan(_known(), classes=8)
    assert planned.parameters == 367_176
    shapes = [entry.shape for entry in planned.layers if entry.kind != "conv2d"]
    assert shapes == [(16, 16, 32), (8, 8, 48), (4, 4, 96), (1536,), (128,), (8,)]
    # By hand, layer by layer: places · window · channels · filters.
    convolutions = 1024 * 9 * (3 * 32 + 32 * 32) + 256 * 9 * (32 * 48 + 48 * 48) + 64 * 9 * (48 * 96 + 96 * 96)
    assert planned.multiply_adds == convolutions + 1536 * 128 + 128 * 8


def test_the_receptive_field_by_hand() -> None:
    # 3, then +2; pooling +1 and steps of 2; 3×3 dilated by 2 spans 5, +4 steps of 2; stride 2 doubles the step.
    fields = [
        entry.receptive_field
        for entry in plan(
            _described(
                Conv2D(filters=1), Conv2D(filters=1), MaxPool(), Conv2D(filters=1, dilation=2, stride=2),
                Conv2D(filters=1), GlobalAveragePool(), Dense(units=2), shape=(64, 64, 1),
            )
        ).layers
    ]  # fmt: skip
    assert fields[:5] == [3, 5, 6, 14, 22]
    assert fields[5:] == [64, 64]


def test_of_two_paths_the_wider_view_counts() -> None:
    described = _described(
        Conv2D(filters=2, name="near"),
        Conv2D(filters=2, kernel=5),
        Add(inputs=("near", "input")),
        shape=(32, 32, 2),
    )
    with pytest.raises(DescriptionError, match="Layer 2 feeds no other layer"):
        plan(described)
    described = _described(
        Conv2D(filters=2, name="near"),
        Conv2D(filters=2, kernel=5, name="far"),
        Add(inputs=("near", "far")),
        shape=(32, 32, 2),
    )
    assert [entry.receptive_field for entry in plan(described).layers] == [3, 7, 7]


@pytest.mark.parametrize(
    ("layers", "words"),
    [
        ((MaxPool(),) * 4, "Layer 4 pools 1×1 to nothing. Remove it or raise the input size"),
        ((Conv2D(filters=3, kernel=7, padding="valid"),) * 2, "Layer 2 convolves 2×2 with 7×7 to nothing"),
        ((Conv2D(filters=3, kernel=9),), "Layer 1 has kernel 9. Choose from 1 to 7"),
        ((Conv2D(filters=3, stride=5),), "Layer 1 has stride 5. Choose from 1 to 4"),
        ((Conv2D(filters=0),), "Layer 1 has filters 0"),
        ((Conv2D(filters=3, padding="wide"),), "Layer 1 has padding 'wide'. Choose one of same, valid"),
        ((Conv2D(filters=3, start="warm"),), "Layer 1 has start 'warm'. Choose one of he, glorot, lecun"),
        ((Conv2D(filters=3, groups=2),), "Layer 1 divides 2 channels and 3 filters into 2 groups"),
        ((Dense(units=3),), "Layer 1 is dense over a picture"),
        ((Flatten(), Conv2D(filters=1)), "Layer 2 convolves values that are no longer a picture"),
        ((Flatten(), AveragePool()), "Layer 2 pools values that are no longer a picture"),
        ((Flatten(), GlobalAveragePool()), "Layer 2 averages values that are no longer a picture"),
        ((Flatten(), Dense(units=0)), "Layer 2 has 0 units"),
        ((Dropout(rate=1.5),), "Layer 1 drops a share of 1.5"),
        ((LeakyReLU(slope=2),), "Layer 1 has slope 2"),
        ((Flatten(), Dense(units=5)), "Layer 2 gives .*not one value for each of 3 classes"),
        ((Add(inputs=("input",)),), "Layer 1 joins a single input"),
        (
            (Conv2D(filters=2, name="a"), MaxPool(), Add(inputs=("a", "input"))),
            "Layer 2 feeds no other layer",
        ),
        (
            (Conv2D(filters=2, name="a"), MaxPool(name="b"), Add(inputs=("a", "b"))),
            "Layer 3 adds 8×8×2 and 4×4×2. Bring both to the same size",
        ),
        (
            (Conv2D(filters=2, name="a"), MaxPool(name="b"), Concat(inputs=("a", "b"))),
            "Layer 3 puts side by side 8×8×2 and 4×4×2",
        ),
        ((ReLU(inputs=("later",)), ReLU(name="later")), "Layer 1 is fed by 'later', which is no layer before it"),
        ((ReLU(name="a"), ReLU(name="a")), "Layer 2 has the name 'a', which is taken"),
        ((ReLU(inputs=("input", "input")),), r"Layer 1 \(relu\) has 2 inputs. Join them"),
        ((), "no layers"),
    ],
)
def test_mistakes_are_named_by_place_with_a_repair(layers: tuple[Layer, ...], words: str) -> None:
    with pytest.raises(DescriptionError, match=words):
        plan(_described(*layers), classes=3)


def test_an_input_of_nothing_is_refused() -> None:
    with pytest.raises(DescriptionError, match="input shape is"):
        plan(_described(Flatten(), shape=(0, 8, 1)))


def test_descriptions_survive_json() -> None:
    for name in READY_NETWORKS:
        made = ready_network(name, (48, 48, 3), 7)
        assert description_from_json(json.loads(json.dumps(description_to_json(made)))) == made
    joined = _described(Conv2D(filters=2, name="a"), ReLU(name="b"), Concat(inputs=("a", "b", "input")))
    assert description_from_json(json.loads(json.dumps(description_to_json(joined)))) == joined
    # A plain list stays one: nothing is said about names and inputs where nobody asks.
    assert description_to_json(_described(ReLU()))["layers"] == [{"kind": "relu"}]


def test_what_an_older_version_wrote_is_still_read() -> None:
    older = {"name": "x", "input_shape": [8, 8, 1], "layers": [{"kind": "conv2d", "filters": 4, "bias": False}]}
    assert description_from_json(older).layers == (Conv2D(filters=4, bias=False),)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        ([], "network description is"),
        ({"layers": []}, "input_shape is None"),
        ({"input_shape": [1, 1, "3"], "layers": []}, "input_shape is"),
        ({"input_shape": [1, 1, 1], "layers": {}}, "layers are"),
        ([{"kind": "spiral"}], "Layer 1 is of the unknown kind 'spiral'. Use one of conv2d"),
        ([{"kind": ["relu"]}], "unknown kind"),
        ([{"kind": "relu"}, 7], 'Layer 2 is 7. Write it as an object with a "kind"'),
        ([{"kind": "conv2d"}], r"Layer 1 \(conv2d\) says nothing about 'filters'"),
        ([{"kind": "conv2d", "filters": "many"}], "filters 'many'. Give a value of type int"),
        ([{"kind": "conv2d", "filters": True}], "filters True"),
        ([{"kind": "conv2d", "filters": 3, "size": 2}], "unknown setting 'size'. It may have: .*filters"),
        ([{"kind": "add", "inputs": "input"}], "inputs 'input'. Give a list"),
    ],
)
def test_broken_json_is_named_by_place(data: Any, words: str) -> None:
    if isinstance(data, list) and data:
        data = {"input_shape": [8, 8, 1], "layers": data}
    with pytest.raises(DescriptionError, match=words):
        description_from_json(data)


def test_every_kind_of_layer_can_be_written_and_read() -> None:
    needed: dict[str, dict[str, int]] = {"conv2d": {"filters": 2}, "dense": {"units": 2}}
    for name, kind in KINDS.items():
        layer = kind(**needed.get(name, {}))  # type: ignore[arg-type]
        made = _described(layer)
        assert description_from_json(json.loads(json.dumps(description_to_json(made)))) == made


def test_one_class_is_not_enough() -> None:
    with pytest.raises(SettingError, match="at least two classes"):
        ready_network("small", (32, 32, 3), 1)


def test_memory_grows_with_the_batch_and_says_what_fits() -> None:
    described = _known()
    one, nine = memory_for_training(described, 1), memory_for_training(described, 9)
    a_picture = (nine - one) // 8
    # From below by hand: input with padding, and each convolution's values and gradients at least once.
    assert a_picture > 4 * (34 * 34 * 3 + 2 * (2 * 1024 * 32 + 2 * 256 * 48 + 2 * 64 * 96))
    room = one + 5 * a_picture
    check_memory(described, 6, room)
    with pytest.raises(MemoryShortError, match="Choose a batch size of at most 6"):
        check_memory(described, 7, room)
    with pytest.raises(MemoryShortError, match="smaller network or input size"):
        check_memory(described, 1, 1000)


def test_layers_are_fused_where_nobody_else_reads_between_them() -> None:
    described = _described(
        Conv2D(filters=4, name="a"), BatchNorm(name="b"), ReLU(name="c"),
        DepthwiseConv2D(name="d"), LeakyReLU(name="e"),
        Add(inputs=("c", "e")), Flatten(), Dense(units=2),
    )  # fmt: skip
    folded, trained = (
        [(stage.place, stage.norm, stage.slope, stage.output) for stage in lay_out(described, training=training).stages]
        for training in (False, True)
    )
    assert folded[:3] == [(1, 2, 0.0, 3), (4, None, 0.01, 5), (6, None, 1.0, 6)]
    assert trained[:3] == [(1, None, 1.0, 1), (2, None, 0.0, 3), (4, None, 0.01, 5)]
    tapped = _described(Conv2D(filters=4, name="a"), BatchNorm(name="b"), Add(inputs=("a", "b")))
    assert [stage.norm for stage in lay_out(tapped, training=False).stages] == [None, None, None]
