"""What goes over the wire of models, judgements, tries and exports."""

import datetime as dt
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, Field, model_validator

from vast_orchard.api.schemas.base import JudgedSet, PictureId, Read, RecordId, Write
from vast_orchard.types import ExportForm

__all__ = [
    "AimRead",
    "AnswerProposalRead",
    "AnswerRead",
    "AnsweredRead",
    "AnsweringRead",
    "CalibrationBinRead",
    "CalibrationRead",
    "ClassIntervalsRead",
    "ClassScoresRead",
    "ExportCreate",
    "ExportRead",
    "FormRead",
    "HeatmapRead",
    "JudgedRead",
    "JudgementCreate",
    "JudgementRead",
    "LookCreate",
    "LookRead",
    "ModelClassRead",
    "ModelRead",
    "NearestRead",
    "OutcomeRead",
    "OutsideRead",
    "ProposalsAccept",
    "ScoreRead",
    "ScoresRead",
    "SentenceRead",
    "SliceRead",
    "SurenessRead",
    "UnsureUpdate",
]


Interval = Annotated[list[float], Field(min_length=2, max_length=2)]


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
    temperature: float | None = Field(description="Calibrates its probabilities; null: nothing to fit it on.")
    unsure_below: list[float | None] | None = Field(
        description='By class: a calibrated answer with a lower probability is "unsure", null always; null: not set.'
    )
    looks: int = Field(description="How often outcomes on the test set were shown.")
    has_weights: bool = Field(description="There is a network to ask; not so of the answers of folds.")
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
    accuracy_interval: Interval
    loss: float
    largest_class_share: float
    macro_precision: float
    macro_recall: float
    macro_f1: float


class JudgementRead(ScoresRead):
    """Scores on one set, with their counts."""

    classes: list[ClassScoresRead]
    confusion: list[list[int]]
    relabelled: int = Field(0, description="By the labels of today: pictures that were judged by another one.")
    left_out: int = Field(0, description="By the labels of today: pictures that have none which the model knows.")


class OutsideRead(BaseModel):
    """Pictures in no set of a model's run, which it could be asked about."""

    outside: int = Field(description="Labelled.")
    unlabelled: int


class SentenceRead(BaseModel):
    """One thing that is said of a judged set, with its numbers."""

    about: Literal["confuses", "where", "next"]
    words: str
    sift: str | None = Field(description="Of the pictures that it is about.")
    p: float | None = Field(description="How often chance would give as much; null where nothing was tested.")
    more: int = Field(description="Further ones of the same kind, less sure: see slices.")


class NearestRead(BaseModel):
    """A training picture, and how like another it is as the network sees both."""

    picture_id: int
    likeness: float = Field(description="Cosine of the angle between their features; 1 is the same.")
    sha256: str
    class_then: int = Field(description="The label that it was learnt by.")
    class_now: int | None
    gone: bool = Field(description="It is no longer in the project.")


class JudgedRead(BaseModel):
    """A set that a model was judged on."""

    set: JudgedSet
    count: int
    sure: bool = Field(description="Its intervals and calibration are known.")


class JudgementCreate(Write):
    """Which set to judge; the test set is judged by a look at it.

    Outside the sets, labelled and unlabelled pictures are judged together.
    """

    set: Literal["training", "validation", "outside"]


class LookCreate(Write):
    """From which place the test set is looked at."""

    place: str = Field(min_length=1, max_length=40)


class LookRead(BaseModel):
    """A counted look; `job_id` is the judging that it had to start, if any."""

    id: int
    looks: int
    job_id: int | None


class ScoreRead(BaseModel):
    """One figure of a set; no interval where drawing the pictures again tells nothing."""

    name: str
    value: float
    interval: Interval | None


class ClassIntervalsRead(BaseModel):
    """Between what the figures of a class are, 95 %."""

    precision: Interval | None
    recall: Interval | None
    f1: Interval | None
    small: bool = Field(description="Too few pictures for more than a hint.")


class CalibrationBinRead(BaseModel):
    """Answers of like probability, and how many of them were right."""

    low: float
    high: float
    mean: float
    right: int
    count: int
    interval: Interval


class CalibrationRead(BaseModel):
    """How far probabilities are from how often they come true."""

    bins: list[CalibrationBinRead]
    error: float = Field(description="Expected calibration error, in bins of equal count.")
    error_if_true: float = Field(description="The same in the mean if every probability were true.")
    error_if_true_high: float
    brier: float
    loss: float


class AnsweredRead(BaseModel):
    """Pictures that are answered, and those of them that are right."""

    answered: int
    right: int
    interval: Interval


class AimRead(BaseModel):
    """The lowest threshold with which so many answers are right; null: none reaches it."""

    wanted: float
    below: float | None
    counted: AnsweredRead
    by_class: dict[str, float | None] = Field(description="By the place of the class; the others share `below`.")
    counted_by_class: AnsweredRead


class AnsweringRead(BaseModel):
    """How many answers are right if only those above a threshold are given."""

    count: int
    posts: list[AnsweredRead] = Field(description="In the order of `thresholds`.")
    aims: list[AimRead]
    thresholds: list[float]


class SurenessRead(BaseModel):
    """How sure the figures of a judged set are."""

    scores: list[ScoreRead]
    classes: list[ClassIntervalsRead]
    plain: CalibrationRead
    temperature: float | None
    tempered: CalibrationRead
    cross_fitted: bool = Field(description="Each fifth of the pictures was calibrated by the other four.")
    answering: AnsweringRead


class UnsureUpdate(Write):
    """When a model says "unsure": under one threshold, or by an aim; nothing of both: never."""

    below: float | None = Field(None, ge=0, le=0.999)
    wanted: float | None = Field(None, ge=0, le=1, description="So many of the answers shall be right.")
    by_class: bool = Field(False, description="A threshold for each class with 30 answers.")

    @model_validator(mode="after")
    def _one(self) -> Self:
        if self.below is not None and self.wanted is not None:
            raise ValueError("Name a threshold or an aim, not both.")
        return self


class ExportCreate(Write):
    """In which form a model is wanted, and what goes into it."""

    form: ExportForm = ExportForm.PACK

    calibrated: bool = Field(False, description='With the temperature, and "unsure" where it is set.')


class SliceRead(BaseModel):
    """Pictures with a fact in common on which the model errs more often than chance explains."""

    words: str
    sift: str
    count: int
    wrong: int
    times: float = Field(description="Errors are so many times as frequent as elsewhere, by class.")
    p: float = Field(description="Corrected for the number of slices that were looked at.")


class HeatmapRead(BaseModel):
    """Where a model looks in a picture for one class."""

    class_id: int
    p: float = Field(description="Probability of the class.")
    way: Literal["gradients", "covering"]
    layer: str | None = Field(description="By whose values; null where parts were covered.")
    layers: list[str] = Field(description="That can be asked about, from the picture on.")
    width: int = Field(description="Of the upright picture.")
    height: int
    rows: int
    columns: int
    heat: list[int] = Field(description="Row by row, 0 to 255; all 0 where nothing speaks for the class.")
    area: list[float] = Field(
        min_length=4,
        max_length=4,
        description="Left, top, right and bottom of what the network sees, in parts of the upright picture.",
    )


class OutcomeRead(Read):
    """What a model said of a picture."""

    picture_id: int
    sha256: str
    name: str
    true_class: int | None = Field(description="Null of what had no label.")
    predicted_class: int
    p: float
    loss: float | None
    probabilities: list[float]
    class_now: int | None
    gone: bool


class AnswerRead(BaseModel):
    """What a model says of a file: probabilities in the order of its classes, or what is wrong with the file."""

    name: str
    error: str | None
    probabilities: list[float]
    calibrated: list[float] = Field(description="The same with the model's temperature.")
    kept: list[float] | None = Field(description="Left, top, right, bottom of what counted, in parts of the sides.")
    seconds: float | None = Field(description="Of its share of the request, from file to answer.")
    run: int | None = Field(description="Number of the run whose model answered.")
    digest: str | None = Field(description="SHA-256 of the weights that answered.")


class AnswerProposalRead(Read):
    """Unlabelled pictures that a model proposes one class for."""

    class_id: int
    waiting: int
    certain: int = Field(description="Of these, at least as probable as was asked.")


class ProposalsAccept(Write):
    """Which proposals are taken: all, of one class, or of some pictures."""

    least: float = Field(0.0, ge=0, le=1, description="Of the probability, with the model's temperature if it has one.")
    class_id: RecordId | None = None
    picture_ids: list[PictureId] | None = Field(default=None, min_length=1, max_length=200_000)


class FormRead(BaseModel):
    """A form in which a model is handed over."""

    form: ExportForm
    title: str
    purpose: str
    holds: str


class ExportRead(Read):
    """A form of a model, and its proof once it is there."""

    id: int
    model_id: int
    epoch: int | None
    digest: str | None = Field(description="SHA-256 of the weights in it.")
    created_at: dt.datetime
    size_bytes: int | None
    proof: dict[str, Any] | None
    calibrated: bool
    form: ExportForm
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    error: str | None
