"""Small picture files and archives, made by hand for tests."""

import io
import zipfile
from collections.abc import Mapping

import numpy as np
from PIL import Image

__all__ = ["encoded", "png", "two_classes", "zipped"]


def encoded(image: Image.Image, kind: str = "PNG", **options: object) -> bytes:
    """An image as a file's bytes."""
    buffer = io.BytesIO()
    image.save(buffer, kind, **options)
    return buffer.getvalue()


def png(seed: int = 0, size: tuple[int, int] = (20, 16), level: int = 128) -> bytes:
    """A noisy PNG, different for each seed."""
    random = np.random.default_rng(seed)
    pixels = np.clip(random.normal(level, 30, (size[1], size[0], 3)), 0, 255).astype(np.uint8)
    return encoded(Image.fromarray(pixels))


def zipped(members: Mapping[str, bytes]) -> bytes:
    """A zip archive of these members."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return buffer.getvalue()


def two_classes(each: int = 20) -> dict[str, bytes]:
    """Members of a zip or folder: plates, dark, and rime, bright, which a tiny network learns in an epoch."""
    return {
        f"{name}/{n}.png": png(70 * k + n, level=70 + 110 * k)
        for k, name in enumerate(("plate", "rime"))
        for n in range(each)
    }
