"""Models, what they said, and what was made of them."""

import datetime as dt
from dataclasses import dataclass
from typing import Any

from vast_orchard.errors import ConflictError

__all__ = [
    "ExportValue",
    "ModelValue",
    "OfferValue",
    "OutcomeValue",
    "ProposalCount",
    "SaidValue",
    "StartingModel",
    "StoredAnswer",
]


@dataclass(frozen=True, kw_only=True)
class ModelValue:
    """What can be judged, tried and exported."""

    id: int
    project_id: int
    kind: str
    run_id: int | None
    run_number: int | None
    snapshot_id: int | None  # of its run
    epoch: int | None
    digest: str | None  # SHA-256 of the weights; None until those of an earlier version were read
    path: str | None  # None of the answers of folds; see `weights_path`
    classes: list[dict[str, Any]]
    preprocessing: dict[str, Any]
    temperature: float | None  # None: there was nothing to fit it on
    unsure_below: list[float | None] | None  # by class; None: nobody has set it
    looks: int  # at the test set
    frozen: bool  # it will not change any more

    @property
    def has_weights(self) -> bool:
        """Whether there is a network to ask."""
        return self.path is not None

    @property
    def weights_path(self) -> str:
        """Where its weights lie; raises as `check_weights`."""
        self.check_weights()
        assert self.path is not None, "there are weights"
        return self.path

    def check_weights(self) -> None:
        """See to it that there is a network to ask.

        Raises
        ------
        ConflictError
            There is none: it is what several folds answered.
        """
        if not self.has_weights:
            raise ConflictError(
                f"Run {self.run_number} is what the folds of a plan answered: no one network stands behind it.",
                "Open the run of a fold, or have the final training of the plan.",
            )


@dataclass(frozen=True, kw_only=True)
class OutcomeValue:
    """What a model said of a picture."""

    picture_id: int
    sha256: str
    name: str
    true_class: int | None  # None: it had no label
    predicted_class: int
    p: float
    loss: float | None
    probabilities: list[float]
    class_now: int | None
    gone: bool  # the picture is no longer in the project


@dataclass(frozen=True, kw_only=True)
class SaidValue:
    """What a run's model said of a picture, and which state of it."""

    run: int  # its number
    digest: str | None  # of a former version's model that was never read
    set_name: str
    true_class: int | None
    predicted_class: int
    p: float
    calibrated: float | None  # the same with the model's temperature
    loss: float | None
    probabilities: list[float]


@dataclass(frozen=True, kw_only=True)
class ExportValue:
    """A form of a model, and its proof once it is there."""

    id: int
    project_id: int
    model_id: int
    epoch: int | None
    digest: str | None
    created_at: dt.datetime
    path: str | None
    size_bytes: int | None
    proof: dict[str, Any] | None
    calibrated: bool
    form: str
    state: str
    error: str | None


@dataclass(frozen=True, kw_only=True)
class OfferValue:
    """A version of a named model, with what is to be known of it."""

    id: int
    project_id: int
    model_id: int
    name: str
    version: int
    digest: str | None  # of the weights that were put on offer
    purpose: str
    limits: str
    note: str
    state: str
    created_at: dt.datetime
    used_at: dt.datetime | None  # when it came into use last
    run_id: int | None
    run_number: int | None
    classes: list[str]
    preprocessing: dict[str, Any]
    validation: dict[str, Any] | None  # accuracy, its interval and count
    looks: int  # at the test set


@dataclass(frozen=True, kw_only=True)
class StoredAnswer:
    """What a model answered for a picture when it was judged."""

    picture_id: int
    sha256: str
    probabilities: list[float]


@dataclass(frozen=True, kw_only=True)
class ProposalCount:
    """Unlabelled pictures that a model proposes one class for."""

    class_id: int
    waiting: int
    certain: int  # of these, at least as probable as was asked


@dataclass(frozen=True, kw_only=True)
class StartingModel:
    """A model that a training can start from."""

    model_id: int
    project_id: int
    project: str
    run_number: int
    run_name: str
    network: str
    accuracy: float | None  # on its validation set
    classes: list[str]
    input_size: int
    colour: str
