"""Runs, their epochs and what they stand on."""

import datetime as dt
from dataclasses import dataclass
from typing import Any

from vast_orchard.store.values.models import ModelValue

__all__ = [
    "BinnedRun",
    "EpochValue",
    "Footing",
    "JudgedPictureValue",
    "LedgerPage",
    "QueuedRun",
    "RunGroupValue",
    "RunHoldings",
    "RunValue",
    "SnapshotPictureValue",
    "WatchedEpoch",
]


@dataclass(frozen=True, kw_only=True)
class EpochValue:
    """Figures of one epoch, by name."""

    number: int
    figures: dict[str, float]
    recalls: list[float | None]  # of each class on validation, in the order of the run's classes
    losses: list[float]  # of its steps, as a line of few points


@dataclass(frozen=True, kw_only=True)
class WatchedEpoch:
    """Everything that is recorded of an epoch."""

    number: int
    figures: dict[str, float]
    watched: dict[str, Any]


@dataclass(frozen=True, kw_only=True)
class RunValue:
    """A run as the Ledger shows it: everything but its epochs and the layers of its judgement."""

    id: int
    project_id: int
    number: int
    name: str
    note: str
    group_id: int | None
    snapshot_id: int
    split_id: int | None
    split_number: int
    recipe: dict[str, Any]  # the values of all ingredients, the network resolved
    classes: list[dict[str, Any]]
    counts: dict[str, int]  # pictures by set
    program: str
    parameters: int
    created_at: dt.datetime
    trial: int | None  # its number in a plan
    varied: dict[str, Any] | None  # what it varies there, with its scores by the rungs that it has reached
    until_epoch: int | None  # after which it rests, or ends before all are done
    repeats: dict[str, Any] | None  # of a final training: what it goes through again
    listed: bool  # stands in the Ledger though it is of a plan
    state: str
    ended_by: str | None
    ending: dict[str, Any] | None  # the numbers of it
    ended_at: dt.datetime | None
    train_s: float | None
    epochs_done: int
    figures: dict[str, float]  # of the kept epoch
    state_path: str | None  # where the last state lies, to go on from
    start_path: str | None  # where the weights lie that it started from
    model: ModelValue | None  # what it has kept
    validation: dict[str, Any] | None  # scores of its model, without those of each class
    previous: int | None  # number of the run before it, of those that stand
    changed: list[dict[str, Any]]  # from that one


@dataclass(frozen=True, kw_only=True)
class RunHoldings:
    """What hangs on a run, and goes with it."""

    weights: list[str]  # files of its model, and its state to go on from
    exports: list[str]  # files of packs
    judged: list[str]  # sets that its model was judged on
    looks: int  # at the test set


@dataclass(frozen=True, kw_only=True)
class BinnedRun:
    """A run in the bin."""

    id: int
    number: int
    name: str
    accuracy: float | None  # on its validation set
    deleted_at: dt.datetime
    holdings: RunHoldings


@dataclass(frozen=True, kw_only=True)
class LedgerPage:
    """Some runs of the Ledger, in the order asked for."""

    runs: list[RunValue]
    total: int
    after: str | None  # names the next page; None: there is none


@dataclass(frozen=True, kw_only=True)
class QueuedRun:
    """A run that trains or waits for its turn."""

    run_id: int
    job_id: int
    number: int
    name: str
    project_id: int
    project_name: str
    training: bool
    held: bool
    pausing: bool  # it trains, and waits again after its epoch
    epochs_done: int
    recipe: dict[str, Any]
    counts: dict[str, int]  # pictures by set
    left_s: float | None  # of what trains


@dataclass(frozen=True, kw_only=True)
class RunGroupValue:
    """The runs of one plan."""

    id: int
    project_id: int
    kind: str
    question: str
    budget: dict[str, Any]
    created_at: dt.datetime
    runs: int
    ended: int  # of these


@dataclass(frozen=True, kw_only=True)
class JudgedPictureValue:
    """A picture that a model is asked about."""

    picture_id: int
    sha256: str
    class_id: int | None  # None: nobody has labelled it
    area_id: int | None  # of its working area; None: all of it counts


@dataclass(frozen=True, kw_only=True)
class SnapshotPictureValue(JudgedPictureValue):
    """A picture as it was when its snapshot was taken."""

    class_id: int
    set_name: str


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
    areas_changed: int  # pictures whose working area is another one now
    fresh_changed: bool  # a picture from elsewhere would get another one than this run gives it
