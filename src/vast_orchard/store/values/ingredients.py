"""What runs are made of and what is kept for several of them."""

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

__all__ = ["IngredientValue", "SplitValue"]


@dataclass(frozen=True, kw_only=True)
class IngredientValue:
    """A version of a variation or a preprocessing."""

    id: int
    kind: str
    name: str
    version: int
    value: dict[str, Any]
    created_at: dt.datetime
    runs: Sequence[int]  # numbers of those that used it


@dataclass(frozen=True, kw_only=True)
class SplitValue:
    """A split with its counts by class and set."""

    id: int
    number: int
    name: str
    version: int  # of the name, from 1
    method: str
    shares: dict[str, Any]
    seed: int
    rule: dict[str, Any]  # what else it was made by
    fit: list[Any]  # what was wanted and met for each class and set, as it was made
    runs: Sequence[int]  # numbers of those that used it
    created_at: dt.datetime
    counts: dict[int, dict[str, int]]  # by present class id, then set; class 0 is unlabelled
    in_no_set: int  # labelled pictures of the project that are in none
    warnings: list[str]
