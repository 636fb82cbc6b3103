"""What goes over the wire of operations, and of variations, preprocessings and networks that are kept."""

import datetime as dt
from typing import Annotated, Any

from pydantic import BaseModel, Field

from vast_orchard.api.dependencies import LARGEST_ID
from vast_orchard.api.schemas.base import Read, RecordId, Write
from vast_orchard.api.schemas.recipes import PreprocessingBody, VariationBody

__all__ = [
    "ExtremesCreate",
    "IngredientCreate",
    "IngredientRead",
    "IngredientsTakeOver",
    "MixRead",
    "OperationRead",
    "PreprocessingSheetCreate",
    "SheetRead",
    "SizeRead",
    "VariationSheetCreate",
]


class OperationRead(BaseModel):
    """An operation with its meaning and its limits; see `core.pictures.operations`."""

    name: str
    family: str
    does: str
    caution: str
    unit: str
    least: float
    most: float
    neutral: float
    low: float
    high: float
    probability: float
    ranged: bool
    by_ratio: bool
    needs_colour: bool
    one_value: bool


class IngredientCreate(Write):
    """A variation, a preprocessing or a network to keep."""

    name: str = Field(max_length=100)
    value: dict[str, Any]
    new: bool = Field(False, description="Refuse a name that is there already.")
    was: dict[str, Any] | None = Field(
        None, description="The newest value as this window saw it: refused if another window has changed it since."
    )


class IngredientsTakeOver(Write):
    """Which project's named variations, preprocessings and networks are wanted here too."""

    from_project: RecordId


class IngredientRead(Read):
    """One version of a name."""

    id: int
    kind: str
    name: str
    version: int
    value: dict[str, Any]
    created_at: dt.datetime
    runs: list[int] = Field(description="Numbers of the runs that used it; then it does not change any more.")


_Ids = Annotated[list[int], Field(default_factory=list, max_length=24)]


class VariationSheetCreate(Write):
    """Which pictures, varied how; without ids some of as many classes as possible."""

    picture_ids: _Ids
    pictures: int = Field(6, ge=1, le=24)
    variants: int = Field(7, ge=1, le=24)
    preprocessing: PreprocessingBody
    variation: VariationBody
    seed: int = Field(1, ge=0, le=2**32 - 1)
    split_id: int | None = Field(None, ge=1, le=LARGEST_ID)


class ExtremesCreate(Write):
    """Whose operations are shown alone, on which picture."""

    picture_ids: _Ids
    preprocessing: PreprocessingBody
    variation: VariationBody


class PreprocessingSheetCreate(Write):
    """Which pictures, prepared how; without ids the oddest shapes."""

    picture_ids: _Ids
    pictures: int = Field(6, ge=1, le=24)
    preprocessing: PreprocessingBody
    steps: bool = Field(False, description="Each step in its order, and not each way to fit.")


class MixRead(BaseModel):
    """A tile of which the label is shared: how much of it belongs to another class."""

    row: int
    column: int
    class_id: int | None
    share: float


class SheetRead(BaseModel):
    """Tiles in one picture, row by row."""

    image: str = Field(description="JPEG as Base64 (RFC 4648).")
    tile: int = Field(description="Side of a tile in pixels.")
    rows: int
    columns: int
    heads: list[str] = Field(description="Of the rows, where they are not pictures.")
    mixes: list[MixRead]
    picture_ids: list[int]
    class_ids: list[int | None] = Field(description="Of those pictures; null is unlabelled.")


class SizeRead(BaseModel):
    """A proposal for the input size."""

    size: int
    middle_side: int
    because: str
