"""What the layers of a run did, as a table: a layer of an epoch a row."""

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from vast_orchard.core.watching.figures import BANDS
from vast_orchard.formats.csv_cells import harmless

__all__ = ["layer_table"]

_ONE = ("weight", "gradient", "update", "mean", "deviation", "zeros", "asleep", "pinned")
_QUANTILES = tuple((name, place) for name in ("bands", "weight_bands") for place in range(len(BANDS)))


def layer_table(epochs: Iterable[tuple[int, Sequence[Mapping[str, Any]]]]) -> str:
    """RFC 4180 CSV.

    Parameters
    ----------
    epochs : iterable of (number, figures of the layers as `core.watching.recording.layer_to_json` gives them)
    """
    written = io.StringIO(newline="")
    writer = csv.writer(written)
    writer.writerow(["epoch", "layer", *_ONE, *(f"{name} {BANDS[place]:g}" for name, place in _QUANTILES)])
    for number, layers in epochs:
        for layer in layers:
            bands = [(layer.get(name) or [""] * len(BANDS))[place] for name, place in _QUANTILES]
            writer.writerow([number, *harmless([layer["layer"]]), *(layer.get(name, "") for name in _ONE), *bands])
    return written.getvalue()
