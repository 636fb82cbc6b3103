"""The network's view of a set of pictures, in a memory-mapped cache that can be thrown away."""

import hashlib
import json
import os
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import structlog

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.area import area_from_json
from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_to_json
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.training.picture_pixels import PicturePixels, over_limit
from vast_orchard.store.areas import area_values
from vast_orchard.store.disk import disk_full, is_full
from vast_orchard.store.values import JudgedPictureValue

__all__ = ["run_pixels"]

_log = structlog.get_logger()

# Each holds one set at one size; the newest serve the runs that people compare.
_KEPT_CACHES = 9


def run_pixels(
    context: WorkContext, pictures: Sequence[JudgedPictureValue], preprocessing: Preprocessing, progress: Progress
) -> Array:
    """Pixels of shape (N, size, size, channels), uint8, in the order asked for; each by its own working area."""
    sha256s = [picture.sha256 for picture in pictures]
    with context.database.session() as session:
        values = area_values(session, [picture.area_id for picture in pictures if picture.area_id])
    areas = [values[picture.area_id] if picture.area_id else None for picture in pictures]
    alike = preprocessing_to_json(replace(preprocessing, area=None))
    # As they are, and not by their ids: those mean something in one project only, and caches are shared.
    asked = [alike, sha256s] if not values else [alike, sha256s, areas]
    key = hashlib.sha256(json.dumps(asked).encode()).hexdigest()[:24]
    path = context.folder.cache / f"pixels-{key}.npy"
    if not path.exists():
        context.folder.cache.mkdir(parents=True, exist_ok=True)
        # A name of its own for the draft: two workers may fill the same cache, and the last one to finish wins.
        draft = path.with_suffix(f".{progress.owner}.part")
        shape = (len(sha256s), *preprocessing.input_shape)
        pixels = _room_for(draft, shape)
        progress.stage("Preparing pictures", len(sha256s))
        seen_by = {n: replace(preprocessing, area=area_from_json(value)) for n, value in values.items()}
        seen = [seen_by[one.area_id] if one.area_id else replace(preprocessing, area=None) for one in pictures]
        store = PicturePixels(context.folder.cache, preprocessing)
        names = [store.name_of(one.sha256, before.area) for one, before in zip(pictures, seen, strict=True)]

        def decode(place: int) -> Array:
            path = context.store.picture_path(sha256s[place])
            return network_pixels(context.store.read(path), seen[place])

        decoded = store.fill(names, decode, pixels, progress.advance)
        _log.info("Pictures were prepared.", action="pixels_ready", pictures=len(names), decoded=decoded)
        pixels.flush()
        del pixels
        draft.rename(path)
        _forget_old(context)
        for folder in over_limit(context.folder.cache, context.settings.pixel_cache_mb * 1_000_000):
            context.folder.remove(folder)
    path.touch()
    return np.load(path, mmap_mode="r")  # type: ignore[no-any-return]


def _room_for(draft: Path, shape: tuple[int, ...]) -> "np.memmap[Any, Any]":
    """A file for so many pixels, mapped into memory, with its room on the disk.

    Without the room a mapped file ends its process at the first page that does not fit.

    Raises
    ------
    DiskFullError
    """
    pixels = np.lib.format.open_memmap(draft, "w+", np.uint8, shape)
    try:
        with draft.open("r+b") as file:
            os.posix_fallocate(file.fileno(), 0, draft.stat().st_size)
    except OSError as error:
        draft.unlink()
        if is_full(error):
            raise disk_full("The pictures as the network sees them", draft.parent, pixels.nbytes) from error
        raise
    return pixels


def _forget_old(context: WorkContext) -> None:
    newest = sorted(context.folder.cache.glob("pixels-*.npy"), key=lambda path: path.stat().st_mtime, reverse=True)
    for path in newest[_KEPT_CACHES:]:
        context.folder.remove(path)
