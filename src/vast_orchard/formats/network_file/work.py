"""A graph while it is read: what its values and constants are, and the layers so far."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.formats.network_file.given import Given
from vast_orchard.formats.network_file.layering import Layering
from vast_orchard.formats.network_file.opening import Graph
from vast_orchard.formats.network_file.values import Affine, Mistake, Value

__all__ = ["Operator", "Work"]

_NEAR = 1e-4
_MOST_VALUES = 64_000_000  # of one picture


class Work:
    """What operators read and add to.

    Parameters
    ----------
    graph : Graph
    picture : Value
        What it takes.
    readers : mapping
        How many nodes read each name, the end of the graph included.
    """

    def __init__(self, graph: Graph, picture: Value, readers: Mapping[str, int]) -> None:
        self.graph, self.layering = graph, Layering()
        self.constants = dict(graph.constants)
        self.values: dict[str, Value | None] = {graph.input.name: picture}  # None: of what was refused
        self.standardised: Affine | None = None  # what is done to the picture before all else
        self._readers = readers

    def only_reader(self, name: str) -> bool:
        """Whether a name is read by one node alone."""
        return self._readers.get(name, 0) == 1

    def add(
        self, layer: d.Layer, inputs: Sequence[Value], like: Value, numbers: dict[str, Array] | None = None
    ) -> Value:
        """A layer whose values lie in the file as `like` says."""
        if math.prod(like.shape) > _MOST_VALUES:
            raise Mistake(f"makes {math.prod(like.shape):,} values of one picture")
        ids = [self.settled(value).id for value in inputs]
        return replace(like, id=self.layering.add(layer, ids, numbers), affine=None)

    def settled(self, value: Value) -> Value:
        """The value as a layer takes it: what was done to the picture alone becomes its standardising, the only one."""
        if value.is_picture:
            if self.standardised is None:
                self.standardised = value.affine or Affine(times=np.ones(value.channels), plus=np.zeros(value.channels))
            elif not _same_affine(self.standardised, value.affine):
                raise Mistake("takes the picture in another scale than the rest of the graph")
        return value

    def padded(self, value: Value, top: int, bottom: int, left: int, right: int) -> Value:
        """A value with so many zeros on each side."""
        height, width, channels = value.three
        like = replace(
            value, shape=(height + top + bottom, width + left + right, channels), least=min(value.least, 0.0)
        )
        return self.add(d.Pad(top=top, bottom=bottom, left=left, right=right), [value], like)


# Reads a node whose inputs are known; raises `Mistake` where the core has nothing like it.
Operator = Callable[[Work, Given], Value]


def _same_affine(one: Affine, other: Affine | None) -> bool:
    if other is None:
        return bool(np.allclose(one.times, 1) and np.allclose(one.plus, 0))
    return bool(np.allclose(one.times, other.times, rtol=_NEAR) and np.allclose(one.plus, other.plus, rtol=_NEAR))
