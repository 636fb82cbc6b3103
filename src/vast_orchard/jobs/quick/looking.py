"""Where a model looks in a picture: its heatmap over the part of the picture that the network sees."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from PIL import Image

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.heatmaps import covering_heatmap, gradient_heatmap, upscaled
from vast_orchard.core.judging.nearest import nearest
from vast_orchard.core.network.features import last_features
from vast_orchard.core.network.sensitivity import mapped_layers, proposed_layer
from vast_orchard.core.pictures.area import Area, area_from_json
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import standardise
from vast_orchard.core.team import Team
from vast_orchard.errors import InputError
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.picture_file import PictureLimits, part_kept, read_picture, seen_pixels

__all__ = ["heatmap", "nearest_learnt"]


def heatmap(
    model: Model,
    data: bytes,
    *,
    class_place: int | None,
    layer: str | None,
    way: str,
    area: Area | None,
    limits: PictureLimits | None = None,
    answer: Callable[[Array], FloatArray],
) -> dict[str, Any]:
    """The heatmap of a picture file, at the network's input size.

    Parameters
    ----------
    model : Model
    data : bytes
        The file.
    class_place : int, optional
        By default the class that the model says.
    layer : str, optional
        For gradients; by default the deepest that tells places apart.
    way : str
        `gradients` or `covering`.
    area : Area, optional
        The picture's working area.
    limits : PictureLimits, optional
    answer : callable
        From pixels (N, H, W, C) to probabilities (N, K).

    Raises
    ------
    InputError
        The network has no such class or layer.
    """
    upright = read_picture(data, model.preprocessing.ground, limits).upright
    before = replace(model.preprocessing, area=area)
    pixels = seen_pixels(upright, before)
    probabilities = answer(pixels[None])[0]
    place = int(probabilities.argmax()) if class_place is None else class_place
    if not 0 <= place < len(model.classes):
        raise InputError(f"There is no class {place}.", f"The model tells {len(model.classes)} apart.")
    network = model.network()
    layers = mapped_layers(network)
    if way == "covering":
        heat, used = covering_heatmap(answer, pixels, place), None
    else:
        used = layer or proposed_layer(network)
        heat = gradient_heatmap(network, standardise(pixels[None], model.statistics), place, used)
        heat = upscaled(heat, *pixels.shape[:2])
    return {
        "class_place": place,
        "p": float(probabilities[place]),
        "way": way,
        "layer": used,
        "layers": list(layers),
        "width": upright.size[0],
        "height": upright.size[1],
        "rows": pixels.shape[0],
        "columns": pixels.shape[1],
        "heat": np.rint(heat * 255).astype(int).ravel().tolist(),
        "area": _part_seen(upright, before),
    }


def nearest_learnt(
    model: Model,
    known: tuple[Array, Array],
    data: bytes,
    *,
    picture_id: int | None,
    count: int,
    area: Mapping[str, Any] | None,
    limits: PictureLimits | None = None,
    team: Team,
) -> list[tuple[int, float]]:
    """Ids of the pictures whose features lie nearest to those of a picture file, itself left out, and their likeness.

    Parameters
    ----------
    known : (ndarray of shape (N,), ndarray of shape (N, F))
        As `read_features` gives them.
    picture_id : int, optional
        Of the picture itself, if it is one of the project.

    Raises
    ------
    PictureError
        The file cannot be read.
    """
    ids, features = known
    upright = read_picture(data, model.preprocessing.ground, limits).upright
    pixels = seen_pixels(upright, replace(model.preprocessing, area=area_from_json(area)))
    one = last_features(model.network(), pixels[None], model.statistics, team)[0]
    found = [(int(ids[row]), likeness) for row, likeness in nearest(features, one, count + 1)]
    return [entry for entry in found if entry[0] != picture_id][:count]


def _part_seen(upright: Image.Image, before: Preprocessing) -> list[float]:
    """Left, top, right and bottom of what the network sees, in parts of the picture; a border lies beyond the part."""
    left, top, right, bottom = part_kept(upright, before)
    width, height = upright.size
    across, down = (right - left) * width, (bottom - top) * height
    side = {"middle": min(across, down), "border": max(across, down)}.get(before.fit)
    if side is None:
        return [left, top, right, bottom]
    left, top = left + (across - side) / 2 / width, top + (down - side) / 2 / height
    return [left, top, left + side / width, top + side / height]
