"""A network as data: layers and how they are joined, open for any pictures and classes or resolved; and as JSON."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import MISSING, dataclass, fields, replace
from typing import Any

from vast_orchard.core.network.layers import INPUT, KINDS, Dense, Layer, kind_of
from vast_orchard.errors import DescriptionError
from vast_orchard.upgrades.network import NETWORK_VERSION, upgrade_network

__all__ = [
    "OPEN_SHAPE",
    "NetworkDescription",
    "description_from_json",
    "description_to_json",
    "mistake",
    "resolved",
    "sources",
]

# The input shape of a network that takes pictures of any size and colour.
OPEN_SHAPE = (0, 0, 0)

# What stands in names of weights and in files: neither a dot, which parts a layer from its numbers, nor a slash.
_ID = re.compile(r"[A-Za-z0-9_-]{1,60}")


@dataclass(frozen=True, kw_only=True)
class NetworkDescription:
    """Layers over pictures, each fed by the layer before or by those that it names.

    The last layer gives one logit a class. Every layer has an id, by which its weights are named: it stays when others
    are put in or taken out. Layers that come without one are given their kind and the next free number.
    """

    name: str
    input_shape: tuple[int, int, int] = OPEN_SHAPE  # height, width, channels
    layers: tuple[Layer, ...]

    def __post_init__(self) -> None:
        object.__setattr__(self, "layers", _with_ids(self.layers))


def _with_ids(layers: Sequence[Layer]) -> tuple[Layer, ...]:
    taken = {layer.id for layer in layers}
    highest: dict[str, int] = {}
    found = []
    for layer in layers:
        if not layer.id:
            kind = kind_of(layer)
            number = highest.get(kind, 0) + 1
            while f"{kind}_{number}" in taken:
                number += 1
            highest[kind] = number
            layer = replace(layer, id=f"{kind}_{number}")
        found.append(layer)
    return tuple(found)


def resolved(description: NetworkDescription, input_shape: tuple[int, int, int], classes: int) -> NetworkDescription:
    """The network for these pictures and so many classes; what it leaves open is filled in.

    Parameters
    ----------
    description : NetworkDescription
    input_shape : tuple of int
        Height, width and channels of the pictures.
    classes : int

    Raises
    ------
    DescriptionError
        It is made for pictures of another shape.
    """
    if description.input_shape not in (OPEN_SHAPE, input_shape):
        made, given = ("×".join(map(str, shape)) for shape in (description.input_shape, input_shape))
        raise DescriptionError(
            f"The network {description.name!r} is made for pictures of {made}, and these are {given}.",
            "Leave its input_shape out, or change preprocessing.",
        )
    layers = tuple(
        replace(layer, outputs=classes) if isinstance(layer, Dense) and not layer.outputs else layer
        for layer in description.layers
    )
    return replace(description, input_shape=input_shape, layers=layers)


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
        if layer.id in places:
            raise mistake(place, f"has the id {layer.id!r}, which is taken", "Give it another.")
        if not _ID.fullmatch(layer.id):
            raise mistake(place, f"has the id {layer.id!r}", "Use letters, digits, - and _, 60 at the most.")
        places[layer.id] = place
    used = {source for entry in found for source in entry}
    for place in range(1, len(description.layers)):
        if place not in used:
            raise mistake(place, "feeds no other layer", "Remove it, or name it among the inputs of another.")
    return tuple(found)


def _layer_to_json(layer: Layer) -> dict[str, Any]:
    values = {field.name: getattr(layer, field.name) for field in fields(layer)}
    id_, inputs = values.pop("id"), values.pop("inputs")
    return {"id": id_, "kind": kind_of(layer), **({"inputs": list(inputs)} if inputs else {}), **values}


def description_to_json(description: NetworkDescription) -> dict[str, Any]:
    """The description as plain JSON values; nothing is said of what it leaves open."""
    shape = {} if description.input_shape == OPEN_SHAPE else {"input_shape": list(description.input_shape)}
    return {
        "version": NETWORK_VERSION,
        "name": description.name,
        **shape,
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
                raise mistake(place, f"({name}) has inputs {value!r}", "Give a list of ids of layers.")
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
    """Read what `description_to_json` of any version wrote, or what a person wrote in its form.

    Raises
    ------
    DescriptionError
        Something is missing, unknown or of the wrong type; it names the layer's place.
    """
    if not isinstance(data, Mapping):
        raise DescriptionError(f"The network description is {data!r}.", "Give an object with layers.")
    data = upgrade_network(data)
    version = data.get("version", NETWORK_VERSION)
    if version != NETWORK_VERSION:
        raise DescriptionError(
            f"The network is written in version {version!r} of its form.", f"This program reads {NETWORK_VERSION}."
        )
    shape, layers = data.get("input_shape", list(OPEN_SHAPE)), data.get("layers")
    if not isinstance(shape, list) or len(shape) != 3 or not all(type(n) is int for n in shape):
        raise DescriptionError(f"The input_shape is {shape!r}.", "Give height, width and channels as whole numbers.")
    if not isinstance(layers, list):
        raise DescriptionError(f"The layers are {layers!r}.", "Give a list of layers.")
    return NetworkDescription(
        name=str(data.get("name", "")),
        input_shape=(shape[0], shape[1], shape[2]),
        layers=tuple(_layer_from_json(place, entry) for place, entry in enumerate(layers, 1)),
    )
