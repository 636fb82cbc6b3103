"""From an opened picture file to unsigned 8-bit pixels: the steps that training, judging and exports share.

The text of this file is copied into the script of every export, below that of `_area_steps`, so it may use nothing but
that, NumPy and Pillow.
"""

from typing import Any

import numpy as np
from PIL import Image, ImageOps

from vast_orchard.core.pictures._area_steps import FOUND_SIDE, covered_rows, pixel_box, standing_out, widened

# From here on the text goes into the script of an export.

ROWS_AT_ONCE = 256  # so that a large picture is not held many times over


def upright_rgb(image: Image.Image, ground: tuple[int, int, int]) -> Image.Image:
    """The first frame, turned as its EXIF tag says, 16 bits scaled to 8, alpha laid on `ground`, as RGB."""
    image.seek(0)
    ImageOps.exif_transpose(image, in_place=True)
    if image.mode.startswith("I;16") or image.mode in ("I", "F"):
        values = np.asarray(image)
        # Integers of more than 8 bits are read as 16-bit; floating-point pictures as 0 to 1, or 0 to 255.
        whole = 65535.0 if image.mode != "F" else (1.0 if values.max(initial=0.0) <= 1.0 else 255.0)
        grey = np.empty(values.shape, np.uint8)
        for top in range(0, len(values), ROWS_AT_ONCE):
            part = values[top : top + ROWS_AT_ONCE].astype(np.float64)
            grey[top : top + ROWS_AT_ONCE] = np.rint(np.clip(part / whole, 0, 1) * 255)
        image = Image.fromarray(grey)
    if image.has_transparency_data:
        return on_ground(image, ground)
    return image if image.mode == "RGB" else image.convert("RGB")


def on_ground(image: Image.Image, ground: tuple[int, int, int]) -> Image.Image:
    """Alpha laid on one colour, some rows at a time: as a whole it would take four more pictures' memory."""
    flat = Image.new("RGB", image.size)
    for top in range(0, image.height, ROWS_AT_ONCE):
        rows = image.crop((0, top, image.width, min(image.height, top + ROWS_AT_ONCE))).convert("RGBA")
        below = Image.new("RGBA", rows.size, (*ground, 255))
        flat.paste(Image.alpha_composite(below, rows).convert("RGB"), (0, top))
    return flat


def standing_out_of(image: Image.Image, area: dict[str, Any]) -> dict[str, Any]:
    """`standing_out` of an RGB picture, but for what the area covers."""
    scale = min(1.0, FOUND_SIDE / max(image.size))
    size = max(1, int(image.width * scale + 0.5)), max(1, int(image.height * scale + 0.5))
    reduced = image if size == image.size else image.resize(size, Image.Resampling.BOX)
    return standing_out(np.asarray(reduced), covered_rows(area.get("covered") or (), size, (0, 0, *size)))


def kept_box(image: Image.Image, area: dict[str, Any] | None) -> tuple[int, int, int, int]:
    """Left, top, right and bottom, in pixels, of the part of an RGB picture that counts."""
    keep = area.get("keep") if area else None
    if area and area.get("margin") is not None:
        found = standing_out_of(image, area)["box"]
        keep = widened(found, area["margin"]) if found else None
    return pixel_box(keep or (0, 0, 1, 1), *image.size)


def within_area(image: Image.Image, area: dict[str, Any] | None) -> Image.Image:
    """The part of an RGB picture that counts, with what is covered painted over; None: the picture as it is."""
    if not area:
        return image
    box = kept_box(image, area)
    covered, size = area.get("covered") or (), image.size
    image = image if box == (0, 0, *size) and not covered else image.crop(box)
    if not covered:
        return image
    left, top, right, _ = box

    def hidden(row: int) -> np.ndarray:
        rows = (left, top + row, right, top + min(image.height, row + ROWS_AT_ONCE))
        return covered_rows(covered, size, rows)

    fill = area.get("fill") or _mean_left(image, hidden)
    for row in range(0, image.height, ROWS_AT_ONCE):
        image.paste(tuple(fill), (0, row), Image.fromarray(hidden(row).astype(np.uint8) * 255))
    return image


def _mean_left(image: Image.Image, hidden: Any) -> tuple[int, ...]:
    """The mean colour of what is not covered; black where nothing is left."""
    sums, count = np.zeros(3, np.int64), 0
    for row in range(0, image.height, ROWS_AT_ONCE):
        part = np.asarray(image.crop((0, row, image.width, min(image.height, row + ROWS_AT_ONCE))))
        left = part[~hidden(row)]
        sums, count = sums + left.sum(axis=0, dtype=np.int64), count + len(left)
    return tuple(int(value) for value in (2 * sums + count) // (2 * max(count, 1)))


def to_network_size(image: Image.Image, before: dict[str, Any]) -> np.ndarray:
    """A picture as the network sees it, (size, size, C), uint8, by the preprocessing's area, size, fit, colour and
    border.

    Resized by Pillow's antialiased bilinear filter.
    """
    side, fit = before["size"], before.get("fit", "distort")
    image = within_area(image, before.get("area"))
    image = image.convert("L") if before["colour"] == "grey" else image
    width, height = image.size
    if fit == "middle":
        square = min(width, height)
        left, top = (width - square) // 2, (height - square) // 2
        image = image.resize((side, side), Image.Resampling.BILINEAR, (left, top, left + square, top + square))
    elif fit == "border":
        scale = side / max(width, height)
        inner = max(1, round(width * scale)), max(1, round(height * scale))
        whole = Image.new("RGB", (side, side), tuple(before["border"])).convert(image.mode)
        whole.paste(image.resize(inner, Image.Resampling.BILINEAR), ((side - inner[0]) // 2, (side - inner[1]) // 2))
        image = whole
    else:
        image = image.resize((side, side), Image.Resampling.BILINEAR)
    pixels = np.asarray(image)
    return pixels[..., None] if pixels.ndim == 2 else pixels


def views_of(pixels: np.ndarray, views: str) -> list[np.ndarray]:
    """Pictures (N, H, W, C) in every way over which an answer is averaged."""
    if views == "mirrored":
        return [pixels, pixels[:, :, ::-1]]
    if views == "turned":
        return [np.rot90(pixels, quarters, axes=(1, 2)) for quarters in range(4)]
    return [pixels]
