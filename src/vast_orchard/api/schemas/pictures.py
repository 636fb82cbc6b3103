"""What goes over the wire of pictures, the field and the Sift."""

import datetime as dt
from typing import Annotated

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Read, SetName, Write
from vast_orchard.api.schemas.recipes import AreaRead

__all__ = [
    "AppearanceRead",
    "CompletionRead",
    "FieldRead",
    "FieldRowRead",
    "PictureDetailRead",
    "PicturePage",
    "PictureRead",
    "SaidRead",
    "SheetCreate",
]


class PictureRead(Read):
    """A picture of the field."""

    id: int
    sha256: str
    name: str
    class_id: int | None
    set_name: SetName | None
    two_labels: bool
    excluded: bool
    unsure: bool
    width: int
    height: int
    note: str
    own_area: bool = Field(description="It has a working area of its own.")


class FieldRowRead(Read):
    """A row of the field, counted."""

    key: str | None
    count: int
    training: int
    validation: int
    test: int
    excluded: int
    classes: list[int] = Field(description="Of a row of copies, the classes in it.")
    exact: bool = Field(description="Of a row of copies, whether all have the same pixels as another.")


class FieldRead(BaseModel):
    """The rows of the field in order; rows without pictures are not among them."""

    total: int
    rows: list[FieldRowRead]
    first: str = Field(description="The first records as Base64 (RFC 4648), as many as were asked for.")
    figure: str | None = Field(description="What the number is that the records carry; null if they carry none.")


class CompletionRead(Read):
    """Something that could be written in a Sift: `text` instead of what stands from `start` to the cursor."""

    text: str
    start: int
    words: str
    count: int | None


class SheetCreate(Write):
    """Tiles of `side` pixels in rows of `columns`."""

    picture_ids: list[Annotated[int, Field(ge=0, le=2**62)]] = Field(min_length=1, max_length=1024)
    side: int = Field(ge=8, le=400)
    columns: int = Field(ge=1, le=64)


class SaidRead(Read):
    """What a run's model said of a picture, and of which state of it."""

    run: int
    digest: str | None
    set_name: str
    true_class: int | None = Field(description="Null of what had no label.")
    predicted_class: int
    p: float
    calibrated: float | None = Field(description="The same with the model's temperature; null without one.")
    loss: float | None
    probabilities: list[float] = Field(description="In the order of the model's classes.")


class PicturePage(BaseModel):
    """Some pictures; ask again with `after=next` until it is null."""

    pictures: list[PictureRead]
    next: int | None
    said: dict[int, SaidRead] = Field(description="By picture, if a run is named that was asked about it.")


class AppearanceRead(Read):
    """One file in which a picture came in."""

    source: str
    path: str
    class_name: str | None
    set_name: SetName | None
    group_key: str | None
    came_at: dt.datetime


class PictureDetailRead(Read):
    """Everything the Close-up tells."""

    picture: PictureRead
    mode: str
    format: str
    size_bytes: int
    came_at: dt.datetime
    appearances: list[AppearanceRead]
    history: list[str]
    area: AreaRead | None = Field(description="Its working area now; null: all of it counts.")
    said: SaidRead | None = Field(description="By the run that the address names, where it was asked.")
