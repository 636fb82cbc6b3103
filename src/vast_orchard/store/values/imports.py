"""Imports and what comes in by them."""

import datetime as dt
from dataclasses import dataclass
from typing import Any

__all__ = ["ArrivedPicture", "ImportValue"]


@dataclass(frozen=True, kw_only=True)
class ArrivedPicture:
    """A picture file that was read and stored."""

    sha256: str
    path: str
    name: str
    class_name: str | None
    set_name: str | None
    width: int
    height: int
    mode: str
    format: str
    size_bytes: int
    thumbnail_bytes: int
    brightness: float  # 0 to 1
    tile: bytes  # 24×24 pixels, as `formats.picture_file.tile` makes it
    group_key: str | None
    note: str
    area: str = ""  # its working area, as JSON; empty: none of its own


@dataclass(frozen=True, kw_only=True)
class ImportValue:
    """An import and what it found."""

    id: int
    project_id: int
    source_name: str
    source_kind: str
    location: str
    state: str
    window: str
    created_at: dt.datetime
    survey: dict[str, Any] | None
    choice: dict[str, Any] | None
    report: dict[str, Any] | None
    undone_at: dt.datetime | None

    @property
    def pictures(self) -> int:
        """Picture files that were found in its source."""
        return int((self.survey or {}).get("pictures", 0))
