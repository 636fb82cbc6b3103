"""What goes over the wire of what is taken out and brought back."""

import datetime as dt
from typing import Literal

from pydantic import Field

from vast_orchard.api.schemas.base import PictureId, Read, RecordId, Write

__all__ = ["ParcelCreate", "ParcelRead", "ProjectReturn"]


class ParcelCreate(Write):
    """What is to be taken out."""

    kind: Literal["collection", "project"]
    by_set: bool = False
    split: RecordId | None = None
    picture_ids: list[PictureId] | None = Field(default=None, max_length=200_000)
    sift: str | None = Field(default=None, max_length=4000, description="Only what this Sift lets through.")
    run: RecordId | None = None
    said_by: RecordId | None = Field(default=None, description="Run whose answers go along, but for the test set.")
    creator: str = Field(default="", max_length=200)
    licence: str = Field(default="", max_length=500)


class ParcelRead(Read):
    """Something taken out, or under way."""

    id: int
    kind: Literal["collection", "project"]
    name: str
    created_at: dt.datetime
    size_bytes: int | None
    pictures: int | None
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    error: str | None


class ProjectReturn(Write):
    """An uploaded archive that is to become a project again."""

    upload_id: str = Field(pattern="^[0-9a-f]{16}$")
    name: str = Field(min_length=1, max_length=200)
