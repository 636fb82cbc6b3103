"""Network descriptions of versions up to 0.7, in today's words and with ids for their layers."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

__all__ = ["FORMER_NAMES", "NETWORK_VERSION", "former_ready_network", "ready_name", "upgrade_network"]

NETWORK_VERSION = 2  # 1: up to 0.7, which stored no version

# What versions up to 0.8 called ready networks; runs have kept it, and scripts may still say it.
FORMER_NAMES: Mapping[str, str] = MappingProxyType({"very small": "plain 4", "small": "plain 5", "medium": "plain 8"})

_KINDS = {"conv2d": "conv", "depthwise_conv2d": "depthwise_conv", "spatial_dropout": "channel_dropout"}
_SETTINGS = {"filters": "channels", "units": "outputs", "rate": "share", "size": "kernel", "padding": "edge"}
_EDGES = {"same": "keep", "valid": "cut"}
# What version 1 took where nothing was said, by today's kinds.
_SLIDING = {"kernel": 3, "stride": 1, "edge": "keep", "dilation": 1}
_POOLING = {"kernel": 2, "stride": 0, "edge": "cut"}
_DEFAULTS: dict[str, dict[str, Any]] = {
    "conv": {**_SLIDING, "groups": 1, "bias": True, "start": "he"},
    "depthwise_conv": {**_SLIDING, "bias": True, "start": "he"},
    "leaky_relu": {"slope": 0.01},
    "max_pool": _POOLING,
    "average_pool": _POOLING,
    "dropout": {"share": 0.25},
    "channel_dropout": {"share": 0.25},
    "dense": {"bias": True, "start": "glorot"},
}
# Blocks (filters, number of convolutions), filters of the last convolution, share of dropout.
_READY: dict[str, tuple[tuple[tuple[int, int], ...], int, float]] = {
    "very small": (((8, 1), (16, 1), (32, 1)), 64, 0.2),
    "small": (((16, 1), (32, 1), (48, 1), (64, 1)), 128, 0.2),
    "medium": (((16, 1), (32, 2), (64, 2), (96, 2)), 128, 0.3),
}


def upgrade_network(data: Mapping[str, Any]) -> dict[str, Any]:
    """A description in today's form; one that is in it already is returned as it is.

    Each layer's id is what its weights were called by then, `place_kind`, so stored weights keep their names.

    Parameters
    ----------
    data : mapping
        As stored, or as a person wrote it down for an earlier version. What is not understood is left as it is, for the
        reader to name.
    """
    layers = data.get("layers")
    if "version" in data or not isinstance(layers, list) or not any(map(_is_former, layers)):
        return dict(data)
    # Numbered as they were when they were named: a place, and the kind's name of then.
    ids = [
        f"{place:02d}_{entry.get('kind')}" if isinstance(entry, Mapping) else ""
        for place, entry in enumerate(layers, 1)
    ]
    named = {
        entry["name"]: id_
        for entry, id_ in zip(layers, ids, strict=True)
        if isinstance(entry, Mapping) and isinstance(entry.get("name"), str)
    }
    return {
        **data,
        "version": NETWORK_VERSION,
        "layers": [_layer(entry, id_, named) for entry, id_ in zip(layers, ids, strict=True)],
    }


def _is_former(entry: Any) -> bool:
    return isinstance(entry, Mapping) and (
        str(entry.get("kind")) in _KINDS or bool(_SETTINGS.keys() & entry.keys()) or "name" in entry
    )


def _layer(entry: Any, id_: str, named: Mapping[str, str]) -> Any:
    if not isinstance(entry, Mapping):
        return entry
    found = {_SETTINGS.get(key, key): value for key, value in entry.items() if key != "name"}
    found["id"] = id_
    kind = found.get("kind")
    if isinstance(kind, str):
        found["kind"] = now = _KINDS.get(kind, kind)
        for key, value in _DEFAULTS.get(now, {}).items():
            found.setdefault(key, value)
    if isinstance(found.get("edge"), str):
        found["edge"] = _EDGES.get(found["edge"], found["edge"])
    fed = found.get("inputs")
    if isinstance(fed, list):
        found["inputs"] = [named.get(source, source) if isinstance(source, str) else source for source in fed]
    return found


def ready_name(name: str) -> str:
    """What a ready network is called today; any other name is left as it is."""
    return FORMER_NAMES.get(name, name)


def _convolution(filters: int) -> list[dict[str, Any]]:
    return [{"kind": "conv2d", "filters": filters, "bias": False}, {"kind": "batch_norm"}, {"kind": "relu"}]


def former_ready_network(name: str, size: int, channels: int, classes: int) -> dict[str, Any]:
    """What versions up to 0.7 made of a ready network's name, in today's form.

    Raises
    ------
    KeyError
        There was none of that name.
    """
    blocks, last, dropout = _READY[name]
    layers: list[dict[str, Any]] = []
    for filters, convolutions in blocks:
        for _ in range(convolutions):
            layers += _convolution(filters)
        layers.append({"kind": "max_pool"})
    layers += _convolution(last)
    layers += [
        {"kind": "global_average_pool"},
        {"kind": "dropout", "rate": dropout},
        {"kind": "dense", "units": classes},
    ]
    return upgrade_network({"name": name, "input_shape": [size, size, channels], "layers": layers})
