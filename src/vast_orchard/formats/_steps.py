"""From an opened picture file to unsigned 8-bit pixels: the steps that training, judging and exports share.

The text of this file is copied into the script of every export, so it may use nothing but NumPy and Pillow.
"""

import numpy as np
from PIL import Image, ImageOps


def upright_rgb(image: Image.Image, ground: tuple[int, int, int]) -> Image.Image:
    """The first frame, turned as its EXIF tag says, 16 bits scaled to 8, alpha laid on `ground`, as RGB."""
    image.seek(0)
    image = ImageOps.exif_transpose(image)
    if image.mode.startswith("I;16") or image.mode in ("I", "F"):
        values = np.asarray(image).astype(np.float64)
        # Integers of more than 8 bits are read as 16-bit; floating-point pictures as 0 to 1, or 0 to 255.
        whole = 65535.0 if image.mode != "F" else (1.0 if values.max(initial=0.0) <= 1.0 else 255.0)
        image = Image.fromarray(np.rint(np.clip(values / whole, 0, 1) * 255).astype(np.uint8))
    if image.has_transparency_data:
        image = image.convert("RGBA")
        image = Image.alpha_composite(Image.new("RGBA", image.size, (*ground, 255)), image)
    return image.convert("RGB")


def to_network_size(image: Image.Image, size: int, colour: str) -> np.ndarray:
    """The whole picture stretched to `size` by `size` by Pillow's antialiased bilinear filter, as (H, W, C), uint8."""
    image = image.convert("L") if colour == "grey" else image
    pixels = np.asarray(image.resize((size, size), Image.Resampling.BILINEAR))
    return pixels[..., None] if pixels.ndim == 2 else pixels
