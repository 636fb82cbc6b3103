"""Pictures over HTTP: pages of facts, thumbnails, sheets, whole pictures, labels."""

import re
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Response

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, ProjectOf, SessionOf, WindowOf
from vast_orchard.api.schemas import ActionRead, LabelsCreate, PictureDetailRead, PicturePage, PictureRead
from vast_orchard.errors import InputError
from vast_orchard.store import actions, pictures
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.values import ActionValue, PictureDetail

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["pictures"])

# A picture's content never changes, so a browser may keep it for ever.
_FOR_EVER = {"Cache-Control": "private, max-age=31536000, immutable"}
_SHOWN_BY_BROWSERS = {b"\xff\xd8": "image/jpeg", b"\x89P": "image/png", b"GI": "image/gif", b"BM": "image/bmp"}
_SHEET_MOST = 256

SplitQuery = Annotated[int | None, Query(ge=1, le=LARGEST_ID, description="Split whose sets are told.")]
Sha256 = Annotated[str, Path(pattern="^[0-9a-f]{64}$")]


@router.get("/projects/{project_id}/pictures", response_model=PicturePage)
def list_pictures(
    session: SessionOf,
    project: ProjectOf,
    split: SplitQuery = None,
    after: Annotated[int, Query(ge=0, le=2**62)] = 0,
    limit: Annotated[int, Query(ge=1, le=5000)] = 2000,
) -> PicturePage:
    """A page of pictures in the order they came."""
    found = pictures.list_pictures(session, project.id, split, after, limit)
    rows = [PictureRead.model_validate(entry) for entry in found]
    return PicturePage(pictures=rows, next=rows[-1].id if len(rows) == limit else None)


@router.get("/projects/{project_id}/pictures/{picture_id}", response_model=PictureDetailRead)
def detail(
    session: SessionOf,
    project: ProjectOf,
    picture_id: Annotated[int, Path(ge=1, le=2**62)],
    split: SplitQuery = None,
) -> PictureDetail:
    """One picture with every appearance and its history."""
    return pictures.picture_detail(session, project.id, picture_id, split)


@router.post("/projects/{project_id}/labels", response_model=ActionRead)
def label(session: SessionOf, project: ProjectOf, window: WindowOf, body: LabelsCreate) -> ActionValue:
    """Label pictures, as one step that can be taken back."""
    return actions.label_pictures(session, project.id, window, body.picture_ids, body.class_id)


def _image(data: bytes, media_type: str) -> Response:
    return Response(data, media_type=media_type, headers=_FOR_EVER)


@router.get("/thumbnails/{sha256}", response_class=Response)
def thumbnail(parts: PartsOf, sha256: Sha256) -> Response:
    """At most 208 pixels on a side, as JPEG."""
    return _image(parts.store.read(ByteStore.thumbnail_path(sha256)), "image/jpeg")


@router.get("/originals/{sha256}", response_class=Response)
def original(parts: PartsOf, sha256: Sha256) -> Response:
    """The whole picture, in a form that browsers show."""
    data = parts.store.read(ByteStore.picture_path(sha256))
    kind = "image/webp" if data[8:12] == b"WEBP" else _SHOWN_BY_BROWSERS.get(data[:2])
    if kind:
        return _image(data, kind)
    return _image(parts.quick.run("whole", sha256=sha256), "image/png")


@router.get("/projects/{project_id}/sheet", response_class=Response)
def sheet(
    session: SessionOf,
    project: ProjectOf,
    parts: PartsOf,
    ids: Annotated[str, Query(max_length=8000, description="Picture ids, joined by commas.")],
    side: Annotated[int, Query(ge=8, le=128)] = 24,
    columns: Annotated[int, Query(ge=1, le=64)] = 16,
) -> Response:
    """Many thumbnails in one picture, in the order of the ids; those that are gone leave their place grey."""
    if not re.fullmatch(r"\d{1,18}(,\d{1,18})*", ids):
        raise InputError("ids must be numbers joined by commas.", "For example ids=1,2,3.")
    wanted = [int(part) for part in ids.split(",")]
    if len(wanted) > _SHEET_MOST:
        raise InputError(f"A sheet of {len(wanted)} pictures is asked for.", f"Ask for at most {_SHEET_MOST}.")
    found = {entry.id: entry.sha256 for entry in pictures.pictures_by_id(session, project.id, wanted)}
    data: Any = parts.quick.run("sheet", sha256s=[found.get(i, "0" * 64) for i in wanted], side=side, columns=columns)
    return _image(data, "image/jpeg")
