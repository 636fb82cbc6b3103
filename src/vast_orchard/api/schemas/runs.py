"""What goes over the wire of runs and groups of runs."""

import datetime as dt
from typing import Any, Literal

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Read, RecordId, Write
from vast_orchard.api.schemas.models import ModelClassRead, ModelRead, ScoresRead
from vast_orchard.api.schemas.recipes import RecipeCreate, RecipeRead

__all__ = [
    "BinnedRunRead",
    "ChangeRead",
    "EndingRead",
    "EpochRead",
    "FootingRead",
    "LedgerRead",
    "MemberRead",
    "RepeatsRead",
    "RunCreate",
    "RunGroupCreate",
    "RunGroupRead",
    "RunHoldingsRead",
    "RunRead",
    "RunUpdate",
    "TogetherRead",
]


class RunCreate(Write):
    """What to train; what is left out takes the newest split and the defaults."""

    split_id: RecordId | None = None
    group_id: RecordId | None = None
    name: str = Field("", max_length=80, description="What it is called besides its number.")
    note: str = Field("", max_length=5000)
    recipe: RecipeCreate | None = None


class RunUpdate(Write):
    """Another name or note; what is left out stays."""

    name: str | None = Field(None, max_length=80)
    note: str | None = Field(None, max_length=5000)


class EpochRead(Read):
    """One epoch's figures, by name."""

    number: int
    figures: dict[str, float]
    recalls: list[float | None] = Field(
        description="Of each class on validation, in the order of the run's classes; null of one with no picture there."
    )
    losses: list[float] = Field(description="Of its steps, in their order: of the first one, then means of some each.")


class MemberRead(BaseModel):
    """One of several models that answer together."""

    number: int = Field(description="Of its run.")
    name: str
    weight: float
    accuracy: float
    loss: float
    parameters: int
    picture_ms: float = Field(description="Of an answer, on this machine.")


class TogetherRead(BaseModel):
    """What models gain by answering together, on pictures that neither they nor their weights learnt from."""

    members: list[MemberRead]
    fitted: bool = Field(description="Their weights were fitted; without, they count alike.")
    pictures: int
    accuracy: float
    loss: float
    best: int = Field(description="Place of the member that is best alone.")
    gain: float = Field(description="In accuracy, over that one.")
    interval: list[float] = Field(description="95 % of the gain.")
    chance: float = Field(description="How often chance alone gives as large a difference.")
    loss_gain: float
    doubt: float = Field(description="Of ten wrong answers, how many are among the half that they agree least on.")
    picture_ms: float


class EndingRead(BaseModel):
    """The numbers of a run's ending."""

    done: int = Field(description="Epochs that were done.")
    epochs: int = Field(description="Epochs that were asked for.")
    what: str = Field("", description="Of a failure or a condition: what happened, with the numbers.")
    mend: str = Field("", description="Of a failure or a lookout: what to do.")
    by: Literal["", "standstill", "reached", "time", "lookout", "dropped"] = Field(
        "", description="Of a condition: which kind."
    )
    epoch: int = Field(0, description="Of a condition: the epoch after which it was met.")
    lookout: str = Field("", description="Which one ended it.")
    file: str = Field("", description="Of a model that was brought in: what its file is called.")
    producer: str = Field("", description="Of such a file: which program wrote it, as it says.")
    together: TogetherRead | None = Field(None, description="Of models that answer together.")
    folds: int = Field(0, description="Of the answers of folds: how many there were.")
    difference: float = Field(0.0, description="Of such a model: the most that a probability differs from its graph's.")


class ChangeRead(BaseModel):
    """What a run changed from the one before: a path such as settings.epochs, or split, pictures, layers."""

    what: str
    before: Any
    after: Any


class RepeatsRead(BaseModel):
    """What a final training goes through again: the steps of the run that it was chosen by, to the same step."""

    run: int = Field(description="Its number.")
    run_name: str
    pictures: int = Field(description="That it learnt from.")
    steps: int = Field(description="Up to the state that it kept.")
    until: int = Field(description="The epoch of that.")


class RunRead(Read):
    """A run of the Ledger; test outcomes are shown only through a look at its model."""

    id: int
    project_id: int
    number: int
    name: str
    note: str
    group_id: int | None
    snapshot_id: int
    split_id: int | None
    split_number: int
    recipe: RecipeRead
    classes: list[ModelClassRead]
    counts: dict[str, int]
    program: str
    parameters: int
    created_at: dt.datetime
    trial: int | None = Field(description="Its number in a plan.")
    until_epoch: int | None = Field(description="After which it rests, or ends before all are done.")
    repeats: RepeatsRead | None = Field(description="Of a final training: what it goes through again.")
    listed: bool = Field(description="It stands in the plain Ledger though it is of a plan.")
    state: Literal["waiting", "training", "resting", "ended"]
    ended_by: Literal["epochs", "stopped", "condition", "failed", "brought", "combined", "pooled"] | None
    ending: EndingRead | None
    ended_at: dt.datetime | None
    train_s: float | None
    epochs_done: int
    figures: dict[str, float] = Field(description="Of the kept epoch.")
    model: ModelRead | None
    validation: ScoresRead | None = Field(description="On its validation set, once it is judged.")
    previous: int | None = Field(description="Number of the run before it.")
    changed: list[ChangeRead] = Field(description="What it changed from that one.")


class RunHoldingsRead(BaseModel):
    """What hangs on a run and goes to the bin with it."""

    weights_bytes: int = Field(description="Of its model's weights and of the state to go on from.")
    packs: int
    packs_bytes: int
    judged: list[str] = Field(description="Sets that its model was judged on.")
    looks: int = Field(description="At the test set; they stay counted.")


class BinnedRunRead(BaseModel):
    """A run in the bin."""

    id: int
    number: int
    name: str
    accuracy: float | None = Field(description="On its validation set.")
    deleted_at: dt.datetime
    holdings: RunHoldingsRead


class LedgerRead(Read):
    """A page of the Ledger."""

    runs: list[RunRead]
    total: int
    after: str | None = Field(description="Names the next page; null: there is none.")


class RunGroupCreate(Write):
    """What a plan of several runs varies, and what it may cost."""

    kind: Literal["trials", "folds", "copies"]
    question: str = Field(min_length=1, max_length=200)
    budget: dict[str, float] = Field(default_factory=dict, max_length=20)


class RunGroupRead(Read):
    """A group of runs, and how far it is."""

    id: int
    project_id: int
    kind: str
    question: str
    budget: dict[str, float]
    created_at: dt.datetime
    runs: int
    ended: int


class FootingRead(Read):
    """What a run stands on, and what has changed since."""

    run_number: int
    split_number: int
    pictures: int
    labels_changed: int
    pictures_added: int
    pictures_gone: int
    classes_renamed: int
    areas_changed: int = Field(description="Pictures whose working area is another one now.")
    fresh_changed: bool = Field(description="A picture from elsewhere would get another working area now.")
