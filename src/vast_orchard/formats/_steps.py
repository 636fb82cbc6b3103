"""From an opened picture file to unsigned 8-bit pixels: the steps that training, judging and exports share.

The text of this file is copied into the script of every export, so it may use nothing but NumPy and Pillow.
"""

from typing import Any

import numpy as np
from PIL import Image, ImageOps


def upright_rgb(image: Image.Image, ground: tuple[int, int, int]) -> Image.Image:
    """The first frame, turned as its EXIF tag says, 16 bits scaled to 8, alpha laid on `ground`, as RGB."""
    image.seek(0)
    ImageOps.exif_transpose(image, in_place=True)
    if image.mode.startswith("I;16") or image.mode in ("I", "F"):
        values = np.asarray(image).astype(np.float64)
        # Integers of more than 8 bits are read as 16-bit; floating-point pictures as 0 to 1, or 0 to 255.
        whole = 65535.0 if image.mode != "F" else (1.0 if values.max(initial=0.0) <= 1.0 else 255.0)
        image = Image.fromarray(np.rint(np.clip(values / whole, 0, 1) * 255).astype(np.uint8))
    if image.has_transparency_data:
        image = image.convert("RGBA")
        image = Image.alpha_composite(Image.new("RGBA", image.size, (*ground, 255)), image)
    return image if image.mode == "RGB" else image.convert("RGB")


def to_network_size(image: Image.Image, before: dict[str, Any]) -> np.ndarray:
    """A picture as the network sees it, (size, size, C), uint8, by the preprocessing's size, fit, colour and border.

    Resized by Pillow's antialiased bilinear filter.
    """
    side, fit = before["size"], before.get("fit", "distort")
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
