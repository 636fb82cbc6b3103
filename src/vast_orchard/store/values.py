"""What the store hands out: plain, frozen values."""

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

__all__ = [
    "ActionValue",
    "AppearanceValue",
    "ArrivedPicture",
    "BinnedPicture",
    "ClassValue",
    "CopiesValue",
    "DiskUse",
    "EpochValue",
    "ExportValue",
    "FieldRowValue",
    "Footing",
    "FullPicture",
    "ImportValue",
    "IngredientValue",
    "JobValue",
    "OutcomeValue",
    "ParcelValue",
    "PictureDetail",
    "PictureValue",
    "ProjectFiles",
    "ProjectName",
    "ProjectValue",
    "RunPictureValue",
    "RunValue",
    "SplitValue",
    "UndoResult",
]


@dataclass(frozen=True, kw_only=True)
class ProjectName:
    """Which project is meant."""

    id: int
    name: str


@dataclass(frozen=True, kw_only=True)
class ProjectValue:
    """A project as the list shows it."""

    id: int
    name: str
    created_at: dt.datetime
    deleted_at: dt.datetime | None
    pictures: int
    classes: int
    runs: int


@dataclass(frozen=True, kw_only=True)
class ClassValue:
    """A class in its order."""

    id: int
    name: str
    place: int
    sign: str
    colour: int | None  # one of ten, chosen by a person; None: by its place
    count: int  # pictures with this label today


@dataclass(frozen=True, kw_only=True)
class PictureValue:
    """A picture as the field shows it."""

    id: int
    sha256: str
    name: str
    class_id: int | None
    set_name: str | None  # in the split asked for
    two_labels: bool
    excluded: bool
    unsure: bool
    width: int
    height: int
    note: str


@dataclass(frozen=True, kw_only=True)
class AppearanceValue:
    """One file in which a picture came in."""

    source: str
    path: str
    class_name: str | None
    set_name: str | None
    group_key: str | None
    came_at: dt.datetime


@dataclass(frozen=True, kw_only=True)
class PictureDetail:
    """Everything the Close-up tells."""

    picture: PictureValue
    mode: str
    format: str
    size_bytes: int
    came_at: dt.datetime
    appearances: list[AppearanceValue]
    history: list[str]  # newest first, in words


@dataclass(frozen=True, kw_only=True)
class FullPicture:
    """Everything that goes out with a picture."""

    sha256: str
    name: str
    class_name: str | None
    set_name: str | None
    group_key: str | None
    note: str
    width: int
    height: int
    mode: str
    format: str
    size_bytes: int
    two_labels: bool
    came_at: dt.datetime
    appearances: list[str]


@dataclass(frozen=True, kw_only=True)
class ActionValue:
    """An action as the history shows it."""

    id: int
    kind: str
    summary: str
    done_at: dt.datetime
    window: str  # which window did it
    pictures: int  # how many it changed
    undoes: int | None  # the step that it took back, or did again


@dataclass(frozen=True, kw_only=True)
class UndoResult:
    """What an undo took back, and what it could not."""

    summary: str
    taken_back: int
    kept: int


@dataclass(frozen=True, kw_only=True)
class ArrivedPicture:
    """A picture file that was read and stored."""

    sha256: str
    path: str
    name: str
    class_name: str | None
    set_name: str | None
    width: int
    height: int
    mode: str
    format: str
    size_bytes: int
    thumbnail_bytes: int
    brightness: float  # 0 to 1
    tile: bytes  # 24×24 pixels, as `formats.picture_file.tile` makes it
    group_key: str | None
    note: str


@dataclass(frozen=True, kw_only=True)
class FieldRowValue:
    """A row of the field, counted."""

    key: str | None  # what its pictures have in common: a class id, a set, a day; None: they have none
    count: int
    training: int
    validation: int
    test: int
    excluded: int
    # Of a row of copies only: the classes in it, by id, and whether its pictures have the same pixels.
    classes: Sequence[int] = ()
    exact: bool = False


@dataclass(frozen=True, kw_only=True)
class ImportValue:
    """An import and what it found."""

    id: int
    project_id: int
    source_name: str
    source_kind: str
    location: str
    state: str
    window: str
    created_at: dt.datetime
    survey: dict[str, Any] | None
    choice: dict[str, Any] | None
    report: dict[str, Any] | None
    undone_at: dt.datetime | None


@dataclass(frozen=True, kw_only=True)
class IngredientValue:
    """A version of a variation or a preprocessing."""

    id: int
    kind: str
    name: str
    version: int
    value: dict[str, Any]
    created_at: dt.datetime
    runs: Sequence[int]  # numbers of those that used it


@dataclass(frozen=True, kw_only=True)
class SplitValue:
    """A split with its counts by class and set."""

    id: int
    number: int
    name: str
    version: int  # of the name, from 1
    method: str
    shares: dict[str, Any]
    seed: int
    rule: dict[str, Any]  # what else it was made by
    fit: list[Any]  # what was wanted and met for each class and set, as it was made
    runs: Sequence[int]  # numbers of those that used it
    created_at: dt.datetime
    counts: dict[int, dict[str, int]]  # by present class id, then set; class 0 is unlabelled
    in_no_set: int  # labelled pictures of the project that are in none
    warnings: list[str]


@dataclass(frozen=True, kw_only=True)
class JobValue:
    """Long work as the tray shows it."""

    id: int
    project_id: int | None
    project_name: str
    kind: str
    title: str
    subject_id: int
    state: str
    stage: str
    done: float
    total: float
    left_s: float | None
    error: str | None
    stop_asked: bool
    created_at: dt.datetime
    started_at: dt.datetime | None
    ended_at: dt.datetime | None


@dataclass(frozen=True, kw_only=True)
class EpochValue:
    """Figures of one epoch."""

    number: int
    training_loss: float
    training_accuracy: float
    validation_loss: float
    validation_accuracy: float
    learning_rate: float


@dataclass(frozen=True, kw_only=True)
class RunValue:
    """A run as the Ledger shows it."""

    id: int
    project_id: int
    number: int
    split_id: int | None
    split_number: int
    recipe: dict[str, Any]
    classes: list[dict[str, Any]]
    program: str
    parameters: int
    created_at: dt.datetime
    train_s: float | None
    kept_epoch: int | None
    ended_because: str | None
    judgements: dict[str, Any]
    state: str
    counts: dict[str, int]  # pictures by set
    epochs: list[EpochValue]
    looks: int


@dataclass(frozen=True, kw_only=True)
class RunPictureValue:
    """A picture as it was when its run started."""

    picture_id: int
    sha256: str
    class_id: int
    set_name: str


@dataclass(frozen=True, kw_only=True)
class OutcomeValue:
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
    gone: bool  # the picture is no longer in the project


@dataclass(frozen=True, kw_only=True)
class Footing:
    """What a result stands on, and what has changed since."""

    run_number: int
    split_number: int
    pictures: int
    labels_changed: int
    pictures_added: int
    pictures_gone: int
    classes_renamed: int


@dataclass(frozen=True, kw_only=True)
class ExportValue:
    """A pack, and its proof once it is there."""

    id: int
    project_id: int
    run_id: int
    created_at: dt.datetime
    path: str | None
    size_bytes: int | None
    proof: dict[str, Any] | None
    state: str
    error: str | None


@dataclass(frozen=True, kw_only=True)
class BinnedPicture:
    """A picture in the bin."""

    id: int
    sha256: str
    name: str
    class_id: int | None
    deleted_at: dt.datetime


@dataclass(frozen=True, kw_only=True)
class CopiesValue:
    """What is known of copies in a project."""

    groups: int  # that still have two pictures or more that are not excluded
    differing: int  # of these, under different labels
    pictures: int  # in these
    waiting: int  # pictures whose copies nobody has looked for yet
    repeated: int  # pictures of which the very same file came in more than once
    repeated_differing: int  # of these, under two labels


@dataclass(frozen=True, kw_only=True)
class DiskUse:
    """Bytes that a project takes of the disk."""

    pictures: int
    thumbnails: int
    bin: int
    shared: int  # of pictures and bin, what another project holds too
    runs: int  # weights and training states
    exports: int
    parcels: int
    sources: int  # files that wait for a decision


@dataclass(frozen=True, kw_only=True)
class ProjectFiles:
    """Where a project's files lie, besides its pictures."""

    checkpoints: list[str]
    exports: list[str]
    parcels: list[int]
    uploads: list[str]
    imports: list[int]


@dataclass(frozen=True, kw_only=True)
class ParcelValue:
    """Something taken out, or under way."""

    id: int
    project_id: int
    kind: str
    options: dict[str, Any]
    name: str
    created_at: dt.datetime
    size_bytes: int | None
    pictures: int | None
    state: str
    error: str | None
