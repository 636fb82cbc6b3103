"""Networks as plain values: ready ones, those that are kept by name, what each comes to, and what they are made of."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import MISSING, fields, replace
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.network_times import (
    Lesson,
    free_memory,
    measured_errors,
    measured_on,
    started_errors,
    time_values,
)
from vast_orchard.core.network.blocks import BLOCKS, Part, part_kind, part_kinds
from vast_orchard.core.network.checking import Checked, LinePlan, check
from vast_orchard.core.network.description import (
    NetworkDescription,
    description_from_json,
    description_to_json,
    resolved,
)
from vast_orchard.core.network.layout import fitting_batch
from vast_orchard.core.network.plan import LayerPlan, plan
from vast_orchard.core.network.ready import DEFAULT_NETWORK, READY_NETWORKS, ready_network
from vast_orchard.core.network.repairs import Repair, repaired
from vast_orchard.core.network.scaling import scaled
from vast_orchard.core.network.schema import CHOICES, network_schema
from vast_orchard.core.watching.rows import watched_layers
from vast_orchard.errors import InputError, MissingError, SettingError
from vast_orchard.store.ingredients import ingredient_named
from vast_orchard.store.schema import IngredientKind
from vast_orchard.upgrades.network import ready_name

__all__ = [
    "check_network",
    "checked_network",
    "checked_network_name",
    "layer_values",
    "network_by_name",
    "network_parts",
    "network_schema",
    "networks",
    "resolved_network",
]

# How a search calls what it makes of a network.
_SCALED = re.compile(
    r"(?P<base>.+?)(?:, (?P<wide>[0-9]{1,2}(?:[.][0-9]{1,6})?) times as wide)?"
    r"(?:, (?P<deep>[0-9]{1,2}(?:[.][0-9]{1,6})?) times as deep)?"
)
# How a version of a kept network is called where one word has to do: in a recipe, in the Ledger.
_VERSION = re.compile(r"(.+), version ([0-9]{1,6})")


def layer_values(layers: Sequence[LayerPlan]) -> list[dict[str, Any]]:
    """Layers as they are told, here and at the terminal."""
    return [
        {
            "place": x.place,
            "id": x.id,
            "kind": x.kind,
            "sources": list(x.sources),
            "shape": list(x.shape),
            "parameters": x.parameters,
            "multiply_adds": x.multiply_adds,
            "receptive_field": x.receptive_field,
        }
        for x in layers
    ]


def _network(description: NetworkDescription, classes: int | None = None) -> dict[str, Any]:
    planned = plan(description, classes)
    return {
        "name": description.name,
        "parameters": planned.parameters,
        "multiply_adds": planned.multiply_adds,
        "layers": layer_values(planned.layers),
    }


def networks(
    size: int, channels: int, classes: int, lesson: Lesson, also: Mapping[str, Any] | None = None
) -> list[dict[str, Any]]:
    """The ready networks for an input and a number of classes, layer by layer, and as they are written.

    Parameters
    ----------
    also : mapping, optional
        Another one to be listed with them.
    """
    listed = {name: ready_network(name) for name in READY_NETWORKS}
    if also is not None:
        listed[also["name"]] = description_from_json(also)
    picture, found = (size, size, channels), []
    for name, ready in listed.items():
        checked = check(ready, picture, classes, batch_size=lesson.batch, pictures=lesson.pictures)
        layers, is_ready = _layers(checked), name in READY_NETWORKS
        found.append(
            {
                "name": name,
                "layers": layer_values(layers),
                "default": name == DEFAULT_NETWORK,
                "watched": _watched(ready, picture, classes),
                "written": description_to_json(ready)["layers"],
                "errors": measured_errors(name) if is_ready else {},
                "started": started_errors(name) if is_ready else {},
                "measured": measured_on(),
                **_sums(checked, lesson),
                **time_values(layers, picture, lesson),
            }
        )
    return found


def _layers(checked: Checked) -> list[LayerPlan]:
    """In the order of computing; a repeated stretch has those of one line apart."""
    return sorted((layer for line in checked.lines for layer in line.layers), key=lambda layer: layer.place)


def resolved_network(data: Mapping[str, Any]) -> dict[str, Any]:
    """A network that a run holds, layer by layer.

    Raises
    ------
    DescriptionError
    """
    return _network(description_from_json(data))


def checked_network(data: Mapping[str, Any]) -> dict[str, Any]:
    """What is kept of a network: its list, every number of its type. It need not hold together yet.

    Raises
    ------
    DescriptionError
        It is no list of layers and blocks.
    """
    return {"layers": description_to_json(description_from_json({"layers": data.get("layers")}))["layers"]}


def checked_network_name(name: str) -> str:
    """A name that a kept network can have.

    Raises
    ------
    InputError
        It is that of a ready one, or was, or it looks like that of a version.
    """
    if ready_name(name.strip().lower()) in READY_NETWORKS:
        raise InputError(f"{name.strip()!r} is the name of a ready network.", "Choose another.")
    if _VERSION.fullmatch(name.strip()):
        raise InputError("The name ends like that of a version.", "Leave its end out: versions are numbered here.")
    return name


def network_by_name(session: Session, project_id: int, name: str) -> tuple[dict[str, Any], int | None]:
    """A ready network or one that the project keeps, and the latter's id.

    Parameters
    ----------
    name : str
        Of a ready network; of a kept one, which means its newest version; "name, version 2"; or of any of these with
        ", 2 times as wide" or ", 2 times as deep" behind it, as a search calls what it makes of them.

    Raises
    ------
    SettingError
        There is none of that name.
    """
    if (made := _SCALED.fullmatch(name)) and (made["wide"] or made["deep"]):
        base, _ = network_by_name(session, project_id, made["base"])
        wide, deep = (float(made[way]) if made[way] else 1.0 for way in ("wide", "deep"))
        return description_to_json(scaled(description_from_json(base), wide, deep)), None
    if ready_name(name) in READY_NETWORKS:
        return description_to_json(ready_network(name)), None
    match = _VERSION.fullmatch(name)
    wanted, version = (match[1], int(match[2])) if match else (name, None)
    try:
        kept = ingredient_named(session, project_id, IngredientKind.NETWORK, wanted, version)
    except MissingError as error:
        mend = f"Choose one of {', '.join(READY_NETWORKS)}, or one that the project keeps."
        raise SettingError(f"There is no network {name!r} in this project.", mend) from error
    return {"name": f"{kept.name}, version {kept.version}", **kept.value}, kept.id


def network_parts() -> list[dict[str, Any]]:
    """Everything that a network's list can hold, with the settings of each and what they are when nothing is said."""
    return [
        {
            "kind": name,
            "does": (kind.__doc__ or "").partition("\n")[0],
            "settings": [
                {
                    "name": field.name,
                    "type": field.type.__name__ if isinstance(field.type, type) else str(field.type),
                    "default": None if field.default is MISSING else field.default,
                    "choices": list(CHOICES.get(field.name, ())),
                }
                for field in fields(kind)
                if field.name not in ("id", "inputs", "layers")
            ],
        }
        for name, kind in part_kinds().items()
    ]


def check_network(data: Mapping[str, Any], *, size: int, channels: int, classes: int, lesson: Lesson) -> dict[str, Any]:
    """What a list of layers and blocks comes to, line by line; each repair as the list that it leaves.

    Raises
    ------
    DescriptionError
        It is no list of layers and blocks.
    """
    description = description_from_json({"layers": data.get("layers")})
    picture = (size, size, channels)
    found = check(description, picture, classes, batch_size=lesson.batch, pictures=lesson.pictures)
    wrong = found.wrong
    times = {"epoch_s": None, "answer_s": None} if wrong else time_values(_layers(found), picture, lesson)
    return {
        "written": description_to_json(description)["layers"],
        "lines": [_line(entry) for entry in found.lines],
        "opened": _opened(description, picture),
        "wrong": wrong
        and {
            "line": wrong.line and list(wrong.line),
            "what": wrong.what,
            "why": wrong.mend,
            "repair": _repair(description, wrong.line, wrong.repair),
        },
        "doubts": [
            {
                "line": doubt.line and list(doubt.line),
                "what": doubt.what,
                "why": doubt.why,
                "repair": _repair(description, doubt.line, doubt.repair),
            }
            for doubt in found.doubts
        ],
        "watched": [] if wrong else _watched(description, picture, classes),
        **_sums(found, lesson),
        **times,
    }


def _opened(description: NetworkDescription, shape: tuple[int, int, int]) -> list[dict[str, Any]]:
    """Blocks as the layers that they consist of, for this many channels of the picture."""
    expanded = replace(description, input_shape=shape).expanded
    blocks: dict[tuple[int, ...], list[Part]] = {
        (place,): [] for place, part in enumerate(description.layers) if part_kind(part) in BLOCKS
    }
    for layer, line in zip(expanded.layers, expanded.lines, strict=True):
        if line in blocks:
            blocks[line].append(layer)
    return [
        {
            "line": list(line),
            "layers": description_to_json(NetworkDescription(name="", layers=tuple(layers)))["layers"],
        }
        for line, layers in blocks.items()
        if layers
    ]


def _watched(description: NetworkDescription, picture: tuple[int, int, int], classes: int) -> list[str]:
    return [entry.id for entry in watched_layers(resolved(description, picture, classes))]


def _sums(found: Checked, lesson: Lesson) -> dict[str, int]:
    names = ("parameters", "multiply_adds", "receptive_field", "memory_bytes", "file_bytes")
    free = free_memory()
    fits = fitting_batch(found.memory_bytes, found.memory_fixed_bytes, lesson.batch, free)
    return {
        **{name: getattr(found, name) for name in names},
        "memory_free_bytes": free,
        "batch_that_fits": fits,
        "threads": lesson.threads,
    }


def _line(entry: LinePlan) -> dict[str, Any]:
    return {
        "line": list(entry.line),
        "kind": entry.kind,
        "shape": list(entry.shape),
        "parameters": entry.parameters,
        "multiply_adds": entry.multiply_adds,
        "receptive_field": entry.receptive_field,
        "layers": layer_values(entry.layers),
    }


def _repair(
    description: NetworkDescription, line: tuple[int, ...] | None, repair: Repair | None
) -> dict[str, Any] | None:
    if repair is None or line is None:
        return None
    layers = repaired(description.layers, line, repair)
    if layers is None:
        return None
    mended = NetworkDescription(name="", layers=layers)
    return {"words": repair.words, "layers": description_to_json(mended)["layers"]}
