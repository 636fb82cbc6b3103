"""What every source agrees on: its members by name, what it may cost, and which names are refused."""

from dataclasses import dataclass
from typing import Protocol

from vast_orchard.errors import ArchiveError

__all__ = ["Source", "SourceLimits", "check_inside", "readable_name"]


@dataclass(frozen=True, kw_only=True)
class SourceLimits:
    """What a source may cost."""

    total_mb: int = 4096
    files: int = 200_000
    ratio: int = 200  # largest unpacked size over packed size of one member
    member_mb: int = 64


class Source(Protocol):
    """Members by name, with forward slashes, readable in any order."""

    def names(self) -> list[str]:
        """Every file, in the order of the source."""

    def read(self, name: str) -> bytes:
        """The bytes of one file."""


def readable_name(name: str) -> str:
    """A name that can be shown and stored: bytes that are not UTF-8 are read as Western European (Latin-1).

    Python hands such bytes over as lone surrogates, which no database and no JSON takes. Every byte has a character
    in Latin-1, so that two names never become one.
    """
    if name.isascii() or not any("\udc80" <= c <= "\udcff" for c in name):
        return name
    return name.encode("utf-8", "surrogateescape").decode("latin-1")


def check_inside(name: str) -> None:
    """Raise `ArchiveError` for a name that points outside of its archive."""
    parts = name.split("/")
    if name.startswith("/") or ".." in parts or parts[0].endswith(":"):
        raise ArchiveError(
            f"The archive holds a name that points outside of it: {name!r}. Nothing was brought in.",
            "Pack the folder again, from the folder itself.",
        )
