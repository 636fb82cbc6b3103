"""What goes over the wire of what trainings start from."""

from typing import Any

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Read, Write
from vast_orchard.api.schemas.recipes import PreprocessingRead, RecipeCreate

__all__ = [
    "StartFactsRead",
    "StartFailureRead",
    "StartLayerRead",
    "StartPhaseRead",
    "StartPlanCreate",
    "StartPlanRead",
    "StarterRead",
    "StartingModelRead",
    "StatisticsRead",
]


class StarterRead(BaseModel):
    """A shipped starter."""

    name: str
    network: str
    parameters: int
    input_size: int
    taught: dict[str, Any] = Field(description="How it was taught.")
    helps: dict[str, float] = Field(
        description="Made-up sets of few pictures on which it was measured, with its error over that from nothing."
    )


class StartingModelRead(Read):
    """A model that a training can start from."""

    model_id: int
    project_id: int
    project: str
    run_number: int
    run_name: str
    network: str
    accuracy: float | None
    classes: list[str]
    input_size: int
    colour: str


class StatisticsRead(BaseModel):
    """Of each channel, from 0 to 255."""

    mean: list[float]
    deviation: list[float]


class StartFactsRead(BaseModel):
    """A model to start from."""

    words: str
    digest: str
    network: dict[str, Any] = Field(description="Open for other pictures and classes.")
    classes: list[str]
    preprocessing: PreprocessingRead
    statistics: StatisticsRead
    parameters: int
    rate_factor: float = Field(description="That is proposed for what is taken over.")


class StartPlanCreate(Write):
    """A training that is to start from something."""

    recipe: RecipeCreate
    training: int = Field(0, ge=0, le=10**9, description="Pictures to train on.")
    validation: int = Field(0, ge=0, le=10**9)


class StartLayerRead(BaseModel):
    """A layer of the network to be."""

    id: str
    kind: str
    shape: list[int]
    parameters: int
    taken: bool
    why: str = Field(description="Of a layer with numbers that are not taken over.")


class StartPhaseRead(BaseModel):
    """Epochs in which the same layers learn."""

    first: int
    epochs: int
    layers: list[str] = Field(description="Ids of those that learn.")
    parameters: int
    frozen_to: str = Field(description="Up to this layer nothing is gone through backwards.")
    seconds: float | None = Field(description="Expected on this machine, where its pace is known.")


class StartFailureRead(BaseModel):
    """Why it cannot begin like this."""

    what: str
    mend: str


class StartPlanRead(StartFactsRead):
    """What a training would make of a model."""

    layers: list[StartLayerRead]
    unused: list[str] = Field(description="Layers that only the model has.")
    statistics_kept: bool
    phases: list[StartPhaseRead]
    doubts: list[str]
    failure: StartFailureRead | None
