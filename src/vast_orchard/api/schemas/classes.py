"""What goes over the wire of classes."""

from pydantic import Field

from vast_orchard.api.schemas.base import Read, RecordId, Write
from vast_orchard.api.schemas.mending import Which

__all__ = ["ClassMerge", "ClassOrder", "ClassRead", "ClassSplit", "ClassUpdate", "ClassWrite"]


class ClassWrite(Write):
    """A class's name."""

    name: str


class ClassRead(Read):
    """A class in its order."""

    id: int
    name: str
    place: int
    sign: str
    colour: int | None = Field(description="One of ten, chosen by a person; null for the one of its place.")
    count: int


class ClassUpdate(Write):
    """What to change of a class; what is left out stays."""

    name: str = ""
    sign: str = ""
    colour: int | None = Field(default=None, ge=0, le=9)


class ClassSplit(Which):
    """A new class with these pictures."""

    name: str


class ClassOrder(Write):
    """All classes in their new order."""

    class_ids: list[RecordId] = Field(max_length=10_000)


class ClassMerge(Write):
    """The class that takes the pictures."""

    into: int = Field(ge=1, le=2**31 - 1)
