"""Network descriptions: shapes, counts, receptive field, memory, JSON, and mistakes named by their place."""

import json
from typing import Any

import pytest

from vast_orchard.core.network.blocks import Part
from vast_orchard.core.network.description import (
    NetworkDescription,
    description_from_json,
    description_to_json,
    resolved,
)
from vast_orchard.core.network.layers import (
    KINDS,
    Add,
    AveragePool,
    BatchNorm,
    ChannelDropout,
    Concat,
    Conv,
    Dense,
    DepthwiseConv,
    Dropout,
    Flatten,
    GlobalAveragePool,
    Layer,
    LeakyReLU,
    MaxPool,
    ReLU,
)
from vast_orchard.core.network.layout import check_memory, lay_out, lay_out_training, memory_for_training
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.errors import DescriptionError, MemoryShortError, SettingError


def _described(*layers: Part, shape: tuple[int, int, int] = (8, 8, 2)) -> NetworkDescription:
    return NetworkDescription(name="test", input_shape=shape, layers=layers)


def _known() -> NetworkDescription:
    layers: list[Layer] = []
    for filters in (32, 48, 96):
        layers += [Conv(channels=filters), Conv(channels=filters), MaxPool()]
    return _described(*layers, Flatten(), Dense(outputs=128), Dense(outputs=8), shape=(32, 32, 3))


def test_a_known_network_has_its_known_shapes_and_counts() -> None:
    planned = plan(_known(), classes=8)
    assert planned.parameters == 367_176
    shapes = [entry.shape for entry in planned.layers if entry.kind != "conv"]
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
                Conv(channels=1), Conv(channels=1), MaxPool(), Conv(channels=1, dilation=2, stride=2),
                Conv(channels=1), GlobalAveragePool(), Dense(outputs=2), shape=(64, 64, 1),
            )
        ).layers
    ]  # fmt: skip
    assert fields[:5] == [3, 5, 6, 14, 22]
    assert fields[5:] == [64, 64]


def test_of_two_paths_the_wider_view_counts() -> None:
    described = _described(
        Conv(channels=2, id="near"),
        Conv(channels=2, kernel=5),
        Add(inputs=("near", "input")),
        shape=(32, 32, 2),
    )
    with pytest.raises(DescriptionError, match="Layer 2 feeds no other layer"):
        plan(described)
    described = _described(
        Conv(channels=2, id="near"),
        Conv(channels=2, kernel=5, id="far"),
        Add(inputs=("near", "far")),
        shape=(32, 32, 2),
    )
    assert [entry.receptive_field for entry in plan(described).layers] == [3, 7, 7]


@pytest.mark.parametrize(
    ("layers", "words"),
    [
        ((MaxPool(),) * 4, "Layer 4 pools 1×1 to nothing. Remove it or raise the input size"),
        ((Conv(channels=3, kernel=7, edge="cut"),) * 2, "Layer 2 convolves 2×2 with 7×7 to nothing"),
        ((Conv(channels=3, kernel=9),), "Layer 1 has kernel 9. Choose from 1 to 7"),
        ((Conv(channels=3, stride=5),), "Layer 1 has stride 5. Choose from 1 to 4"),
        ((Conv(channels=0),), "Layer 1 has channels 0"),
        ((Conv(channels=3, edge="wide"),), "Layer 1 has edge 'wide'. Choose one of keep, cut"),
        ((Conv(channels=3, start="warm"),), "Layer 1 has start 'warm'. Choose one of he, glorot, lecun"),
        ((Conv(channels=3, groups=2),), "Layer 1 divides 2 channels into 3 by 2 groups"),
        ((Dense(outputs=3),), "Layer 1 is dense over a picture"),
        ((Flatten(), Conv(channels=1)), "Layer 2 convolves values that are no longer a picture"),
        ((Flatten(), AveragePool()), "Layer 2 pools values that are no longer a picture"),
        ((Flatten(), GlobalAveragePool()), "Layer 2 averages values that are no longer a picture"),
        ((Flatten(), Dense(outputs=0)), "Layer 2 has 0 outputs"),
        ((Dropout(share=1.5),), "Layer 1 drops a share of 1.5"),
        ((LeakyReLU(slope=2),), "Layer 1 has slope 2"),
        ((Flatten(), Dense(outputs=5)), "Layer 2 gives .*not one value for each of 3 classes"),
        ((Add(inputs=("input",)),), "Layer 1 joins a single input"),
        (
            (Conv(channels=2, id="a"), MaxPool(), Add(inputs=("a", "input"))),
            "Layer 2 feeds no other layer",
        ),
        (
            (Conv(channels=2, id="a"), MaxPool(id="b"), Add(inputs=("a", "b"))),
            "Layer 3 adds 8×8×2 and 4×4×2. Bring both to the same size",
        ),
        (
            (Conv(channels=2, id="a"), MaxPool(id="b"), Concat(inputs=("a", "b"))),
            "Layer 3 puts side by side 8×8×2 and 4×4×2",
        ),
        ((ReLU(inputs=("later",)), ReLU(id="later")), "Layer 1 is fed by 'later', which is no layer before it"),
        ((ReLU(id="a"), ReLU(id="a")), "Layer 2 has the id 'a', which is taken"),
        ((ReLU(inputs=("input", "input")),), r"Layer 1 \(relu\) has 2 inputs. Join them"),
        ((ReLU(id="a.b"),), r"Layer 1 has the id 'a\.b'\. Use letters"),
        ((ReLU(id="input"),), "Layer 1 has the id 'input', which is taken"),
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
        for made in (ready_network(name), resolved(ready_network(name), (48, 48, 3), 7)):
            assert description_from_json(json.loads(json.dumps(description_to_json(made)))) == made
    joined = _described(Conv(channels=2, id="a"), ReLU(id="b"), Concat(inputs=("a", "b", "input")))
    assert description_from_json(json.loads(json.dumps(description_to_json(joined)))) == joined
    # Nothing is said of inputs where nobody asks, nor of what is open.
    written = description_to_json(NetworkDescription(name="x", layers=(ReLU(),)))
    assert written == {"version": 2, "name": "x", "layers": [{"id": "relu_1", "kind": "relu"}]}


def test_ready_networks_are_open_for_any_pictures_and_classes() -> None:
    small = ready_network("small")
    for shape, classes in (((48, 48, 3), 7), ((32, 32, 1), 2)):
        made = resolved(small, shape, classes)
        assert plan(made, classes).layers[-1].shape == (classes,)
        assert made.input_shape == shape
        # Resolving again changes nothing; for other pictures it is refused.
        assert resolved(made, shape, classes) == made
        with pytest.raises(DescriptionError, match="is made for pictures of"):
            resolved(made, (16, 16, 1), classes)


def test_ids_stay_when_layers_are_put_in_and_taken_out() -> None:
    first = _described(Conv(channels=2), ReLU(), Conv(channels=3), Flatten(), Dense(outputs=2))
    assert [layer.id for layer in first.layers] == ["conv_1", "relu_1", "conv_2", "flatten_1", "dense_1"]
    one, relu, two, flat, dense = first.layers
    longer = _described(one, relu, Conv(channels=3), ReLU(), two, flat, dense)
    assert [layer.id for layer in longer.layers] == [
        "conv_1", "relu_1", "conv_3", "relu_2", "conv_2", "flatten_1", "dense_1",
    ]  # fmt: skip
    assert [layer.id for layer in _described(two, flat, dense).layers] == ["conv_2", "flatten_1", "dense_1"]


def test_what_version_1_wrote_is_read_in_todays_words_and_its_weights_keep_their_names() -> None:
    written = {
        "name": "x",
        "input_shape": [8, 8, 1],
        "layers": [
            {"kind": "conv2d", "name": "near", "filters": 4, "kernel": 5, "padding": "valid", "bias": False},
            {"kind": "depthwise_conv2d", "padding": "same"},
            {"kind": "max_pool", "size": 3, "stride": 0, "padding": "same"},
            {"kind": "spatial_dropout", "rate": 0.1},
            {"kind": "relu", "inputs": ["near"]},
            {"kind": "flatten"},
            {"kind": "dense", "units": 2},
        ],
    }
    assert description_from_json(written).layers == (
        Conv(id="01_conv2d", channels=4, kernel=5, edge="cut", bias=False),
        DepthwiseConv(id="02_depthwise_conv2d", edge="keep"),
        MaxPool(id="03_max_pool", kernel=3, edge="keep"),
        ChannelDropout(id="04_spatial_dropout", share=0.1),
        ReLU(id="05_relu", inputs=("01_conv2d",)),
        Flatten(id="06_flatten"),
        Dense(id="07_dense", outputs=2),
    )


def test_a_form_from_the_future_is_refused() -> None:
    with pytest.raises(DescriptionError, match=r"version 3 of its form\. This program reads 2"):
        description_from_json({"version": 3, "layers": []})


@pytest.mark.parametrize(
    ("data", "words"),
    [
        ([], "network description is"),
        ({"input_shape": None, "layers": []}, "input_shape is None"),
        ({"input_shape": [1, 1, "3"], "layers": []}, "input_shape is"),
        ({"input_shape": [1, 1, 1], "layers": {}}, "layers are"),
        ([{"kind": "spiral"}], "Layer 1 is of the unknown kind 'spiral'. Use one of conv"),
        ([{"kind": ["relu"]}], "unknown kind"),
        ([{"kind": "relu"}, 7], 'Layer 2 is 7. Write it as an object with a "kind"'),
        ([{"kind": "conv"}], r"Layer 1 \(conv\) says nothing about 'channels'"),
        ([{"kind": "conv", "channels": "many"}], "channels 'many'. Give a value of type int"),
        ([{"kind": "conv", "channels": True}], "channels True"),
        ([{"kind": "conv", "channels": 3, "width": 2}], "unknown setting 'width'. It may have: .*channels"),
        ([{"kind": "add", "inputs": "input"}], "inputs 'input'. Give a list"),
    ],
)
def test_broken_json_is_named_by_place(data: Any, words: str) -> None:
    if isinstance(data, list) and data:
        data = {"input_shape": [8, 8, 1], "layers": data}
    with pytest.raises(DescriptionError, match=words):
        description_from_json(data)


def test_every_kind_of_layer_can_be_written_and_read() -> None:
    needed: dict[str, dict[str, int]] = {"conv": {"channels": 2}, "dense": {"outputs": 2}}
    for name, kind in KINDS.items():
        layer = kind(**needed.get(name, {}))  # type: ignore[arg-type]
        made = _described(layer)
        assert description_from_json(json.loads(json.dumps(description_to_json(made)))) == made


def test_one_class_is_not_enough() -> None:
    with pytest.raises(DescriptionError, match="at least two classes"):
        plan(resolved(ready_network("small"), (32, 32, 3), 1), 1)
    with pytest.raises(SettingError, match="no network named 'tall'"):
        ready_network("tall")


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
        Conv(channels=4, id="a"), BatchNorm(id="b"), ReLU(id="c"),
        DepthwiseConv(id="d"), LeakyReLU(id="e"),
        Add(inputs=("c", "e")), Flatten(), Dense(outputs=2),
    )  # fmt: skip
    folded, trained = (
        [(stage.place, stage.norm, stage.slope, stage.output) for stage in layout.stages]
        for layout in (lay_out(described), lay_out_training(described))
    )
    assert folded[:3] == [(1, 2, 0.0, 3), (4, None, 0.01, 5), (6, None, 1.0, 6)]
    assert trained[:3] == [(1, None, 1.0, 1), (2, None, 0.0, 3), (4, None, 0.01, 5)]
    tapped = _described(Conv(channels=4, id="a"), BatchNorm(id="b"), Add(inputs=("a", "b")))
    assert [stage.norm for stage in lay_out(tapped).stages] == [None, None, None]
