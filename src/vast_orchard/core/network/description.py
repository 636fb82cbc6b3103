"""A network as data: layers and how they are joined, open for any pictures and classes or resolved; and as JSON."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import MISSING, dataclass, fields, replace
from functools import cached_property
from typing import Any

from vast_orchard.core.network.blocks import Head, Part, Repeat, part_kind, part_kinds
from vast_orchard.core.network.expansion import MOST_LAYERS, Expanded, Line, expand, mistake
from vast_orchard.core.network.layers import INPUT, Dense, Layer
from vast_orchard.core.network.repairs import TAKE_OUT, Repair, Set
from vast_orchard.errors import DescriptionError
from vast_orchard.upgrades.network import NETWORK_VERSION, upgrade_network

__all__ = [
    "OPEN_SHAPE",
    "NetworkDescription",
    "description_from_json",
    "description_to_json",
    "opened",
    "resolved",
    "sources",
]

# Settings that came after this form did are left out where they say nothing, so that a stored network is to the letter
# what the same network is today.
_LATER = {"keep_sides": False}

# A stretch may hold a stretch, and no further.
_DEEPEST = 3

# The input shape of a network that takes pictures of any size and colour.
OPEN_SHAPE = (0, 0, 0)

# What stands in names of weights and in files: neither a dot, which parts a layer from its numbers, nor a slash.
_ID = re.compile(r"[A-Za-z0-9_-]{1,60}")


@dataclass(frozen=True, kw_only=True)
class NetworkDescription:
    """Layers and blocks over pictures, each fed by the one before or by those that it names.

    The last layer gives one logit a class. Everything has an id, by which weights are named: it stays when others are
    put in or taken out. What comes without one is given its kind and the next free number.
    """

    name: str
    input_shape: tuple[int, int, int] = OPEN_SHAPE  # height, width, channels
    layers: tuple[Part, ...]  # as they are written

    def __post_init__(self) -> None:
        object.__setattr__(self, "layers", _with_ids(self.layers))

    @cached_property
    def expanded(self) -> Expanded:
        """The layers that are computed, and from which line of the list each came."""
        return expand(self.layers, self.input_shape[2])

    @property
    def flat(self) -> tuple[Layer, ...]:
        """The layers that are computed, in their order.

        Raises
        ------
        DescriptionError
            A block's number is out of its range, or there are too many layers.
        """
        if self.expanded.mistake is not None:
            raise self.expanded.mistake
        return self.expanded.layers


def _all_parts(parts: Sequence[Part]) -> Iterator[Part]:
    for part in parts:
        yield part
        if isinstance(part, Repeat):
            yield from _all_parts(part.layers)


def _with_ids(parts: Sequence[Part]) -> tuple[Part, ...]:
    taken = {part.id for part in _all_parts(parts)}
    highest: dict[str, int] = {}

    def named(part: Part) -> Part:
        if not part.id:
            kind = part_kind(part)
            number = highest.get(kind, 0) + 1
            while f"{kind}_{number}" in taken:
                number += 1
            highest[kind] = number
            part = replace(part, id=f"{kind}_{number}")
        if isinstance(part, Repeat):
            part = replace(part, layers=tuple(map(named, part.layers)))
        return part

    return tuple(map(named, parts))


def _with_outputs(part: Part, classes: int) -> Part:
    if isinstance(part, Repeat):
        return replace(part, layers=tuple(_with_outputs(inner, classes) for inner in part.layers))
    return replace(part, outputs=classes) if isinstance(part, Dense | Head) and not part.outputs else part


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
    layers = tuple(_with_outputs(part, classes) for part in description.layers)
    return replace(description, input_shape=input_shape, layers=layers)


def opened(description: NetworkDescription, classes: int) -> NetworkDescription:
    """A resolved network, open again for pictures of any size and any number of classes.

    Only the last dense layer is opened, and only where its outputs are the classes.

    Parameters
    ----------
    description : NetworkDescription
    classes : int
        That it tells apart.
    """
    layers = list(description.layers)
    for place in range(len(layers) - 1, -1, -1):
        part = layers[place]
        if isinstance(part, Dense | Head):
            if part.outputs == classes:
                layers[place] = replace(part, outputs=0)
            break
    return replace(description, input_shape=OPEN_SHAPE, layers=tuple(layers))


def sources(description: NetworkDescription) -> Iterator[tuple[int, ...]]:
    """The places that feed each layer, one after the other; 0 is the picture.

    Raises
    ------
    DescriptionError
        A name stands for nothing, for two layers, or for a layer further on; or, at the end, an output goes nowhere.
    """
    places = {INPUT: 0}
    used: set[int] = set()
    expanded = description.expanded
    for place, (layer, line) in enumerate(zip(expanded.layers, expanded.lines, strict=True), 1):
        for name in layer.inputs:
            if name not in places:
                known = ", ".join(places)
                what = f"is fed by {name!r}, which is no layer before it"
                repair = Repair(words="Feed it by the line before", steps=(Set(name="inputs", value=()),))
                raise mistake(line, what, f"Use one of: {known}.", repair)
        fed = tuple(places[name] for name in layer.inputs) or (place - 1,)
        if layer.id in places:
            repair = Repair(words="Give it a new name", steps=(Set(name="id", value=""),))
            raise mistake(line, f"has the id {layer.id!r}, which is taken", "Give it another.", repair)
        if not _ID.fullmatch(layer.id):
            repair = Repair(words="Give it a new name", steps=(Set(name="id", value=""),))
            raise mistake(line, f"has the id {layer.id!r}", "Use letters, digits, - and _, 60 at the most.", repair)
        places[layer.id] = place
        used.update(fed)
        yield fed
    if expanded.mistake is not None:
        raise expanded.mistake
    for place, line in enumerate(expanded.lines[:-1], 1):
        if place not in used:
            mend = "Remove it, or name it among the inputs of another."
            raise mistake(line, "feeds no other layer", mend, TAKE_OUT)


def _part_to_json(part: Part) -> dict[str, Any]:
    values = {field.name: getattr(part, field.name) for field in fields(part)}
    id_, inputs = values.pop("id"), values.pop("inputs")
    for name, default in _LATER.items():
        if values.get(name) == default:
            del values[name]
    if isinstance(part, Repeat):
        values["layers"] = [_part_to_json(inner) for inner in part.layers]
    return {"id": id_, "kind": part_kind(part), **({"inputs": list(inputs)} if inputs else {}), **values}


def description_to_json(description: NetworkDescription) -> dict[str, Any]:
    """The description as plain JSON values; nothing is said of what it leaves open."""
    shape = {} if description.input_shape == OPEN_SHAPE else {"input_shape": list(description.input_shape)}
    return {
        "version": NETWORK_VERSION,
        "name": description.name,
        **shape,
        "layers": [_part_to_json(part) for part in description.layers],
    }


# What a JSON value must be for each type of a layer's setting; a whole number will do for a fraction.
_TYPES: dict[Any, tuple[type, ...]] = {int: (int,), float: (int, float), str: (str,), bool: (bool,)}


def _part_from_json(line: Line, entry: object) -> Part:
    if not isinstance(entry, Mapping) or "kind" not in entry:
        raise mistake(line, f"is {entry!r}", 'Write it as an object with a "kind".')
    name, kinds = entry["kind"], part_kinds()
    kind = kinds.get(name) if isinstance(name, str) else None
    if kind is None:
        raise mistake(line, f"is of the unknown kind {name!r}", f"Use one of {', '.join(kinds)}.")
    known = {field.name: field for field in fields(kind)}
    settings = {key: value for key, value in entry.items() if key != "kind"}
    for key, value in settings.items():
        if key not in known:
            raise mistake(line, f"({name}) has the unknown setting {key!r}", f"It may have: {', '.join(known)}.")
        if key == "inputs":
            if not isinstance(value, list) or not all(isinstance(source, str) for source in value):
                raise mistake(line, f"({name}) has inputs {value!r}", "Give a list of ids of layers.")
            settings[key] = tuple(value)
            continue
        if kind is Repeat and key == "layers":
            settings[key] = _parts_from_json(line, value)
            continue
        allowed = _TYPES[known[key].type]
        if not isinstance(value, allowed) or (isinstance(value, bool) and bool not in allowed):
            raise mistake(line, f"({name}) has {key} {value!r}", f"Give a value of type {allowed[-1].__name__}.")
    for key, field in known.items():
        if key not in settings and field.default is MISSING:
            raise mistake(line, f"({name}) says nothing about {key!r}", "Add it.")
    return kind(**settings)


def _parts_from_json(line: Line, entries: object) -> tuple[Part, ...]:
    if not isinstance(entries, list):
        where = f"layers of layer {'.'.join(str(place + 1) for place in line)}" if line else "layers"
        raise DescriptionError(f"The {where} are {entries!r}.", "Give a list of layers.", line=line)
    if len(line) >= _DEEPEST:
        raise mistake(line, "repeats a stretch in a stretch in a stretch", "Write one of them out.")
    if len(entries) > MOST_LAYERS:
        raise DescriptionError(f"There are {len(entries)} layers.", f"Keep to {MOST_LAYERS}.", line=line)
    return tuple(_part_from_json((*line, place), entry) for place, entry in enumerate(entries))


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
    parts = _parts_from_json((), layers)
    count = sum(1 for _ in _all_parts(parts))
    if count > MOST_LAYERS:
        raise DescriptionError(f"There are {count} layers, those of stretches counted.", f"Keep to {MOST_LAYERS}.")
    return NetworkDescription(name=str(data.get("name", "")), input_shape=(shape[0], shape[1], shape[2]), layers=parts)
