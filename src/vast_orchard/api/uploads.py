"""Files on their way in, over HTTP: an upload is begun, filled file by file, then brought in or given up."""

import contextlib
import os
import shutil
from pathlib import Path as FilePath
from pathlib import PurePosixPath
from typing import Annotated

from fastapi import APIRouter, Form, Path, UploadFile
from fastapi import status as http
from sqlalchemy.orm import Session

from vast_orchard.api.dependencies import Parts, PartsOf, SessionOf
from vast_orchard.api.schemas.imports import UploadRead
from vast_orchard.errors import ConflictError, InputError, MissingError, ServiceError
from vast_orchard.store.data_folder import UPLOAD_ID
from vast_orchard.store.disk import disk_full, is_full
from vast_orchard.store.uploads import check_upload_free

__all__ = ["UploadId", "router", "waiting_upload"]

router = APIRouter(prefix="/api/uploads", tags=["bringing in"])

UploadId = Annotated[str, Path(pattern=f"^{UPLOAD_ID}$")]
# What file systems take: a name of 255 bytes, and a path of 4,096, of which our own folders need a part.
_LONGEST_NAME, _LONGEST_PATH, _DEEPEST = 255, 3000, 64


def waiting_upload(session: Session, parts: Parts, upload_id: str) -> FilePath:
    """The folder of an upload that no import has taken yet.

    Raises
    ------
    InputError, MissingError, ConflictError
        It is not an id of ours, there is none, or another import has it.
    """
    folder = _folder(parts, upload_id)
    check_upload_free(session, upload_id)
    os.utime(folder)  # it is not given up
    return folder


def _folder(parts: Parts, upload_id: str) -> FilePath:
    folder = parts.folder.upload(upload_id)
    if folder.is_symlink() or not folder.is_dir():
        raise MissingError(f"There is no upload {upload_id}.", "Begin a new one; uploads end with their import.")
    return folder


def _checked_path(path: str) -> PurePosixPath:
    place = PurePosixPath(path)
    if place.is_absolute() or ".." in place.parts or not place.name or "\0" in path:
        raise InputError(f"The path {path[:200]!r} points outside of the upload.", "Send a path below the folder.")
    if (
        len(place.parts) > _DEEPEST
        or len(os.fsencode(path)) > _LONGEST_PATH
        or any(len(os.fsencode(part)) > _LONGEST_NAME for part in place.parts)
    ):
        raise InputError(
            f"The path {path[:60]!r}… is too long or too deep to be stored.",
            f"Names may have {_LONGEST_NAME} bytes, paths {_LONGEST_PATH} and {_DEEPEST} folders; shorten it.",
        )
    return place


@router.post("", response_model=UploadRead, status_code=http.HTTP_201_CREATED)
def begin_upload(parts: PartsOf) -> UploadRead:
    """A place for files on their way in."""
    parts.space.check(0)
    try:
        return UploadRead(id=parts.folder.new_upload())
    except OSError as error:
        raise _not_stored("The upload", error, parts, 0) from error


@router.put("/{upload_id}/files", status_code=http.HTTP_204_NO_CONTENT)
def add_file(
    session: SessionOf,
    parts: PartsOf,
    upload_id: UploadId,
    file: UploadFile,
    path: Annotated[str, Form(max_length=2000)],
) -> None:
    """One file; `path` is where it lay, with forward slashes."""
    folder = waiting_upload(session, parts, upload_id)
    session.commit()  # the connection is free while the file is copied
    target = folder / _checked_path(path)
    parts.space.check(file.size or 0)
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        # A file of its own each time: the one that is there may have become a stored picture.
        target.unlink(missing_ok=True)
        with target.open("xb") as out:
            shutil.copyfileobj(file.file, out, 1 << 20)
        os.utime(folder)
    except (FileExistsError, NotADirectoryError, IsADirectoryError) as error:
        raise ConflictError(
            f"{path} cannot lie beside what was sent: one name stands for a file and for a folder.", "Rename one."
        ) from error
    except OSError as error:
        with contextlib.suppress(OSError):
            target.unlink()
        raise _not_stored(path, error, parts, file.size or 0) from error
    parts.space.add(file.size or 0)


def _not_stored(what: str, error: OSError, parts: Parts, needed: int) -> ServiceError:
    if is_full(error):
        return disk_full(what, parts.folder.root, needed)
    return ServiceError(f"{what} cannot be stored: {error.strerror}.", "Allow writing to the data folder, then repeat.")


@router.delete("/{upload_id}", status_code=http.HTTP_204_NO_CONTENT)
def forget_upload(session: SessionOf, parts: PartsOf, upload_id: UploadId) -> None:
    """Give up an upload that was not brought in."""
    parts.folder.remove(waiting_upload(session, parts, upload_id))
