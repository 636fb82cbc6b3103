"""Fingerprints of pictures as the records keep them: points in space, and whether copies of each were looked for."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from vast_orchard.store.database import among
from vast_orchard.store.schema import Picture, PicturePrint

__all__ = [
    "ComparedFile",
    "add_prints",
    "files_to_compare",
    "pictures_to_compare",
    "read_prints",
    "undescribed",
]

# Prints that are read at a time.
_READ = 5000


@dataclass(frozen=True, kw_only=True)
class ComparedFile:
    """What comparing needs of a picture."""

    sha256: str
    width: int
    height: int


def files_to_compare(session: Session, project_id: int, picture_ids: Sequence[int]) -> dict[int, ComparedFile]:
    """Files of pictures by id, those in the bin too: they may come back."""
    query = select(Picture.id, Picture.sha256, Picture.width, Picture.height).where(
        Picture.project_id == project_id, among(Picture.id, picture_ids)
    )
    return {
        row.id: ComparedFile(sha256=row.sha256, width=row.width, height=row.height) for row in session.execute(query)
    }


def undescribed(session: Session, project_id: int, limit: int) -> Sequence[tuple[int, str]]:
    """Some pictures without a fingerprint: ids and SHA-256."""
    query = (
        select(Picture.id, Picture.sha256)
        .outerjoin(PicturePrint, PicturePrint.picture_id == Picture.id)
        .where(Picture.project_id == project_id, PicturePrint.picture_id.is_(None))
        .order_by(Picture.id)
        .limit(limit)
    )
    return [(picture, sha256) for picture, sha256 in session.execute(query)]


def add_prints(session: Session, prints: Mapping[int, Sequence[float]]) -> None:
    """Keep fingerprints, of pictures that are still there; nobody has compared them yet."""
    here = session.scalars(
        select(Picture.id).where(among(Picture.id, list(prints))).with_for_update(key_share=True)
    ).all()
    session.execute(
        text(
            "insert into picture_print (picture_id, place, compared)"
            " select x.picture_id, cast(x.place as cube), false"
            " from unnest(cast(:pictures as bigint[]), cast(:places as text[])) x (picture_id, place)"
            " on conflict do nothing"
        ),
        # Five digits are more than a picture of 24 pixels has.
        {
            "pictures": here,
            "places": [f"({', '.join(f'{number:.5f}' for number in prints[picture])})" for picture in here],
        },
    )


def read_prints(session: Session, project_id: int) -> Iterator[Sequence[tuple[int, str, bool]]]:
    """All fingerprints of a project, some at a time: picture, `(0.1, 0.2, …)`, whether it was compared."""
    query = (
        select(PicturePrint.picture_id, PicturePrint.place, PicturePrint.compared)
        .join(Picture, Picture.id == PicturePrint.picture_id)
        .where(Picture.project_id == project_id)
        .order_by(PicturePrint.picture_id)
    )
    for part in session.execute(query.execution_options(yield_per=_READ)).partitions():
        yield [(picture, place, compared) for picture, place, compared in part]


def pictures_to_compare(session: Session, project_id: int) -> int:
    """How many pictures nobody has compared with the others yet, those in the bin among them."""
    query = (
        select(func.count())
        .select_from(Picture)
        .outerjoin(PicturePrint, PicturePrint.picture_id == Picture.id)
        .where(Picture.project_id == project_id, PicturePrint.compared.is_not(True))
    )
    return session.scalar(query) or 0
