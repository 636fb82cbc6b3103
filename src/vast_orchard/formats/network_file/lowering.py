"""From a graph's nodes to layers of the core: every operator that the core has, in either order of channels."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import onnx

from vast_orchard.formats.network_file.bends import BENDS
from vast_orchard.formats.network_file.folding import attributes, constant_of, folded
from vast_orchard.formats.network_file.given import Given
from vast_orchard.formats.network_file.layering import Layering
from vast_orchard.formats.network_file.opening import Graph
from vast_orchard.formats.network_file.products import PRODUCTS
from vast_orchard.formats.network_file.shapes import SHAPES
from vast_orchard.formats.network_file.values import Affine, Mistake, Value
from vast_orchard.formats.network_file.windows import WINDOWS
from vast_orchard.formats.network_file.work import Operator, Work

__all__ = ["Lowered", "Refused", "lower"]

_OPERATORS: Mapping[str, Operator] = {**WINDOWS, **PRODUCTS, **BENDS, **SHAPES}
# What may come behind the softmax.
_PASSING = frozenset({"Flatten", "Reshape", "Squeeze", "Identity", "Dropout", "Cast", "Transpose"})
# What a node raises whose attributes or inputs are of other kinds than its operator says.
_MISUSED = (TypeError, ValueError, IndexError, KeyError, OverflowError, AttributeError, ZeroDivisionError)


@dataclass(frozen=True, kw_only=True)
class Refused:
    """A node that cannot be taken."""

    operator: str
    node: str
    why: str


@dataclass(frozen=True, kw_only=True)
class Lowered:
    """What a graph became; nothing but what is refused, if anything is."""

    layering: Layering
    end: Value | None
    standardised: Affine | None  # what it does to the picture before all else
    refused: tuple[Refused, ...]


def lower(graph: Graph, picture: Value) -> Lowered:
    """Read a graph node by node.

    Parameters
    ----------
    graph : Graph
    picture : Value
        What the graph takes, of sides that are known.

    Returns
    -------
    Lowered
        With all that is refused, not only the first of it.
    """
    return _Lowering(graph, picture).run()


class _Lowering:
    def __init__(self, graph: Graph, picture: Value) -> None:
        self._nodes = _needed(graph)
        readers = Counter(name for node in self._nodes for name in node.input)
        readers[graph.output] += 1
        self._work = Work(graph, picture, readers)

    def run(self) -> Lowered:
        refused: list[Refused] = []
        for node in self._nodes:
            try:
                self._step(node)
                continue
            except Mistake as mistake:
                why = str(mistake)
            except _MISUSED as error:
                why = f"is not as its operator has to be ({str(error)[:80]})"
            refused.append(Refused(operator=node.op_type[:40], node=node.name[:80], why=why[:300]))
            self._work.values.update(dict.fromkeys(node.output, None))
        end = self._work.values.get(self._work.graph.output)
        if not refused and (end is None or end.is_picture):
            refused.append(
                Refused(operator="graph", node=self._work.graph.output[:80], why="gives nothing of the picture")
            )
        return Lowered(
            layering=self._work.layering, end=end, standardised=self._work.standardised, refused=tuple(refused)
        )

    def _step(self, node: onnx.NodeProto) -> None:
        if node.op_type == "Constant":
            self._work.constants[node.output[0]] = constant_of(node)
            return
        used = [name for name in node.input if name]
        if all(name in self._work.constants for name in used) and used:
            inputs = [self._work.constants[name] if name else None for name in node.input]
            self._work.constants[node.output[0]] = folded(node, inputs, self._work.graph.opset)
            return
        unknown = [name for name in used if name not in self._work.constants and name not in self._work.values]
        if unknown:
            raise Mistake(f"reads {unknown[0][:80]!r}, which nothing before it makes")
        kind = _OPERATORS.get(node.op_type)
        if node.op_type == "Shape":
            self._shape_of(node)
            return
        if kind is None:
            raise Mistake("is an operator that the core does not have")
        if any(name in self._work.values and self._work.values[name] is None for name in used):
            self._work.values.update(dict.fromkeys(node.output, None))
            return  # what it reads was refused
        given = Given(
            node=node, attributes=attributes(node), constants=self._work.constants, of_graph=self._work.values
        )
        if node.op_type not in _PASSING and any(value.softmax for value in given.values):
            raise Mistake("comes after a softmax, which is read at the end only")
        self._work.values[node.output[0]] = kind(self._work, given)

    def _shape_of(self, node: onnx.NodeProto) -> None:
        value = self._work.values.get(node.input[0])
        if value is None:
            self._work.values[node.output[0]] = None
            return
        # Zero for the number of pictures: in a shape to bring values to, that is what is there.
        self._work.constants[node.output[0]] = np.array(value.in_file, np.int64)


def _needed(graph: Graph) -> list[onnx.NodeProto]:
    """The nodes that the output is made of, in their order."""
    wanted, found = {graph.output}, []
    for node in reversed(graph.nodes):
        if wanted.intersection(node.output):
            found.append(node)
            wanted.update(node.input)
    return found[::-1]
