"""From a picture's pixels to the part of it that counts: what is covered, and what stands out by itself.

The text of this file is copied into the script of every export, so it may use nothing but NumPy. All sums are of whole
numbers, so that every machine comes to the same part.
"""

from typing import Any

import numpy as np

__all__ = ["FOUND_SIDE", "covered_rows", "pixel_box", "standing_out", "widened"]

# From here on the text goes into the script of an export.

FOUND_SIDE = 96  # longer side, in pixels, of the reduced picture in which a part is looked for

_BORDER_SHARE = 0.05  # of the shorter side: how wide a frame is taken for the ground
_TRIMS = 4  # times that what does not look like the ground is left out of the frame
_TRIM_AT = 2.5  # deviations from which on that is so
_NOISE_AT = 3.5  # deviations of the ground above which a pixel may be part of something
_LEAST_STEP = 4.0  # of 255: below it nothing stands out
_GROWN_TO = 0.2  # of the seeds' threshold: how faint what hangs on a seed may be
_ALSO = 0.15  # of the weight of the main part: what else stands out as much is kept with it
_AT_EDGE = 0.35  # of its weight: what a part counts that goes on beyond the picture, as a neighbour does


def pixel_box(keep: Any, width: int, height: int) -> tuple[int, int, int, int]:
    """Left, top, right and bottom in whole pixels of a part in fractions of the sides; at least one pixel."""
    left = min(int(keep[0] * width + 0.5), width - 1)
    top = min(int(keep[1] * height + 0.5), height - 1)
    right = max(int(keep[2] * width + 0.5), left + 1)
    bottom = max(int(keep[3] * height + 0.5), top + 1)
    return left, top, right, bottom


def covered_rows(polygons: Any, size: tuple[int, int], box: tuple[int, int, int, int]) -> np.ndarray:
    """Which pixels of `box` have their centre in one of the polygons, by the even-odd rule: (rows, columns), bool.

    Polygons are lists of points in fractions of the sides of a picture of `size`, width and height.
    """
    left, top, right, bottom = box
    mask = np.zeros((bottom - top, right - left), bool)
    for polygon in polygons:
        # In pixels of the box, so that the centre of the first one lies at 0.
        points = [(x * size[0] - left - 0.5, y * size[1] - top - 0.5) for x, y in polygon]
        toggles = np.zeros((bottom - top, right - left + 1), np.uint8)
        for (x0, y0), (x1, y1) in zip(points, points[1:] + points[:1]):  # noqa: B905, the script runs on any Python
            if y0 == y1:
                continue
            first, last = max(0, int(np.ceil(min(y0, y1)))), min(len(mask), int(np.ceil(max(y0, y1))))
            rows = np.arange(first, last)
            crossed = np.ceil(x0 + (rows - y0) * ((x1 - x0) / (y1 - y0)))
            toggles[rows, np.clip(crossed, 0, right - left).astype(np.int64)] ^= 1
        mask |= np.bitwise_xor.accumulate(toggles, axis=1)[:, :-1].astype(bool)
    return mask


def standing_out(pixels: np.ndarray, hidden: np.ndarray) -> dict[str, Any]:
    """What stands out from the ground of a reduced picture (H, W, 3), uint8, but for what is hidden (H, W), bool.

    The ground is a plane for each channel, fitted by least squares to a frame at the border, from which whatever does
    not look like it is left out. A pixel is a seed where its distance from the ground is above the threshold that
    parts the distances best (Otsu 1979, "A threshold selection method from gray-level histograms"); what is fainter
    belongs to a part if it hangs on a seed (Canny 1986, two thresholds) by sides or corners (Rosenfeld and Pfaltz
    1966, connected parts by runs).

    Answers `box` in fractions of the sides, or None, and what may be doubted of it: `clear` (how many times the
    ground's own noise the part stands out), `edge` (share of the part's box that lies at the picture's edge) and
    `rival` (weight of the next part, as a share of this one's).
    """
    values = pixels.astype(np.float64)
    height, width = hidden.shape
    rows, columns = np.mgrid[0:height, 0:width].astype(np.float64)
    frame = max(1, int(_BORDER_SHARE * min(height, width) + 0.5))
    border = (np.minimum(rows, height - 1 - rows) < frame) | (np.minimum(columns, width - 1 - columns) < frame)
    border &= ~hidden
    nothing = {"box": None, "clear": 0.0, "edge": 0.0, "rival": 0.0}
    if border.sum() < 8:
        return nothing
    ground, noise = _ground(values, border, rows, columns)
    away = np.abs(_smooth(values - ground)).max(axis=2)
    away[hidden] = 0
    seeds = max(_otsu(away[~hidden]), _NOISE_AT * noise, _LEAST_STEP)
    faint = max(_GROWN_TO * seeds, min(_NOISE_AT * noise, seeds), _LEAST_STEP)
    parts = [part for part in _parts(away > faint, away) if part["most"] > seeds]
    if not parts:
        return nothing
    whole = [0, 0, width, height]
    for part in parts:
        part["at_edge"] = any(part["box"][side] == whole[side] for side in range(4))
        part["counts"] = part["weight"] * (_AT_EDGE if part["at_edge"] else 1.0)
    parts.sort(key=lambda part: -part["counts"])
    main, others = parts[0], parts[1:]
    box = list(main["box"])
    for part in others:
        if part["counts"] >= _ALSO * main["counts"] and not part["at_edge"]:
            box = [min(box[0], part["box"][0]), min(box[1], part["box"][1]),
                   max(box[2], part["box"][2]), max(box[3], part["box"][3])]  # fmt: skip
    sides = [width, height, width, height]
    return {
        "box": tuple(value / side for value, side in zip(box, sides)),  # noqa: B905
        "clear": main["weight"] / main["pixels"] / max(noise, 1.0),
        "edge": sum(box[side] == whole[side] for side in range(4)) / 4,
        "rival": others[0]["counts"] / main["counts"] if others else 0.0,
    }


def widened(box: Any, margin: float) -> tuple[float, float, float, float]:
    """A part with a margin around it, of so much of its own sides, cut off at the picture's."""
    across, down = margin * (box[2] - box[0]), margin * (box[3] - box[1])
    left, top, right, bottom = box[0] - across, box[1] - down, box[2] + across, box[3] + down
    return max(0.0, left), max(0.0, top), min(1.0, right), min(1.0, bottom)


def _ground(values: np.ndarray, border: np.ndarray, rows: np.ndarray, columns: np.ndarray) -> tuple[np.ndarray, float]:
    """The ground's colour at every pixel (H, W, 3), and how far it scatters about that."""
    # From the middle colour first: a plane through everything would lean towards what lies at one side.
    used = border
    for turn in range(_TRIMS + 1):
        if turn:
            plane = np.stack([_plane(values[..., c], used, rows, columns) for c in range(3)], axis=2)
        else:
            plane = np.broadcast_to(np.median(values[border], axis=0), values.shape)
        off = np.abs(values - plane).max(axis=2)
        noise = 1.4826 * float(np.median(off[used]))  # a median is 1/1.4826 of a normal deviation
        kept = border & (off <= max(_TRIM_AT * noise, 2.0))
        if kept.sum() < 8:
            break
        used = kept
    return plane, noise


def _plane(channel: np.ndarray, used: np.ndarray, rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
    """a + b·row + c·column through the pixels in use, by least squares."""
    r, c, v = rows[used], columns[used], channel[used]
    n = float(len(v))
    rr, cc = n * (r * r).sum() - r.sum() ** 2, n * (c * c).sum() - c.sum() ** 2
    rc = n * (r * c).sum() - r.sum() * c.sum()
    rv, cv = n * (r * v).sum() - r.sum() * v.sum(), n * (c * v).sum() - c.sum() * v.sum()
    by = rr * cc - rc * rc
    down, across = ((rv * cc - cv * rc) / by, (cv * rr - rv * rc) / by) if by > 0 else (0.0, 0.0)
    return (v.sum() - down * r.sum() - across * c.sum()) / n + down * rows + across * columns


def _smooth(values: np.ndarray) -> np.ndarray:
    """The mean over three by three pixels, the border's repeated."""
    padded = np.pad(values, ((1, 1), (1, 1), (0, 0)), "edge")
    down = padded[:-2] + padded[1:-1] + padded[2:]
    return (down[:, :-2] + down[:, 1:-1] + down[:, 2:]) / 9


def _otsu(distances: np.ndarray) -> float:
    """The threshold that parts values of 0 to 255 so that the means of both sides differ most."""
    counts = np.bincount(np.minimum(distances, 255).astype(np.int64), minlength=256).astype(np.float64)
    below, total = np.cumsum(counts), counts.sum()
    sums = np.cumsum(counts * np.arange(256))
    above = total - below
    apart = np.zeros(256)
    both = (below > 0) & (above > 0)
    apart[both] = below[both] * above[both] * (sums[both] / below[both] - (sums[-1] - sums[both]) / above[both]) ** 2
    return float(apart.argmax()) + 1.0


def _parts(mask: np.ndarray, away: np.ndarray) -> list[dict[str, Any]]:
    """Connected parts with box (left, top, right, bottom), pixels, sum and largest of their distances."""
    found: list[dict[str, Any]] = []
    leads: list[int] = []  # a part that was met again goes on in another one

    def lead(part: int) -> int:
        while leads[part] != part:
            part = leads[part]
        return part

    above: list[tuple[int, int, int]] = []
    for row, line in enumerate(mask):
        edges = np.flatnonzero(np.diff(np.concatenate(([False], line, [False])).astype(np.int8)))
        runs = []
        for start, end in zip(edges[::2].tolist(), edges[1::2].tolist()):  # noqa: B905
            values = away[row, start:end]
            own = len(leads)
            leads.append(own)
            found.append({
                "box": [start, row, end, row + 1], "pixels": end - start,
                "weight": float(np.rint(values).sum()), "most": float(values.max()),
            })  # fmt: skip
            for first, last, part in above:
                if first <= end and last >= start:  # corners touch too
                    _join(found, leads, lead(part), lead(own))
            runs.append((start, end, own))
        above = runs
    return [part for number, part in enumerate(found) if leads[number] == number]


def _join(found: list[dict[str, Any]], leads: list[int], one: int, other: int) -> None:
    if one == other:
        return
    into, gone = found[one], found[other]
    leads[other] = one
    a, b = into["box"], gone["box"]
    into["box"] = [min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])]
    into["pixels"] += gone["pixels"]
    into["weight"] += gone["weight"]
    into["most"] = max(into["most"], gone["most"])
