"""The data folder: where each of our things lies in it, and the one function that removes any of them.

Nothing here takes a path from outside. A thing is named by its id; a name that is not an id of ours is refused before
it meets a path, and what does not lie where our own names lead is never removed.
"""

import os
import re
import secrets
import shutil
from pathlib import Path

from vast_orchard.errors import ConflictError, InputError

__all__ = ["UPLOAD_ID", "DataFolder"]

# Sixteen hexadecimal digits, drawn when an upload begins.
UPLOAD_ID = "[0-9a-f]{16}"
# What may be removed, by its place in the data folder; drafts have endings of their own.
_REMOVABLE = re.compile(
    rf"uploads/{UPLOAD_ID}(\.new|\.part)?|readings/\d{{1,10}}|parcels/\d{{1,10}}\.(zip|part)"
    r"|cache/pixels-[0-9a-f]{24}\.npy|cache/pictures-[0-9a-f]{24}"
)
_AREAS = ("uploads", "readings", "parcels", "cache", "logs", "bytes")


class DataFolder:
    """The folder that holds everything.

    Parameters
    ----------
    root : Path
    """

    def __init__(self, root: Path) -> None:
        self.root = root

    @property
    def uploads(self) -> Path:
        """Where files wait to be brought in."""
        return self.root / "uploads"

    @property
    def readings(self) -> Path:
        """What was noted of sources: an inventory and copies of their tables, a folder each import."""
        return self.root / "readings"

    @property
    def parcels(self) -> Path:
        """What was taken out and waits to be downloaded."""
        return self.root / "parcels"

    @property
    def cache(self) -> Path:
        """What can be thrown away and made again."""
        return self.root / "cache"

    def upload(self, upload_id: str) -> Path:
        """The folder of an upload.

        Raises
        ------
        InputError
            It is not an id of ours.
        """
        if not re.fullmatch(UPLOAD_ID, upload_id):
            raise InputError(f"{upload_id[:80]!r} is not the id of an upload.", "Begin an upload and name its id.")
        return self.uploads / upload_id

    def new_upload(self) -> str:
        """Begin an upload: an empty folder; its id."""
        upload_id = secrets.token_hex(8)
        self.upload(upload_id).mkdir(parents=True, mode=0o700)
        return upload_id

    def reading(self, import_id: int) -> Path:
        """The folder of an import's notes."""
        return self.readings / f"{import_id:d}"

    def parcel(self, parcel_id: int) -> Path:
        """The file of a parcel."""
        return self.parcels / f"{parcel_id:d}.zip"

    def remove(self, place: Path) -> None:
        """Remove a file or a folder of ours; nothing happens if it is not there.

        Raises
        ------
        ConflictError
            It does not lie within the data folder, links followed, or bears no name of ours: it is left alone.
        """
        root = self.root.resolve()
        within = place.relative_to(self.root).as_posix() if place.is_relative_to(self.root) else ""
        if not _REMOVABLE.fullmatch(within) or place.resolve() != root / within:
            raise ConflictError(f"{place} is not ours to remove, and is left alone.", "Look at it by hand.")
        if place.is_dir():
            shutil.rmtree(place, ignore_errors=True)
        else:
            place.unlink(missing_ok=True)

    def close_to_others(self, *, passing: int | None = None) -> None:
        """Let only the owner in: also into what an earlier version left open to everybody.

        A folder of ours that is closed guards whatever lies in it, so files further down need no look.

        Parameters
        ----------
        passing : int, optional
            A group that may pass through the folder to what is its own, and see nothing else: PostgreSQL's, where
            the cluster lies in the folder and runs as another user.
        """
        self.root.mkdir(parents=True, exist_ok=True)
        for folder in (self.root / area for area in _AREAS):
            if folder.is_dir() and not folder.is_symlink():
                folder.chmod(0o700)
        for file in self.root.iterdir():
            if file.is_file() and not file.is_symlink():
                file.chmod(0o600)
        if passing is not None:
            os.chown(self.root, -1, passing)
        self.root.chmod(0o700 if passing is None else 0o710)
