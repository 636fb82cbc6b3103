"""The part that stands out of stored pictures, and what may be doubted of it."""

from collections.abc import Mapping, Sequence
from typing import Any

from vast_orchard.core.pictures.area import area_from_json
from vast_orchard.core.pictures.found import found_part
from vast_orchard.errors import OrchardError
from vast_orchard.formats.picture_file import read_picture, what_stands_out
from vast_orchard.store.bytes import ByteStore

__all__ = ["found_areas"]


def found_areas(
    store: ByteStore, *, pictures: Sequence[tuple[int, str]], area: Mapping[str, Any], ground: tuple[int, int, int]
) -> list[dict[str, Any]]:
    """Of each picture its id, the part that would be kept, and how much and why it is to be doubted.

    Parameters
    ----------
    pictures : sequence of (int, str)
        Id and SHA-256.
    area : mapping
        With a margin, as `core.pictures.area` writes it.
    """
    wanted = area_from_json(area)
    assert wanted is not None
    found: list[dict[str, Any]] = []
    for picture, sha256 in pictures:
        try:
            upright = read_picture(store.read(ByteStore.picture_path(sha256)), ground).upright
            part = found_part(what_stands_out(upright, wanted), wanted.margin or 0.0)
        except OrchardError as error:
            found.append({"picture_id": picture, "box": None, "doubt": 1.0, "why": error.what})
            continue
        found.append({"picture_id": picture, "box": part.box, "doubt": part.doubt, "why": part.why})
    return found
