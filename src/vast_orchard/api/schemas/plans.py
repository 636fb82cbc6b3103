"""What goes over the wire of plans of many runs."""

import datetime as dt
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import RecordId, Write
from vast_orchard.api.schemas.models import ModelClassRead
from vast_orchard.api.schemas.recipes import RecipeCreate

__all__ = [
    "CarriedByRead",
    "CarriedRead",
    "CombinationCreate",
    "CopyScoresRead",
    "CoursePointRead",
    "DroppingBody",
    "FinalCreate",
    "FoldDifferenceRead",
    "FoldScoresRead",
    "FoldsBesideRead",
    "FoldsBody",
    "FoundRead",
    "KnobBody",
    "KnobOfferRead",
    "KnobOffersCreate",
    "KnobOffersRead",
    "KnobRead",
    "OptimismRead",
    "PlanAdd",
    "PlanFailureRead",
    "RunPlanCostRead",
    "RunPlanCreate",
    "RunPlanRead",
    "RunPlanSketchRead",
    "RunPlanSummaryRead",
    "TrainerRead",
    "TrialRead",
]

_Value = bool | int | float | Annotated[str, Field(max_length=120)]
_Figure = Literal["validation_accuracy", "validation_macro_f1", "validation_loss"]


class KnobBody(Write):
    """What is varied: a list of values, or a range with its ends; see `core.planning.knobs`."""

    name: str = Field(max_length=60)
    values: list[_Value] = Field(default_factory=list, max_length=60)
    low: float = 0.0
    high: float = 0.0
    by_ratio: bool = False


class DroppingBody(Write):
    """How trials are dropped early."""

    factor: int = Field(3, ge=2, le=10, description="One of so many goes on.")
    least: int = Field(3, ge=1, le=10_000, description="Epochs of the first rung, about.")
    waits: bool = Field(False, description="Rungs are judged as a whole: the same winner on any number of workers.")


class FoldsBody(Write):
    """Into how many parts, and how often."""

    count: int = Field(5, ge=2, le=50)
    rounds: int = Field(1, ge=1, le=20)


class RunPlanCreate(Write):
    """What several runs are to find out."""

    kind: Literal["trials", "folds", "copies"]
    question: str = Field(min_length=1, max_length=80)
    recipe: RecipeCreate
    split_id: RecordId | None = None
    by: _Figure = "validation_loss"
    seed: int = Field(1, ge=0, le=2**32 - 1, description="Of the draws of trials, or of folds.")
    space: list[KnobBody] = Field(default_factory=list, max_length=20)
    way: Literal["all", "random", "spread"] = "spread"
    trials: int = Field(24, ge=1, le=1000, description="Of a search or of copies.")
    dropping: DroppingBody | None = None
    minutes: float = Field(0.0, description="Of training, after which no trial begins; 0: no limit.")
    folds: FoldsBody | None = None
    go_on: bool = Field(False, description="To final training, when it has ended; it stops before the test set.")


class PlanAdd(Write):
    """More to do for a search."""

    trials: int = Field(0, ge=0, le=1000, description="Further ones.")
    minutes: float | None = Field(None, description="Of training in all; 0: no limit; null: as it is.")


class KnobOffersCreate(Write):
    """Of which recipe something is to be varied."""

    recipe: RecipeCreate


class KnobOfferRead(BaseModel):
    """Something that can be varied, with a list or a range to begin with."""

    name: str
    words: str
    help: str
    kind: Literal["whole", "number", "switch", "choice", "name"]
    values: list[_Value]
    low: float
    high: float
    by_ratio: bool
    ranged: bool = Field(description="It may have a range.")


class KnobRead(BaseModel):
    """What is varied."""

    name: str
    words: str
    values: list[_Value] = Field(description="Empty of a range.")
    low: float
    high: float
    by_ratio: bool


class KnobOffersRead(BaseModel):
    """Everything that can be varied, and what is proposed."""

    offers: list[KnobOfferRead]
    proposed: list[KnobRead]


class RunPlanCostRead(BaseModel):
    """Runs, epochs and time of a plan before it begins."""

    trials: int
    rungs: list[int] = Field(description="Epochs after which trials rest, the whole budget last.")
    at_rungs: list[int] = Field(description="Trials that reach each, about.")
    epochs: int
    seconds: float | None = Field(description="null: the pace of this machine is not known yet.")
    one_s: float | None = Field(description="Of one trial with the whole budget.")


class PlanFailureRead(BaseModel):
    """Why a plan cannot be carried out."""

    what: str
    mend: str


class RunPlanSketchRead(BaseModel):
    """What a plan would come to."""

    failure: PlanFailureRead | None = Field(description="It cannot be carried out as it stands.")
    cost: RunPlanCostRead | None
    possible: int | None = Field(description="Combinations that there are; null: without end, or no search.")
    first: list[dict[str, _Value]] = Field(description="Values of the first trials.")


class TrialRead(BaseModel):
    """One run of a plan."""

    trial: int
    run_id: int
    number: int = Field(description="Of the run.")
    name: str
    values: dict[str, _Value]
    fold: int | None
    round: int | None
    state: Literal["waiting", "training", "resting", "ended"]
    ended_by: Literal["epochs", "stopped", "condition", "failed", "brought", "combined", "pooled"] | None
    ending: str
    mend: str
    epochs_done: int
    until: int = Field(description="Epoch after which it rests or ends.")
    epochs: int
    whole: bool = Field(description="It had the whole budget, or ended well before it.")
    value: float | None = Field(description="The figure that trials are compared by, of the kept epoch.")
    figures: dict[str, float]
    rungs: dict[int, float | None] = Field(description="That figure at each rung that it reached, from 0.")
    count: int | None = Field(description="Validation pictures that it was judged on.")
    right: int | None
    interval: list[float] | None = Field(description="95 % of the accuracy.")
    train_s: float | None
    parameters: int
    listed: bool = Field(description="It stands in the plain Ledger too.")
    model_id: int | None


class CarriedRead(BaseModel):
    """What one setting alone tells of the trials' order."""

    name: str
    share: float
    chance: float = Field(description="How often chance gives as large a share, for as many settings as there are.")
    trials: int


class CarriedByRead(BaseModel):
    """Which settings carried the difference."""

    trials: int = Field(description="Whose figures at the same budget were compared.")
    epochs: int = Field(description="Of that budget.")
    fewest: int = Field(description="Below so many trials nothing is told.")
    settings: list[CarriedRead]


class CoursePointRead(BaseModel):
    """A trial that was better than all before it."""

    trial: int
    spent_s: float
    value: float


class OptimismRead(BaseModel):
    """How much the best one looks better than it is."""

    chosen: int
    score: float
    corrected: float
    interval: list[float]
    trials: int


class FoldScoresRead(BaseModel):
    """Of a score over folds."""

    mean: float
    deviation: float
    interval: list[float]


class CopyScoresRead(BaseModel):
    """Of a figure over copies."""

    mean: float
    deviation: float
    low: float
    high: float


class FoundRead(BaseModel):
    """What was read out of a plan's runs when it had ended."""

    best: int | None = None
    optimism: OptimismRead | None = None
    folds: int | None = None
    accuracy: FoldScoresRead | None = None
    macro_f1: FoldScoresRead | None = None
    loss: float | None = None
    confusion: list[list[int]] | None = None
    recalls: list[float | None] | None = None
    validation_accuracy: CopyScoresRead | None = None
    validation_macro_f1: CopyScoresRead | None = None
    validation_loss: CopyScoresRead | None = None
    final: int | None = Field(None, description="Number of the final training that it went on to.")
    final_error: str = ""


class RunPlanSummaryRead(BaseModel):
    """A plan in the list of plans."""

    id: int
    project_id: int
    kind: Literal["trials", "folds", "copies"]
    question: str
    state: Literal["running", "paused", "ended"]
    ended_by: Literal["done", "stopped", "failed"] | None
    ending: str
    mend: str
    created_at: dt.datetime
    ended_at: dt.datetime | None
    runs: int
    ended: int
    failed: int
    total: int
    train_s: float
    best: int | None
    value: float | None = Field(description="What it came to: of a search what remains of its best, else a mean.")
    interval: list[float] | None = Field(description="95 % of that; of copies the lowest and the highest.")


class RunPlanRead(RunPlanSummaryRead):
    """Everything about a plan but the curves of its trials."""

    by: _Figure
    rising: bool = Field(description="More of that figure is better.")
    way: str
    seed: int
    minutes: float
    go_on: bool
    space: list[KnobRead]
    dropping: DroppingBody | None
    folds: FoldsBody | None
    rungs: list[int]
    network: str
    epochs: int
    counts: dict[str, int]
    classes: list[ModelClassRead]
    cost: RunPlanCostRead
    epochs_done: int
    epochs_planned: int
    left_s: float | None
    course: list[CoursePointRead]
    carried: CarriedByRead
    found: FoundRead | None
    answers_run: int | None = Field(description="Of folds: the run that holds each picture's answer by its own fold.")
    trials: list[TrialRead]


class CombinationCreate(Write):
    """Which models are to answer together."""

    model_ids: list[RecordId] = Field(min_length=2, max_length=12)
    fitted: bool = Field(False, description="By weights of our own fitting; without, they count alike.")
    name: str = Field("", max_length=80)


class FoldDifferenceRead(BaseModel):
    """Of two set-ups over the same folds: this one less the other."""

    mean: float
    interval: list[float]
    chance: float = Field(description="How often as large a one comes about where both are equally good.")


class FoldsBesideRead(BaseModel):
    """Two plans of folds beside each other."""

    failure: str = Field("", description="Why they cannot be compared.")
    difference: FoldDifferenceRead | None = None


class FinalCreate(Write):
    """Of which run of a plan the set-up is trained finally."""

    run_id: RecordId | None = Field(None, description="null: the best one.")


class TrainerRead(BaseModel):
    """A place where trainings go on, and what does there."""

    place: int
    threads: int
    job_id: int | None
    run_id: int | None
    project_id: int | None
    project_name: str
    title: str
    stage: str
    done: float
    total: float
    since: dt.datetime | None
    sign_at: dt.datetime | None
    now: dt.datetime
