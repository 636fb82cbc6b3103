"""A tar as a source of members, packed or not, never unpacked by name."""

import bz2
import gzip
import lzma
import tarfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from vast_orchard.errors import ArchiveError
from vast_orchard.formats.members import SourceLimits, check_inside, readable_name

__all__ = ["TarSource", "open_tar", "unpack_tar"]

# Folders and links are entries too, and do not count as files.
_ENTRIES_PER_FILE = 2


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
        for listed, info in enumerate(archive):
            # What is no file is held too while it is read.
            if listed >= self._limits.files * _ENTRIES_PER_FILE:
                raise ArchiveError(
                    f"The archive lists more than {self._limits.files * _ENTRIES_PER_FILE} entries.",
                    "Bring it in in parts.",
                )
            name = readable_name(info.name).replace("\\", "/").removeprefix("./")
            check_inside(name)
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
def open_tar(path: Path, limits: SourceLimits | None) -> Iterator[TarSource]:
    """A tar file.

    Raises
    ------
    ArchiveError
        It is none, damaged, or costs more than the limits.
    """
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


_PACKERS: dict[bytes, Callable[[Path], IO[bytes]]] = {
    b"\x1f\x8b": gzip.GzipFile,  # type: ignore[dict-item]  # a stream in all but its stub
    b"BZ": bz2.BZ2File,
    b"\xfd7": lzma.LZMAFile,
}
_CHUNK = 1 << 20


def unpack_tar(path: Path, target: Path, limits: SourceLimits, progress: Callable[[int], None]) -> bool:
    """Write a packed tar as a plain one; False, and nothing is written, if it is not packed.

    A packed tar can only be read from its beginning, so that members in any order would cost an hour.

    Parameters
    ----------
    progress : callable
        Hears the bytes of each step.

    Raises
    ------
    ArchiveError
        Damaged, or unpacking to more than the limits.
    """
    with path.open("rb") as file:
        opened = _PACKERS.get(file.read(2))
    if opened is None:
        return False
    size, most, packed = 0, limits.total_mb * 2**20, path.stat().st_size
    try:
        with opened(path) as source, target.open("wb") as out:
            while chunk := source.read(_CHUNK):
                size += len(chunk)
                if size > most:
                    raise ArchiveError(
                        f"The archive unpacks to more than {limits.total_mb} MB.",
                        "The limit is the setting import_limit_mb; bring it in in parts.",
                    )
                if size > limits.ratio * packed and size > 2**20:
                    raise ArchiveError(
                        f"The archive unpacks to more than {limits.ratio} times its size.",
                        "Real pictures do not pack that well; pack the pictures themselves.",
                    )
                out.write(chunk)
                progress(len(chunk))
    except (EOFError, zlib.error, lzma.LZMAError, gzip.BadGzipFile) as error:
        raise ArchiveError(f"{path.name} is damaged or cut short ({error}).", "Pack or copy it again.") from error
    return True
