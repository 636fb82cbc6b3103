"""Whether a model still answers stored pictures as it did when it was judged."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from vast_orchard.core.pictures.area import area_from_json
from vast_orchard.core.team import Team
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.store.bytes import ByteStore

__all__ = ["answers_again"]


def answers_again(
    store: ByteStore, model: Model, *, pictures: Sequence[tuple[str, Mapping[str, Any] | None]], team: Team
) -> list[list[float]]:
    """Probabilities of pictures, by their contents and working areas."""
    pixels = [
        network_pixels(
            store.read(ByteStore.picture_path(sha256)), replace(model.preprocessing, area=area_from_json(area))
        )
        for sha256, area in pictures
    ]
    found: list[list[float]] = model.probabilities(np.stack(pixels), team).tolist()
    return found
