"""A network as data: layers, shapes, parameter counts, and what is wrong with it."""

from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from typing import Any, TypeAlias

from vast_orchard.errors import DescriptionError

__all__ = [
    "BatchNorm",
    "Conv2D",
    "Dense",
    "Dropout",
    "Flatten",
    "GlobalAveragePool",
    "Layer",
    "LayerPlan",
    "MaxPool",
    "NetworkDescription",
    "ReLU",
    "description_from_json",
    "description_to_json",
    "plan",
]

Shape: TypeAlias = tuple[int, ...]


@dataclass(frozen=True, kw_only=True)
class Conv2D:
    """Convolution at stride 1."""

    filters: int  # output channels
    kernel: int = 3  # side of the square window, pixels
    padding: str = "same"  # "same" or "valid"
    bias: bool = True


@dataclass(frozen=True, kw_only=True)
class BatchNorm:
    """Batch normalisation per channel."""


@dataclass(frozen=True, kw_only=True)
class ReLU:
    """max(x, 0)."""


@dataclass(frozen=True, kw_only=True)
class MaxPool:
    """Largest value of each square window."""

    size: int = 2  # side and step, pixels


@dataclass(frozen=True, kw_only=True)
class GlobalAveragePool:
    """Mean over height and width."""


@dataclass(frozen=True, kw_only=True)
class Flatten:
    """(H, W, C) to (H·W·C)."""


@dataclass(frozen=True, kw_only=True)
class Dropout:
    """Zeros at random while training."""

    rate: float = 0.25  # share of values set to zero


@dataclass(frozen=True, kw_only=True)
class Dense:
    """Fully connected."""

    units: int  # output values


Layer: TypeAlias = Conv2D | BatchNorm | ReLU | MaxPool | GlobalAveragePool | Flatten | Dropout | Dense

_KINDS: dict[str, Callable[..., Layer]] = {
    "conv2d": Conv2D,
    "batch_norm": BatchNorm,
    "relu": ReLU,
    "max_pool": MaxPool,
    "global_average_pool": GlobalAveragePool,
    "flatten": Flatten,
    "dropout": Dropout,
    "dense": Dense,
}
_NAMES = {kind: name for name, kind in _KINDS.items()}


@dataclass(frozen=True, kw_only=True)
class NetworkDescription:
    """A plain list of layers over pictures of one shape; the last layer gives one logit a class."""

    name: str
    input_shape: tuple[int, int, int]  # height, width, channels
    layers: tuple[Layer, ...]


@dataclass(frozen=True, kw_only=True)
class LayerPlan:
    """What one layer makes of its input."""

    place: int  # counted from 1
    kind: str
    shape: Shape  # without the batch axis
    parameters: int


def _wrong(place: int, what: str, mend: str) -> DescriptionError:
    return DescriptionError(f"Layer {place} {what}.", mend)


def _plan_conv2d(place: int, layer: Conv2D, shape: Shape) -> tuple[Shape, int]:
    if len(shape) != 3:
        raise _wrong(place, "convolves values that are no longer a picture", "Move it before the flattening.")
    if layer.filters < 1 or layer.kernel < 1 or layer.padding not in ("same", "valid"):
        raise _wrong(place, f"cannot be a convolution: {layer}", "Use at least 1 filter, 1 pixel, 'same' or 'valid'.")
    shrink = layer.kernel - 1 if layer.padding == "valid" else 0
    height, width = shape[0] - shrink, shape[1] - shrink
    if min(height, width) < 1:
        raise _wrong(
            place,
            f"convolves {shape[0]}×{shape[1]} with {layer.kernel}×{layer.kernel} to nothing",
            "Use padding 'same', a smaller kernel or a larger input.",
        )
    parameters = layer.kernel**2 * shape[2] * layer.filters + (layer.filters if layer.bias else 0)
    return (height, width, layer.filters), parameters


def _plan_max_pool(place: int, layer: MaxPool, shape: Shape) -> tuple[Shape, int]:
    if len(shape) != 3:
        raise _wrong(place, "pools values that are no longer a picture", "Move it before the flattening.")
    if layer.size < 1 or min(shape[:2]) < layer.size:
        raise _wrong(place, f"pools {shape[0]}×{shape[1]} to nothing", "Remove it or raise the input size.")
    return (shape[0] // layer.size, shape[1] // layer.size, shape[2]), 0


def _plan_layer(place: int, layer: Layer, shape: Shape) -> tuple[Shape, int]:
    match layer:
        case Conv2D():
            return _plan_conv2d(place, layer, shape)
        case MaxPool():
            return _plan_max_pool(place, layer, shape)
        case BatchNorm():
            return shape, 2 * shape[-1]
        case GlobalAveragePool():
            if len(shape) != 3:
                raise _wrong(place, "averages values that are no longer a picture", "Remove it.")
            return (shape[2],), 0
        case Flatten():
            size = 1
            for n in shape:
                size *= n
            return (size,), 0
        case Dropout():
            if not 0 <= layer.rate < 1:
                raise _wrong(place, f"drops a share of {layer.rate}", "Choose one from 0 up to, but not including, 1.")
            return shape, 0
        case Dense():
            if len(shape) != 1:
                raise _wrong(place, "is dense over a picture", "Put a flattening or a global average before it.")
            if layer.units < 1:
                raise _wrong(place, f"has {layer.units} units", "Give it at least 1.")
            return (layer.units,), shape[0] * layer.units + layer.units
        case ReLU():
            return shape, 0


def plan(description: NetworkDescription, classes: int | None = None) -> tuple[LayerPlan, ...]:
    """Shape after every layer and its number of parameters.

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
    shape: Shape = description.input_shape
    if len(shape) != 3 or min(shape) < 1:
        raise DescriptionError(f"The input shape is {shape}.", "Give height, width and channels, each at least 1.")
    if not description.layers:
        raise DescriptionError("The network has no layers.", "End it with a dense layer of one unit a class.")
    plans = []
    for place, layer in enumerate(description.layers, 1):
        shape, parameters = _plan_layer(place, layer, shape)
        plans.append(LayerPlan(place=place, kind=_NAMES[type(layer)], shape=shape, parameters=parameters))
    if classes is not None and shape != (classes,):
        raise _wrong(len(plans), f"gives {shape}, not one value for each of {classes} classes", f"End with {classes}.")
    return tuple(plans)


def description_to_json(description: NetworkDescription) -> dict[str, Any]:
    """The description as plain JSON values."""
    return {
        "name": description.name,
        "input_shape": list(description.input_shape),
        "layers": [{"kind": _NAMES[type(layer)], **asdict(layer)} for layer in description.layers],
    }


def description_from_json(data: Mapping[str, Any]) -> NetworkDescription:
    """Read what `description_to_json` wrote.

    Raises
    ------
    DescriptionError
        A kind or a setting of a layer is unknown.
    """
    layers = []
    try:
        for place, entry in enumerate(data["layers"], 1):
            settings = {key: value for key, value in entry.items() if key != "kind"}
            kind = _KINDS.get(entry["kind"])
            if kind is None:
                raise _wrong(place, f"is of the unknown kind {entry['kind']!r}", f"Use one of {', '.join(_KINDS)}.")
            try:
                layers.append(kind(**settings))
            except TypeError as error:
                raise _wrong(place, f"({entry['kind']}) has settings {settings}", str(error)) from error
        height, width, channels = data["input_shape"]
        name = str(data["name"])
    except (KeyError, TypeError, ValueError) as error:
        raise DescriptionError(
            "The network description is incomplete.",
            "It needs name, input_shape of three numbers, and layers.",
        ) from error
    return NetworkDescription(name=name, input_shape=(height, width, channels), layers=tuple(layers))
