"""Networks from outside: whatever graph is made of the core's operators answers as the independent runtime says."""

import io
import json
import random as chance
import zipfile
from collections.abc import Callable
from typing import Any

import numpy as np
import onnx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from onnx import TensorProto, helper, numpy_helper

from tests.formats.graphs import Sketch
from tests.formats.test_forms import _model, _pictures
from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import READY_NETWORKS
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.errors import InputError, OrchardError, SettingError
from vast_orchard.formats.export_pack import proven_pack
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.network_file.comparing import runtime_answers
from vast_orchard.formats.network_file.opening import open_network_file
from vast_orchard.formats.network_file.reading import Answers, Read, fed_to_the_graph, read_network
from vast_orchard.formats.onnx_model import onnx_bytes

# What the issue asks of a round trip.
_ROUND_TRIP = 1e-5
_NAMES = ("needle", "plate", "rime")


def _pixels(side: int, channels: int = 3, count: int = 5) -> Array:
    return np.random.default_rng(side).integers(0, 256, (count, side, side, channels), np.uint8)


def _read(data: bytes, answers: Answers | None = None) -> Read:
    return read_network(open_network_file("net.onnx", data), answers or Answers(classes=_NAMES), "net")


def _off(data: bytes, answers: Answers | None = None, side: int = 16, channels: int = 3) -> float:
    """How far what was read answers from what the independent runtime makes of the file."""
    answers = answers or Answers(classes=_NAMES)
    opened = open_network_file("net.onnx", data)
    read = read_network(opened, answers, "net")
    assert read.refused == ()
    assert read.model is not None
    pixels = _pixels(side, channels)
    fed = fed_to_the_graph(opened, read, answers, pixels)
    theirs = runtime_answers("net.onnx", opened.content, fed, softmax=read.softmax)
    ours = read.model.probabilities(pixels)
    assert ours.std() > 1e-4, "it tells nothing apart, so that nothing is compared"
    return float(np.abs(ours - theirs).max())


# Out of the application and back in.


@pytest.mark.parametrize("name", READY_NETWORKS)
def test_what_was_handed_over_comes_back_the_same(name: str) -> None:
    model = _model(name, temperature=1.6)
    read = _read(onnx_bytes(model), Answers())
    assert (read.refused, read.asks, read.names) == ((), (), model.classes)
    assert read.model is not None
    assert read.model.preprocessing == model.preprocessing
    pixels = _pixels(24)
    assert np.abs(read.model.probabilities(pixels) - model.probabilities(pixels)).max() <= _ROUND_TRIP


_BENDS: list[d.Layer] = [
    d.ReLU(), d.LeakyReLU(slope=0.1), d.ClippedReLU(limit=4.0), d.SiLU(), d.Tanh(), d.Sigmoid(), d.HardSigmoid(),
    d.HardSwish(),
]  # fmt: skip


def _pools_of(edge: str) -> list[d.Layer]:
    return [d.MaxPool(kernel=2, stride=2, edge=edge), d.AveragePool(kernel=2, stride=2, edge=edge)]


@st.composite
def _networks(draw: st.DrawFn) -> NetworkDescription:
    """Random layers, with branches that meet again; whatever does not fit is left out."""
    layers: list[d.Layer] = []
    side, channels = 20, 3

    def add(layer: d.Layer) -> None:
        layers.append(layer)

    for step in range(draw(st.integers(1, 6))):
        kind = draw(st.sampled_from(["conv", "depthwise", "norm", "bend", "pool", "pad", "add", "concat", "gate"]))
        edge = draw(st.sampled_from(["keep", "cut"]))
        if kind == "conv":
            groups = draw(st.sampled_from([g for g in (1, 2, 3) if channels % g == 0]))
            made, stride = groups * draw(st.integers(1, 4)), draw(st.integers(1, 2))
            add(d.Conv(channels=made, kernel=draw(st.integers(1, 3)), stride=stride, edge="keep", groups=groups,
                       dilation=draw(st.integers(1, 2)), bias=draw(st.booleans())))  # fmt: skip
            side, channels = -(-side // stride), made
        elif kind == "depthwise" and channels > 1:
            add(d.DepthwiseConv(kernel=3, bias=draw(st.booleans())))
        elif kind == "norm":
            add(d.BatchNorm())
        elif kind == "bend":
            add(draw(st.sampled_from(_BENDS)))
        elif kind == "pool" and side >= 4:
            add(draw(st.sampled_from(_pools_of(edge))))
            side = -(-side // 2) if edge == "keep" else side // 2
        elif kind == "pad":
            add(d.Pad(top=1, bottom=0, left=2, right=1))
            add(d.Conv(channels=channels, kernel=2, edge="cut"))
            side = 0  # no square any more
            break
        elif kind in ("add", "concat") and layers:
            before = f"b{step}"
            layers[-1] = type(layers[-1])(**{**vars(layers[-1]), "id": before})
            add(d.Conv(id=f"t{step}", channels=channels, kernel=3))
            add(d.Add(inputs=(before, f"t{step}")) if kind == "add" else d.Concat(inputs=(f"t{step}", before)))
            channels *= 1 if kind == "add" else 2
        elif kind == "gate" and layers:
            before = f"b{step}"
            layers[-1] = type(layers[-1])(**{**vars(layers[-1]), "id": before})
            add(d.GlobalAveragePool(keep_sides=True))
            add(d.Conv(channels=channels, kernel=1))
            add(d.Sigmoid(id=f"g{step}"))
            add(d.Multiply(inputs=(before, f"g{step}")))
    add(d.GlobalAveragePool() if draw(st.booleans()) else d.Flatten())
    if draw(st.booleans()):
        add(d.Dense(outputs=7))
        add(d.BatchNorm())
        add(d.Dropout())
    add(d.Dense())
    return NetworkDescription(name="random", layers=tuple(layers))


@given(_networks(), st.integers(0, 1000))
@settings(max_examples=40)
def test_random_networks_go_out_and_come_back_in(network: NetworkDescription, seed: int) -> None:
    before = Preprocessing(size=20)
    description = resolved(network, before.input_shape, 3)
    random = np.random.default_rng(seed)
    weights = {
        key: (np.abs(value) + 0.2 if key.endswith("variance") else value + random.normal(0, 0.2, value.shape)).astype(
            np.float32
        )
        for key, value in Network(description, seed).state().items()
    }
    model = Model(
        description=description, weights=weights, classes=_NAMES, preprocessing=before, statistics=_model().statistics
    )
    read = _read(onnx_bytes(model))
    assert read.refused == ()
    assert read.model is not None
    pixels = _pixels(20)
    assert np.abs(read.model.probabilities(pixels) - model.probabilities(pixels)).max() <= _ROUND_TRIP


def test_a_pack_brings_its_classes_and_steps() -> None:
    model = _model()
    pack, _ = proven_pack(model, [(p.ending, p.data) for p in _pictures(32)], {"name": "snow"})
    read = _read(pack, Answers())
    assert (read.asks, read.names) == ((), model.classes)
    assert read.model is not None
    assert read.model.preprocessing == model.preprocessing


# As other programs write them.


def _plain() -> Sketch:
    sketch = Sketch()
    sketch.conv(8, 3, pads=[1, 1, 1, 1], strides=[2, 2])
    sketch.norm(8)
    sketch.put("Relu")
    return sketch


def _flattened() -> bytes:
    sketch = _plain()
    sketch.put("Flatten")
    sketch.dense(10, 8 * 8 * 8)
    sketch.put("Relu")
    sketch.dense(3, 10)
    return sketch.bytes()


def _norm_between_flatten_and_dense() -> bytes:
    sketch = _plain()
    sketch.put("Flatten")
    sketch.norm(512)
    sketch.put("Dropout")
    sketch.dense(3, 512)
    return sketch.bytes()


def _computed_shape() -> bytes:
    sketch = _plain()
    maps = sketch.now
    shape = sketch.put("Shape")
    count = sketch.put("Gather", sketch.constant(0, np.int64), fed=shape, axis=0)
    sketch.put("Unsqueeze", sketch.constant([0], np.int64), fed=count)
    target = sketch.put("Concat", sketch.constant([-1], np.int64), axis=0)
    sketch.put("Reshape", target, fed=maps)
    sketch.dense(3, 512)
    return sketch.bytes()


def _matmul_and_softmax() -> bytes:
    sketch = _plain()
    sketch.put("ReduceMean", axes=[2, 3], keepdims=0)
    sketch.put("MatMul", sketch.constant(sketch.random.normal(0, 1, (8, 3))))
    sketch.put("Add", sketch.constant([0.1, -0.4, 0.2]))
    sketch.put("Softmax", axis=1)
    return sketch.bytes()


def _channels_last() -> bytes:
    sketch = Sketch(("N", 16, 16, 3))
    sketch.put("Sub", sketch.constant([0.5, 0.4, 0.3]))
    sketch.put("Mul", sketch.constant([2.0, 3.0, 4.0]))
    sketch.put("Transpose", perm=[0, 3, 1, 2])
    sketch.conv(6, 3, auto_pad="SAME_UPPER", strides=[2, 2])
    sketch.put("Transpose", perm=[0, 2, 3, 1])
    sketch.put("Mul", sketch.constant(sketch.random.uniform(0.5, 1, 6)))
    sketch.put("Add", sketch.constant(sketch.random.normal(0, 0.2, (1, 1, 1, 6))))
    sketch.put("Relu")
    sketch.put("Reshape", sketch.constant([-1, 8 * 8 * 6], np.int64))
    sketch.dense(3, 8 * 8 * 6)
    return sketch.bytes()


def _gates_and_branches() -> bytes:
    sketch = _plain()
    start = sketch.now
    sketch.put("Sigmoid")
    sketch.put("Mul", fed=start)
    sketch.nodes[-1].input.append("v4")
    gated = sketch.now
    sketch.put("GlobalAveragePool")
    sketch.conv(8, 8, 1)
    factor = sketch.put("HardSigmoid", alpha=1 / 6, beta=0.5)
    sketch.put("Mul", gated, fed=factor)
    joined = sketch.now
    sketch.conv(4, 8, 1)
    sketch.put("Concat", joined, axis=1)
    sketch.put("GlobalAveragePool")
    sketch.put("Squeeze", sketch.constant([2, 3], np.int64))
    sketch.dense(3, 12)
    return sketch.bytes()


def _pools() -> bytes:
    sketch = _plain()
    sketch.put("MaxPool", kernel_shape=[3, 3], strides=[2, 2], pads=[1, 1, 1, 1])
    sketch.put("AveragePool", kernel_shape=[3, 3], strides=[1, 1], pads=[1, 1, 1, 1], count_include_pad=1)
    sketch.put("AveragePool", kernel_shape=[3, 3], strides=[1, 1], pads=[1, 1, 1, 1])
    sketch.put("Flatten")
    sketch.dense(3, 8 * 16)
    return sketch.bytes()


def _lowest_opset() -> bytes:
    sketch = Sketch((1, 3, 16, 16))
    sketch.conv(8, 3, 5, pads=[2, 2, 2, 2], bias=False)
    sketch.put("Clip", min=0.0, max=6.0)
    sketch.put("Pad", mode="constant", pads=[0, 0, 1, 0, 0, 0, 0, 2])
    sketch.conv(8, 8, 3, group=8)
    sketch.put("GlobalAveragePool")
    sketch.put("Reshape", sketch.constant([1, -1], np.int64))
    sketch.dense(3, 8)
    sketch.put("Softmax")
    return sketch.bytes(opset=7)


def _newest_opset() -> bytes:
    sketch = _plain()
    sketch.put("Clip", sketch.constant(0.0), sketch.constant(3.0))
    sketch.put("Pad", sketch.constant([0, 0, 1, 1, 0, 0, 1, 1], np.int64))
    sketch.conv(5, 8, 3, dilations=[2, 2])
    sketch.put("HardSwish")
    sketch.put("ReduceMean", sketch.constant([2, 3], np.int64), keepdims=1)
    sketch.put("Flatten")
    sketch.dense(3, 5)
    sketch.put("LogSoftmax", axis=-1)
    return sketch.bytes(opset=21)


_WRITTEN: dict[str, Callable[[], bytes]] = {
    "channels first, flattened": _flattened,
    "a norm between flattening and dense": _norm_between_flatten_and_dense,
    "a shape that is computed": _computed_shape,
    "products, sums and a softmax": _matmul_and_softmax,
    "channels last, with a scale of its own": _channels_last,
    "gates and branches": _gates_and_branches,
    "pools with pads": _pools,
    "opset 7, one picture at a time": _lowest_opset,
    "opset 21": _newest_opset,
}


@pytest.mark.parametrize("scale", ["plain", "unit", "signed", "deviation"])
def test_values_are_scaled_as_a_person_says(scale: str) -> None:
    # Of 0 to 255 a graph that was made for small numbers makes large ones, and single precision shows.
    assert _off(_flattened(), Answers(scale=scale, classes=_NAMES)) <= (1e-4 if scale == "plain" else _ROUND_TRIP)


@pytest.mark.parametrize("written", _WRITTEN.values(), ids=_WRITTEN)
def test_graphs_of_other_programs_answer_as_the_runtime_says(written: Callable[[], bytes]) -> None:
    assert _off(written()) <= _ROUND_TRIP


def test_channels_may_be_blue_first_and_one_alone() -> None:
    assert _off(_flattened(), Answers(blue_first=True, scale="deviation", classes=_NAMES)) <= _ROUND_TRIP
    grey = Sketch(("N", 1, 16, 16))
    grey.conv(4, 1, pads=[1, 1, 1, 1])
    grey.put("Relu")
    grey.put("Flatten")
    grey.dense(3, 4 * 256)
    assert _off(grey.bytes(), channels=1) <= _ROUND_TRIP


def test_an_open_size_is_asked_and_names_that_are_missing_too() -> None:
    sketch = Sketch(("N", 3, "H", "W"))
    sketch.conv(8, 3, pads=[1, 1, 1, 1])
    sketch.put("GlobalAveragePool")
    sketch.put("Flatten")
    sketch.dense(3, 8)
    asked = _read(sketch.bytes(), Answers())
    assert (asked.asks, asked.size, asked.model) == (("preprocessing", "size", "classes"), 0, None)
    half = _read(sketch.bytes(), Answers(size=24))
    assert (half.outputs, half.size, half.model) == (3, 24, None)
    assert _off(sketch.bytes(), Answers(size=24, classes=_NAMES), side=24) <= _ROUND_TRIP


# What is refused, and how.


def _of(*build: Any) -> bytes:
    sketch = _plain()
    for kind, more, attributes in build:
        sketch.put(kind, *more, **attributes)
    sketch.put("GlobalAveragePool")
    sketch.put("Flatten")
    sketch.dense(3, 8)
    return sketch.bytes()


def test_what_cannot_be_taken_is_listed_whole() -> None:
    sketch = _plain()
    sketch.put("Erf")
    sketch.put("Relu")
    sketch.put("InstanceNormalization", sketch.weights(8), sketch.weights(8))
    sketch.put("GlobalAveragePool")
    sketch.put("Flatten")
    sketch.dense(3, 8)
    refused = _read(sketch.bytes()).refused
    # What only hangs on something that was refused is not counted among it.
    assert [(entry.operator, entry.node) for entry in refused] == [
        ("Erf", "erf_4"),
        ("InstanceNormalization", "instancenormalization_6"),
    ]
    assert all("does not have" in entry.why for entry in refused)


@pytest.mark.parametrize(
    ("build", "words"),
    [
        ([("LeakyRelu", (), {"alpha": 1.5})], "slope of 1.5"),
        ([("HardSigmoid", (), {"alpha": 0.2})], "rises by 0.2"),
        ([("MaxPool", (), {"kernel_shape": [2, 3]})], "the same sideways and down"),
        ([("Transpose", (), {"perm": [0, 1, 3, 2]})], "turns the axes"),
        ([("Softmax", (), {"axis": 1})], "something else than classes"),
        ([("Pad", (), {"mode": "reflect"})], "pads in a way"),
        ([("Conv", (), {})], "begin|constants|operator has to be"),
    ],
)
def test_what_the_core_does_not_have_is_said(build: list[Any], words: str) -> None:
    (first, *_) = _read(_of(*build)).refused
    assert any(part in first.why for part in words.split("|")), first.why


def test_the_end_must_be_one_answer_of_several_classes() -> None:
    sketch = _plain()
    sketch.put("GlobalAveragePool")
    sketch.put("Flatten")
    sketch.dense(3, 8)
    sketch.put("Sigmoid")
    assert "probability of its own" in _read(sketch.bytes()).refused[0].why
    maps = _plain()
    assert "not one value" in _read(maps.bytes()).refused[0].why


@pytest.mark.parametrize(
    ("answers", "words"),
    [
        (Answers(classes=("a", "A", "b")), "one name"),
        (Answers(classes=("a", " ", "b")), "one name"),
        (Answers(classes=_NAMES, scale="odd"), "scale"),
        (Answers(classes=_NAMES, scale="deviation", deviation=(0.1, 0.0, 1.0)), "deviation"),
        (Answers(classes=_NAMES, scale="deviation", mean=(0.1,)), "3 of each"),
        (Answers(classes=_NAMES, fit="odd"), "fit"),
    ],
)
def test_answers_that_cannot_be_are_refused(answers: Answers, words: str) -> None:
    with pytest.raises(SettingError, match=words):
        _read(_flattened(), answers)


def _changed(change: Callable[[onnx.ModelProto], None]) -> bytes:
    model = onnx.load_model_from_string(_flattened())
    change(model)
    return bytes(model.SerializeToString())


def _external(model: onnx.ModelProto) -> None:
    model.graph.initializer[0].ClearField("raw_data")
    model.graph.initializer[0].data_location = TensorProto.EXTERNAL
    entry = model.graph.initializer[0].external_data.add()
    entry.key, entry.value = "location", "../../../../etc/passwd"


def _sparse(model: onnx.ModelProto) -> None:
    model.graph.sparse_initializer.add()


def _custom(model: onnx.ModelProto) -> None:
    model.graph.node[0].domain = "somebody.else"
    model.opset_import.append(helper.make_opsetid("somebody.else", 1))


def _huge(model: onnx.ModelProto) -> None:
    model.graph.initializer[0].dims[:] = [2**40, 2**40]


def _infinite(model: onnx.ModelProto) -> None:
    values = numpy_helper.to_array(model.graph.initializer[0]).copy()
    values.flat[0] = np.inf
    model.graph.initializer[0].CopyFrom(numpy_helper.from_array(values, model.graph.initializer[0].name))


def _two_outputs(model: onnx.ModelProto) -> None:
    model.graph.output.append(helper.make_tensor_value_info("v1", TensorProto.FLOAT, None))


def _half_floats(model: onnx.ModelProto) -> None:
    model.graph.input[0].type.tensor_type.elem_type = TensorProto.FLOAT16


def _no_square(model: onnx.ModelProto) -> None:
    model.graph.input[0].type.tensor_type.shape.dim[2].dim_value = 18


def _old(model: onnx.ModelProto) -> None:
    model.opset_import[0].version = 3


def _bad_words(model: onnx.ModelProto) -> None:
    helper.set_model_props(model, {"preprocessing": '{"size": "very", "fit": 3}'})


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (_external, "another file"), (_sparse, "sparse"), (_custom, "operators of somebody.else"), (_huge, "shape"),
        (_infinite, "infinity"), (_two_outputs, "2 outputs"), (_half_floats, "float16"), (_no_square, "18 × 16"),
        (_old, "opset 3"), (_bad_words, "preprocessing"),
    ],
)  # fmt: skip
def test_files_that_must_not_be_read_say_why(change: Callable[[onnx.ModelProto], None], words: str) -> None:
    with pytest.raises(InputError, match=words):
        _read(_changed(change))


def test_packs_and_files_that_are_none_say_so() -> None:
    empty = io.BytesIO()
    with zipfile.ZipFile(empty, "w") as archive:
        archive.writestr("notes.txt", "none")
    for data in (b"", b"no network", empty.getvalue(), empty.getvalue()[:-20], json.dumps({"a": 1}).encode()):
        with pytest.raises(InputError):
            _read(data)


def test_a_graph_that_grows_without_end_is_stopped() -> None:
    sketch = _plain()
    for _ in range(60):
        sketch.put("Concat", sketch.now, axis=1)
    sketch.put("GlobalAveragePool")
    sketch.put("Flatten")
    sketch.dense(3, 8)
    assert "values of one picture" in _read(sketch.bytes()).refused[0].why


def _damaged(whole: bytes, random: chance.Random) -> bytes:
    """Bytes changed, cut out, put in twice, or the end cut off."""
    data = bytearray(whole)
    for _ in range(random.randint(1, 12)):
        at = random.randrange(len(data) or 1)
        kind = random.randrange(4)
        if kind == 0 and data:
            data[at] = random.randrange(256)
        elif kind == 1:
            del data[at : at + random.randint(1, 40)]
        elif kind == 2:
            data[at:at] = data[max(0, at - 30) : at]
        else:
            data = data[: max(1, at)]
    return bytes(data)


def _twisted(random: chance.Random) -> bytes:
    """A graph whose nodes, attributes and constants say other things than they should."""
    model = onnx.load_model_from_string(random.choice(list(_WRITTEN.values()))())
    graph = model.graph
    for _ in range(random.randint(1, 4)):
        node = random.choice(graph.node)
        kind = random.randrange(7)
        if kind == 0:
            node.op_type = random.choice(["Conv", "Gemm", "Add", "Concat", "Reshape", "Flatten", "MaxPool", "Erf", ""])
        elif kind == 1 and node.input:
            node.input[random.randrange(len(node.input))] = random.choice(graph.node).output[0]
        elif kind == 2 and node.attribute:
            entry = random.choice(node.attribute)
            entry.CopyFrom(helper.make_attribute(entry.name, random.choice([-7, 3.5, "text", [9, 9], [2.5], [1] * 9])))
        elif kind == 3:
            constant = random.choice(graph.initializer)
            shape = [random.choice([0, 1, 3, 7]) for _ in range(random.randint(0, 4))]
            values = np.full(shape, random.choice([0.0, -1.0, 1e18]), random.choice([np.float32, np.int64]))
            constant.CopyFrom(numpy_helper.from_array(values, constant.name))
        elif kind == 4:
            del node.input[:]
        elif kind == 5:
            graph.node.append(node)
        else:
            node.output[0] = random.choice(graph.node).output[0]
    return bytes(model.SerializeToString())


@pytest.mark.parametrize("part", range(5))
def test_five_hundred_damaged_and_hostile_files_end_in_words(part: int) -> None:
    random = chance.Random(part)
    whole = [written() for written in _WRITTEN.values()]
    told = 0
    for number in range(100):
        data = _twisted(random) if number % 2 else _damaged(random.choice(whole), random)
        try:
            read = _read(data)
        except OrchardError as error:
            assert error.what
            assert error.mend
            told += 1
            continue
        # What happens to hold together still is a network; all else is listed.
        told += bool(read.refused) and all(entry.why for entry in read.refused)
    assert told > 40
