"""What is worth knowing of a split before a training."""

from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy.orm import Session

from vast_orchard.core.judging.intervals import wilson_interval
from vast_orchard.store.splits import divided_copies, get_split, left_out, looks_on
from vast_orchard.store.values import SplitValue
from vast_orchard.types import SetName

__all__ = ["SplitChecks", "check_split"]

# Below this an interval around nine in ten is wider than twenty points.
_FEW_PICTURES = 40
_EXAMPLE_SHARE = 0.9


@dataclass(frozen=True, kw_only=True)
class SplitChecks:
    """What is worth knowing before a training on a split."""

    copy_groups: int  # that stand in more than one set
    copy_pictures: int
    small: list[str]  # sets of which little can be said, in words
    left_out: Mapping[str, int]  # pictures that take no part, by the reason
    looks: int  # at the test set, of all runs on this split


def check_split(session: Session, project_id: int, split_id: int) -> SplitChecks:
    """The checks of a split.

    Raises
    ------
    MissingError
    """
    split = get_split(session, split_id, project_id)
    divided = divided_copies(session, project_id, split_id)
    return SplitChecks(
        copy_groups=len(divided),
        copy_pictures=sum(map(len, divided.values())),
        small=[words for name in (SetName.VALIDATION, SetName.TEST) if (words := _small(split, name))],
        left_out=left_out(session, project_id, split_id),
        looks=looks_on(session, split_id),
    )


def _small(split: SplitValue, name: SetName) -> str:
    """What a score on so few pictures means (Wilson 1927, 95 %)."""
    count = sum(sets.get(name.value, 0) for sets in split.counts.values())
    if not 0 < count < _FEW_PICTURES:
        return ""
    right = round(_EXAMPLE_SHARE * count)
    low, high = wilson_interval(right, count)
    pictures = f"{count} {name.value} picture{'s' if count != 1 else ''}"
    return f"With {pictures}, {right / count:.0%} means between {low:.0%} and {high:.0%}."
