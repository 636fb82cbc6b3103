"""Sheets of tiles for the picture field: the small ones from the records, larger ones from thumbnails."""

import io
from collections.abc import Sequence

import numpy as np
from PIL import Image

from vast_orchard.core.arrays import Array
from vast_orchard.errors import OrchardError
from vast_orchard.formats.picture_file import TILE_SIDE
from vast_orchard.jobs.bringing_in.tiles import pixels_of, tiles_of
from vast_orchard.jobs.context import WorkContext

__all__ = ["draw_sheet"]

_MISSING = (128, 128, 128)


def draw_sheet(context: WorkContext, pictures: Sequence[tuple[int, str]], side: int, columns: int) -> bytes:
    """Tiles in rows of `columns` squares of `side` pixels: as PNG up to 24 pixels, else as JPEG.

    Parameters
    ----------
    pictures : sequence of (int, str)
        Id and SHA-256 of each; without the latter its place stays grey.
    """
    if side <= TILE_SIDE:
        return _small_sheet(context, pictures, side, columns)
    sheet = Image.new("RGB", (columns * side, -(-len(pictures) // columns) * side))
    for place, (_, sha256) in enumerate(pictures):
        sheet.paste(_square(context, sha256, side), (place % columns * side, place // columns * side))
    buffer = io.BytesIO()
    sheet.save(buffer, "JPEG", quality=85)
    return buffer.getvalue()


def _square(context: WorkContext, sha256: str, side: int) -> Image.Image:
    """A whole picture in the middle of a square; the JPEG is decoded no larger than needed."""
    square = Image.new("RGB", (side, side))
    try:
        with Image.open(io.BytesIO(context.store.read_thumbnail(sha256))) as image:
            image.draft("RGB", (side, side))
            small = image.convert("RGB")
        # A picture that is smaller than the tile is shown larger, so that all can be compared.
        scale = side / max(small.size)
        size = (max(1, round(small.width * scale)), max(1, round(small.height * scale)))
        small = small.resize(size, Image.Resampling.BILINEAR)
    except (OrchardError, OSError):
        return Image.new("RGB", (side, side), _MISSING)
    square.paste(small, ((side - small.width) // 2, (side - small.height) // 2))
    return square


def _small_sheet(context: WorkContext, pictures: Sequence[tuple[int, str]], side: int, columns: int) -> bytes:
    tiles = tiles_of(context, dict(pictures))
    grey = bytes(_MISSING) * TILE_SIDE**2
    rows = -(-len(pictures) // columns)
    whole = [tiles.get(picture, grey) for picture, _ in pictures] + [bytes(len(grey))] * (
        rows * columns - len(pictures)
    )
    small = _reduced(pixels_of(whole), side)
    sheet = small.reshape(rows, columns, side, side, 3).swapaxes(1, 2).reshape(rows * side, columns * side, 3)
    buffer = io.BytesIO()
    # Not as JPEG, whose blocks would smear the colours of tiles into each other.
    Image.fromarray(np.ascontiguousarray(sheet)).save(buffer, "PNG", compress_level=1)
    return buffer.getvalue()


def _reduced(tiles: Array, side: int) -> Array:
    """Tiles of (N, 24, 24, 3) on `side` pixels: means of blocks where they fit, else the nearest pixels."""
    if TILE_SIDE % side == 0:
        block = TILE_SIDE // side
        shaped = tiles.reshape(-1, side, block, side, block, 3)
        means: Array = shaped.mean(axis=(2, 4), dtype=np.float32)
        return means.astype(np.uint8)
    nearest = (np.arange(side) * TILE_SIDE) // side
    return tiles[:, nearest][:, :, nearest]
