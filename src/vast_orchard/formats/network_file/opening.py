"""Opens a network file: what is no graph of plain operators, or too large, is refused before anything is made of it."""

import io
import json
import zipfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import onnx
from google.protobuf.message import DecodeError
from onnx import TensorProto, numpy_helper

from vast_orchard.core.arrays import Array
from vast_orchard.errors import InputError

__all__ = ["LARGEST_BYTES", "OPSETS", "Graph", "GraphInput", "Opened", "open_network_file", "tensor_values"]

# Far above any network that a processor trains; a larger file is something else.
LARGEST_BYTES = 256 * 1024 * 1024
_MOST_NODES = 5000
_MOST_NUMBERS = 64_000_000
# From where inference of the operators that are read means the same until the newest that was looked through.
OPSETS = range(7, 24)

_PACK = "model.onnx"
_FACTS = "model.json"
_MEND = "Export it anew, as one ONNX file of standard operators."
_NUMBERS = {
    TensorProto.FLOAT, TensorProto.DOUBLE, TensorProto.FLOAT16, TensorProto.UINT8, TensorProto.INT8,
    TensorProto.INT32, TensorProto.INT64, TensorProto.BOOL,
}  # fmt: skip
_INPUTS: dict[int, np.dtype[Any]] = {
    TensorProto.FLOAT: np.dtype(np.float32),
    TensorProto.DOUBLE: np.dtype(np.float64),
    TensorProto.UINT8: np.dtype(np.uint8),
}


@dataclass(frozen=True, kw_only=True)
class GraphInput:
    """What a graph takes."""

    name: str
    dtype: np.dtype[Any]
    sides: tuple[int, int, int, int]  # as the file says; 0 where it leaves a side open


@dataclass(frozen=True, kw_only=True)
class Graph:
    """A graph that was looked through."""

    nodes: tuple[onnx.NodeProto, ...]
    constants: dict[str, Array] = field(default_factory=dict)
    input: GraphInput
    output: str
    opset: int
    producer: str


@dataclass(frozen=True, kw_only=True)
class Opened:
    """A network file, with what it says of itself."""

    graph: Graph
    content: bytes  # of the ONNX file
    facts: Mapping[str, Any]  # `classes`, `preprocessing`, `unsure_below`, as far as they are said


def open_network_file(name: str, data: bytes) -> Opened:
    """Read an ONNX file, or a pack that holds one.

    Raises
    ------
    InputError
        It is neither, is damaged or too large, or holds what is not read: the message says what.
    """
    if len(data) > LARGEST_BYTES:
        raise InputError(f"{name} has {len(data) / 1e6:.0f} MB.", f"A network has at most {LARGEST_BYTES / 1e6:.0f}.")
    facts: dict[str, Any] = {}
    if data[:4] == b"PK\x03\x04":
        data, facts = _from_pack(name, data)
    model = _parsed(name, data)
    said = {entry.key: entry.value for entry in model.metadata_props}
    for key in ("classes", "preprocessing", "unsure_below"):
        if key in said and key not in facts:
            facts[key] = _json(name, f"metadata {key}", said[key])
    if "model" in said:
        whole = _json(name, "metadata model", said["model"])
        facts = {**(whole if isinstance(whole, dict) else {}), **facts}
    return Opened(graph=_graph(name, model), content=data, facts=facts)


def _json(name: str, what: str, text: str | bytes) -> Any:
    try:
        return json.loads(text)
    except (ValueError, RecursionError) as error:
        raise InputError(f"The {what} of {name} cannot be read as JSON.", "Take it out, or export anew.") from error


def _from_pack(name: str, data: bytes) -> tuple[bytes, dict[str, Any]]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            inside = {entry.filename: entry for entry in archive.infolist()}
            if _PACK not in inside:
                raise InputError(f"No {_PACK} lies in {name}.", "Choose a pack that was handed over, or an ONNX file.")
            if inside[_PACK].file_size > LARGEST_BYTES or (
                _FACTS in inside and inside[_FACTS].file_size > LARGEST_BYTES // 64
            ):
                raise InputError(f"What lies in {name} is too large.", f"A network has at most {LARGEST_BYTES} bytes.")
            content = archive.read(_PACK)
            facts = _json(name, _FACTS, archive.read(_FACTS)) if _FACTS in inside else {}
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError, ValueError) as error:
        raise InputError(f"{name} cannot be opened as a zip ({str(error)[:80]}).", "Copy it again.") from error
    return content, facts if isinstance(facts, dict) else {}


def _parsed(name: str, data: bytes) -> onnx.ModelProto:
    try:
        model = onnx.load_model_from_string(data)
    except (DecodeError, ValueError, RecursionError) as error:
        raise InputError(f"{name} is no ONNX file, or is damaged.", "Choose one, and all of it.") from error
    if not model.graph.node:
        raise InputError(f"{name} holds no graph.", "Choose an ONNX file, and all of it.")
    return model


def _graph(name: str, model: onnx.ModelProto) -> Graph:
    graph = model.graph
    if model.functions or any(node.domain not in ("", "ai.onnx") for node in graph.node):
        others = sorted({node.domain for node in graph.node} - {"", "ai.onnx"}) or ["functions of its own"]
        raise InputError(f"{name} uses operators of {', '.join(others)[:200]}.", _MEND)
    opset = max((entry.version for entry in model.opset_import if entry.domain in ("", "ai.onnx")), default=0)
    if opset not in OPSETS:
        raise InputError(
            f"{name} is written in opset {opset}.", f"Export it in opset {OPSETS[0]} to {OPSETS[-1]}; 17 will do."
        )
    if len(graph.node) > _MOST_NODES:
        raise InputError(f"{name} has {len(graph.node):,} nodes.", f"Keep to {_MOST_NODES:,}.")
    if graph.sparse_initializer:
        raise InputError(f"{name} has sparse weights.", "Export it with plain ones.")
    constants = _constants(name, graph.initializer)
    taken = [entry for entry in graph.input if entry.name not in constants]
    if len(taken) != 1 or len(graph.output) != 1:
        names = [entry.name for entry in (taken if len(taken) != 1 else graph.output)]
        what = "inputs" if len(taken) != 1 else "outputs"
        raise InputError(
            f"{name} has {len(names)} {what} ({', '.join(names)[:200]}).",
            "Export it with one, the picture." if what == "inputs" else "Export it with one, a value for each class.",
        )
    return Graph(
        nodes=tuple(graph.node),
        constants=constants,
        input=_input(name, taken[0]),
        output=graph.output[0].name,
        opset=opset,
        producer=f"{model.producer_name} {model.producer_version}".strip()[:80],
    )


def _constants(name: str, tensors: Iterable[TensorProto]) -> dict[str, Array]:
    """Values by name, floating ones as float32."""
    constants: dict[str, Array] = {}
    left = _MOST_NUMBERS
    for tensor in tensors:
        constants[tensor.name] = tensor_values(name, tensor)
        left -= constants[tensor.name].size
        if left < 0:
            raise InputError(f"{name} holds more than {_MOST_NUMBERS:,} numbers.", "Choose a smaller network.")
    return constants


def tensor_values(name: str, tensor: TensorProto) -> Array:
    """What a tensor in the file holds.

    Raises
    ------
    InputError
        It lies elsewhere, is not of numbers, or holds others than it says.
    """
    what = f"The weights {tensor.name[:80]!r} of {name}"
    if tensor.data_location == TensorProto.EXTERNAL or tensor.external_data:
        raise InputError(f"{what} lie in another file.", "Export it as one file.")
    if tensor.data_type not in _NUMBERS:
        raise InputError(f"{what} are of a type that is not read.", "Export it in float32.")
    count = int(np.prod([int(side) for side in tensor.dims], dtype=object)) if tensor.dims else 1
    if min(tensor.dims, default=0) < 0 or count > _MOST_NUMBERS:
        raise InputError(f"{what} have the shape {list(tensor.dims)[:8]}.", "Choose another file.")
    try:
        values = np.asarray(numpy_helper.to_array(tensor))
    except (ValueError, TypeError, KeyError) as error:
        raise InputError(f"{what} are not whole: {str(error)[:120]}.", "Copy the file again.") from error
    if values.dtype.kind != "f":
        return values
    values = values.astype(np.float32)
    if not np.isfinite(values).all():
        raise InputError(f"{what} hold infinity or not-a-number.", "Train it again; nothing can be answered by it.")
    return values


def _input(name: str, entry: onnx.ValueInfoProto) -> GraphInput:
    kind = entry.type.tensor_type
    if kind.elem_type not in _INPUTS:
        raise InputError(
            f"{name} takes {TensorProto.DataType.Name(kind.elem_type).lower()} values."
            if kind.elem_type in TensorProto.DataType.values()
            else f"{name} does not say what values it takes.",
            "Export it with an input of float32 or uint8.",
        )
    sides = tuple(side.dim_value if side.HasField("dim_value") else 0 for side in kind.shape.dim)
    if len(sides) != 4 or min(sides) < 0 or max(sides) > 100_000:
        raise InputError(
            f"{name} takes values of shape {list(sides)[:8]}.",
            "Export it for pictures: number, channels, height, width.",
        )
    return GraphInput(name=entry.name, dtype=_INPUTS[kind.elem_type], sides=(sides[0], sides[1], sides[2], sides[3]))
