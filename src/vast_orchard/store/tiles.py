"""Small tiles of pictures, all of one size, for sheets of many."""

from collections.abc import Mapping, Sequence

from sqlalchemy import select, text
from sqlalchemy.orm import Session

from vast_orchard.store.database import among
from vast_orchard.store.schema import PictureTile

__all__ = ["add_tiles", "read_tiles"]


def read_tiles(session: Session, picture_ids: Sequence[int]) -> dict[int, bytes]:
    """The tiles that are there, by picture."""
    rows = session.execute(
        select(PictureTile.picture_id, PictureTile.pixels).where(among(PictureTile.picture_id, picture_ids))
    )
    return {picture: bytes(pixels) for picture, pixels in rows}


def add_tiles(session: Session, tiles: Mapping[int, tuple[bytes, float]]) -> None:
    """Keep tiles that were made later than their pictures came in, each with its brightness."""
    rows = [{"picture": x, "pixels": pixels, "brightness": value} for x, (pixels, value) in tiles.items()]
    session.execute(
        text(
            "insert into picture_tile (picture_id, pixels) select id, :pixels from picture where id = :picture"
            " on conflict do nothing"
        ),
        rows,
    )
    session.execute(text("update picture set brightness = :brightness where id = :picture"), rows)
