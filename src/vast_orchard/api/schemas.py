"""What goes over the wire; values of the store are read into these by attribute."""

import datetime as dt
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

__all__ = [
    "ActionRead",
    "AnswerRead",
    "AppearanceRead",
    "ClassRead",
    "ClassScoresRead",
    "ClassWrite",
    "EpochRead",
    "ExportRead",
    "FootingRead",
    "ImportRead",
    "JobRead",
    "JudgementRead",
    "LabelsCreate",
    "LayerRead",
    "LookCreate",
    "LookRead",
    "NetworkRead",
    "OutcomeRead",
    "PictureDetailRead",
    "PicturePage",
    "PictureRead",
    "PreprocessingBody",
    "ProjectRead",
    "ProjectWrite",
    "RecipeBody",
    "RunClassRead",
    "RunCreate",
    "RunRead",
    "SetName",
    "SharesBody",
    "SplitCreate",
    "SplitRead",
    "TrainingBody",
    "UndoRead",
    "UploadImport",
    "UploadRead",
    "VariationBody",
]


class _Read(BaseModel):
    model_config = ConfigDict(from_attributes=True)


class _Write(BaseModel):
    model_config = ConfigDict(extra="forbid")


SetName = Literal["training", "validation", "test"]


class ProjectWrite(_Write):
    """A new name."""

    name: str


class ProjectRead(_Read):
    """A project of the list."""

    id: int
    name: str
    created_at: dt.datetime
    deleted_at: dt.datetime | None
    pictures: int
    classes: int
    runs: int


class ClassWrite(_Write):
    """A class's name."""

    name: str


class ClassRead(_Read):
    """A class in its order."""

    id: int
    name: str
    place: int
    sign: str
    count: int


class PictureRead(_Read):
    """A picture of the field."""

    id: int
    sha256: str
    name: str
    class_id: int | None
    set_name: SetName | None
    two_labels: bool
    width: int
    height: int


class PicturePage(BaseModel):
    """Some pictures; ask again with `after=next` until it is null."""

    pictures: list[PictureRead]
    next: int | None


class AppearanceRead(_Read):
    """One file in which a picture came in."""

    source: str
    path: str
    class_name: str | None
    set_name: SetName | None
    came_at: dt.datetime


class PictureDetailRead(_Read):
    """Everything the Close-up tells."""

    picture: PictureRead
    mode: str
    format: str
    size_bytes: int
    came_at: dt.datetime
    appearances: list[AppearanceRead]
    history: list[str]


class LabelsCreate(_Write):
    """Pictures and their new label; null takes the label away."""

    picture_ids: list[int] = Field(min_length=1, max_length=200_000)
    class_id: int | None


class ActionRead(_Read):
    """A step of the history."""

    id: int
    kind: str
    summary: str
    done_at: dt.datetime


class UndoRead(_Read):
    """What was taken back, and how many pictures could not be."""

    summary: str
    taken_back: int
    kept: int


class UploadRead(BaseModel):
    """A place for files on their way in."""

    id: str


class UploadImport(_Write):
    """Ends an upload: bring its files in."""

    source_name: str = Field(min_length=1, max_length=300)


class ImportRead(_Read):
    """An import and, once it ended, what it found."""

    id: int
    source_name: str
    created_at: dt.datetime
    report: dict[str, Any] | None


class SharesBody(_Write):
    """Parts of the whole, 0 to 1."""

    training: float = Field(0.7, ge=0, le=1)
    validation: float = Field(0.15, ge=0, le=1)
    test: float = Field(0.15, ge=0, le=1)


class SplitCreate(_Write):
    """How to divide."""

    method: Literal["random", "folders"] = "random"
    shares: SharesBody = Field(default_factory=lambda: SharesBody(training=0.7, validation=0.15, test=0.15))
    seed: int = Field(1, ge=0, le=2**32 - 1)


class SplitRead(_Read):
    """A split with its counts by class id (0 is unlabelled) and set."""

    id: int
    number: int
    method: str
    shares: dict[str, float]
    seed: int
    created_at: dt.datetime
    counts: dict[int, dict[str, int]]
    in_no_set: int
    warnings: list[str]


class PreprocessingBody(_Write):
    """See `core.pictures.preprocessing`."""

    size: int
    colour: Literal["rgb", "grey"]
    ground: list[int] = Field(default_factory=lambda: [0, 0, 0], min_length=3, max_length=3)


class VariationBody(_Write):
    """See `core.pictures.variation`."""

    mirror: bool
    turn_degrees: float
    brightness: float


class TrainingBody(_Write):
    """See `core.training.values`."""

    epochs: int
    batch_size: int
    learning_rate: float
    seed: int
    optimizer: Literal["adam", "momentum"] = "adam"


class RecipeBody(_Write):
    """Everything about a training but its pictures."""

    network: str
    preprocessing: PreprocessingBody
    variation: VariationBody
    settings: TrainingBody


class RunCreate(_Write):
    """What to train; what is left out takes the newest split and the defaults."""

    split_id: int | None = None
    recipe: RecipeBody | None = None


class EpochRead(_Read):
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


class RunRead(_Read):
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


class FootingRead(_Read):
    """What a run stands on, and what has changed since."""

    run_number: int
    split_number: int
    pictures: int
    labels_changed: int
    pictures_added: int
    pictures_gone: int
    classes_renamed: int


class LookCreate(_Write):
    """From which place the test set is looked at."""

    place: str = Field(min_length=1, max_length=40)


class LookRead(BaseModel):
    """A counted look; `job_id` is the judging that it had to start, if any."""

    id: int
    looks: int
    job_id: int | None


class OutcomeRead(_Read):
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


class JobRead(_Read):
    """Long work as the tray shows it."""

    id: int
    project_id: int
    project_name: str
    kind: Literal["import", "train", "judge", "export"]
    title: str
    subject_id: int
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    stage: str
    done: float
    total: float
    left_s: float | None
    error: str | None
    stop_asked: bool
    created_at: dt.datetime
    started_at: dt.datetime | None
    ended_at: dt.datetime | None


class LayerRead(BaseModel):
    """One layer of a network."""

    place: int
    kind: str
    shape: list[int]
    parameters: int


class NetworkRead(BaseModel):
    """A ready network for an input size and a number of classes."""

    name: str
    default: bool
    parameters: int
    layers: list[LayerRead]


class AnswerRead(BaseModel):
    """What a model says of a file: probabilities in the order of the run's classes, or what is wrong with the file."""

    name: str
    error: str | None
    probabilities: list[float]


class ExportRead(_Read):
    """A pack, and its proof once it is there."""

    id: int
    run_id: int
    created_at: dt.datetime
    size_bytes: int | None
    proof: dict[str, Any] | None
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    error: str | None
