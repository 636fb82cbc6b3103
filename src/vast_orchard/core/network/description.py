"""A network as data: layers and how they are joined, and its form as JSON."""

from collections.abc import Mapping
from dataclasses import MISSING, dataclass, fields
from typing import Any

from vast_orchard.core.network.layers import INPUT, KINDS, Layer, kind_of
from vast_orchard.errors import DescriptionError

__all__ = ["NetworkDescription", "description_from_json", "description_to_json", "mistake", "sources"]


@dataclass(frozen=True, kw_only=True)
class NetworkDescription:
    """Layers over pictures of one shape, each fed by the layer before or by those that it names.

    The last layer gives one logit a class.
    """

    name: str
    input_shape: tuple[int, int, int]  # height, width, channels
    layers: tuple[Layer, ...]


def mistake(place: int, what: str, mend: str) -> DescriptionError:
    """What is wrong with the layer at `place`, counted from 1."""
    return DescriptionError(f"Layer {place} {what}.", mend)


def sources(description: NetworkDescription) -> tuple[tuple[int, ...], ...]:
    """The places that feed each layer; 0 is the picture.

    Raises
    ------
    DescriptionError
        A name stands for nothing, for two layers, or for a layer further on; or an output goes nowhere.
    """
    places = {INPUT: 0}
    found = []
    for place, layer in enumerate(description.layers, 1):
        for name in layer.inputs:
            if name not in places:
                known = ", ".join(places)
                raise mistake(place, f"is fed by {name!r}, which is no layer before it", f"Use one of: {known}.")
        found.append(tuple(places[name] for name in layer.inputs) or (place - 1,))
        if layer.name in places:
            raise mistake(place, f"has the name {layer.name!r}, which is taken", "Give it another.")
        if layer.name:
            places[layer.name] = place
    used = {source for entry in found for source in entry}
    for place in range(1, len(description.layers)):
        if place not in used:
            raise mistake(place, "feeds no other layer", "Remove it, or name it among the inputs of another.")
    return tuple(found)


def _layer_to_json(layer: Layer) -> dict[str, Any]:
    values = {field.name: getattr(layer, field.name) for field in fields(layer)}
    joints = {key: values.pop(key) for key in ("name", "inputs")}
    shown = {"name": joints["name"]} if joints["name"] else {}
    fed = {"inputs": list(joints["inputs"])} if joints["inputs"] else {}
    return {"kind": kind_of(layer), **shown, **fed, **values}


def description_to_json(description: NetworkDescription) -> dict[str, Any]:
    """The description as plain JSON values; a plain list of layers where it is one."""
    return {
        "name": description.name,
        "input_shape": list(description.input_shape),
        "layers": [_layer_to_json(layer) for layer in description.layers],
    }


# What a JSON value must be for each type of a layer's setting; a whole number will do for a fraction.
_TYPES: dict[Any, tuple[type, ...]] = {int: (int,), float: (int, float), str: (str,), bool: (bool,)}


def _layer_from_json(place: int, entry: object) -> Layer:
    if not isinstance(entry, Mapping) or "kind" not in entry:
        raise mistake(place, f"is {entry!r}", 'Write it as an object with a "kind".')
    name = entry["kind"]
    kind = KINDS.get(name) if isinstance(name, str) else None
    if kind is None:
        raise mistake(place, f"is of the unknown kind {name!r}", f"Use one of {', '.join(KINDS)}.")
    known = {field.name: field for field in fields(kind)}
    settings = {key: value for key, value in entry.items() if key != "kind"}
    for key, value in settings.items():
        if key not in known:
            raise mistake(place, f"({name}) has the unknown setting {key!r}", f"It may have: {', '.join(known)}.")
        if key == "inputs":
            if not isinstance(value, list) or not all(isinstance(source, str) for source in value):
                raise mistake(place, f"({name}) has inputs {value!r}", "Give a list of names of layers.")
            settings[key] = tuple(value)
            continue
        allowed = _TYPES[known[key].type]
        if not isinstance(value, allowed) or (isinstance(value, bool) and bool not in allowed):
            raise mistake(place, f"({name}) has {key} {value!r}", f"Give a value of type {allowed[-1].__name__}.")
    for key, field in known.items():
        if key not in settings and field.default is MISSING:
            raise mistake(place, f"({name}) says nothing about {key!r}", "Add it.")
    return kind(**settings)


def description_from_json(data: object) -> NetworkDescription:
    """Read what `description_to_json` wrote, or what a person wrote in its form.

    Raises
    ------
    DescriptionError
        Something is missing, unknown or of the wrong type; it names the layer's place.
    """
    if not isinstance(data, Mapping):
        raise DescriptionError(f"The network description is {data!r}.", "Give an object with input_shape and layers.")
    shape, layers = data.get("input_shape"), data.get("layers")
    if not isinstance(shape, list) or len(shape) != 3 or not all(type(n) is int for n in shape):
        raise DescriptionError(f"The input_shape is {shape!r}.", "Give height, width and channels as whole numbers.")
    if not isinstance(layers, list):
        raise DescriptionError(f"The layers are {layers!r}.", "Give a list of layers.")
    return NetworkDescription(
        name=str(data.get("name", "")),
        input_shape=(shape[0], shape[1], shape[2]),
        layers=tuple(_layer_from_json(place, entry) for place, entry in enumerate(layers, 1)),
    )
