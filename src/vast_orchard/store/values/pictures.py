"""Pictures and classes, as the field, the Close-up, the bin and a collection show them."""

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from vast_orchard.store.values.models import SaidValue

__all__ = [
    "AppearanceValue",
    "BinnedPicture",
    "ClassValue",
    "CopiesValue",
    "FieldRowValue",
    "FullPicture",
    "PictureDetail",
    "PictureValue",
]


@dataclass(frozen=True, kw_only=True)
class ClassValue:
    """A class in its order."""

    id: int
    name: str
    place: int
    sign: str
    colour: int | None  # one of ten, chosen by a person; None: by its place
    count: int  # pictures with this label today


@dataclass(frozen=True, kw_only=True)
class PictureValue:
    """A picture as the field shows it."""

    id: int
    sha256: str
    name: str
    class_id: int | None
    set_name: str | None  # in the split asked for
    two_labels: bool
    excluded: bool
    unsure: bool
    width: int
    height: int
    note: str
    own_area: bool  # it has a working area of its own


@dataclass(frozen=True, kw_only=True)
class AppearanceValue:
    """One file in which a picture came in."""

    source: str
    path: str
    class_name: str | None
    set_name: str | None
    group_key: str | None
    came_at: dt.datetime


@dataclass(frozen=True, kw_only=True)
class PictureDetail:
    """Everything the Close-up tells."""

    picture: PictureValue
    mode: str
    format: str
    size_bytes: int
    came_at: dt.datetime
    appearances: list[AppearanceValue]
    history: list[str]  # newest first, in words
    said: SaidValue | None = None  # by the run that was asked about
    area: dict[str, Any] | None = None  # its working area now; None: all of it counts


@dataclass(frozen=True, kw_only=True)
class FullPicture:
    """Everything that goes out with a picture."""

    id: int
    sha256: str
    name: str
    class_name: str | None
    set_name: str | None
    group_key: str | None
    note: str
    width: int
    height: int
    mode: str
    format: str
    size_bytes: int
    two_labels: bool
    came_at: dt.datetime
    appearances: list[str]


@dataclass(frozen=True, kw_only=True)
class FieldRowValue:
    """A row of the field, counted."""

    key: str | None  # what its pictures have in common: a class id, a set, a day; None: they have none
    count: int
    training: int
    validation: int
    test: int
    excluded: int
    # Of a row of copies only: the classes in it, by id, and whether its pictures have the same pixels.
    classes: Sequence[int] = ()
    exact: bool = False


@dataclass(frozen=True, kw_only=True)
class BinnedPicture:
    """A picture in the bin."""

    id: int
    sha256: str
    name: str
    class_id: int | None
    deleted_at: dt.datetime


@dataclass(frozen=True, kw_only=True)
class CopiesValue:
    """What is known of copies in a project."""

    groups: int  # that still have two pictures or more that are not excluded
    differing: int  # of these, under different labels
    pictures: int  # in these
    waiting: int  # pictures whose copies nobody has looked for yet
    repeated: int  # pictures of which the very same file came in more than once
    repeated_differing: int  # of these, under two labels
