"""What may be doubted of a part that was found by itself."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from vast_orchard.core.pictures._area_steps import widened
from vast_orchard.core.pictures.area import Box

__all__ = ["FoundPart", "found_part"]

# How clear a part is that leaves no doubt: so many times the ground's own noise it stands out by.
_CLEAR = 12.0
# Shares of the picture beyond which a part is doubted: a speck, or nearly everything.
_SPECK, _EVERYTHING = 0.01, 0.9
# Shares of the part's weight from which on another one may be meant.
_RIVAL = 0.3


@dataclass(frozen=True, kw_only=True)
class FoundPart:
    """The part of one picture that is kept."""

    box: Box | None  # with its margin; None: nothing stands out, and the whole picture is kept
    doubt: float  # 0 to 1, for putting pictures in order: what is likeliest wrong first
    why: str  # in a few words; empty where there is hardly a doubt


def found_part(found: Mapping[str, Any], margin: float) -> FoundPart:
    """Judge what `standing_out` found.

    The doubt is the largest of five: that nothing or hardly anything stands out, that the part goes on beyond the
    picture, that it is a speck or nearly everything, and that another part stands out as much. Each is 0 to 1 by the
    bounds above; they are there to sort by and claim no probability.
    """
    if found["box"] is None:
        return FoundPart(box=None, doubt=1.0, why="nothing does: counts whole")
    left, top, right, bottom = found["box"]
    share = (right - left) * (bottom - top)
    doubts = (
        (max(0.0, 1 - found["clear"] / _CLEAR), "hardly stands out"),
        # One side of four at the edge is a doubt, two are a grave one.
        (min(1.0, 2 * found["edge"]), "reaches the edge"),
        (max(0.0, 1 - share / _SPECK), "a speck"),
        (max(0.0, (share - _EVERYTHING) / (1 - _EVERYTHING)), "nearly all of it"),
        (min(1.0, found["rival"]) if found["rival"] >= _RIVAL else 0.5 * found["rival"], "another part does too"),
    )
    doubt, why = max(doubts, key=lambda entry: entry[0])
    return FoundPart(box=widened(found["box"], margin), doubt=round(doubt, 3), why=why if doubt >= _RIVAL else "")
