"""What a network description comes to: shapes, counts, receptive field, and what is wrong with it."""

import math
from dataclasses import dataclass
from typing import TypeAlias

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription, mistake, sources
from vast_orchard.core.ops.window import Window
from vast_orchard.errors import DescriptionError

__all__ = ["RULES", "LayerPlan", "NetworkPlan", "Shape", "plan", "window_of"]

Shape: TypeAlias = tuple[int, ...]

# Rules for the first weights, by their source; `parameters.first_weights` draws them.
RULES = ("he", "glorot", "lecun")

_LARGEST_KERNEL, _LARGEST_STRIDE = 7, 4
_LARGEST_PADDING = 16
_LARGEST_POOL = 15  # its 225 places still fit the byte that remembers which of them won


@dataclass(frozen=True, kw_only=True)
class LayerPlan:
    """What one layer makes of its input."""

    place: int  # counted from 1
    kind: str
    id: str  # what its weights are called in files, and the layer in messages
    sources: tuple[int, ...]  # places of the layers that feed it; 0 is the picture
    shape: Shape  # without the batch axis
    parameters: int  # trained ones
    multiply_adds: int  # for one picture
    receptive_field: int  # side, in pixels of the picture, of what one value can see; of the widest path


@dataclass(frozen=True, kw_only=True)
class NetworkPlan:
    """Every layer, and sums over all."""

    layers: tuple[LayerPlan, ...]

    @property
    def parameters(self) -> int:
        """Trained numbers in all."""
        return sum(layer.parameters for layer in self.layers)

    @property
    def multiply_adds(self) -> int:
        """Multiplications, each with an addition, to answer for one picture."""
        return sum(layer.multiply_adds for layer in self.layers)


@dataclass(frozen=True, kw_only=True)
class _View:
    """How a value looks back at the picture, as it grows from layer to layer (Dumoulin & Visin 2016, section 2)."""

    field: int = 1  # pixels that it sees
    step: int = 1  # pixels between it and its neighbour


def window_of(layer: d.Layer) -> tuple[Window, Window]:
    """The windows of a convolution or pooling along rows and columns."""
    match layer:
        case d.Conv() | d.DepthwiseConv():
            window = Window(size=layer.kernel, stride=layer.stride, dilation=layer.dilation, edge=layer.edge)
        case d.MaxPool() | d.AveragePool():
            window = Window(size=layer.kernel, stride=layer.stride or layer.kernel, edge=layer.edge)
        case _:
            raise TypeError(f"{layer} slides no window")
    return window, window


def _check_range(place: int, name: str, value: float, low: float, high: float) -> None:
    if not low <= value <= high:
        raise mistake(place, f"has {name} {value}", f"Choose from {low} to {high}.")


def _check_choice(place: int, name: str, value: str, choices: tuple[str, ...]) -> None:
    if value not in choices:
        raise mistake(place, f"has {name} {value!r}", f"Choose one of {', '.join(choices)}.")


def _slid(place: int, verb: str, layer: d.Layer, shape: Shape) -> tuple[int, int]:
    """Height and width after sliding a window over a picture."""
    if len(shape) != 3:
        raise mistake(place, f"{verb} values that are no longer a picture", "Move it before the flattening.")
    window = window_of(layer)
    height, width = (axis.count(length) for axis, length in zip(window, shape[:2], strict=True))
    if min(height, width) < 1:
        size = f"{shape[0]}×{shape[1]}"
        if verb == "pools":
            raise mistake(place, f"pools {size} to nothing", "Remove it or raise the input size.")
        raise mistake(
            place,
            f"convolves {size} with {window[0].extent}×{window[0].extent} to nothing",
            "Use edge 'keep', a smaller kernel or a larger input.",
        )
    return height, width


def _plan_convolution(place: int, layer: d.Conv | d.DepthwiseConv, shape: Shape) -> tuple[Shape, int, int]:
    _check_range(place, "kernel", layer.kernel, 1, _LARGEST_KERNEL)
    _check_range(place, "stride", layer.stride, 1, _LARGEST_STRIDE)
    _check_range(place, "dilation", layer.dilation, 1, 16)
    _check_choice(place, "edge", layer.edge, ("keep", "cut"))
    _check_choice(place, "start", layer.start, RULES)
    if isinstance(layer, d.Conv):
        _check_range(place, "channels", layer.channels, 1, 65536)
    height, width = _slid(place, "convolves", layer, shape)
    filters, groups = (layer.channels, layer.groups) if isinstance(layer, d.Conv) else (shape[2], shape[2])
    if groups < 1 or shape[2] % groups or filters % groups:
        raise mistake(
            place,
            f"divides {shape[2]} channels into {filters} by {groups} groups",
            f"Choose a divisor of both, such as {math.gcd(shape[2], filters)}.",
        )
    weights = layer.kernel**2 * (shape[2] // groups) * filters
    return (height, width, filters), weights + (filters if layer.bias else 0), weights * height * width


def _plan_pool(place: int, layer: d.MaxPool | d.AveragePool, shape: Shape) -> Shape:
    _check_range(place, "kernel", layer.kernel, 1, _LARGEST_POOL)
    _check_range(place, "stride", layer.stride, 0, _LARGEST_POOL)
    _check_choice(place, "edge", layer.edge, ("keep", "cut"))
    return (*_slid(place, "pools", layer, shape), shape[2])


def _plan_dense(place: int, layer: d.Dense, shape: Shape) -> tuple[Shape, int, int]:
    if len(shape) != 1:
        raise mistake(place, "is dense over a picture", "Put a flattening or a global average before it.")
    if layer.outputs < 1:
        raise mistake(place, f"has {layer.outputs} outputs", "Give it at least 1.")
    _check_choice(place, "start", layer.start, RULES)
    weights = shape[0] * layer.outputs
    return (layer.outputs,), weights + (layer.outputs if layer.bias else 0), weights


def _plan_joint(place: int, layer: d.Add | d.Concat, shapes: list[Shape]) -> Shape:
    if len(shapes) < 2:
        raise mistake(place, "joins a single input", "Name two or more layers as its inputs.")
    for shape in shapes[1:]:
        fits = shape == shapes[0] if isinstance(layer, d.Add) else shape[:-1] == shapes[0][:-1]
        if not fits or len(shape) != len(shapes[0]):
            verb = "adds" if isinstance(layer, d.Add) else "puts side by side"
            raise mistake(place, f"{verb} {_text(shapes[0])} and {_text(shape)}", "Bring both to the same size first.")
    if isinstance(layer, d.Add):
        return shapes[0]
    return (*shapes[0][:-1], sum(shape[-1] for shape in shapes))


def _plan_product(place: int, shapes: list[Shape]) -> Shape:
    if len(shapes) != 2:
        raise mistake(place, f"multiplies {len(shapes)} inputs", "Name two layers as its inputs.")
    maps, factors = shapes
    if factors != maps and (len(maps) != 3 or factors != (1, 1, maps[-1])):
        raise mistake(
            place,
            f"multiplies {_text(maps)} and {_text(factors)}",
            f"Give its second input {maps[-1]} channels of 1×1.",
        )
    return maps


def _plan_padding(place: int, layer: d.Pad, shape: Shape) -> Shape:
    if len(shape) != 3:
        raise mistake(place, "pads values that are no longer a picture", "Move it before the flattening.")
    for side in ("top", "bottom", "left", "right"):
        _check_range(place, side, getattr(layer, side), 0, _LARGEST_PADDING)
    return shape[0] + layer.top + layer.bottom, shape[1] + layer.left + layer.right, shape[2]


def _text(shape: Shape) -> str:
    return "×".join(map(str, shape))


def _plan_layer(place: int, layer: d.Layer, shapes: list[Shape]) -> tuple[Shape, int, int]:
    """Shape, parameters and multiply-adds."""
    shape = shapes[0]
    if len(shapes) > 1 and not isinstance(layer, d.Add | d.Concat | d.Multiply):
        raise mistake(
            place, f"({d.kind_of(layer)}) has {len(shapes)} inputs", "Join them by add, concat or multiply first."
        )
    match layer:
        case d.Conv() | d.DepthwiseConv():
            return _plan_convolution(place, layer, shape)
        case d.MaxPool() | d.AveragePool():
            return _plan_pool(place, layer, shape), 0, 0
        case d.BatchNorm():
            return shape, 2 * shape[-1], math.prod(shape)
        case d.GlobalAveragePool():
            if len(shape) != 3:
                raise mistake(place, "averages values that are no longer a picture", "Remove it.")
            return ((1, 1, shape[2]) if layer.keep_sides else (shape[2],)), 0, 0
        case d.Flatten():
            return (math.prod(shape),), 0, 0
        case d.Dropout() | d.ChannelDropout():
            if not 0 <= layer.share < 1:
                raise mistake(place, f"drops a share of {layer.share}", "Choose one from 0 to below 1.")
            return shape, 0, 0
        case d.LeakyReLU():
            _check_range(place, "slope", layer.slope, 0, 1)
            return shape, 0, 0
        case d.ClippedReLU():
            _check_range(place, "limit", layer.limit, 0.1, 100)
            return shape, 0, 0
        case d.Pad():
            return _plan_padding(place, layer, shape), 0, 0
        case d.Multiply():
            return _plan_product(place, shapes), 0, 0
        case d.Dense():
            return _plan_dense(place, layer, shape)
        case d.Add() | d.Concat():
            return _plan_joint(place, layer, shapes), 0, 0
        case d.ReLU() | d.SiLU() | d.Tanh() | d.Sigmoid() | d.HardSigmoid() | d.HardSwish():
            return shape, 0, 0


def _look(layer: d.Layer, views: list[_View], shape: Shape, whole: int) -> _View:
    # What multiplies a map was gathered from all of the picture; that is not what a value of the map is made from.
    view = views[0] if isinstance(layer, d.Multiply) else max(views, key=lambda one: one.field)
    match layer:
        case d.Conv() | d.DepthwiseConv() | d.MaxPool() | d.AveragePool():
            window = window_of(layer)[0]
            return _View(field=view.field + (window.extent - 1) * view.step, step=view.step * window.stride)
        case d.GlobalAveragePool() | d.Flatten() | d.Dense():
            # One value now sees all that its input's values see together.
            reach = (max(shape[:2]) - 1) * view.step if len(shape) == 3 else whole
            return _View(field=view.field + reach, step=view.step)
        case _:
            return view


def plan(description: NetworkDescription, classes: int | None = None) -> NetworkPlan:
    """Shapes and counts of every layer.

    Parameters
    ----------
    description : NetworkDescription
    classes : int, optional
        When given, the last layer must give this many values.

    Raises
    ------
    DescriptionError
        Names the layer's place, what is wrong, and a repair.
    """
    picture: Shape = description.input_shape
    if len(picture) != 3 or min(picture) < 1:
        raise DescriptionError(f"The input shape is {picture}.", "Give height, width and channels, each at least 1.")
    if classes is not None and classes < 2:
        raise DescriptionError(
            f"A network needs at least two classes to tell apart, and there are {classes}.",
            "Add pictures of another.",
        )
    if not description.layers:
        raise DescriptionError("The network has no layers.", "End it with a dense layer of one output a class.")
    shapes: list[Shape] = [picture]
    views = [_View()]
    made = []
    for place, (layer, fed) in enumerate(zip(description.layers, sources(description), strict=True), 1):
        given = [shapes[source] for source in fed]
        shape, parameters, multiply_adds = _plan_layer(place, layer, given)
        views.append(_look(layer, [views[source] for source in fed], given[0], max(picture[:2])))
        shapes.append(shape)
        made.append(
            LayerPlan(
                place=place,
                kind=d.kind_of(layer),
                id=layer.id,
                sources=fed,
                shape=shape,
                parameters=parameters,
                multiply_adds=multiply_adds,
                receptive_field=min(views[-1].field, max(picture[:2])),
            )
        )
    if classes is not None and shapes[-1] != (classes,):
        raise mistake(
            len(made), f"gives {shapes[-1]}, not one value for each of {classes} classes", f"End with {classes}."
        )
    return NetworkPlan(layers=tuple(made))
