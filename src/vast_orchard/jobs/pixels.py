"""The network's view of a set of pictures, in a memory-mapped cache that can be thrown away."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import asdict

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.jobs.context import Progress, WorkContext

__all__ = ["run_pixels"]

# Each holds one set at one size; the newest serve the runs that people compare.
_KEPT_CACHES = 9


def run_pixels(context: WorkContext, sha256s: Sequence[str], preprocessing: Preprocessing, progress: Progress) -> Array:
    """Pixels of shape (N, size, size, channels), uint8, in the order asked for."""
    key = hashlib.sha256(json.dumps([asdict(preprocessing), list(sha256s)]).encode()).hexdigest()[:24]
    path = context.cache / f"pixels-{key}.npy"
    if not path.exists():
        context.cache.mkdir(parents=True, exist_ok=True)
        # A name of its own for the draft: two workers may fill the same cache, and the last one to finish wins.
        draft = path.with_suffix(f".{progress.owner}.part")
        shape = (len(sha256s), *preprocessing.input_shape)
        pixels = np.lib.format.open_memmap(draft, "w+", np.uint8, shape)
        progress.stage("Preparing pictures", len(sha256s))
        for place, sha256 in enumerate(sha256s):
            pixels[place] = network_pixels(context.store.read(context.store.picture_path(sha256)), preprocessing)
            progress.advance()
        pixels.flush()
        del pixels
        draft.rename(path)
        _forget_old(context)
    path.touch()
    return np.load(path, mmap_mode="r")  # type: ignore[no-any-return]


def _forget_old(context: WorkContext) -> None:
    newest = sorted(context.cache.glob("pixels-*.npy"), key=lambda path: path.stat().st_mtime, reverse=True)
    for path in newest[_KEPT_CACHES:]:
        path.unlink(missing_ok=True)
