"""What goes over the wire of models on offer."""

import datetime as dt
from typing import Any, Literal

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Read, Write

__all__ = ["AgreementRead", "OfferBack", "OfferCreate", "OfferRead", "OfferUpdate", "OfferedScoresRead"]

State = Literal["tried", "in_use", "put_away"]


class OfferCreate(Write):
    """Under which name a model is put on the list, and what is to be known of it."""

    name: str = Field(max_length=100)
    purpose: str = Field("", max_length=2000, description="What it is for.")
    limits: str = Field("", max_length=2000, description="What it must not be used for, and where it errs.")
    note: str = Field("", max_length=5000)


class OfferUpdate(Write):
    """What is to be otherwise."""

    purpose: str = Field("", max_length=2000)
    limits: str = Field("", max_length=2000)
    note: str = Field("", max_length=5000)
    state: State = "tried"


class OfferBack(Write):
    """Of which name the former version is wanted."""

    name: str = Field(min_length=1, max_length=100)


class OfferedScoresRead(BaseModel):
    """How often it was right, and on how many pictures."""

    accuracy: float
    accuracy_interval: list[float]
    count: int


class OfferRead(Read):
    """A model on offer."""

    id: int
    project_id: int
    model_id: int
    name: str
    version: int
    digest: str | None
    purpose: str
    limits: str
    note: str
    state: State
    created_at: dt.datetime
    used_at: dt.datetime | None
    run_id: int | None
    run_number: int | None
    classes: list[str]
    preprocessing: dict[str, Any]
    validation: OfferedScoresRead | None = Field(description="Null: it was not judged on validation.")
    looks: int = Field(description="At the test set.")


class AgreementRead(BaseModel):
    """Whether a model answers stored pictures as it did when it was judged."""

    pictures: int
    max_abs_difference: float = Field(description="Of any probability.")
    changed: int = Field(description="Answers that are others.")
    agrees: bool
    digest: str | None
