"""A zip as a source of members, never unpacked by name."""

import zipfile

from vast_orchard.errors import ArchiveError
from vast_orchard.formats.members import SourceLimits, check_inside

__all__ = ["ZipSource"]

_CHUNK = 1 << 20
_ENCRYPTED = 0x1
_UTF8 = 0x800


def _name(info: zipfile.ZipInfo) -> str:
    """The member's name; without the flag for UTF-8 it is UTF-8 if it can be, else the code page of old DOS.

    Most programs that write no flag write UTF-8 all the same; the standard says code page 437.
    """
    name = info.filename
    if not info.flag_bits & _UTF8 and not name.isascii():
        try:
            name = name.encode("cp437").decode("utf-8")
        except UnicodeError:
            name = info.filename
    return name.replace("\\", "/")


class ZipSource:
    """A zip archive, checked as a whole before anything is read from it."""

    def __init__(self, archive: zipfile.ZipFile, limits: SourceLimits | None = None) -> None:
        self._archive = archive
        self._limits = limits or SourceLimits()
        self._members = {_name(info): info for info in archive.infolist() if not info.is_dir()}
        self._left = self._limits.total_mb * 2**20
        self._check()

    def _check(self) -> None:
        if not self._members:
            raise ArchiveError("The archive is empty.", "Pack the folder with the pictures again.")
        if len(self._members) > self._limits.files:
            raise ArchiveError(f"The archive holds {len(self._members)} files.", f"The limit is {self._limits.files}.")
        for name, info in self._members.items():
            check_inside(name)
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
