"""What computes nothing: values brought to another shape or order, joined, or left as they are."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.formats.network_file.given import Given
from vast_orchard.formats.network_file.values import Mistake, Value
from vast_orchard.formats.network_file.work import Operator, Work

__all__ = ["SHAPES"]

_CHANNELS_LAST, _CHANNELS_FIRST = [0, 2, 3, 1], [0, 3, 1, 2]


def _concat(work: Work, given: Given) -> Value:
    values = given.all_values()
    first, axis = values[0], given.whole("axis", 1)
    wanted = (3 if first.last else 1) if first.maps else 1
    if axis % (4 if first.maps else 2) != wanted or any(
        value.maps != first.maps or (value.maps and value.last != first.last) for value in values
    ):
        raise Mistake("joins something else than channels")
    if any(value.shape[:-1] != first.shape[:-1] for value in values):
        raise Mistake("joins maps of different sides")
    like = replace(
        first, shape=(*first.shape[:-1], sum(value.channels for value in values)), order=_orders_joined(values),
        least=min(value.least for value in values),
    )  # fmt: skip
    return work.add(d.Concat(), values, like)


def _flatten(work: Work, given: Given) -> Value:
    axis = given.whole("axis", 1)
    if axis not in (1, -3 if given.first().maps else -1):
        raise Mistake(f"flattens from axis {axis} on; from 1 on is read")
    return _flat(work, given.first())


def _flat(work: Work, value: Value) -> Value:
    if not value.maps:
        return value
    height, width, channels = value.three
    like = replace(value, shape=(height * width * channels,), last=False)
    if height * width == 1:
        layer = work.layering.last(value.id)
        if isinstance(layer, d.GlobalAveragePool) and layer.keep_sides:
            work.layering.layers[-1] = replace(layer, keep_sides=False)
            return like
    elif not value.last:
        # The core flattens channels last: where each of its values lies in the file.
        like = replace(like, order=np.arange(height * width * channels).reshape(channels, -1).T.reshape(-1))
    return work.add(d.Flatten(), [value], like)


def _reshape(work: Work, given: Given) -> Value:
    value, listed = given.first(), given.maybe(1)
    if listed is None:
        raise Mistake("brings values to a shape that depends on the picture")
    sides = [int(n) for n in np.ravel(listed)]
    own = list(value.in_file)
    # A zero stands for the side that is there, and at the beginning for the number of pictures.
    sides = [own[n] if side == 0 and 0 < n < len(own) else side for n, side in enumerate(sides)]
    count = int(np.prod(value.shape))
    rest = sides[1:]
    if -1 in rest and rest.count(-1) == 1:
        known = int(np.prod([n for n in rest if n != -1]))
        rest[rest.index(-1)] = count // known if known > 0 and count % known == 0 else -1
    if sides and (sides[0] in (-1, 0, 1, work.graph.input.sides[0] or 1)):
        if rest == [count]:
            return _flat(work, value)
        if rest == own[1:]:
            return value
    raise Mistake(f"brings values of shape {own[1:]} to {sides[1:]}")


def _squeeze(work: Work, given: Given) -> Value:
    value, listed = given.first(), given.attributes.get("axes", given.maybe(1))
    axes = sorted(int(n) % 4 for n in np.ravel(np.asarray([] if listed is None else listed, np.int64)))
    if value.maps and value.shape[:2] == (1, 1) and axes in ([1, 2] if value.last else [2, 3], []):
        return _flat(work, value)
    raise Mistake(f"takes out the axes {axes}")


def _transpose(work: Work, given: Given) -> Value:
    value, perm = given.first(), [int(n) for n in given.attributes.get("perm", [])]
    if perm == list(range(4 if value.maps else 2)):
        return value
    if not value.maps or perm != (_CHANNELS_FIRST if value.last else _CHANNELS_LAST):
        raise Mistake(f"turns the axes to {perm}")
    return replace(value, last=not value.last)


def _same(work: Work, given: Given) -> Value:
    if given.node.op_type == "Cast" and given.whole("to", 1) not in (1, 11):
        raise Mistake("makes whole numbers of values")
    return given.first()


def _softmax(work: Work, given: Given) -> Value:
    value, axis = given.first(), given.whole("axis", -1 if work.graph.opset >= 13 else 1)
    rank = 4 if value.maps else 2
    wanted = (3 if value.last else 1) if value.maps else 1
    if (value.maps and value.shape[:2] != (1, 1)) or axis % rank != wanted:
        raise Mistake("is a softmax over something else than classes")
    return replace(value, softmax=True)


def _orders_joined(values: Sequence[Value]) -> Array | None:
    if all(value.order is None for value in values):
        return None
    starts = np.cumsum([0, *(value.channels for value in values)])
    return np.concatenate([
        start + (np.arange(value.channels) if value.order is None else value.order)
        for start, value in zip(starts[:-1], values, strict=True)
    ])  # fmt: skip


SHAPES: Mapping[str, Operator] = {
    "Concat": _concat, "Flatten": _flatten, "Reshape": _reshape, "Squeeze": _squeeze, "Transpose": _transpose,
    "Identity": _same, "Dropout": _same, "Cast": _same, "Softmax": _softmax, "LogSoftmax": _softmax,
}  # fmt: skip
