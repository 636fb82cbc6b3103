"""The small tiles of pictures; what is missing is made from thumbnails and kept."""

import io
from collections.abc import Mapping

import numpy as np
from PIL import Image

from vast_orchard.core.arrays import Array
from vast_orchard.errors import OrchardError
from vast_orchard.formats.picture_file import TILE_SIDE, reduced, tile, tile_brightness
from vast_orchard.jobs.context import WorkContext
from vast_orchard.store.tiles import add_tiles, read_tiles

__all__ = ["pixels_of", "tiles_of"]


def tiles_of(context: WorkContext, pictures: Mapping[int, str]) -> dict[int, bytes]:
    """Tiles by picture; without those whose file cannot be read.

    Parameters
    ----------
    pictures : mapping of int to str
        SHA-256 by id; empty where it is not known.
    """
    with context.database.session() as session:
        tiles = read_tiles(session, list(pictures))
    lacking = {picture: sha256 for picture, sha256 in pictures.items() if sha256 and picture not in tiles}
    return tiles | _made(context, lacking)


def _made(context: WorkContext, lacking: Mapping[int, str]) -> dict[int, bytes]:
    """Tiles of pictures that came in by a way that makes none, kept from now on."""
    found = {}
    for picture, sha256 in lacking.items():
        try:
            with Image.open(io.BytesIO(context.store.read_thumbnail(sha256))) as image:
                found[picture] = tile(reduced(image.convert("RGB")))
        except (OrchardError, OSError):
            continue
    if found:
        with context.database.session() as session:
            lit = zip(found.values(), tile_brightness(list(found.values())), strict=True)
            add_tiles(session, dict(zip(found, lit, strict=True)))
    return found


def pixels_of(tiles: list[bytes]) -> Array:
    """Tiles as one array of (N, 24, 24, 3), uint8."""
    return np.frombuffer(b"".join(tiles), np.uint8).reshape(-1, TILE_SIDE, TILE_SIDE, 3)
