"""What goes over the wire of runs, judgements and exports."""

import datetime as dt
from typing import Any, Literal

from pydantic import BaseModel, Field

from vast_orchard.api.schemas import Read, Write

__all__ = [
    "AnswerRead",
    "ClassScoresRead",
    "EpochRead",
    "ExportRead",
    "FootingRead",
    "JudgementRead",
    "LayerRead",
    "LookCreate",
    "LookRead",
    "NetworkRead",
    "OperationBody",
    "OutcomeRead",
    "PreprocessingBody",
    "RecipeBody",
    "RunClassRead",
    "RunCreate",
    "RunRead",
    "TrainingBody",
    "VariationBody",
]


class PreprocessingBody(Write):
    """See `core.pictures.preprocessing`."""

    size: int
    fit: Literal["distort", "border", "middle"] = "distort"
    colour: Literal["rgb", "grey"]
    ground: list[int] = Field(default_factory=lambda: [0, 0, 0], min_length=3, max_length=3)
    border: list[int] = Field(default_factory=lambda: [0, 0, 0], min_length=3, max_length=3)
    scale: Literal["deviation", "unit", "signed"] = "deviation"
    views: Literal["one", "mirrored", "turned"] = "one"


class OperationBody(Write):
    """One operation with how often and how far."""

    kind: str
    probability: float
    low: float = 0.0
    high: float = 0.0


class VariationBody(Write):
    """See `core.pictures.variation`."""

    operations: list[OperationBody] = Field(max_length=40)
    strength: float = 1.0
    drawn: int = 0


class TrainingBody(Write):
    """See `core.training.values`."""

    epochs: int
    batch_size: int
    learning_rate: float
    seed: int
    optimizer: Literal["adam", "adamw", "rmsprop", "sgd"] = "adam"
    momentum: float = 0.9
    nesterov: bool = False
    weight_decay: float = 0.01
    schedule: Literal["cosine", "constant", "one-cycle", "step"] = "cosine"
    warm_up: float = 0.05
    step_epochs: int = 10
    step_factor: float = 0.1
    clip_norm: float = 0.0
    label_smoothing: float = 0.0
    class_weights: Literal["none", "balanced"] = "none"
    class_draws: Literal["none", "balanced"] = "none"


class RecipeBody(Write):
    """Everything about a training but its pictures."""

    network: str
    preprocessing: PreprocessingBody
    variation: VariationBody
    settings: TrainingBody


class RunCreate(Write):
    """What to train; what is left out takes the newest split and the defaults."""

    split_id: int | None = None
    variation_id: int | None = Field(None, ge=1, le=2**31 - 1, description="Kept by name; instead of the recipe's.")
    preprocessing_id: int | None = Field(None, ge=1, le=2**31 - 1, description="The same.")
    recipe: RecipeBody | None = None


class EpochRead(Read):
    """One epoch's figures."""

    number: int
    training_loss: float
    training_accuracy: float
    validation_loss: float
    validation_accuracy: float
    learning_rate: float


class RunClassRead(BaseModel):
    """A class as it was when the run started."""

    id: int
    name: str
    sign: str


class ClassScoresRead(BaseModel):
    """Scores of one class; null where there is nothing to divide by."""

    precision: float | None
    recall: float | None
    f1: float | None
    count: int
    predicted: int
    right: int


class JudgementRead(BaseModel):
    """Scores on one set, with their counts."""

    count: int
    right: int
    accuracy: float
    accuracy_interval: list[float] = Field(min_length=2, max_length=2)
    loss: float
    largest_class_share: float
    macro_precision: float
    macro_recall: float
    macro_f1: float
    classes: list[ClassScoresRead]
    confusion: list[list[int]]


class RunRead(Read):
    """A run of the Ledger; test outcomes are shown only through a look."""

    id: int
    project_id: int
    number: int
    split_id: int | None
    split_number: int
    recipe: RecipeBody
    classes: list[RunClassRead]
    program: str
    parameters: int
    created_at: dt.datetime
    train_s: float | None
    kept_epoch: int | None
    ended_because: str | None
    judgements: dict[str, JudgementRead]
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    counts: dict[str, int]
    epochs: list[EpochRead]
    looks: int


class FootingRead(Read):
    """What a run stands on, and what has changed since."""

    run_number: int
    split_number: int
    pictures: int
    labels_changed: int
    pictures_added: int
    pictures_gone: int
    classes_renamed: int


class LookCreate(Write):
    """From which place the test set is looked at."""

    place: str = Field(min_length=1, max_length=40)


class LookRead(BaseModel):
    """A counted look; `job_id` is the judging that it had to start, if any."""

    id: int
    looks: int
    job_id: int | None


class OutcomeRead(Read):
    """What a run said of a picture."""

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


class LayerRead(BaseModel):
    """One layer of a network."""

    place: int
    kind: str
    shape: list[int]
    parameters: int
    multiply_adds: int
    receptive_field: int


class NetworkRead(BaseModel):
    """A ready network for an input size and a number of classes."""

    name: str
    default: bool
    parameters: int
    multiply_adds: int
    layers: list[LayerRead]


class AnswerRead(BaseModel):
    """What a model says of a file: probabilities in the order of the run's classes, or what is wrong with the file."""

    name: str
    error: str | None
    probabilities: list[float]


class ExportRead(Read):
    """A pack, and its proof once it is there."""

    id: int
    run_id: int
    created_at: dt.datetime
    size_bytes: int | None
    proof: dict[str, Any] | None
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    error: str | None
