"""What goes over the wire of runs beside each other."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.models import ModelClassRead

__all__ = [
    "ComparedRunRead",
    "DifferenceRead",
    "MendedRead",
    "MendingRead",
    "OthersRead",
    "PairRead",
    "RunsComparisonRead",
]


class ComparedRunRead(BaseModel):
    """One of the runs, on the pictures that all of them were asked about."""

    id: int
    number: int
    name: str
    model_id: int
    count: int
    right: int
    accuracy: float | None = Field(description="Null without a common picture.")
    accuracy_interval: Annotated[list[float], Field(min_length=2, max_length=2)]
    macro_f1: float | None
    confusion: list[list[int]] = Field(description="In the order of the comparison's classes; rows true.")
    parameters: int
    multiply_adds: int = Field(description="For one picture.")
    train_s: float | None


class DifferenceRead(BaseModel):
    """A value that is not the same in all of them."""

    what: str
    values: list[Any] = Field(description="One for each run; null stands for what is not there.")


class PairRead(BaseModel):
    """Two runs, picture by picture; one of a group of copies counts."""

    gained: int = Field(description="Only the second gets them right.")
    lost: int = Field(description="Only the first gets them right.")
    p: float = Field(description="How often chance alone makes at least such a difference.")


class OthersRead(PairRead):
    """The pictures whose labels stayed: only they say whether the training became better."""

    count: int
    right_then: int
    right_now: int


class MendedRead(BaseModel):
    """A validation picture whose label was mended between the runs; classes by their ids."""

    picture_id: int
    label_then: int
    label_now: int
    said_then: int
    said_now: int


class MendingRead(BaseModel):
    """What it did that labels were mended between two runs."""

    relabelled: dict[str, int] = Field(description="Pictures by the set in which the later run has them.")
    before: int = Field(description="Number of the earlier run.")
    after: int
    right_then: int = Field(description="Of the common pictures, by the earlier run and its own labels.")
    right_by_new_labels: int = Field(description="By the earlier run and the later labels: what the labels alone do.")
    right_now: int = Field(description="By the later run and its labels.")
    others: OthersRead
    pictures: list[MendedRead]


class RunsComparisonRead(BaseModel):
    """Two to four runs."""

    runs: list[ComparedRunRead]
    classes: list[ModelClassRead] = Field(description="That one of them knows.")
    set: Literal["validation", "test"]
    pictures: int = Field(description="Of this set of all of them.")
    judged: list[int] = Field(description="Of this set of each.")
    labels_differ: int = Field(description="Of the pictures: judged against another label by one of the runs.")
    labels_of: int = Field(description="Number of the run by whose labels all are held here: the newest.")
    differences: list[DifferenceRead]
    pair: PairRead | None
    mending: MendingRead | None = Field(description="Of two runs between which labels were mended.")
