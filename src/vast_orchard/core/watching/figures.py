"""What is recorded of a layer over an epoch, as a value."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from typing import Any

__all__ = ["BANDS", "LayerFigures", "layer_from_json", "layer_to_json"]

# Quantiles of a layer's values and weights: the middle half, the middle nine tenths, and the median.
BANDS = (0.05, 0.25, 0.5, 0.75, 0.95)
_DIGITS = 4  # of a stored figure


@dataclass(frozen=True, kw_only=True)
class LayerFigures:
    """Of a layer over an epoch, the mean of the steps that were measured; None where there is no such figure."""

    layer: str
    weight: float | None = None  # root mean square
    gradient: float | None = None  # root mean square
    update: float | None = None  # length of a step over the length of the weights
    mean: float | None = None  # of its values
    deviation: float | None = None
    zeros: float | None = None  # share of values that are zero
    asleep: float | None = None  # share of units that were zero in every measured step, of a rectified layer
    pinned: float | None = None  # share of values at the ends of a bounded activation
    bands: tuple[float, ...] = ()  # of its values, at `BANDS`
    weight_bands: tuple[float, ...] = ()


def layer_to_json(figures: LayerFigures) -> dict[str, Any]:
    """Plain values with four digits, and only those that there are."""
    found: dict[str, Any] = {}
    for name, value in asdict(figures).items():
        if isinstance(value, float):
            found[name] = _short(value)
        elif isinstance(value, tuple) and value:
            found[name] = [_short(entry) for entry in value]
        elif isinstance(value, str):
            found[name] = value
    return found


def layer_from_json(data: Mapping[str, Any]) -> LayerFigures:
    """Read what `layer_to_json` wrote."""
    known = {entry.name for entry in fields(LayerFigures)}
    values: dict[str, Any] = {n: tuple(v) if isinstance(v, list) else v for n, v in data.items() if n in known}
    return LayerFigures(**values)


def _short(value: float) -> float:
    return float(f"{value:.{_DIGITS}g}")
