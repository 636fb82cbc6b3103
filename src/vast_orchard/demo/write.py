"""Writes the snow-crystal collection as a folder tree, with the list of what was planted beside it."""

import io
import json
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from PIL import Image

from vast_orchard.demo.picture import Box, near_copy, photographed
from vast_orchard.demo.plan import Faults, PlannedPicture, plan_collection

__all__ = [
    "DEFAULT_COUNT",
    "DEFAULT_SEED",
    "PICTURES_FOLDER",
    "PLANTED_FILE",
    "drawn_file",
    "drawn_size",
    "write_collection",
]

DEFAULT_COUNT = 1400
DEFAULT_SEED = 7
PICTURES_FOLDER = "ridge-station"
PLANTED_FILE = "planted.json"
_CHUNK = 100


def drawn_file(entry: PlannedPicture, seed: int, faults: Faults) -> tuple[bytes, Box | None]:
    """A file, and the box around its crystal; of one that was turned or cut afterwards nobody wrote it down."""
    random = np.random.default_rng([seed, 1, entry.draw])
    options: dict[str, float | int] = {}
    if entry.fault == "blurred":
        options["blur"] = faults.blur
    if entry.fault == "dark":
        options["dim"] = faults.dim
    if entry.fault == "oversized":
        options["side"] = 1600
    box: Box | None
    image, box = photographed(entry.true_class, random, **options)  # type: ignore[arg-type]
    quality = int(random.integers(82, 96))
    if entry.fault == "near_copy":
        own = np.random.default_rng([seed, 2, entry.number])
        image, quality, box = near_copy(image, own), int(own.integers(60, 80)), None
    buffer = io.BytesIO()
    if _is_png(entry, faults):
        image.save(buffer, "PNG")
    else:
        image.save(buffer, "JPEG", quality=quality)
    return buffer.getvalue(), box


def drawn_size(entry: PlannedPicture, seed: int, faults: Faults) -> tuple[int, int, str]:
    """Width, height and format of a file."""
    data, _ = drawn_file(entry, seed, faults)
    with Image.open(io.BytesIO(data)) as image:
        return image.width, image.height, image.format or ""


def _is_png(entry: PlannedPicture, faults: Faults) -> bool:
    # Every eighth crystal was kept as PNG; copies follow their original so that exact ones stay exact.
    return (entry.draw % 8 == 0 or entry.true_class == faults.png_class) and entry.fault != "near_copy"


def _path(entry: PlannedPicture, faults: Faults) -> str:
    ending = "png" if _is_png(entry, faults) else "jpg"
    folder = f"{entry.folder}/{entry.folder}" if entry.nested else entry.folder
    return f"{PICTURES_FOLDER}/{folder}/ridge-{entry.number:06d}.{ending}"


def _write_chunk(folder: Path, entries: list[PlannedPicture], seed: int, faults: Faults) -> list[Box | None]:
    boxes = []
    for entry in entries:
        target = folder / _path(entry, faults)
        target.parent.mkdir(parents=True, exist_ok=True)
        data, box = drawn_file(entry, seed, faults)
        target.write_bytes(data)
        boxes.append(box)
    return boxes


def write_collection(
    folder: Path,
    count: int = DEFAULT_COUNT,
    seed: int = DEFAULT_SEED,
    *,
    faults: Faults = Faults(),  # noqa: B008
    processes: int = 2,
    progress: Callable[[int, int], None] | None = None,
) -> None:
    """Write `count` labelled pictures, the unlabelled ones, stray and broken files, and `planted.json`.

    Parameters
    ----------
    folder : Path
        Made if it is missing; the pictures lie in `ridge-station/<class>` below it.
    count, seed : int
        The same two give the same bytes on one version of the program.
    faults : Faults
        What is planted.
    processes : int
        How many draw at once; it does not change what is drawn.
    progress : callable, optional
        Called with pictures written and pictures in all.
    """
    planned = plan_collection(count, seed, faults)
    chunks = [planned[start : start + _CHUNK] for start in range(0, len(planned), _CHUNK)]
    boxes: list[Box | None] = []
    with ProcessPoolExecutor(processes, mp_context=get_context("spawn")) as pool:
        try:
            for written in pool.map(
                _write_chunk, [folder] * len(chunks), chunks, [seed] * len(chunks), [faults] * len(chunks)
            ):
                boxes += written
                if progress:
                    progress(len(boxes), len(planned))
        except BaseException:
            pool.shutdown(wait=True, cancel_futures=True)  # what stops it does not wait for all that was planned
            raise
    unreadable = _write_strays(folder, planned, faults) if faults.planted else []
    stray = [f"{PICTURES_FOLDER}/station notes.txt"] if faults.planted else []
    planted = {
        "count": count,
        "seed": seed,
        "pictures": [
            {"path": _path(entry, faults), **asdict(entry), "box": box}
            for entry, box in zip(planned, boxes, strict=True)
        ],
        "unreadable": unreadable,
        "stray": stray,
        "doubled_folders": [f"{PICTURES_FOLDER}/plate/plate"] if faults.planted else [],
        "faults": asdict(faults),
    }
    (folder / PLANTED_FILE).write_text(json.dumps(planted, indent=1) + "\n")


def _write_strays(folder: Path, planned: list[PlannedPicture], faults: Faults) -> list[str]:
    """A note, and two files that cannot be read; the paths of these."""
    root = folder / PICTURES_FOLDER
    (root / "station notes.txt").write_text("Ridge Station. Plates cleaned at noon. Wind from the west.\n")
    broken = [f"{PICTURES_FOLDER}/stellar/ridge-broken-1.jpg", f"{PICTURES_FOLDER}/column/ridge-broken-2.png"]
    whole = (folder / _path(next(entry for entry in planned if not _is_png(entry, faults)), faults)).read_bytes()
    (folder / broken[0]).write_bytes(whole[: len(whole) // 3])
    (folder / broken[1]).write_bytes(b"\x89PNG\r\n\x1a\n" + bytes(range(64)))
    return broken
