"""What a Sift is read against, and what it asks for that may not be there."""

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

from sqlalchemy import ColumnElement

from vast_orchard.store.set_codes import SetCodes
from vast_orchard.store.sift.syntax import Place, SiftError

__all__ = ["SiftScope", "need_run", "need_split"]


@dataclass(frozen=True, kw_only=True)
class SiftScope:
    """What a Sift is read against: the things that the address names."""

    project_id: int
    now: dt.datetime  # with the time zone in which days begin
    classes: Mapping[str, int]  # id by name, of the project
    split_id: int | None = None
    sets: SetCodes | None = None  # of that split
    run_id: int | None = None
    model_id: int | None = None  # what that run has kept
    unjudged: str | None = None  # what to do about a run that was not judged
    run_classes: Mapping[str, int] = field(default_factory=dict)  # as the run knows them
    # By class id: a less probable answer of it is "unsure", of None every one; None: nobody has set it.
    unsure_below: Mapping[int, float | None] | None = None
    test_shown: bool = False  # a look at the test set was counted
    like_id: int | None = None  # the picture that `order:like` compares with
    areas: Mapping[str, ColumnElement[bool]] = field(default_factory=dict)  # what `area:` asks, by its word


def need_run(what: str, place: Place, scope: SiftScope) -> None:
    """Raise a `SiftError` where no judged run is on show."""
    if scope.run_id is None:
        raise SiftError(f"{what} asks about a run, and none is on show.", "Train one, or choose one in Runs.", place)
    if scope.unjudged is not None:
        raise SiftError(f"{what} asks what the run says, and it is not judged yet.", scope.unjudged, place)


def need_split(place: Place, scope: SiftScope) -> None:
    """Raise a `SiftError` where the pictures are not divided."""
    if scope.split_id is None:
        raise SiftError("There are no sets yet.", "Divide the pictures first.", place)
