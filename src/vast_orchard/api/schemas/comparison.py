"""What goes over the wire of runs beside each other."""

from typing import Annotated, Any

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.models import ModelClassRead

__all__ = ["ComparedRunRead", "DifferenceRead", "PairRead", "RunsComparisonRead"]


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


class RunsComparisonRead(BaseModel):
    """Two to four runs."""

    runs: list[ComparedRunRead]
    classes: list[ModelClassRead] = Field(description="That one of them knows.")
    pictures: int = Field(description="Validation pictures of all of them.")
    judged: list[int] = Field(description="Validation pictures of each.")
    labels_differ: int = Field(description="Of the pictures: judged against another label by one of the runs.")
    labels_of: int = Field(description="Number of the run by whose labels all are held here: the newest.")
    differences: list[DifferenceRead]
    pair: PairRead | None
