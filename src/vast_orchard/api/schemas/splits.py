"""What goes over the wire of splits."""

import datetime as dt
from typing import Any, Literal

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Read, SetName, Write
from vast_orchard.api.schemas.mending import ActionRead, Which

__all__ = [
    "ComparisonRead",
    "DivisionAheadRead",
    "FoldsRead",
    "MovedRead",
    "MovesCreate",
    "NumbersBody",
    "ProposalRead",
    "SetPairRead",
    "SharesBody",
    "SplitChecksRead",
    "SplitCreate",
    "SplitFitRead",
    "SplitRead",
]


class SharesBody(Write):
    """Parts of the whole, 0 to 1."""

    training: float = Field(0.7, ge=0, le=1)
    validation: float = Field(0.15, ge=0, le=1)
    test: float = Field(0.15, ge=0, le=1)


class ProposalRead(BaseModel):
    """Shares for the labelled pictures that there are."""

    labelled: int
    shares: SharesBody


class NumbersBody(Write):
    """Pictures of each set; the rest is in none."""

    training: int = Field(ge=0, le=10**9)
    validation: int = Field(ge=0, le=10**9)
    test: int = Field(0, ge=0, le=10**9)


class SplitCreate(Write):
    """How to divide; see `at_once.dividing`."""

    name: str = Field("", max_length=100, description="By default Split and its number; a known one gets a version.")
    method: Literal["random", "folders"] = "random"
    shares: SharesBody | None = Field(None, description="By default as `…/proposal` has them.")
    numbers: NumbersBody | None = Field(None, description="Instead of shares.")
    seed: int = Field(1, ge=0, le=2**32 - 1)
    stratified: bool = True
    together: Literal["nothing", "group", "pattern", "day"] = "nothing"
    pattern: str = Field("", max_length=200, description="With {group}, where pictures are kept together by it.")
    keep_copies: bool = True


class SplitFitRead(BaseModel):
    """What was wanted of a class in a set, and what it got."""

    class_id: int
    set_name: SetName
    wanted: float
    got: int
    because: str


class SplitRead(Read):
    """A split with its counts by class id (0 is unlabelled) and set."""

    id: int
    number: int
    name: str
    version: int
    method: str
    shares: dict[str, float]
    seed: int
    rule: dict[str, Any]
    fit: list[SplitFitRead] = Field(description="As it was made; empty once it was changed by hand.")
    runs: list[int] = Field(description="Numbers of the runs that used it; then it does not change any more.")
    created_at: dt.datetime
    counts: dict[int, dict[str, int]]
    in_no_set: int
    warnings: list[str]


class SplitChecksRead(Read):
    """What is worth knowing before a training."""

    copy_groups: int
    copy_pictures: int
    small: list[str]
    left_out: dict[str, int]
    looks: int


class DivisionAheadRead(Read):
    """What a training that divides by itself would stand on."""

    method: str
    counts: dict[int, dict[str, int]]
    left_out: dict[str, int]


class MovesCreate(Which):
    """Pictures, and the set that they are put into; null takes them out of all."""

    set_name: SetName | None


class MovedRead(BaseModel):
    """What was done, and the split as it is now: the same, or its next version."""

    action: ActionRead
    split: SplitRead


class FoldsRead(BaseModel):
    """Of each fold, how many pictures of each class."""

    folds: list[dict[int, int]]


class SetPairRead(BaseModel):
    """Pictures that stand in one set of the first split and in one of the second."""

    first: SetName | None
    second: SetName | None
    count: int


class ComparisonRead(BaseModel):
    """Two splits side by side."""

    pairs: list[SetPairRead]
