"""A node of a graph with what is given to it: its inputs and attributes, of the kinds that its operator wants."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import onnx

from vast_orchard.core.arrays import Array
from vast_orchard.core.network.plan import Shape
from vast_orchard.core.ops.window import Window
from vast_orchard.formats.network_file.values import Mistake, Value

__all__ = ["Given"]


@dataclass(frozen=True, kw_only=True)
class Given:
    """A node with what is given to it."""

    node: onnx.NodeProto
    attributes: dict[str, Any]
    constants: Mapping[str, Array]
    of_graph: Mapping[str, Value | None]

    @property
    def values(self) -> list[Value]:
        """Its inputs that are no constants."""
        found = (self.of_graph.get(name) for name in self.node.input)
        return [value for value in found if value is not None]

    def first(self) -> Value:
        """The value that is first among its inputs."""
        value = self.of_graph.get(self.node.input[0]) if self.node.input else None
        if value is None:
            raise Mistake("does not begin with a value of the picture")
        return value

    def all_values(self) -> list[Value]:
        """Its inputs, none of which is a constant."""
        if len(self.values) != len(self.node.input):
            raise Mistake("joins values and constants")
        return self.values

    def maybe(self, place: int) -> Array | None:
        """A constant input, if it is given."""
        if place >= len(self.node.input) or not self.node.input[place]:
            return None
        return self.constants.get(self.node.input[place])

    def numbers(self, place: int, what: str) -> Array:
        """A constant input of floating numbers."""
        found = self.maybe(place)
        if found is None or found.dtype.kind != "f" or not found.size:
            raise Mistake(f"has {what} that are no constants")
        return found

    def whole(self, name: str, default: int) -> int:
        """An attribute that is a whole number."""
        found = self.attributes.get(name, default)
        if not isinstance(found, int):
            raise Mistake(f"has an attribute {name} that is no whole number")
        return found

    def number(self, name: str, default: float) -> float:
        """An attribute that is a number."""
        found = self.attributes.get(name, default)
        if not isinstance(found, int | float) or np.isnan(found):
            raise Mistake(f"has an attribute {name} that is no number")
        return float(found)

    def text(self, name: str, default: str) -> str:
        """An attribute that is a word."""
        return str(self.attributes.get(name, default))

    def one_of_two(self, name: str, default: int = 1) -> int:
        """An attribute of height and width that are the same."""
        found = self.attributes.get(name, [default, default])
        if not isinstance(found, list) or len(found) != 2 or found[0] != found[1] or not 0 <= found[0] <= 4096:
            raise Mistake(f"has {name} {found}; the same sideways and down is read")
        return int(found[0])

    def pads(self, shape: Shape, window: Window) -> list[int]:
        """Zeros above, below, left and right."""
        auto = self.text("auto_pad", "NOTSET")
        if auto in ("SAME_UPPER", "SAME_LOWER"):
            found = [replace(window, edge="keep").pads(shape[n]) for n in (0, 1)]
            return [side for pair in found for side in (pair if auto == "SAME_UPPER" else pair[::-1])]
        listed = [] if auto == "VALID" else self.attributes.get("pads", [])
        if not isinstance(listed, list) or len(listed) not in (0, 4):
            raise Mistake(f"has pads {listed}")
        top, left, bottom, right = listed or (0, 0, 0, 0)
        pads = [int(top), int(bottom), int(left), int(right)]
        if self.whole("ceil_mode", 0):
            for n in (0, 1):
                whole = shape[n] + pads[2 * n] + pads[2 * n + 1] - window.extent
                if whole % window.stride:
                    return self._ceiled(pads, shape, window)
        return pads

    def _ceiled(self, pads: list[int], shape: Shape, window: Window) -> list[int]:
        """With windows that begin inside and end beyond: as many more zeros, which do not count."""
        for n in (0, 1):
            whole = shape[n] + pads[2 * n] + pads[2 * n + 1] - window.extent
            pads[2 * n + 1] += -whole % window.stride
        return pads
