"""Where pictures come from: a zip, a tar or a folder, read member by member and never unpacked by name."""

import lzma
import os
import tarfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from vast_orchard.errors import ArchiveError

__all__ = ["ARCHIVE_ENDINGS", "FolderSource", "Source", "SourceLimits", "TarSource", "ZipSource", "open_source"]

ARCHIVE_ENDINGS = (".zip", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tbz2", ".tar.xz", ".txz")

_CHUNK = 1 << 20
_ENCRYPTED = 0x1


@dataclass(frozen=True, kw_only=True)
class SourceLimits:
    """What a source may cost."""

    total_mb: int = 4096
    files: int = 200_000
    ratio: int = 200  # largest unpacked size over packed size of one member
    member_mb: int = 64


class Source(Protocol):
    """Members by name, with forward slashes."""

    def names(self) -> list[str]:
        """Every file, in the order of the source."""

    def read(self, name: str) -> bytes:
        """The bytes of one file."""


class FolderSource:
    """A folder on this machine; links that lead out of it are not followed."""

    def __init__(self, root: Path, limits: SourceLimits | None = None) -> None:
        self._root = root.resolve()
        self._limits = limits or SourceLimits()

    def names(self) -> list[str]:
        """Every file below the folder, sorted, so that the order does not depend on the file system."""
        found = sorted(self._files(str(self._root), ""))
        if len(found) > self._limits.files:
            raise ArchiveError(f"The folder holds {len(found)} files.", f"The limit is {self._limits.files}.")
        return found

    def _files(self, folder: str, before: str) -> Iterator[str]:
        with os.scandir(folder) as entries:
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    yield from self._files(entry.path, f"{before}{entry.name}/")
                # Only links can lead out, so only they are followed to where they end.
                elif entry.is_file(follow_symlinks=False) or (
                    entry.is_file() and Path(entry.path).resolve().is_relative_to(self._root)
                ):
                    yield before + entry.name

    def read(self, name: str) -> bytes:
        """The bytes of one file; at most one byte more than the limit, so that larger ones are noticed."""
        with (self._root / name).open("rb") as file:
            return file.read(self._limits.member_mb * 2**20 + 1)


def _check_inside(name: str) -> None:
    parts = name.split("/")
    if name.startswith("/") or ".." in parts or parts[0].endswith(":"):
        raise ArchiveError(
            f"The archive holds a name that points outside of it: {name!r}. Nothing was brought in.",
            "Pack the folder again, from the folder itself.",
        )


class ZipSource:
    """A zip archive, checked as a whole before anything is read from it."""

    def __init__(self, archive: zipfile.ZipFile, limits: SourceLimits | None = None) -> None:
        self._archive = archive
        self._limits = limits or SourceLimits()
        self._members = {info.filename.replace("\\", "/"): info for info in archive.infolist() if not info.is_dir()}
        self._left = self._limits.total_mb * 2**20
        self._check()

    def _check(self) -> None:
        if not self._members:
            raise ArchiveError("The archive is empty.", "Pack the folder with the pictures again.")
        if len(self._members) > self._limits.files:
            raise ArchiveError(f"The archive holds {len(self._members)} files.", f"The limit is {self._limits.files}.")
        for name, info in self._members.items():
            _check_inside(name)
            if info.flag_bits & _ENCRYPTED:
                raise ArchiveError("The archive is protected by a password.", "Pack it again without one.")
        total = sum(info.file_size for info in self._members.values())
        if total > self._left:
            raise ArchiveError(
                f"The archive unpacks to {total / 2**20:.0f} MB.",
                f"The limit is {self._limits.total_mb} MB (setting import_limit_mb); bring it in in parts.",
            )

    def names(self) -> list[str]:
        """Every file, in the order of the archive."""
        return list(self._members)

    def read(self, name: str) -> bytes:
        """The bytes of one member.

        Raises
        ------
        ArchiveError
            Damaged, or unpacking to more than it declares or than the limits allow.
        """
        info = self._members[name]
        most = min(self._limits.member_mb * 2**20, self._left)
        # Small members may pack extremely well and harm nobody; the ratio counts from a megabyte on.
        if info.file_size > 2**20 and info.file_size > self._limits.ratio * max(1, info.compress_size):
            raise ArchiveError(
                f"{name} unpacks to {info.file_size // max(1, info.compress_size)} times its packed size.",
                "It is left out: real pictures do not pack that well.",
            )
        parts, size = [], 0
        try:
            with self._archive.open(info) as member:
                while chunk := member.read(_CHUNK):
                    size += len(chunk)
                    if size > most:
                        raise ArchiveError(
                            f"{name} unpacks to more than {most / 2**20:.0f} MB.",
                            "It is left out; reduce it.",
                        )
                    parts.append(chunk)
        except (zipfile.BadZipFile, EOFError, OSError, NotImplementedError, RuntimeError) as error:
            raise ArchiveError(f"{name} cannot be unpacked ({error}).", "Pack the archive again.") from error
        # The packers raise errors of their own modules, which share no base with those above.
        except Exception as error:
            if type(error).__module__ not in ("zlib", "_lzma", "_bz2"):
                raise
            raise ArchiveError(f"{name} is damaged ({error}).", "Pack the archive again.") from error
        self._left -= size
        return b"".join(parts)


class TarSource:
    """A tar archive, packed or not, checked as a whole before anything is read from it.

    Links, devices and pipes are left out: only plain files are pictures.
    """

    def __init__(self, archive: tarfile.TarFile, packed_bytes: int, limits: SourceLimits | None = None) -> None:
        self._archive = archive
        self._limits = limits or SourceLimits()
        self._members: dict[str, tarfile.TarInfo] = {}
        most, total = self._limits.total_mb * 2**20, 0
        # Headers are read one by one, so that an archive without end is noticed while it is read.
        for info in archive:
            name = info.name.replace("\\", "/").removeprefix("./")
            _check_inside(name)
            if not info.isfile():
                continue
            self._members[name] = info
            total += info.size
            if len(self._members) > self._limits.files:
                raise ArchiveError(f"The archive holds more than {self._limits.files} files.", "Bring it in in parts.")
            if total > most:
                raise ArchiveError(
                    f"The archive unpacks to more than {total / 2**20:.0f} MB.",
                    f"The limit is {self._limits.total_mb} MB (setting import_limit_mb); bring it in in parts.",
                )
            if total > 2**20 and total > self._limits.ratio * max(1, packed_bytes):
                raise ArchiveError(
                    f"The archive unpacks to more than {self._limits.ratio} times its size.",
                    "Real pictures do not pack that well; pack the pictures themselves.",
                )
        if not self._members:
            raise ArchiveError("The archive holds no files.", "Pack the folder with the pictures again.")

    def names(self) -> list[str]:
        """Every plain file, in the order of the archive."""
        return list(self._members)

    def read(self, name: str) -> bytes:
        """The bytes of one member; at most one byte more than the limit, so that larger ones are noticed.

        Raises
        ------
        ArchiveError
            Damaged.
        """
        try:
            member = self._archive.extractfile(self._members[name])
            assert member is not None
            data = member.read(self._limits.member_mb * 2**20 + 1)
        except _TAR_DAMAGE as error:
            raise ArchiveError(f"{name} is damaged ({error}).", "Pack the archive again.") from error
        return data


# What reading a tar raises when it, or what it is packed with, is damaged.
_TAR_DAMAGE = (tarfile.TarError, EOFError, OSError, zlib.error, lzma.LZMAError, ValueError)


@contextmanager
def _open_tar(path: Path, limits: SourceLimits | None) -> Iterator[Source]:
    try:
        archive = tarfile.open(path)  # noqa: SIM115 - closed below, after the checks
    except _TAR_DAMAGE as error:
        raise ArchiveError(
            f"{path.name} is not a tar archive, or it is cut short ({error}).", "Pack or copy it again."
        ) from error
    with archive:
        try:
            source = TarSource(archive, path.stat().st_size, limits)
        except _TAR_DAMAGE as error:
            raise ArchiveError(f"{path.name} is damaged or cut short ({error}).", "Pack or copy it again.") from error
        yield source


@contextmanager
def open_source(path: Path, limits: SourceLimits | None = None) -> Iterator[Source]:
    """A folder, or a zip or tar file.

    Raises
    ------
    ArchiveError
        It is none of them, or an archive that may not be read.
    """
    if path.is_dir():
        yield FolderSource(path, limits)
        return
    if not path.is_file():
        raise ArchiveError(f"There is nothing at {path}.", "Name a folder, or a zip or tar file.")
    if not path.stat().st_size:
        raise ArchiveError(f"{path.name} is empty (0 bytes).", "Copy or pack it again.")
    if path.name.lower().endswith(ARCHIVE_ENDINGS[1:]):
        with _open_tar(path, limits) as source:
            yield source
        return
    try:
        archive = zipfile.ZipFile(path)
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise ArchiveError(
            f"{path.name} is not a zip archive, or it is cut short ({error}).",
            "Pack or copy it again as a zip.",
        ) from error
    with archive:
        yield ZipSource(archive, limits)
