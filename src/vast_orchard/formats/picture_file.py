"""Picture files: bytes to facts, to upright pictures, to the network's pixels, to thumbnails."""

import io
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
import pillow_heif
from PIL import Image, UnidentifiedImageError

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures._area_steps import covered_rows
from vast_orchard.core.pictures.area import Area, area_to_json
from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_to_json
from vast_orchard.errors import PictureError
from vast_orchard.formats._steps import kept_box, standing_out_of, to_network_size, upright_rgb, within_area

__all__ = [
    "PICTURE_ENDINGS",
    "THUMBNAIL_SIDE",
    "TILE_BYTES",
    "TILE_SIDE",
    "Glance",
    "Picture",
    "PictureLimits",
    "SmallPicture",
    "area_mask",
    "glance",
    "network_pixels",
    "part_kept",
    "part_within",
    "read_picture",
    "reduced",
    "seen_pixels",
    "thumbnail",
    "tile",
    "tile_brightness",
    "what_stands_out",
]

PICTURE_ENDINGS = frozenset({".jpg", ".jpeg", ".png", ".webp", ".bmp", ".tif", ".tiff", ".gif", ".heic", ".heif"})
_FORMATS = ("JPEG", "PNG", "WEBP", "BMP", "TIFF", "GIF", "HEIF")
_SHOWN_AS_THEY_ARE = ("JPEG", "PNG")
# EXIF's tag for how the camera was held; from 5 on, width and height change places.
_ORIENTATION, _FIRST_LYING = 0x0112, 5
# A JPEG as large as a thumbnail has ten kilobytes, a PNG of a hundred pixels thirty; larger ones get a thumbnail.
_OWN_THUMBNAIL_BYTES = 2**16
TILE_SIDE = 24  # twice the smallest tile
TILE_BYTES = TILE_SIDE * TILE_SIDE * 3
THUMBNAIL_SIDE = 208  # the largest tile is 200 pixels; eight more hide the rounding of odd shapes

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

    upright: Image.Image  # RGB, turned as its EXIF tag says; smaller than the file says if that was asked for
    width: int  # of the file's picture, turned, pixels
    height: int
    mode: str  # Pillow's name for how the file stores pixels
    format: str  # JPEG, PNG, …
    frames: int
    turned: bool  # stored lying or upside down, and turned by its EXIF tag


@dataclass(frozen=True, kw_only=True)
class SmallPicture:
    """What is kept of a picture that was decoded at once, because its file serves as its thumbnail."""

    mode: str  # Pillow's name for how the file stores pixels
    tile: bytes


@dataclass(frozen=True, kw_only=True)
class Glance:
    """What a glance at a picture file tells."""

    width: int  # as stored, pixels
    height: int
    format: str
    traits: tuple[str, ...]  # turned, alpha, palette, grey, CMYK, 16-bit, several frames
    small: SmallPicture | None  # None: only its head was looked at, or it needs a thumbnail


def _open(data: bytes, limits: PictureLimits) -> Image.Image:
    """Opened and not decoded, within the limits."""
    if not data:
        raise PictureError("The file is empty (0 bytes).", "Copy it again from where it came.")
    if len(data) > limits.megabytes * 2**20:
        raise PictureError(
            f"The file has {len(data) / 2**20:.0f} MB.", f"The limit is {limits.megabytes} MB; reduce it."
        )
    image = Image.open(io.BytesIO(data), formats=_FORMATS)
    width, height = image.size
    if width * height > limits.megapixels * 1_000_000:
        raise PictureError(
            f"The picture has {width}×{height} pixels.",
            f"The limit is {limits.megapixels} megapixels; reduce it.",
        )
    return image


@contextmanager
def _errors_in_words() -> Iterator[None]:
    try:
        yield
    except PictureError:
        raise
    except UnidentifiedImageError as error:
        raise PictureError(
            "The file is not a picture in a known format.", "Use JPEG, PNG, WebP, BMP, TIFF, GIF or HEIC."
        ) from error
    # Pillow's decoders raise many kinds of errors on damaged files; each means the same here.
    except Exception as error:
        raise PictureError(f"The picture is damaged ({_short(error)}).", "Copy it again from where it came.") from error


def glance(data: bytes, limits: PictureLimits | None = None) -> Glance:
    """Look at the head of a picture file, which is thirty times as fast as decoding it; decode a small one at once.

    A file that is as small as its thumbnail would be, and that any browser shows as it is, is its own thumbnail:
    nothing but its tile is left to be made of it, so that it need not be opened again.

    Raises
    ------
    PictureError
        Empty, unknown, damaged in its head, or larger than the limits; of a small one: damaged anywhere.
    """
    with _errors_in_words():
        image = _open(data, limits or PictureLimits())
        width, height = image.size
        small = (
            image.format in _SHOWN_AS_THEY_ARE
            and max(width, height) <= THUMBNAIL_SIDE
            and len(data) <= _OWN_THUMBNAIL_BYTES
        )
        if small:
            image.load()
        traits = _traits(image, decoded=small)
        plain = small and not set(traits) - {"grey"}
        upright = image if image.mode == "RGB" or not plain else image.convert("RGB")
        return Glance(
            width=width,
            height=height,
            format=image.format or "",
            traits=traits,
            small=SmallPicture(mode=image.mode, tile=tile(upright)) if plain else None,
        )


def _traits(image: Image.Image, *, decoded: bool) -> tuple[str, ...]:
    # A PNG would be decoded for tags that stand behind its pixels, where hardly anyone writes them.
    tagged = decoded or image.format != "PNG" or "exif" in image.info
    found = {
        "turned": tagged and image.getexif().get(_ORIENTATION, 1) != 1,
        "alpha": image.has_transparency_data,
        "palette": image.mode == "P",
        "grey": image.mode in ("L", "LA", "1"),
        "CMYK": image.mode == "CMYK",
        "16-bit": image.mode.startswith("I") or image.mode == "F",
        "several frames": bool(getattr(image, "is_animated", False)),
    }
    return tuple(name for name, is_so in found.items() if is_so)


def read_picture(
    data: bytes,
    ground: tuple[int, int, int] = (0, 0, 0),
    limits: PictureLimits | None = None,
    *,
    reduced_to: int | None = None,
) -> Picture:
    """Decode the whole of a picture file.

    Parameters
    ----------
    data : bytes
    ground : tuple of int
        Colour laid under transparency, 0 to 255.
    limits : PictureLimits, optional
    reduced_to : int, optional
        A side, in pixels, that is enough: JPEG is then decoded at a half, a quarter or an eighth of its size, which
        still reads every byte of it but takes a fraction of the time and memory.

    Raises
    ------
    PictureError
        Empty, unknown, damaged, or larger than the limits.
    """
    with _errors_in_words():
        image = _open(data, limits or PictureLimits())
        mode, kind, frames = image.mode, image.format or "", getattr(image, "n_frames", 1)
        stored = image.size
        if reduced_to:
            image.draft(None, (reduced_to, reduced_to))
        reduced = image.size != stored
        orientation = image.getexif().get(_ORIENTATION, 1)
        lies = reduced and orientation >= _FIRST_LYING
        upright = upright_rgb(image, ground)
    width, height = (stored[::-1] if lies else stored) if reduced else upright.size
    return Picture(
        upright=upright,
        width=width,
        height=height,
        mode=mode,
        format=kind,
        frames=int(frames),
        turned=orientation != 1,
    )


def _short(error: Exception) -> str:
    return (str(error) or type(error).__name__).splitlines()[0][:120]


def network_pixels(data: bytes, preprocessing: Preprocessing) -> Array:
    """What the network sees of a picture file: (size, size, channels), uint8."""
    return seen_pixels(read_picture(data, preprocessing.ground).upright, preprocessing)


def seen_pixels(upright: Image.Image, preprocessing: Preprocessing) -> Array:
    """What the network sees of an opened picture: (size, size, channels), uint8."""
    return np.ascontiguousarray(to_network_size(upright, preprocessing_to_json(preprocessing)))


def part_kept(upright: Image.Image, preprocessing: Preprocessing) -> tuple[float, float, float, float]:
    """Left, top, right and bottom of the part of an opened picture that counts, in fractions of its sides."""
    left, top, right, bottom = kept_box(upright, area_to_json(preprocessing.area))
    width, height = upright.size
    return left / width, top / height, right / width, bottom / height


def part_within(upright: Image.Image, preprocessing: Preprocessing) -> Image.Image:
    """The part of an opened picture that counts, with what is covered painted over."""
    return within_area(upright, area_to_json(preprocessing.area))


def area_mask(data: bytes, preprocessing: Preprocessing) -> bytes:
    """Which pixels of a turned picture file count, as a grey PNG of its size: 255 where they do, 0 where not.

    Raises
    ------
    PictureError
    """
    upright = read_picture(data, preprocessing.ground).upright
    values = area_to_json(preprocessing.area) or {}
    left, top, right, bottom = kept_box(upright, values)
    mask = np.zeros((upright.height, upright.width), np.uint8)
    hidden = covered_rows(values.get("covered") or (), upright.size, (left, top, right, bottom))
    mask[top:bottom, left:right] = np.where(hidden, 0, 255)
    buffer = io.BytesIO()
    Image.fromarray(mask).save(buffer, "PNG")
    return buffer.getvalue()


def what_stands_out(upright: Image.Image, area: Area) -> dict[str, Any]:
    """What stands out of an opened picture, but for what the area covers: see `core.pictures._area_steps`."""
    return standing_out_of(upright, area_to_json(area) or {})


def reduced(upright: Image.Image) -> Image.Image:
    """A picture of at most 208 pixels on a side, of the same shape."""
    if max(upright.size) <= THUMBNAIL_SIDE:
        return upright
    scale = THUMBNAIL_SIDE / max(upright.size)
    size = max(1, round(upright.width * scale)), max(1, round(upright.height * scale))
    # Averaged over whole blocks first, which is nearly as good and far faster; of a copy there is no need.
    return upright.resize(size, Image.Resampling.BILINEAR, reducing_gap=2.0)


def thumbnail(small: Image.Image) -> bytes:
    """A reduced picture as a JPEG."""
    buffer = io.BytesIO()
    small.save(buffer, "JPEG", quality=85)
    return buffer.getvalue()


def tile(small: Image.Image) -> bytes:
    """The middle square of a picture on 24×24 pixels: red, green, blue of each, row by row; 1,728 bytes.

    Not encoded, because a screen of the smallest tiles shows five thousand of them, which would take a second to
    decode.
    """
    side = min(small.size)
    left, top = (small.width - side) // 2, (small.height - side) // 2
    middle = (left, top, left + side, top + side)
    return small.resize((TILE_SIDE, TILE_SIDE), Image.Resampling.BOX, middle).tobytes()


def tile_brightness(tiles: Sequence[bytes]) -> list[float]:
    """The mean of each tile's values, 0 to 1."""
    pixels = np.frombuffer(b"".join(tiles), np.uint8).reshape(-1, TILE_BYTES)
    means: list[float] = (pixels.mean(axis=1) / 255).tolist()
    return means
