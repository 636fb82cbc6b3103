"""What a network description comes to: shapes, counts, receptive field, and what is wrong with it."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TypeAlias

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.blocks import Head, Part
from vast_orchard.core.network.description import NetworkDescription, sources
from vast_orchard.core.network.expansion import Line, check_range, mistake
from vast_orchard.core.network.repairs import JOIN_FIRST, TAKE_OUT, Fit, Put, Repair, put_before, set_to
from vast_orchard.core.ops.window import Window
from vast_orchard.errors import DescriptionError

__all__ = ["RULES", "LayerPlan", "NetworkPlan", "Shape", "check_end", "plan", "planned_layers", "window_of"]

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
    line: Line  # of the list, which it came from
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


def _check_choice(line: Line, name: str, value: str, choices: tuple[str, ...]) -> None:
    if value not in choices:
        mend = f"Choose one of {', '.join(choices)}."
        raise mistake(line, f"has {name} {value!r}", mend, set_to(name, choices[0]))


def _slid(line: Line, verb: str, layer: d.Layer, shape: Shape) -> tuple[int, int]:
    """Height and width after sliding a window over a picture."""
    if len(shape) != 3:
        raise mistake(line, f"{verb} values that are no longer a picture", "Move it before the flattening.", TAKE_OUT)
    window = window_of(layer)
    height, width = (axis.count(length) for axis, length in zip(window, shape[:2], strict=True))
    if min(height, width) < 1:
        size = f"{shape[0]}×{shape[1]}"
        if verb == "pools":
            raise mistake(line, f"pools {size} to nothing", "Remove it or raise the input size.", TAKE_OUT)
        raise mistake(
            line,
            f"convolves {size} with {window[0].extent}×{window[0].extent} to nothing",
            "Use edge 'keep', a smaller kernel or a larger input.",
            set_to("edge", "keep"),
        )
    return height, width


def _plan_convolution(line: Line, layer: d.Conv | d.DepthwiseConv, shape: Shape) -> tuple[Shape, int, int]:
    check_range(line, "kernel", layer.kernel, 1, _LARGEST_KERNEL)
    check_range(line, "stride", layer.stride, 1, _LARGEST_STRIDE)
    check_range(line, "dilation", layer.dilation, 1, 16)
    _check_choice(line, "edge", layer.edge, ("keep", "cut"))
    _check_choice(line, "start", layer.start, RULES)
    if isinstance(layer, d.Conv):
        check_range(line, "channels", layer.channels, 1, 65536)
    height, width = _slid(line, "convolves", layer, shape)
    filters, groups = (layer.channels, layer.groups) if isinstance(layer, d.Conv) else (shape[2], shape[2])
    if groups < 1 or shape[2] % groups or filters % groups:
        raise mistake(
            line,
            f"divides {shape[2]} channels into {filters} by {groups} groups",
            f"Choose a divisor of both, such as {math.gcd(shape[2], filters)}.",
            set_to("groups", math.gcd(shape[2], filters)),
        )
    weights = layer.kernel**2 * (shape[2] // groups) * filters
    return (height, width, filters), weights + (filters if layer.bias else 0), weights * height * width


def _plan_pool(line: Line, layer: d.MaxPool | d.AveragePool, shape: Shape) -> Shape:
    check_range(line, "kernel", layer.kernel, 1, _LARGEST_POOL)
    check_range(line, "stride", layer.stride, 0, _LARGEST_POOL)
    _check_choice(line, "edge", layer.edge, ("keep", "cut"))
    return (*_slid(line, "pools", layer, shape), shape[2])


def _plan_dense(line: Line, layer: d.Dense, shape: Shape) -> tuple[Shape, int, int]:
    if len(shape) != 1:
        mend = "Put a flattening or a global average before it."
        repair = put_before(d.GlobalAveragePool(), "Put the mean over each map before it")
        raise mistake(line, "is dense over a picture", mend, repair)
    if layer.outputs < 1:
        raise mistake(line, f"has {layer.outputs} outputs", "Give it at least 1.", set_to("outputs", 0))
    _check_choice(line, "start", layer.start, RULES)
    weights = shape[0] * layer.outputs
    return (layer.outputs,), weights + (layer.outputs if layer.bias else 0), weights


def _plan_joint(line: Line, layer: d.Add | d.Concat, shapes: list[Shape]) -> Shape:
    if len(shapes) < 2:
        raise mistake(line, "joins a single input", "Name two or more layers as its inputs.", TAKE_OUT)
    for number, shape in enumerate(shapes[1:], 1):
        fits = shape == shapes[0] if isinstance(layer, d.Add) else shape[:-1] == shapes[0][:-1]
        if not fits or len(shape) != len(shapes[0]):
            verb = "adds" if isinstance(layer, d.Add) else "puts side by side"
            what = f"{verb} {_text(shapes[0])} and {_text(shape)}"
            raise mistake(line, what, "Bring both to the same size first.", _fitted(layer, shapes[0], shape, number))
    if isinstance(layer, d.Add):
        return shapes[0]
    return (*shapes[0][:-1], sum(shape[-1] for shape in shapes))


def _fitted(joint: d.Add | d.Concat, wanted: Shape, shape: Shape, number: int) -> Repair | None:
    """A 1×1 convolution that brings one input of a sum to the shape of the first, if it can."""
    if not isinstance(joint, d.Add) or len(wanted) != 3 or len(shape) != 3 or number >= len(joint.inputs):
        return None
    # As many values as a stride leaves at an edge that is kept.
    fits = (n for n in range(1, _LARGEST_STRIDE + 1) if (-(-shape[0] // n), -(-shape[1] // n)) == wanted[:2])
    stride = next(fits, None)
    if stride is None:
        return None
    part = d.Conv(channels=wanted[2], kernel=1, stride=stride)
    words = f"Bring it to {_text(wanted)} by a 1×1 convolution"
    return Repair(words=words, steps=(Fit(part=part, number=number),))


def _plan_product(line: Line, shapes: list[Shape]) -> Shape:
    if len(shapes) != 2:
        raise mistake(line, f"multiplies {len(shapes)} inputs", "Name two layers as its inputs.")
    maps, factors = shapes
    if factors != maps and (len(maps) != 3 or factors != (1, 1, maps[-1])):
        raise mistake(
            line,
            f"multiplies {_text(maps)} and {_text(factors)}",
            f"Give its second input {maps[-1]} channels of 1×1.",
        )
    return maps


def _plan_padding(line: Line, layer: d.Pad, shape: Shape) -> Shape:
    if len(shape) != 3:
        raise mistake(line, "pads values that are no longer a picture", "Move it before the flattening.", TAKE_OUT)
    for side in ("top", "bottom", "left", "right"):
        check_range(line, side, getattr(layer, side), 0, _LARGEST_PADDING)
    return shape[0] + layer.top + layer.bottom, shape[1] + layer.left + layer.right, shape[2]


def _text(shape: Shape) -> str:
    return "×".join(map(str, shape))


def _plan_layer(line: Line, layer: d.Layer, shapes: list[Shape]) -> tuple[Shape, int, int]:
    """Shape, parameters and multiply-adds."""
    shape = shapes[0]
    if len(shapes) > 1 and not isinstance(layer, d.Add | d.Concat | d.Multiply):
        what = f"({d.kind_of(layer)}) has {len(shapes)} inputs"
        raise mistake(line, what, "Join them by add, concat or multiply first.", JOIN_FIRST)
    match layer:
        case d.Conv() | d.DepthwiseConv():
            return _plan_convolution(line, layer, shape)
        case d.MaxPool() | d.AveragePool():
            return _plan_pool(line, layer, shape), 0, 0
        case d.BatchNorm():
            return shape, 2 * shape[-1], math.prod(shape)
        case d.GlobalAveragePool():
            if len(shape) != 3:
                raise mistake(line, "averages values that are no longer a picture", "Remove it.", TAKE_OUT)
            return ((1, 1, shape[2]) if layer.keep_sides else (shape[2],)), 0, 0
        case d.Flatten():
            return (math.prod(shape),), 0, 0
        case d.Dropout() | d.ChannelDropout():
            if not 0 <= layer.share < 1:
                raise mistake(
                    line, f"drops a share of {layer.share}", "Choose one from 0 to below 1.", set_to("share", 0.5)
                )
            return shape, 0, 0
        case d.LeakyReLU():
            check_range(line, "slope", layer.slope, 0, 1)
            return shape, 0, 0
        case d.ClippedReLU():
            check_range(line, "limit", layer.limit, 0.1, 100)
            return shape, 0, 0
        case d.Pad():
            return _plan_padding(line, layer, shape), 0, 0
        case d.Multiply():
            return _plan_product(line, shapes), 0, 0
        case d.Dense():
            return _plan_dense(line, layer, shape)
        case d.Add() | d.Concat():
            return _plan_joint(line, layer, shapes), 0, 0
        case d.ReLU() | d.SiLU() | d.Tanh() | d.Sigmoid() | d.HardSigmoid() | d.HardSwish() | d.Softmax() | d.Log():
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


def planned_layers(description: NetworkDescription) -> Iterator[LayerPlan]:
    """Shapes and counts layer by layer, as far as the description holds together.

    Raises
    ------
    DescriptionError
        Where it does not.
    """
    picture: Shape = description.input_shape
    if len(picture) != 3 or min(picture) < 1:
        raise DescriptionError(f"The input shape is {picture}.", "Give height, width and channels, each at least 1.")
    shapes: list[Shape] = [picture]
    views = [_View()]
    expanded, feeding = description.expanded, sources(description)
    for layer, line in zip(expanded.layers, expanded.lines, strict=True):
        fed = next(feeding)
        given = [shapes[source] for source in fed]
        shape, parameters, multiply_adds = _plan_layer(line, layer, given)
        views.append(_look(layer, [views[source] for source in fed], given[0], max(picture[:2])))
        shapes.append(shape)
        yield LayerPlan(
            place=len(shapes) - 1,
            line=line,
            kind=d.kind_of(layer),
            id=layer.id,
            sources=fed,
            shape=shape,
            parameters=parameters,
            multiply_adds=multiply_adds,
            receptive_field=min(views[-1].field, max(picture[:2])),
        )
    for _ in feeding:
        pass  # what it has to say at the end


def check_end(description: NetworkDescription, layers: Sequence[LayerPlan], classes: int | None) -> None:
    """See to it that a network ends with one value a class.

    Raises
    ------
    DescriptionError
    """
    if classes is not None and classes < 2:
        raise DescriptionError(
            f"A network needs at least two classes to tell apart, and there are {classes}.",
            "Add pictures of another.",
        )
    if not layers:
        end = Repair(words="End with a head", steps=(Put(part=Head(), behind=True),))
        raise DescriptionError(
            "The network has no layers.", "End it with a dense layer of one output a class.", line=(), repair=end
        )
    if classes is None or layers[-1].shape == (classes,):
        return
    shape, last = layers[-1].shape, description.expanded.layers[-1]
    if isinstance(last, d.Dense):
        repair = set_to("outputs", 0)
    else:
        part: Part = Head() if len(shape) == 3 else d.Dense()
        words = "End with a head" if len(shape) == 3 else "End with a dense layer, one output a class"
        repair = Repair(words=words, steps=(Put(part=part, behind=True),))
    what = f"gives {_text(shape)}, not one value for each of {classes} classes"
    raise mistake(description.expanded.lines[-1], what, f"End with {classes}.", repair)


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
        Names the layer's line, what is wrong, and a repair.
    """
    made = tuple(planned_layers(description))
    check_end(description, made, classes)
    return NetworkPlan(layers=made)
