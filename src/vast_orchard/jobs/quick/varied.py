"""Sheets that show what preprocessing and variation do: the same calls as training."""

import base64
import io
import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np
from PIL import Image
from sqlalchemy import func, select

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.area import area_from_json
from vast_orchard.core.pictures.operations import KINDS, Family
from vast_orchard.core.pictures.preprocessing import FITS, Preprocessing, preprocessing_from_json
from vast_orchard.core.pictures.showing import ShownPictures
from vast_orchard.core.pictures.variation import Operation, Variation, variation_from_json
from vast_orchard.core.pictures.vary import vary
from vast_orchard.errors import OrchardError
from vast_orchard.formats.collection import identity_number
from vast_orchard.formats.picture_file import network_pixels, part_within, read_picture
from vast_orchard.jobs.context import WorkContext
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.schema import Action, Split
from vast_orchard.store.snapshots import trained_on

__all__ = ["Varied"]

# Tiles are enlarged to at least this, so that what a small network sees can be seen; larger ones stay as they are.
_LEAST_TILE = 72
# Of steps, whose first ones show more than the network sees.
_LEAST_STEP_TILE = 144
# Seed of a preview that shows operations alone: directions come out to the right and down.
_ALONE_SEED = 1


# As `core.pictures.area` writes it; None: all of the picture counts.
_Area = Mapping[str, Any] | None
# SHA-256, class id and working area.
_Shown = tuple[str, int | None, _Area]


class Varied:
    """Draws the sheets; keeps the pixels that it prepared last, so that a sheet follows a slider."""

    def __init__(self, context: WorkContext) -> None:
        self._context = context
        self._pixels = lru_cache(maxsize=2048)(self._prepared)
        self._pool = lru_cache(maxsize=2)(self._training_pictures)

    def _prepared(self, sha256: str, preprocessing: Preprocessing, area: str) -> Array:
        preprocessing = replace(preprocessing, area=area_from_json(json.loads(area)))
        return network_pixels(self._context.store.read(ByteStore.picture_path(sha256)), preprocessing)

    def _training_pictures(self, split_id: int, _state: object) -> Sequence[_Shown]:
        with self._context.database.session() as session:
            return trained_on(session, split_id)

    def _state(self, split_id: int) -> object:
        """What changes whenever other pictures, or other parts of them, would be trained on."""
        with self._context.database.session() as session:
            last = select(func.max(Action.id)).where(Action.project_id == Split.project_id).scalar_subquery()
            return session.execute(select(Split.revision, last).where(Split.id == split_id)).one_or_none()

    def variation_sheet(
        self,
        pictures: Sequence[_Shown],
        preprocessing: Mapping[str, Any],
        variation: Mapping[str, Any],
        seed: int,
        variants: int,
        split_id: int | None,
    ) -> dict[str, Any]:
        """A row a picture: what the network sees of it, then what the first epochs show of it.

        Parameters
        ----------
        pictures : sequence of (str, int or None, mapping or None)
            SHA-256, class id and working area.
        split_id : int or None
            Its training pictures are what others are mixed with.
        """
        before, wanted = preprocessing_from_json(preprocessing), variation_from_json(variation)
        mixing = any(KINDS[entry.kind].family is Family.MIXING for entry in wanted.operations)
        pool: Sequence[_Shown] = ()
        if mixing and split_id:
            pool = self._pool(split_id, self._state(split_id))
        every = [*pictures, *pool]
        if mixing and not pool:
            pool = every  # before anything is divided, those on show are mixed with each other
        identities = np.array([identity_number(sha256) for sha256, _, _ in every], np.uint64)

        def read(places: Array) -> Array:
            return np.stack([self._seen(every[place][0], before, every[place][2]) for place in places])

        shown = ShownPictures(
            read, identities, wanted, seed, pool=np.arange(len(every) - len(pool), len(every), dtype=np.int64)
        )
        chosen = np.arange(len(pictures))
        columns, mixes = [read(chosen)], []
        for epoch in range(1, variants + 1):
            drawn = shown.show(chosen, epoch)
            columns.append(drawn.pixels)
            for row in np.flatnonzero(drawn.shares):
                other = every[int(drawn.partners[row])][1]
                mixes.append({"row": int(row), "column": epoch, "class_id": other, "share": float(drawn.shares[row])})
        return _sheet(np.stack(columns, axis=1), mixes=mixes)

    def operation_extremes(
        self, sha256: str, area: _Area, preprocessing: Mapping[str, Any], variation: Mapping[str, Any]
    ) -> dict[str, Any]:
        """A row an operation: the picture, and the operation alone at the low and at the high end of its range."""
        before, wanted = preprocessing_from_json(preprocessing), variation_from_json(variation)
        pixels = self._seen(sha256, before, area)[None]
        identities = np.array([identity_number(sha256)], np.uint64)
        rows, heads = [], []
        for entry in wanted.operations:
            if KINDS[entry.kind].family is Family.MIXING:
                continue
            ends = [
                vary(
                    pixels,
                    identities,
                    Variation(operations=(Operation(kind=entry.kind, probability=1.0, low=end, high=end),)),
                    _ALONE_SEED,
                    1,
                )[0]
                for end in _bearable(entry, wanted)
            ]
            rows.append(np.stack([pixels[0], *ends]))
            heads.append(entry.kind)
        if not rows:
            rows.append(np.repeat(pixels, 3, axis=0))
        return _sheet(np.stack(rows), heads=heads)

    def preprocessing_sheet(
        self, pictures: Sequence[tuple[str, _Area]], preprocessing: Mapping[str, Any]
    ) -> dict[str, Any]:
        """A row a picture: the original in a square, then what the network sees of it by each way to fit."""
        before = preprocessing_from_json(preprocessing)
        tile = _tile(before.size)
        rows = []
        for sha256, area in pictures:
            tiles = [_whole(self._context, sha256, tile)]
            for fit in FITS:
                seen = self._seen(sha256, replace(before, fit=fit), area)
                tiles.append(_enlarged(seen, tile))
            rows.append(np.stack(tiles))
        return _sheet(np.stack(rows), heads=list(FITS))

    def steps_sheet(self, pictures: Sequence[tuple[str, _Area]], preprocessing: Mapping[str, Any]) -> dict[str, Any]:
        """A row a picture: as it is after each step that is done to it by itself, in their order."""
        before = preprocessing_from_json(preprocessing)
        tile = _tile(before.size, _LEAST_STEP_TILE)
        rows = []
        for sha256, area in pictures:
            tiles = [_blank(tile)] * 3
            try:
                data = self._context.store.read(ByteStore.picture_path(sha256))
                upright = read_picture(data, before.ground).upright
                part = part_within(upright, replace(before, area=area_from_json(area)))
                grey = part.convert("L").convert("RGB") if before.channels == 1 else part
                tiles = [_in_square(one, tile) for one in (upright, part, grey)]
                seen = _enlarged(self._seen(sha256, before, area), tile)
            except OrchardError:
                seen = _blank(tile)
            rows.append(np.stack([*tiles[: 3 if before.channels == 1 else 2], seen]))
        heads = ["upright", "working area", *(["grey"] if before.channels == 1 else []), "fit and resize"]
        return _sheet(np.stack(rows), heads=heads)

    def _seen(self, sha256: str, preprocessing: Preprocessing, area: _Area) -> Array:
        return self._pixels(sha256, preprocessing, json.dumps(area))


def _tile(side: int, least: int = _LEAST_TILE) -> int:
    """A whole multiple, so that all pixels stay equally large."""
    return side * max(1, -(-least // side))


def _bearable(entry: Operation, variation: Variation) -> tuple[float, float]:
    """Both ends of a range, but no further than a picture can be recognised when every picture gets it."""
    kind = KINDS[entry.kind]
    low, high = variation.range_of(entry)
    if not kind.ranged:
        return (0.0, 0.0)
    least, most = kind.readable
    return (max(low, least), min(high, most))


def _whole(context: WorkContext, sha256: str, side: int) -> Array:
    """The original in the middle of a square, undistorted."""
    try:
        small = read_picture(context.store.read(ByteStore.picture_path(sha256)), reduced_to=side).upright
    except OrchardError:
        return _blank(side)
    return _in_square(small, side)


def _blank(side: int) -> Array:
    return np.full((side, side, 3), 128, np.uint8)


def _in_square(small: Image.Image, side: int) -> Array:
    square = Image.fromarray(_blank(side))
    # A small one is shown larger, so that it can be compared with what the network sees.
    scale = side / max(small.size)
    size = (max(1, round(small.width * scale)), max(1, round(small.height * scale)))
    small = small.resize(size, Image.Resampling.BILINEAR)
    square.paste(small, ((side - small.width) // 2, (side - small.height) // 2))
    return np.asarray(square)


def _enlarged(pixels: Array, side: int) -> Array:
    """A tile of red, green and blue; enlarged by whole pixels, so that the pixels themselves are seen."""
    image = Image.fromarray(pixels[..., 0] if pixels.shape[-1] == 1 else pixels).convert("RGB")
    return np.asarray(image if image.width == side else image.resize((side, side), Image.Resampling.NEAREST))


def _sheet(tiles: Array, *, mixes: Sequence[Mapping[str, Any]] = (), heads: Sequence[str] = ()) -> dict[str, Any]:
    """Tiles of shape (rows, columns, H, W, C) as one picture."""
    rows, columns, side = tiles.shape[:3]
    tile = _tile(side)
    if tile == side and tiles.shape[-1] == 3:
        drawn = tiles
    else:
        drawn = np.stack([np.stack([_enlarged(one, tile) for one in row]) for row in tiles])
    whole = drawn.swapaxes(1, 2).reshape(rows * tile, columns * tile, 3)
    buffer = io.BytesIO()
    # Writing it as PNG would take ten times as long, which is most of what a person waits for.
    Image.fromarray(np.ascontiguousarray(whole)).save(buffer, "JPEG", quality=92, subsampling=0)
    return {
        "image": base64.b64encode(buffer.getvalue()).decode("ascii"),
        "tile": tile,
        "rows": rows,
        "columns": columns,
        "heads": list(heads),
        "mixes": list(mixes),
    }
