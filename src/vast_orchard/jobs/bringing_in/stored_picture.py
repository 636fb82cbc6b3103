"""Keeps one picture file in the store: decoded once, its bytes under their hash, a thumbnail where it needs one."""

from dataclasses import dataclass

from vast_orchard.formats.picture_file import (
    THUMBNAIL_SIDE,
    PictureLimits,
    glance,
    read_picture,
    reduced,
    thumbnail,
    tile,
)
from vast_orchard.store.bytes import ByteStore

__all__ = ["KeptPicture", "keep_picture"]


@dataclass(frozen=True, kw_only=True)
class KeptPicture:
    """A picture whose bytes are in the store."""

    sha256: str
    size_bytes: int
    width: int  # turned, pixels
    height: int
    mode: str
    format: str
    thumbnail_bytes: int  # 0: it is its own thumbnail
    tile: bytes


def keep_picture(store: ByteStore, data: bytes, limits: PictureLimits, place: str | None = None) -> KeptPicture:
    """Decode and store a picture file; one that cannot be read leaves nothing behind.

    Parameters
    ----------
    place : str, optional
        A file of ours with these bytes, which may be taken over.

    Raises
    ------
    PictureError
        It cannot be read.
    ServiceError
        There is no room to store it.
    """
    seen = glance(data, limits)
    if seen.small is not None:
        return KeptPicture(
            sha256=store.write_picture(data, place),
            size_bytes=len(data),
            width=seen.width,
            height=seen.height,
            mode=seen.small.mode,
            format=seen.format,
            thumbnail_bytes=0,
            tile=seen.small.tile,
        )
    picture = read_picture(data, limits=limits, reduced_to=2 * THUMBNAIL_SIDE)
    small = reduced(picture.upright)
    saved = thumbnail(small)
    sha256 = store.write_picture(data, place)
    if not store.exists(store.thumbnail_path(sha256)):
        store.write(store.thumbnail_path(sha256), saved)
    return KeptPicture(
        sha256=sha256,
        size_bytes=len(data),
        width=picture.width,
        height=picture.height,
        mode=picture.mode,
        format=picture.format,
        thumbnail_bytes=len(saved),
        tile=tile(small),
    )
