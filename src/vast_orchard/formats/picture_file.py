"""Picture files: bytes to facts, to upright pictures, to the network's pixels, to thumbnails."""

import io
from dataclasses import dataclass

import numpy as np
import pillow_heif
from PIL import Image, UnidentifiedImageError

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.errors import PictureError
from vast_orchard.formats._steps import to_network_size, upright_rgb

__all__ = ["PICTURE_ENDINGS", "Picture", "PictureLimits", "network_pixels", "read_picture", "thumbnail"]

PICTURE_ENDINGS = frozenset({".jpg", ".jpeg", ".png", ".webp", ".bmp", ".tif", ".tiff", ".gif", ".heic", ".heif"})
_FORMATS = ("JPEG", "PNG", "WEBP", "BMP", "TIFF", "GIF", "HEIF")
_THUMBNAIL_SIDE = 208  # the largest tile is 200 pixels; eight more hide the rounding of odd shapes

# Pillow's own limit only warns below twice its value; `PictureLimits` refuses exactly, before anything is decoded.
Image.MAX_IMAGE_PIXELS = None

# What telephones write; Pillow learns to read it from this package. Thumbnails inside the file are of no use here.
pillow_heif.register_heif_opener(thumbnails=False)


@dataclass(frozen=True, kw_only=True)
class PictureLimits:
    """What a picture file may cost."""

    megapixels: int = 50
    megabytes: int = 64


@dataclass(frozen=True, kw_only=True)
class Picture:
    """A decoded picture and the facts of its file."""

    upright: Image.Image  # RGB, turned as its EXIF tag says
    width: int  # of the turned picture, pixels
    height: int
    mode: str  # Pillow's name for how the file stores pixels
    format: str  # JPEG, PNG, …
    frames: int


def read_picture(data: bytes, ground: tuple[int, int, int] = (0, 0, 0), limits: PictureLimits | None = None) -> Picture:
    """Decode the whole of a picture file.

    Parameters
    ----------
    data : bytes
    ground : tuple of int
        Colour laid under transparency, 0 to 255.
    limits : PictureLimits, optional

    Raises
    ------
    PictureError
        Empty, unknown, damaged, or larger than the limits.
    """
    limits = limits or PictureLimits()
    if not data:
        raise PictureError("The file is empty (0 bytes).", "Copy it again from where it came.")
    if len(data) > limits.megabytes * 2**20:
        raise PictureError(
            f"The file has {len(data) / 2**20:.0f} MB.", f"The limit is {limits.megabytes} MB; reduce it."
        )
    try:
        image = Image.open(io.BytesIO(data), formats=_FORMATS)
        width, height = image.size
        if width * height > limits.megapixels * 1_000_000:
            raise PictureError(
                f"The picture has {width}×{height} pixels.",
                f"The limit is {limits.megapixels} megapixels; reduce it.",
            )
        mode, kind, frames = image.mode, image.format or "", getattr(image, "n_frames", 1)
        upright = upright_rgb(image, ground)
    except PictureError:
        raise
    except UnidentifiedImageError as error:
        raise PictureError(
            "The file is not a picture in a known format.", "Use JPEG, PNG, WebP, BMP, TIFF, GIF or HEIC."
        ) from error
    # Pillow's decoders raise many kinds of errors on damaged files; each means the same here.
    except Exception as error:
        raise PictureError(f"The picture is damaged ({_short(error)}).", "Copy it again from where it came.") from error
    return Picture(
        upright=upright,
        width=upright.width,
        height=upright.height,
        mode=mode,
        format=kind,
        frames=int(frames),
    )


def _short(error: Exception) -> str:
    return (str(error) or type(error).__name__).splitlines()[0][:120]


def network_pixels(data: bytes, preprocessing: Preprocessing) -> Array:
    """What the network sees of a picture file: (size, size, channels), uint8."""
    picture = read_picture(data, preprocessing.ground)
    return np.ascontiguousarray(to_network_size(picture.upright, preprocessing.size, preprocessing.colour))


def thumbnail(picture: Picture) -> bytes:
    """A JPEG of at most 208 pixels on a side."""
    small = picture.upright.copy()
    small.thumbnail((_THUMBNAIL_SIDE, _THUMBNAIL_SIDE), Image.Resampling.BILINEAR)
    buffer = io.BytesIO()
    small.save(buffer, "JPEG", quality=85)
    return buffer.getvalue()
