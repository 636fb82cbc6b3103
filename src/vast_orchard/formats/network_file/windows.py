"""What slides a window over maps, or averages them: convolutions, pooling, padding."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.plan import Shape
from vast_orchard.core.ops.window import Window
from vast_orchard.formats.network_file.given import Given
from vast_orchard.formats.network_file.values import Mistake, Value
from vast_orchard.formats.network_file.work import Operator, Work

__all__ = ["WINDOWS"]


def _conv(work: Work, given: Given) -> Value:
    value, weights = given.first(), given.numbers(1, "weights")
    if not value.maps or value.last or weights.ndim != 4:
        raise Mistake("is no convolution over height and width")
    made, group_in, *kernel = weights.shape
    groups = given.whole("group", 1)
    if kernel[0] != kernel[1] or group_in * groups != value.channels or made % max(groups, 1):
        raise Mistake(f"has weights of shape {list(weights.shape)} over {value.channels} channels")
    stride, dilation = given.one_of_two("strides"), given.one_of_two("dilations")
    bias = given.maybe(2)
    value, edge = _edged(work, given, value, Window(size=kernel[0], stride=stride, dilation=dilation), fill=None)
    numbers: dict[str, Array] = {"weights": weights.transpose(2, 3, 1, 0)}
    if bias is not None:
        numbers["bias"] = bias.reshape(-1)
        if len(numbers["bias"]) != made:
            raise Mistake(f"has a bias of {bias.size} numbers for {made} channels")
    window = {"kernel": kernel[0], "stride": stride, "dilation": dilation, "edge": edge, "bias": bias is not None}
    alone = groups == value.channels == made and groups > 1
    layer = d.DepthwiseConv(**window) if alone else d.Conv(channels=made, groups=groups, **window)
    like = replace(value, shape=(*_slid(value.shape, _window(layer)), made), least=-np.inf)
    return work.add(layer, [value], like, numbers)


def _edged(work: Work, given: Given, value: Value, window: Window, fill: float | None) -> tuple[Value, str]:
    """A value with the zeros that a sliding window needs, and the edge that is left to say.

    `fill` is the least value that a padding may have; None: it is zeros.
    """
    pads = given.pads(value.shape, window)
    if not any(pads):
        return value, "cut"
    if _keeps(pads, value, window):
        return value, "keep"
    if min(pads) < 0:
        raise Mistake("cuts off parts of its input")
    if fill is not None and value.least < 0:
        raise Mistake("pads values below zero in a way that the core does not have")
    top, bottom, left, right = pads
    return work.padded(value, top, bottom, left, right), "cut"


def _pad(work: Work, given: Given) -> Value:
    value = given.first()
    mode, filled = given.text("mode", "constant"), given.maybe(2)
    fill = float(filled.reshape(())) if filled is not None and filled.size == 1 else given.number("value", 0.0)
    listed = given.maybe(1) if len(given.node.input) > 1 else np.asarray(given.attributes.get("pads", []))
    if given.maybe(3) is not None or listed is None or listed.size != 8 or not value.maps:
        raise Mistake("pads in a way that is not read")
    before, after = [int(n) for n in listed[:4]], [int(n) for n in listed[4:]]
    rows, columns = (1, 2) if value.last else (2, 3)
    others = [n for n in range(4) if n not in (rows, columns)]
    if mode != "constant" or fill or any(before[n] or after[n] for n in others) or min(*before, *after) < 0:
        raise Mistake("pads by something else than zeros above, below and beside")
    return work.padded(value, before[rows], after[rows], before[columns], after[columns])


def _pool(work: Work, given: Given) -> Value:
    value = given.first()
    kernel, stride = given.one_of_two("kernel_shape", 0), given.one_of_two("strides")
    if not value.maps or value.last or given.one_of_two("dilations") != 1 or kernel < 1:
        raise Mistake("is no pooling over height and width that is read")
    window = Window(size=kernel, stride=stride)
    mean = given.node.op_type == "AveragePool"
    counted = bool(given.whole("count_include_pad", 0))
    pads = given.pads(value.shape, window)
    if mean and any(pads):
        value, edge = _mean_edged(work, given, value, window, counted)
    else:
        value, edge = _edged(work, given, value, window, fill=-np.inf)
    layer: d.Layer = (d.AveragePool if mean else d.MaxPool)(kernel=kernel, stride=stride, edge=edge)
    return work.add(layer, [value], replace(value, shape=(*_slid(value.shape, _window(layer)), value.channels)))


def _mean_edged(work: Work, given: Given, value: Value, window: Window, counted: bool) -> tuple[Value, str]:
    """Zeros that count are put there; of those that do not, the core has what keeps the size."""
    pads = given.pads(value.shape, window)
    if not counted and _keeps(pads, value, window):
        return value, "keep"
    if not counted or given.whole("ceil_mode", 0) or min(pads) < 0:
        raise Mistake("pads beside the means in a way that the core does not have")
    return work.padded(value, *pads), "cut"


def _global(work: Work, given: Given) -> Value:
    value = given.first()
    if not value.maps or value.last:
        raise Mistake("averages what has no height and width")
    return _averaged(work, value, keep=True)


def _averaged(work: Work, value: Value, *, keep: bool) -> Value:
    shape: Shape = (1, 1, value.channels) if keep else (value.channels,)
    return work.add(
        d.GlobalAveragePool(keep_sides=keep), [value], replace(value, shape=shape, last=value.last and keep)
    )


def _mean(work: Work, given: Given) -> Value:
    value, listed = given.first(), given.attributes.get("axes", given.maybe(1))
    axes = sorted(int(n) % 4 for n in np.ravel(np.asarray([] if listed is None else listed, np.int64)))
    if not value.maps or axes != ([1, 2] if value.last else [2, 3]):
        raise Mistake(f"averages over the axes {axes}; height and width are read")
    return _averaged(work, value, keep=bool(given.whole("keepdims", 1)))


def _window(layer: d.Layer) -> Window:
    match layer:
        case d.Conv() | d.DepthwiseConv():
            return Window(size=layer.kernel, stride=layer.stride, dilation=layer.dilation, edge=layer.edge)
        case d.MaxPool() | d.AveragePool():
            return Window(size=layer.kernel, stride=layer.stride, edge=layer.edge)
        case _:
            raise TypeError(f"{layer} slides no window")


def _slid(shape: Shape, window: Window) -> tuple[int, int]:
    sides = window.count(shape[0]), window.count(shape[1])
    if min(sides) < 1:
        raise Mistake(f"leaves nothing of maps of {shape[0]} × {shape[1]}")
    return sides


def _keeps(pads: Sequence[int], value: Value, window: Window) -> bool:
    """Whether these zeros are those of an edge that is kept."""
    keep = replace(window, edge="keep")
    return list(pads) == [side for n in (0, 1) for side in keep.pads(value.shape[n])]


WINDOWS: Mapping[str, Operator] = {
    "Conv": _conv, "MaxPool": _pool, "AveragePool": _pool, "GlobalAveragePool": _global, "ReduceMean": _mean,
    "Pad": _pad,
}  # fmt: skip
