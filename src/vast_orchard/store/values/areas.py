"""Working areas and the rules by which pictures get one."""

import datetime as dt
from dataclasses import dataclass
from typing import Any

__all__ = ["AreaCounts", "AreaRuleValue", "AreaRulesValue"]


@dataclass(frozen=True, kw_only=True)
class AreaRuleValue:
    """An area for the pictures that a Sift lets through."""

    sift: str  # empty: all pictures
    area: dict[str, Any]  # as `core.pictures.area` writes it


@dataclass(frozen=True, kw_only=True)
class AreaRulesValue:
    """A version of a project's rules."""

    number: int  # 0: nobody has made any
    rules: list[AreaRuleValue]  # the first that lets a picture through gives it its area
    fresh_by: str  # by what a picture from elsewhere gets its area: rule, found, whole
    fresh: dict[str, Any] | None  # that area; None: it counts whole
    created_at: dt.datetime | None


@dataclass(frozen=True, kw_only=True)
class AreaCounts:
    """How many pictures have which kind of working area."""

    own: int
    by_rule: int
    whole: int  # neither
