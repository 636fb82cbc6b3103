"""The form of a network as JSON, as a JSON Schema (draft 2020-12) that other programs can check files against."""

from dataclasses import MISSING, fields
from typing import Any

from vast_orchard.core.network.blocks import part_kinds
from vast_orchard.core.network.expansion import ACTIVATIONS, MOST_LAYERS
from vast_orchard.core.network.layers import Node
from vast_orchard.core.network.plan import RULES
from vast_orchard.upgrades.network import NETWORK_VERSION

__all__ = ["CHOICES", "network_schema"]

# Settings that are words, and which.
CHOICES: dict[str, tuple[str, ...]] = {"edge": ("keep", "cut"), "start": RULES, "activation": tuple(ACTIVATIONS)}

_TYPES = {int: "integer", float: "number", bool: "boolean", str: "string"}


def network_schema() -> dict[str, Any]:
    """What `description_from_json` reads of today's form. Whether it holds together is for `plan` to say."""
    kinds = part_kinds()
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A network of Vast Orchard",
        "type": "object",
        "required": ["layers"],
        "properties": {
            "version": {"const": NETWORK_VERSION},
            "name": {"type": "string"},
            "input_shape": {
                "description": "Height, width and channels; left out where pictures may have any.",
                "type": "array",
                "items": {"type": "integer", "minimum": 1},
                "minItems": 3,
                "maxItems": 3,
            },
            "layers": {"$ref": "#/$defs/layers"},
        },
        "$defs": {
            "layers": {
                "type": "array",
                "maxItems": MOST_LAYERS,
                "items": {"oneOf": [{"$ref": f"#/$defs/{name}"} for name in kinds]},
            },
            **{name: _part(name, kind) for name, kind in kinds.items()},
        },
    }


def _part(name: str, kind: type[Node]) -> dict[str, Any]:
    properties: dict[str, Any] = {"kind": {"const": name}}
    for field in fields(kind):
        properties[field.name] = _setting(field.name, field.type)
        if field.default is not MISSING and field.default not in ("", ()):
            properties[field.name]["default"] = field.default
    return {
        "description": " ".join((kind.__doc__ or "").partition("\n")[0].split()),
        "type": "object",
        "required": ["kind", *(field.name for field in fields(kind) if field.default is MISSING)],
        "properties": properties,
        "additionalProperties": False,
    }


def _setting(name: str, kind: Any) -> dict[str, Any]:
    if name == "inputs":
        return {"type": "array", "items": {"type": "string"}}
    if name == "layers":
        return {"$ref": "#/$defs/layers"}
    return {"enum": list(CHOICES[name])} if name in CHOICES else {"type": _TYPES[kind]}
