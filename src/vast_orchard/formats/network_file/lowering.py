"""From a graph's nodes to layers of the core: every operator that the core has, in either order of channels."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import onnx

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.plan import Shape
from vast_orchard.core.ops.batch_norm import EPSILON
from vast_orchard.core.ops.window import Window
from vast_orchard.formats.network_file.folding import attributes, constant_of, folded
from vast_orchard.formats.network_file.given import Given
from vast_orchard.formats.network_file.layering import Layering
from vast_orchard.formats.network_file.opening import Graph
from vast_orchard.formats.network_file.values import Affine, Mistake, Value, constant_by_channel

__all__ = ["Lowered", "Refused", "lower"]

_CHANNELS_LAST, _CHANNELS_FIRST = [0, 2, 3, 1], [0, 3, 1, 2]
_NEAR = 1e-4
_MOST_VALUES = 64_000_000  # of one picture
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
        self._graph, self._layering = graph, Layering()
        self._constants = dict(graph.constants)
        self._values: dict[str, Value | None] = {graph.input.name: picture}  # None: of what was refused
        self._nodes = _needed(graph)
        self._standardised: Affine | None = None
        self._readers: dict[str, int] = {graph.output: 1}
        for node in self._nodes:
            for name in node.input:
                self._readers[name] = self._readers.get(name, 0) + 1
        self._kinds: dict[str, Callable[[Given], Value]] = {
            "Conv": self._conv, "BatchNormalization": self._norm, "Gemm": self._gemm, "MatMul": self._matmul,
            "Relu": self._relu, "LeakyRelu": self._leaky, "PRelu": self._leaky, "Clip": self._clip,
            "Sigmoid": self._sigmoid, "Tanh": self._plain(d.Tanh(), -1.0), "HardSigmoid": self._hard_sigmoid,
            "HardSwish": self._plain(d.HardSwish(), -0.375), "MaxPool": self._pool, "AveragePool": self._pool,
            "GlobalAveragePool": self._global, "ReduceMean": self._mean, "Pad": self._pad, "Concat": self._concat,
            "Add": self._joined, "Sum": self._joined, "Sub": self._joined, "Mul": self._joined, "Div": self._joined,
            "Flatten": self._flatten, "Reshape": self._reshape, "Squeeze": self._squeeze,
            "Transpose": self._transpose, "Identity": self._same, "Dropout": self._same, "Cast": self._same,
            "Softmax": self._softmax, "LogSoftmax": self._softmax,
        }  # fmt: skip

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
            self._values.update(dict.fromkeys(node.output, None))
        end = self._values.get(self._graph.output)
        if not refused and (end is None or end.is_picture):
            refused.append(Refused(operator="graph", node=self._graph.output[:80], why="gives nothing of the picture"))
        return Lowered(layering=self._layering, end=end, standardised=self._standardised, refused=tuple(refused))

    def _step(self, node: onnx.NodeProto) -> None:
        if node.op_type == "Constant":
            self._constants[node.output[0]] = constant_of(node)
            return
        used = [name for name in node.input if name]
        if all(name in self._constants for name in used) and used:
            inputs = [self._constants[name] if name else None for name in node.input]
            self._constants[node.output[0]] = folded(node, inputs, self._graph.opset)
            return
        unknown = [name for name in used if name not in self._constants and name not in self._values]
        if unknown:
            raise Mistake(f"reads {unknown[0][:80]!r}, which nothing before it makes")
        kind = self._kinds.get(node.op_type)
        if node.op_type == "Shape":
            self._shape_of(node)
            return
        if kind is None:
            raise Mistake("is an operator that the core does not have")
        if any(name in self._values and self._values[name] is None for name in used):
            self._values.update(dict.fromkeys(node.output, None))
            return  # what it reads was refused
        given = Given(node=node, attributes=attributes(node), constants=self._constants, of_graph=self._values)
        if node.op_type not in _PASSING and any(value.softmax for value in given.values):
            raise Mistake("comes after a softmax, which is read at the end only")
        self._values[node.output[0]] = kind(given)

    def _only_reader(self, name: str) -> bool:
        return self._readers.get(name, 0) == 1

    def _add(
        self, layer: d.Layer, inputs: Sequence[Value], like: Value, numbers: dict[str, Array] | None = None
    ) -> Value:
        """A layer whose values lie in the file as `like` says."""
        if math.prod(like.shape) > _MOST_VALUES:
            raise Mistake(f"makes {math.prod(like.shape):,} values of one picture")
        ids = [self._settled(value).id for value in inputs]
        return replace(like, id=self._layering.add(layer, ids, numbers), affine=None)

    def _settled(self, value: Value) -> Value:
        # What is done to the picture alone becomes part of its standardising, of which there is one.
        if value.is_picture:
            if self._standardised is None:
                self._standardised = value.affine or Affine(
                    times=np.ones(value.channels), plus=np.zeros(value.channels)
                )
            elif not _same_affine(self._standardised, value.affine):
                raise Mistake("takes the picture in another scale than the rest of the graph")
        return value

    # What each operator becomes.

    def _conv(self, given: Given) -> Value:
        value, weights = given.first(), given.numbers(1, "weights")
        if not value.maps or value.last or weights.ndim != 4:
            raise Mistake("is no convolution over height and width")
        made, group_in, *kernel = weights.shape
        groups = given.whole("group", 1)
        if kernel[0] != kernel[1] or group_in * groups != value.channels or made % max(groups, 1):
            raise Mistake(f"has weights of shape {list(weights.shape)} over {value.channels} channels")
        stride, dilation = given.one_of_two("strides"), given.one_of_two("dilations")
        bias = given.maybe(2)
        value, edge = self._edged(given, value, Window(size=kernel[0], stride=stride, dilation=dilation), fill=None)
        numbers: dict[str, Array] = {"weights": weights.transpose(2, 3, 1, 0)}
        if bias is not None:
            numbers["bias"] = bias.reshape(-1)
            if len(numbers["bias"]) != made:
                raise Mistake(f"has a bias of {bias.size} numbers for {made} channels")
        window = {"kernel": kernel[0], "stride": stride, "dilation": dilation, "edge": edge, "bias": bias is not None}
        alone = groups == value.channels == made and groups > 1
        layer = d.DepthwiseConv(**window) if alone else d.Conv(channels=made, groups=groups, **window)
        like = replace(value, shape=(*_slid(value.shape, _window(layer)), made), least=-np.inf)
        return self._add(layer, [value], like, numbers)

    def _edged(self, given: Given, value: Value, window: Window, fill: float | None) -> tuple[Value, str]:
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
        return self._padded(value, top, bottom, left, right), "cut"

    def _padded(self, value: Value, top: int, bottom: int, left: int, right: int) -> Value:
        height, width, channels = _three(value.shape)
        like = replace(
            value, shape=(height + top + bottom, width + left + right, channels), least=min(value.least, 0.0)
        )
        return self._add(d.Pad(top=top, bottom=bottom, left=left, right=right), [value], like)

    def _pad(self, given: Given) -> Value:
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
        return self._padded(value, before[rows], after[rows], before[columns], after[columns])

    def _norm(self, given: Given) -> Value:
        value = given.first()
        gamma, beta, mean, variance = (given.numbers(n, "numbers").reshape(-1).astype(np.float64) for n in range(1, 5))
        if {len(gamma), len(beta), len(mean), len(variance)} != {value.channels} or (value.maps and value.last):
            raise Mistake(f"has other numbers than its {value.channels} channels")
        if given.whole("training_mode", 0):
            raise Mistake("goes by each batch, as in training")
        if variance.min() < 0:
            raise Mistake("has a variance below zero")
        # Another epsilon is laid into the variance; where that is too small for it, into what multiplies.
        wanted = variance + given.number("epsilon", 1e-5)
        if wanted.min() <= 0:
            raise Mistake("divides by zero")
        held = np.maximum(wanted - EPSILON, 0.0)
        gamma = gamma * np.sqrt((held + EPSILON) / wanted)
        numbers = {"gamma": gamma, "beta": beta, "mean": mean, "variance": held}
        if value.order is not None:
            numbers = {key: one[value.order] for key, one in numbers.items()}
        return self._add(d.BatchNorm(), [value], replace(value, least=-np.inf), numbers)

    def _gemm(self, given: Given) -> Value:
        if given.whole("transA", 0):
            raise Mistake("turns its input round")
        weights = given.numbers(1, "weights") * np.float32(given.number("alpha", 1.0))
        weights = weights.T if given.whole("transB", 0) else weights
        bias = given.maybe(2)
        if len(given.node.input) > 2 and given.node.input[2] and bias is None:
            raise Mistake("adds what is no constant")
        return self._dense(given.first(), weights, None if bias is None else bias * given.number("beta", 1.0))

    def _matmul(self, given: Given) -> Value:
        return self._dense(given.first(), given.numbers(1, "weights"), None)

    def _dense(self, value: Value, weights: Array, bias: Array | None) -> Value:
        if value.maps or weights.ndim != 2 or weights.shape[0] != value.channels:
            raise Mistake(f"has weights of shape {list(weights.shape)} over values of shape {list(value.shape)}")
        made = weights.shape[1]
        if value.order is not None:
            weights = weights[value.order]
        numbers: dict[str, Array] = {"weights": weights}
        if bias is not None:
            if bias.size not in (1, made):
                raise Mistake(f"has a bias of {bias.size} numbers for {made} outputs")
            numbers["bias"] = np.broadcast_to(bias.reshape(-1), made)
        like = replace(value, shape=(made,), order=None, least=-np.inf)
        return self._add(d.Dense(outputs=made, bias=bias is not None), [value], like, numbers)

    def _plain(self, layer: d.Layer, least: float) -> Callable[[Given], Value]:
        return lambda given: self._add(layer, [given.first()], replace(given.first(), least=least))

    def _relu(self, given: Given) -> Value:
        return self._plain(d.ReLU(), 0.0)(given)

    def _leaky(self, given: Given) -> Value:
        slope = given.number("alpha", 0.01)
        if given.node.op_type == "PRelu":
            slopes = given.numbers(1, "slopes")
            if np.ptp(slopes) > 0:
                raise Mistake("has a slope of its own for each channel")
            slope = float(slopes.reshape(-1)[0])
        if not 0 <= slope < 1:
            raise Mistake(f"has a slope of {slope:g}")
        return self._plain(d.LeakyReLU(slope=slope) if slope else d.ReLU(), -np.inf if slope else 0.0)(given)

    def _clip(self, given: Given) -> Value:
        ends = [given.maybe(n) for n in (1, 2)]
        low, high = (
            float(np.reshape(end, ())) if end is not None else given.number(name, default)
            for end, name, default in zip(ends, ("min", "max"), (-np.inf, np.inf), strict=True)
        )
        if low != 0 or not high > 0:
            raise Mistake(f"limits values to {low:g} to {high:g}; from 0 on is read")
        return self._plain(d.ClippedReLU(limit=high) if high < 1e30 else d.ReLU(), 0.0)(given)

    def _sigmoid(self, given: Given) -> Value:
        return self._plain(d.Sigmoid(), 0.0)(given)

    def _hard_sigmoid(self, given: Given) -> Value:
        alpha, beta = given.number("alpha", 0.2), given.number("beta", 0.5)
        if abs(alpha - 1 / 6) > 1e-6 or abs(beta - 0.5) > 1e-6:
            raise Mistake(f"rises by {alpha:g} through {beta:g}; 1/6 through 0.5 is read")
        return self._plain(d.HardSigmoid(), 0.0)(given)

    def _pool(self, given: Given) -> Value:
        value = given.first()
        kernel, stride = given.one_of_two("kernel_shape", 0), given.one_of_two("strides")
        if not value.maps or value.last or given.one_of_two("dilations") != 1 or kernel < 1:
            raise Mistake("is no pooling over height and width that is read")
        window = Window(size=kernel, stride=stride)
        mean = given.node.op_type == "AveragePool"
        counted = bool(given.whole("count_include_pad", 0))
        pads = given.pads(value.shape, window)
        if mean and any(pads):
            value, edge = self._mean_edged(given, value, window, counted)
        else:
            value, edge = self._edged(given, value, window, fill=-np.inf)
        layer: d.Layer = (d.AveragePool if mean else d.MaxPool)(kernel=kernel, stride=stride, edge=edge)
        return self._add(layer, [value], replace(value, shape=(*_slid(value.shape, _window(layer)), value.channels)))

    def _mean_edged(self, given: Given, value: Value, window: Window, counted: bool) -> tuple[Value, str]:
        """Zeros that count are put there; of those that do not, the core has what keeps the size."""
        pads = given.pads(value.shape, window)
        if not counted and _keeps(pads, value, window):
            return value, "keep"
        if not counted or given.whole("ceil_mode", 0) or min(pads) < 0:
            raise Mistake("pads beside the means in a way that the core does not have")
        return self._padded(value, *pads), "cut"

    def _global(self, given: Given) -> Value:
        value = given.first()
        if not value.maps or value.last:
            raise Mistake("averages what has no height and width")
        return self._averaged(value, keep=True)

    def _averaged(self, value: Value, *, keep: bool) -> Value:
        shape: Shape = (1, 1, value.channels) if keep else (value.channels,)
        return self._add(
            d.GlobalAveragePool(keep_sides=keep), [value], replace(value, shape=shape, last=value.last and keep)
        )

    def _mean(self, given: Given) -> Value:
        value, listed = given.first(), given.attributes.get("axes", given.maybe(1))
        axes = sorted(int(n) % 4 for n in np.ravel(np.asarray([] if listed is None else listed, np.int64)))
        if not value.maps or axes != ([1, 2] if value.last else [2, 3]):
            raise Mistake(f"averages over the axes {axes}; height and width are read")
        return self._averaged(value, keep=bool(given.whole("keepdims", 1)))

    def _concat(self, given: Given) -> Value:
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
        return self._add(d.Concat(), values, like)

    def _joined(self, given: Given) -> Value:
        """A sum, difference, product or quotient: of values, or of one and a constant."""
        kind, names = given.node.op_type, list(given.node.input)
        constants = [self._constants.get(name) for name in names]
        if all(constant is None for constant in constants):
            return self._product(given) if kind == "Mul" else self._sum(given)
        if len(names) != 2:
            raise Mistake("joins more than a value and a constant")
        place = 0 if constants[1] is not None else 1
        value, constant = self._values[names[place]], constants[1 - place]
        assert value is not None and constant is not None
        by = constant_by_channel(constant, value)
        ones, zeros = np.ones_like(by), np.zeros_like(by)
        if kind == "Div" and (place or not by.all()):
            raise Mistake("divides by zero" if not place else "divides a constant by values")
        steps: dict[str, tuple[FloatArray, FloatArray]] = {
            "Add": (ones, by), "Sum": (ones, by), "Mul": (by, zeros),
            "Sub": (-ones, by) if place else (ones, -by), "Div": (1 / np.where(by, by, 1), zeros),
        }  # fmt: skip
        return self._scaled(value, names[place], *steps[kind])

    def _scaled(self, value: Value, name: str, times: FloatArray, plus: FloatArray) -> Value:
        """A step by channel: part of standardising, of the weights before it, or a batch norm."""
        if value.is_picture and times.min() > 0:
            before = value.affine or Affine(times=np.ones(value.channels), plus=np.zeros(value.channels))
            return replace(value, affine=before.then(times, plus), least=-np.inf)
        like = replace(value, least=-np.inf)
        if not value.is_picture and self._only_reader(name) and self._layering.fold(value.id, times, plus):
            return like
        return replace(like, id=self._layering.scale(self._settled(value).id, times, plus), affine=None)

    def _sum(self, given: Given) -> Value:
        values = given.all_values()
        if given.node.op_type in ("Sub", "Div"):
            raise Mistake("joins two values in a way that the core does not have")
        first = values[0]
        if len(values) < 2 or any(not _alike(first, value) for value in values[1:]):
            raise Mistake("adds values of different shapes")
        return self._add(d.Add(), values, replace(first, least=sum(value.least for value in values)))

    def _product(self, given: Given) -> Value:
        one, other = given.all_values()
        gate = self._silu(given, one, other)
        if gate is not None:
            return gate
        if not _alike(one, other) and one.shape == (1, 1, other.channels):
            one, other = other, one
        if not _alike(one, other) and not (
            one.maps and other.shape == (1, 1, one.channels) and (one.last == other.last)
        ):
            raise Mistake(f"multiplies values of shapes {list(one.shape)} and {list(other.shape)}")
        least = 0.0 if min(one.least, other.least) >= 0 else -np.inf
        return self._add(d.Multiply(), [one, other], replace(one, least=least))

    def _silu(self, given: Given, one: Value, other: Value) -> Value | None:
        """x · sigmoid(x) in one, where nobody else reads the sigmoid."""
        for value, bent, name in ((one, other, given.node.input[1]), (other, one, given.node.input[0])):
            last = self._layering.last(bent.id)
            if isinstance(last, d.Sigmoid | d.HardSigmoid) and self._only_reader(name):
                before = last.inputs or (
                    (self._layering.layers[-2].id,) if len(self._layering.layers) > 1 else (d.INPUT,)
                )
                if before == (value.id,) and not value.is_picture:
                    self._layering.layers.pop()
                    gated = d.SiLU() if isinstance(last, d.Sigmoid) else d.HardSwish()
                    return self._add(gated, [value], replace(value, least=-0.375))
        return None

    def _flatten(self, given: Given) -> Value:
        axis = given.whole("axis", 1)
        if axis not in (1, -3 if given.first().maps else -1):
            raise Mistake(f"flattens from axis {axis} on; from 1 on is read")
        return self._flat(given.first())

    def _flat(self, value: Value) -> Value:
        if not value.maps:
            return value
        height, width, channels = _three(value.shape)
        like = replace(value, shape=(height * width * channels,), last=False)
        if height * width == 1:
            layer = self._layering.last(value.id)
            if isinstance(layer, d.GlobalAveragePool) and layer.keep_sides:
                self._layering.layers[-1] = replace(layer, keep_sides=False)
                return like
        elif not value.last:
            # The core flattens channels last: where each of its values lies in the file.
            like = replace(like, order=np.arange(height * width * channels).reshape(channels, -1).T.reshape(-1))
        return self._add(d.Flatten(), [value], like)

    def _reshape(self, given: Given) -> Value:
        value, listed = given.first(), given.maybe(1)
        if listed is None:
            raise Mistake("brings values to a shape that depends on the picture")
        sides = [int(n) for n in np.ravel(listed)]
        own = list(_in_file(value))
        # A zero stands for the side that is there, and at the beginning for the number of pictures.
        sides = [own[n] if side == 0 and 0 < n < len(own) else side for n, side in enumerate(sides)]
        count = int(np.prod(value.shape))
        rest = sides[1:]
        if -1 in rest and rest.count(-1) == 1:
            known = int(np.prod([n for n in rest if n != -1]))
            rest[rest.index(-1)] = count // known if known > 0 and count % known == 0 else -1
        if sides and (sides[0] in (-1, 0, 1, self._graph.input.sides[0] or 1)):
            if rest == [count]:
                return self._flat(value)
            if rest == own[1:]:
                return value
        raise Mistake(f"brings values of shape {own[1:]} to {sides[1:]}")

    def _squeeze(self, given: Given) -> Value:
        value, listed = given.first(), given.attributes.get("axes", given.maybe(1))
        axes = sorted(int(n) % 4 for n in np.ravel(np.asarray([] if listed is None else listed, np.int64)))
        if value.maps and value.shape[:2] == (1, 1) and axes in ([1, 2] if value.last else [2, 3], []):
            return self._flat(value)
        raise Mistake(f"takes out the axes {axes}")

    def _transpose(self, given: Given) -> Value:
        value, perm = given.first(), [int(n) for n in given.attributes.get("perm", [])]
        if perm == list(range(4 if value.maps else 2)):
            return value
        if not value.maps or perm != (_CHANNELS_FIRST if value.last else _CHANNELS_LAST):
            raise Mistake(f"turns the axes to {perm}")
        return replace(value, last=not value.last)

    def _same(self, given: Given) -> Value:
        if given.node.op_type == "Cast" and given.whole("to", 1) not in (1, 11):
            raise Mistake("makes whole numbers of values")
        return given.first()

    def _softmax(self, given: Given) -> Value:
        value, axis = given.first(), given.whole("axis", -1 if self._graph.opset >= 13 else 1)
        rank = 4 if value.maps else 2
        wanted = (3 if value.last else 1) if value.maps else 1
        if (
            (value.maps and value.shape[:2] != (1, 1))
            or (axis % rank != wanted and value.maps)
            or axis % rank != wanted
        ):
            raise Mistake("is a softmax over something else than classes")
        return replace(value, softmax=True)

    def _shape_of(self, node: onnx.NodeProto) -> None:
        value = self._values.get(node.input[0])
        if value is None:
            self._values[node.output[0]] = None
            return
        # Zero for the number of pictures: in a shape to bring values to, that is what is there.
        self._constants[node.output[0]] = np.array([0, *_in_file(value)[1:]], np.int64)


def _needed(graph: Graph) -> list[onnx.NodeProto]:
    """The nodes that the output is made of, in their order."""
    wanted, found = {graph.output}, []
    for node in reversed(graph.nodes):
        if wanted.intersection(node.output):
            found.append(node)
            wanted.update(node.input)
    return found[::-1]


def _three(shape: Shape) -> tuple[int, int, int]:
    height, width, channels = shape
    return height, width, channels


def _in_file(value: Value) -> Sequence[int]:
    """The sides of a value as the file has them; 0 for the number of pictures."""
    if not value.maps:
        return (0, value.shape[0])
    height, width, channels = _three(value.shape)
    return (0, height, width, channels) if value.last else (0, channels, height, width)


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


def _alike(one: Value, other: Value) -> bool:
    same_order = (one.order is None) == (other.order is None) and (
        one.order is None or other.order is None or np.array_equal(one.order, other.order)
    )
    return one.shape == other.shape and one.last == other.last and same_order


def _orders_joined(values: Sequence[Value]) -> Array | None:
    if all(value.order is None for value in values):
        return None
    starts = np.cumsum([0, *(value.channels for value in values)])
    return np.concatenate([
        start + (np.arange(value.channels) if value.order is None else value.order)
        for start, value in zip(starts[:-1], values, strict=True)
    ])  # fmt: skip


def _same_affine(one: Affine, other: Affine | None) -> bool:
    if other is None:
        return bool(np.allclose(one.times, 1) and np.allclose(one.plus, 0))
    return bool(np.allclose(one.times, other.times, rtol=_NEAR) and np.allclose(one.plus, other.plus, rtol=_NEAR))
