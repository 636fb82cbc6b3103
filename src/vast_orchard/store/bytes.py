"""Picture and model bytes behind fsspec: pictures by content hash, everything else by path."""

import hashlib
import os
import re
import uuid
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TypeVar

import fsspec

from vast_orchard.errors import MissingError, ServiceError
from vast_orchard.settings import Settings
from vast_orchard.store.disk import disk_full, is_full

__all__ = ["ByteStore", "byte_store"]

T = TypeVar("T")

_WHAT = {
    "pictures": "A picture",
    "thumbnails": "A thumbnail",
    "runs": "The state of a run",
    "exports": "An export pack",
    "plans": "What a plan starts from",
}
_NAME = re.compile(
    r"pictures/[0-9a-f]{2}/[0-9a-f]{64}|thumbnails/[0-9a-f]{2}/[0-9a-f]{64}\.jpg"
    r"|runs/[0-9]{1,18}/((last|kept|features)-[0-9]{1,9}|start)\.safetensors|exports/[0-9]{1,18}\.(zip|onnx|html)"
    r"|plans/[0-9]{1,18}/start-[0-9a-f]{64}\.safetensors"
)


class ByteStore:
    """Files below one address.

    Parameters
    ----------
    url : str
        A local folder, or any address that fsspec knows.
    """

    def __init__(self, url: str) -> None:
        self._fs, self._root = fsspec.core.url_to_fs(url)
        self._is_local = "file" in self._fs.protocol
        self._made: set[str] = set()  # folders that are there

    def _path(self, path: str) -> str:
        # Paths come from records too, and records from archives: a name that is not ours never meets the disk.
        if not _NAME.fullmatch(path):
            raise MissingError(f"{path[:200]!r} is no name of the store.", "Make or bring it in again.")
        return f"{self._root}/{path}"

    def write(self, path: str, data: bytes | Iterable[bytes]) -> None:
        """Write a file whole: under another name first, so that a reader or a crash never meets half of it.

        Parameters
        ----------
        path : str
        data : bytes, or an iterable of bytes
            Large files come in pieces, and are not held in memory.

        Raises
        ------
        DiskFullError, ServiceError
            The place cannot be written.
        """
        target = self._path(path)
        draft = f"{target}.{uuid.uuid4().hex}.part"
        pieces = (data,) if isinstance(data, bytes) else data
        written = 0
        try:
            if self._is_local:
                # By itself, because the general way costs a picture of an import as much again as decoding it.
                with _with_folder(target, lambda: open(draft, "wb")) as file:  # noqa: PTH123
                    for piece in pieces:
                        file.write(piece)
                        written += len(piece)
                os.replace(draft, target)  # noqa: PTH105
            else:
                self._make_folder(target.rsplit("/", 1)[0])
                with self._fs.open(draft, "wb") as file:
                    for piece in pieces:
                        file.write(piece)
                self._fs.mv(draft, target)
        except OSError as error:
            self._made.clear()
            if self._fs.exists(draft):
                self._fs.rm_file(draft)
            if self._is_local and is_full(error):
                needed = len(data) if isinstance(data, bytes) else written
                raise disk_full(_WHAT[path.partition("/")[0]], Path(self._root), needed) from error
            raise ServiceError(
                f"{path} cannot be stored: {error}.", "Make room or allow writing, then repeat."
            ) from error

    def _make_folder(self, folder: str) -> None:
        if folder not in self._made:
            self._fs.makedirs(folder, exist_ok=True)
            self._made.add(folder)

    def read(self, path: str) -> bytes:
        """The bytes of a file.

        Raises
        ------
        MissingError
            There is none.
        """
        try:
            return bytes(self._fs.cat_file(self._path(path)))
        except FileNotFoundError as error:
            raise MissingError(f"The file {path} is not in the store.", "Bring it in again.") from error

    def exists(self, path: str) -> bool:
        """True if there is such a file."""
        if self._is_local:
            return os.path.exists(self._path(path))  # noqa: PTH110 - asked of every picture, and a third of the time
        return bool(self._fs.exists(self._path(path)))

    def size(self, path: str) -> int:
        """Bytes of a file; 0 if there is none."""
        return int(self._fs.size(self._path(path))) if self.exists(path) else 0

    def remove(self, path: str) -> None:
        """Remove a file, with a model its features; nothing happens if there is none."""
        features = self.features_path(path)
        for each in (path, *([] if features is None else [features])):
            if self._fs.exists(self._path(each)):
                self._fs.rm_file(self._path(each))
                self._made.clear()

    @staticmethod
    def features_path(model_path: str) -> str | None:
        """Where the features lie that a run's model has of its training pictures; None of other files."""
        folder, _, name = model_path.rpartition("/")
        return f"{folder}/features-{name.removeprefix('kept-')}" if name.startswith("kept-") else None

    def settle(self) -> None:
        """Bring what was written to the disk; call it before records that name it are committed."""
        if self._is_local:
            os.sync()

    def write_picture(self, data: bytes, place: str | None = None) -> str:
        """Keep a picture by its content and return its SHA-256 as 64 hexadecimal digits.

        Parameters
        ----------
        place : str, optional
            A local file with these bytes that nobody will change: if it can be, it becomes the stored one, because
            making a file costs more than anything else that is done with a small picture.
        """
        sha256 = hashlib.sha256(data).hexdigest()
        path = self.picture_path(sha256)
        if not (place and self.take_over(place, sha256)) and not self.exists(path):
            self.write(path, data)
        return sha256

    def take_over(self, place: str, sha256: str) -> bool:
        """Make a local file the stored picture of this content; False if it cannot be, and has to be written."""
        if not self._is_local:
            return False
        target = self._path(self.picture_path(sha256))
        try:
            _with_folder(target, lambda: os.link(place, target))
        except FileExistsError:
            return True
        except OSError:
            return False  # on another disk, or the file system knows no links
        return True

    @staticmethod
    def picture_path(sha256: str) -> str:
        """Where a picture's bytes lie."""
        return f"pictures/{sha256[:2]}/{sha256}"

    def read_thumbnail(self, sha256: str) -> bytes:
        """A picture of at most 208 pixels on a side: the thumbnail, a JPEG, or the file itself if it needs none.

        Raises
        ------
        MissingError
        """
        small = self.thumbnail_path(sha256)
        return self.read(small if self.exists(small) else self.picture_path(sha256))

    @staticmethod
    def thumbnail_path(sha256: str) -> str:
        """Where a picture's thumbnail lies; a small JPEG or PNG has none."""
        return f"thumbnails/{sha256[:2]}/{sha256}.jpg"


def _with_folder(path: str, do: Callable[[], T]) -> T:
    """Do it; where the folder of `path` is missing, make that and do it again.

    Nearly always it is there, so nobody looks first: of a small picture's time in an import, files take the most.
    """
    try:
        return do()
    except FileNotFoundError:
        Path(path).parent.mkdir(parents=True, exist_ok=True)
        return do()


def byte_store(settings: Settings) -> ByteStore:
    """The store of picture and model bytes that the settings name."""
    return ByteStore(settings.bytes_url or str((settings.data_dir / "bytes").absolute()))
