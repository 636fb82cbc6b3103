"""Works out what does not depend on the picture: shapes that a graph computes, and constants made of constants."""

import math
from collections.abc import Sequence

import numpy as np
import onnx
from onnx.reference import ReferenceEvaluator

from vast_orchard.core.arrays import Array
from vast_orchard.formats.network_file.opening import tensor_values
from vast_orchard.formats.network_file.values import Mistake

__all__ = ["attributes", "constant_of", "folded"]

# None of these makes more than it is given, but for the one whose shape is looked at first.
_FOLDED = frozenset({
    "Add", "Cast", "Concat", "ConstantOfShape", "Div", "Gather", "Identity", "Mul", "Neg", "ReduceProd", "Reciprocal",
    "Reshape", "Slice", "Sqrt", "Squeeze", "Sub", "Transpose", "Unsqueeze",
})  # fmt: skip
_MOST_NUMBERS = 1_000_000


def attributes(node: onnx.NodeProto) -> dict[str, object]:
    """A node's attributes by name: numbers, texts, lists of them, tensors."""
    found = {entry.name: onnx.helper.get_attribute_value(entry) for entry in node.attribute}
    return {
        name: value.decode(errors="replace") if isinstance(value, bytes) else value for name, value in found.items()
    }


def constant_of(node: onnx.NodeProto) -> Array:
    """What a Constant holds."""
    given = attributes(node)
    if isinstance(given.get("value"), onnx.TensorProto):
        return tensor_values("the file", given["value"])
    for name, kind in (("value_float", np.float32), ("value_floats", np.float32), ("value_int", np.int64),
                       ("value_ints", np.int64)):  # fmt: skip
        if name in given:
            return np.asarray(given[name], kind)
    raise Mistake("holds a constant that is no number")


def folded(node: onnx.NodeProto, inputs: Sequence[Array | None], opset: int) -> Array:
    """What a node makes of constants.

    Raises
    ------
    Mistake
        It is not one that is folded, or fails.
    """
    if node.op_type not in _FOLDED or len(node.output) != 1:
        raise Mistake("computes with constants in a way that is not read")
    sides = inputs[0] if inputs else None
    if node.op_type == "ConstantOfShape" and (
        sides is None or math.prod(int(side) for side in np.ravel(sides)) > _MOST_NUMBERS
    ):
        raise Mistake("makes too many numbers")
    graph = onnx.helper.make_graph(
        [node],
        "constant",
        [onnx.helper.make_tensor_value_info(name, 0, None) for name in dict.fromkeys(filter(None, node.input))],
        [onnx.helper.make_tensor_value_info(node.output[0], 0, None)],
    )
    model = onnx.helper.make_model(graph, opset_imports=[onnx.helper.make_opsetid("", opset)])
    fed = {name: value for name, value in zip(node.input, inputs, strict=True) if name}
    try:
        (made,) = ReferenceEvaluator(model).run(None, fed)
    except Exception as error:
        raise Mistake(f"cannot be worked out ({str(error)[:80]})") from error
    return np.asarray(made)
