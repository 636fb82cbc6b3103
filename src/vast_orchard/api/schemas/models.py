"""What goes over the wire of models, judgements, tries and exports."""

import datetime as dt
from typing import Any, Literal

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Read, Write

__all__ = [
    "AnswerRead",
    "ClassScoresRead",
    "ExportRead",
    "JudgementCreate",
    "JudgementRead",
    "LookCreate",
    "LookRead",
    "ModelClassRead",
    "ModelRead",
    "OutcomeRead",
    "ScoresRead",
]


class ModelClassRead(BaseModel):
    """A class as it was when the training started."""

    id: int
    name: str
    sign: str


class ModelRead(Read):
    """What can be judged, tried and exported."""

    id: int
    project_id: int
    kind: str
    run_id: int | None
    run_number: int | None
    epoch: int | None
    digest: str | None = Field(description="SHA-256 of the weights; null until those of an earlier version are read.")
    classes: list[ModelClassRead]
    looks: int = Field(description="How often outcomes on the test set were shown.")
    frozen: bool = Field(description="Its run has ended: it will not change any more.")


class ClassScoresRead(BaseModel):
    """Scores of one class; null where there is nothing to divide by."""

    precision: float | None
    recall: float | None
    f1: float | None
    count: int
    predicted: int
    right: int


class ScoresRead(BaseModel):
    """Scores on a set as a whole."""

    count: int
    right: int
    accuracy: float
    accuracy_interval: list[float] = Field(min_length=2, max_length=2)
    loss: float
    largest_class_share: float
    macro_precision: float
    macro_recall: float
    macro_f1: float


class JudgementRead(ScoresRead):
    """Scores on one set, with their counts."""

    classes: list[ClassScoresRead]
    confusion: list[list[int]]


class JudgementCreate(Write):
    """Which set to judge; the test set is judged by a look at it."""

    set: Literal["training", "validation"]


class LookCreate(Write):
    """From which place the test set is looked at."""

    place: str = Field(min_length=1, max_length=40)


class LookRead(BaseModel):
    """A counted look; `job_id` is the judging that it had to start, if any."""

    id: int
    looks: int
    job_id: int | None


class OutcomeRead(Read):
    """What a model said of a picture."""

    picture_id: int
    sha256: str
    name: str
    true_class: int
    predicted_class: int
    p: float
    loss: float
    probabilities: list[float]
    class_now: int | None
    gone: bool


class AnswerRead(BaseModel):
    """What a model says of a file: probabilities in the order of its classes, or what is wrong with the file."""

    name: str
    error: str | None
    probabilities: list[float]


class ExportRead(Read):
    """A pack, and its proof once it is there."""

    id: int
    model_id: int
    epoch: int | None
    digest: str | None = Field(description="SHA-256 of the weights in it.")
    created_at: dt.datetime
    size_bytes: int | None
    proof: dict[str, Any] | None
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    error: str | None
