"""Pictures as a preprocessing sees them, each decoded once on this machine, whichever sets and runs it is part of.

A preprocessing has two files: pixels one after the other, and the names of what they are of. A name is written after
its pixels lie on the disk, so that whoever dies between the two leaves room that the next one writes over.
"""

import contextlib
import fcntl
import hashlib
import json
import os
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.area import Area, area_to_json
from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_to_json
from vast_orchard.store.disk import disk_full, is_full

__all__ = ["PicturePixels", "over_limit"]

_NAME_BYTES = 32
# Decoded pictures that are written together; what was decoded before a stop is not lost.
_TOGETHER = 64


class PicturePixels:
    """The pixels of one preprocessing, in a folder that can be thrown away at any time.

    Parameters
    ----------
    cache : Path
        Folder of all of them.
    preprocessing : Preprocessing
        Its working area has no say: each picture comes with its own.
    """

    def __init__(self, cache: Path, preprocessing: Preprocessing) -> None:
        told = json.dumps(preprocessing_to_json(replace(preprocessing, area=None)))
        self._folder = cache / f"pictures-{hashlib.sha256(told.encode()).hexdigest()[:24]}"
        self._shape = preprocessing.input_shape
        self._size = int(np.prod(self._shape))

    @staticmethod
    def name_of(sha256: str, area: Area | None) -> bytes:
        """By what a picture with that working area is known here."""
        told = sha256 if area is None else f"{sha256} {json.dumps(area_to_json(area), sort_keys=True)}"
        return hashlib.sha256(told.encode()).digest()

    def fill(
        self, names: Sequence[bytes], decode: Callable[[int], Array], into: Array, told: Callable[[], None]
    ) -> int:
        """Put the pixels of pictures into an array; decodes those that nobody has decoded yet, and keeps them.

        Parameters
        ----------
        names : sequence of bytes
            See `name_of`.
        decode : callable
            Pixels of the picture at a place, (H, W, C), uint8.
        into : ndarray, shape (N, H, W, C), uint8
        told : callable
            Called for each picture that is there.

        Returns
        -------
        int
            How many were decoded.

        Raises
        ------
        DiskFullError
        """
        self._folder.mkdir(parents=True, exist_ok=True)
        known = self._known()
        missing = []
        pixels = self._mapped(len(known))
        for place, name in enumerate(names):
            if name in known:
                into[place] = pixels[known[name]]
                told()
            else:
                missing.append(place)
        for start in range(0, len(missing), _TOGETHER):
            chosen = missing[start : start + _TOGETHER]
            for place in chosen:
                into[place] = decode(place)
                told()
            self._append([names[place] for place in chosen], into[chosen])
        with contextlib.suppress(FileNotFoundError):  # thrown away meanwhile
            os.utime(self._folder / "names")
        return len(missing)

    def _known(self) -> dict[bytes, int]:
        try:
            data = (self._folder / "names").read_bytes()
        except FileNotFoundError:
            return {}
        count = len(data) // _NAME_BYTES
        return {data[n * _NAME_BYTES : (n + 1) * _NAME_BYTES]: n for n in range(count)}

    def _mapped(self, count: int) -> Array:
        if not count:
            return np.zeros((0, *self._shape), np.uint8)
        return np.memmap(self._folder / "pixels", np.uint8, "r", shape=(count, *self._shape))

    def _append(self, names: Sequence[bytes], pixels: Array) -> None:
        """Add pictures; those that another worker has added meanwhile stay as they are."""
        try:
            with self._alone():
                known = self._known()
                # The same picture may stand twice in what is asked for.
                new = list({name: n for n, name in enumerate(names) if name not in known}.values())
                with (self._folder / "pixels").open("ab") as opened:
                    # Below what the names tell nothing is touched; above it lies what was left by someone who died.
                    opened.truncate(len(known) * self._size)
                    opened.write(pixels[new].tobytes())
                    opened.flush()
                    os.fsync(opened.fileno())
                with (self._folder / "names").open("r+b" if known else "wb") as opened:
                    opened.truncate(len(known) * _NAME_BYTES)
                    opened.seek(0, os.SEEK_END)
                    opened.write(b"".join(names[n] for n in new))
        except FileNotFoundError:
            return  # thrown away meanwhile; the array has its pixels
        except OSError as error:
            if is_full(error):
                raise disk_full("The pictures as the network sees them", self._folder, pixels.nbytes) from error
            raise

    @contextmanager
    def _alone(self) -> Iterator[None]:
        with (self._folder / "lock").open("a") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            yield


def over_limit(cache: Path, limit_bytes: int) -> list[Path]:
    """The folders to throw away so that the rest is within a limit: those that were asked for longest ago.

    Whoever reads them still has them until it is done: a mapped file stays as long as it is mapped.
    """
    held, found = 0, []
    for folder in sorted(cache.glob("pictures-*"), key=_used_at, reverse=True):
        held += sum(file.stat().st_size for file in folder.glob("*") if file.is_file())
        if held > limit_bytes:
            found.append(folder)
    return found


def _used_at(folder: Path) -> float:
    try:
        return (folder / "names").stat().st_mtime
    except OSError:
        return 0.0
