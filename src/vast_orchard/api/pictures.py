"""Pictures over HTTP: pages of facts, thumbnails, sheets, whole pictures."""

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Path, Query, Response

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, SessionOf
from vast_orchard.api.field import ScopeOf, SiftQuery
from vast_orchard.api.schemas.pictures import PictureDetailRead, PicturePage, PictureRead, SaidRead
from vast_orchard.store import field, field_scope, pictures
from vast_orchard.store.areas import areas_for
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.values import PictureDetail

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["pictures"])

# A picture's content never changes, so a browser may keep it for ever.
_FOR_EVER = {"Cache-Control": "private, max-age=31536000, immutable"}
_SHOWN_BY_BROWSERS = {b"\xff\xd8": "image/jpeg", b"\x89P": "image/png", b"GI": "image/gif", b"BM": "image/bmp"}

SplitQuery = Annotated[int | None, Query(ge=1, le=LARGEST_ID, description="Split whose sets are told.")]
Sha256 = Annotated[str, Path(pattern="^[0-9a-f]{64}$")]


@router.get("/projects/{project_id}/pictures", response_model=PicturePage)
def list_pictures(
    session: SessionOf,
    scope: ScopeOf,
    sift: SiftQuery = "",
    after: Annotated[int, Query(ge=0, le=2**62)] = 0,
    limit: Annotated[int, Query(ge=1, le=5000)] = 2000,
) -> PicturePage:
    """A page of pictures in the order they came; all, or those that a Sift lets through."""
    found = field.sifted_pictures(session, scope, sift, after, limit)
    rows = [PictureRead.model_validate(entry) for entry in found]
    said = field_scope.said_of(session, scope, [row.id for row in rows])
    return PicturePage(
        pictures=rows,
        next=rows[-1].id if len(rows) == limit else None,
        said={picture: SaidRead.model_validate(entry) for picture, entry in said.items()},
    )


@router.get("/projects/{project_id}/pictures/{picture_id}", response_model=PictureDetailRead)
def detail(session: SessionOf, scope: ScopeOf, picture_id: Annotated[int, Path(ge=1, le=2**62)]) -> PictureDetail:
    """One picture with every appearance, its history, and what the run said of it."""
    found = pictures.picture_detail(session, scope.project_id, picture_id, scope.split_id)
    return replace(
        found,
        said=field_scope.said_of(session, scope, [picture_id]).get(picture_id),
        area=areas_for(session, scope.project_id, [picture_id]).get(picture_id),
    )


def _image(data: bytes, media_type: str) -> Response:
    return Response(data, media_type=media_type, headers=_FOR_EVER)


@router.get("/thumbnails/{sha256}", response_class=Response)
def thumbnail(parts: PartsOf, sha256: Sha256) -> Response:
    """At most 208 pixels on a side, as JPEG, or as PNG where a small picture is its own thumbnail."""
    data = parts.store.read_thumbnail(sha256)
    return _image(data, _SHOWN_BY_BROWSERS[data[:2]])


@router.get("/originals/{sha256}", response_class=Response)
def original(parts: PartsOf, sha256: Sha256) -> Response:
    """The whole picture, in a form that browsers show."""
    data = parts.store.read(ByteStore.picture_path(sha256))
    kind = "image/webp" if data[8:12] == b"WEBP" else _SHOWN_BY_BROWSERS.get(data[:2])
    if kind:
        return _image(data, kind)
    return _image(parts.quick.run("whole", sha256=sha256), "image/png")
