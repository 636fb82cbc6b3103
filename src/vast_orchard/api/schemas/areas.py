"""What goes over the wire of working areas: rules, a picture's own, and what stands out by itself."""

import datetime as dt
from typing import Literal

from pydantic import Field

from vast_orchard.api.schemas.base import PictureId, Read, Write
from vast_orchard.api.schemas.mending import Which
from vast_orchard.api.schemas.recipes import AreaBody, AreaRead

__all__ = [
    "AreaCountsRead",
    "AreaRuleBody",
    "AreaRuleRead",
    "AreaRulesRead",
    "AreaRulesUpdate",
    "AreaSampleRead",
    "AreasCreate",
    "FoundAreaRead",
    "FoundAreasCreate",
]

FreshBy = Literal["rule", "found", "whole"]


class AreaRuleBody(Write):
    """An area for the pictures that a Sift lets through; it may not ask for the class."""

    sift: str = Field("", max_length=4000, description="Empty: all pictures; such a rule stands last.")
    area: AreaBody


class AreaRulesUpdate(Write):
    """The rules from now on: the first that lets a picture through gives it its area."""

    rules: list[AreaRuleBody] = Field(max_length=20)
    fresh_by: FreshBy = Field(
        "rule", description="What a picture from elsewhere gets: the rule for all, what stands out of it, or neither."
    )
    margin: float = Field(0.08, description="Of what stands out of a picture from elsewhere, of its sides.")
    was: int = Field(ge=0, le=2**31 - 1, description="Number of the version that these were made of.")


class AreaRuleRead(Read):
    """A rule as it is stored."""

    sift: str
    area: AreaRead


class AreaCountsRead(Read):
    """How many pictures have which kind of working area."""

    own: int
    by_rule: int
    whole: int = Field(description="Neither: all of the picture counts.")


class AreaRulesRead(Read):
    """A version of a project's rules; of number 0 before anybody made any."""

    number: int
    rules: list[AreaRuleRead]
    fresh_by: FreshBy
    fresh: AreaRead | None = Field(description="What a picture from elsewhere gets; null: it counts whole.")
    created_at: dt.datetime | None


class AreasCreate(Which):
    """Pictures and the working area that is to be their own; null takes it away."""

    area: AreaBody | None


class AreaSampleRead(Read):
    """A picture with the working area that it has now."""

    id: int
    sha256: str
    name: str
    width: int
    height: int
    own: bool
    area: AreaRead | None = Field(description="Null: all of it counts.")


class FoundAreasCreate(Write):
    """Pictures, and with which margin and what covered the part that stands out is looked for."""

    picture_ids: list[PictureId] = Field(min_length=1, max_length=60)
    area: AreaBody


class FoundAreaRead(Read):
    """The part that stands out of a picture."""

    picture_id: int
    box: list[float] | None = Field(description="With its margin; null: nothing stands out, and it counts whole.")
    doubt: float = Field(description="0 to 1, to put pictures in order by; no probability.")
    why: str = Field(description="What is to be doubted; empty: hardly anything.")
