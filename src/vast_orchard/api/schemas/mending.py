"""What goes over the wire of labels, marks, notes and copies, and of steps and taking them back."""

import datetime as dt
from typing import Literal, Self

from pydantic import Field, model_validator

from vast_orchard.api.schemas.base import PictureId, Read, RecordId, Write

__all__ = ["ActionRead", "CopiesKeep", "CopiesRead", "LabelsCreate", "MarksCreate", "NotesCreate", "UndoRead", "Which"]


class Which(Write):
    """The pictures that are meant: by their ids, or all that a Sift lets through."""

    picture_ids: list[PictureId] | None = Field(default=None, min_length=1, max_length=200_000)
    sift: str | None = Field(default=None, max_length=4000)
    split: int | None = Field(default=None, ge=1, le=2**31 - 1, description="Split that the Sift's set: means.")
    run: int | None = Field(default=None, ge=1, le=2**31 - 1, description="Run that the Sift's predicted: means.")
    look: int | None = Field(default=None, ge=1, le=2**31 - 1)

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.picture_ids is None) == (self.sift is None):
            raise ValueError("name the pictures by picture_ids or by sift, and not by both")
        return self


class LabelsCreate(Which):
    """Pictures and their new label; null takes the label away."""

    class_id: RecordId | None


class MarksCreate(Which):
    """Pictures to exclude or mark as unsure, or with `value` false not any more."""

    flag: Literal["excluded", "unsure"]
    value: bool = True


class NotesCreate(Which):
    """Pictures and their new note; an empty one takes it away."""

    note: str = Field(max_length=5000)


class ActionRead(Read):
    """A step of the history."""

    id: int
    kind: str
    summary: str
    done_at: dt.datetime
    window: str
    pictures: int
    undoes: int | None


class UndoRead(Read):
    """What was taken back, and how many pictures could not be."""

    summary: str
    taken_back: int
    kept: int


class CopiesRead(Read):
    """What is known of a project's copies."""

    groups: int = Field(description="Groups in which two pictures or more are not excluded.")
    differing: int = Field(description="Of these, under different labels.")
    pictures: int
    waiting: int = Field(description="Pictures whose copies nobody has looked for yet.")
    repeated: int = Field(description="Pictures whose very file came in more than once.")
    repeated_differing: int = Field(description="Of these, under two labels.")


class CopiesKeep(Write):
    """Pictures to keep of their copies; without any, the largest of each group whose labels agree."""

    picture_ids: list[PictureId] | None = Field(default=None, min_length=1, max_length=200_000)
