"""What goes over the wire of how trainings are watched."""

from typing import Any, Literal

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Write

__all__ = [
    "LayersRead",
    "LookoutKindRead",
    "LookoutRead",
    "LookoutTrialRead",
    "OwnLookoutBody",
    "OwnLookoutRead",
    "RunLookoutsRead",
    "WatchBody",
    "WatchRead",
    "WatchedLayersRead",
]


class OwnLookoutBody(Write):
    """A lookout of one's own: a figure on one side of a value for so many epochs in a row."""

    name: str = Field(max_length=200)
    figure: str = Field(max_length=40, description="Of an epoch, such as validation_loss, or of layers, such as zeros.")
    layer: str = Field("", max_length=80, description="Id; left out with a figure of layers: any.")
    sign: str = Field("above", description="above or below")
    value: float
    epochs: int = 1
    act: str = Field("say", description="say, word or end")


class OwnLookoutRead(BaseModel):
    """A lookout of one's own, as a run holds it."""

    name: str
    figure: str
    layer: str
    sign: Literal["above", "below"]
    value: float
    epochs: int
    act: Literal["say", "word", "end"]


class WatchBody(Write):
    """What of the layers is recorded, and what lookouts do; see `core.watching.watch`."""

    every: int = Field(20, description="Steps from one that is measured to the next; 0: none is.")
    layers: list[str] = Field(default_factory=list, max_length=2000, description="Ids; none: all.")
    figures: list[str] = Field(
        default_factory=list, max_length=10, description="Of weights, gradients, updates, values; none: all."
    )
    acts: dict[str, str] = Field(
        default_factory=dict, max_length=50, description="By lookout: word or end, of those that do not only say it."
    )
    own: list[OwnLookoutBody] = Field(default_factory=list, max_length=100)


class WatchRead(BaseModel):
    """How a run was watched."""

    every: int
    layers: list[str]
    figures: list[str]
    acts: dict[str, Literal["say", "word", "end"]]
    own: list[OwnLookoutRead]


class LookoutKindRead(BaseModel):
    """A lookout that there is."""

    id: str
    question: Literal["moves", "parts", "right"]
    words: str
    measures: str


class LookoutRead(BaseModel):
    """What a lookout says of a run."""

    id: str
    question: Literal["moves", "parts", "right", "own"]
    words: str
    measures: str = Field(description="What its figure is.")
    act: Literal["say", "word", "end"]
    standing: Literal["early", "quiet", "found"]
    value: float | None = Field(description="The figure that it looks at.")
    bound: float | None = Field(description="Beyond which it finds something.")
    since: int | None = Field(description="Epoch.")
    where: str = Field(description="Layer or class.")
    why: str
    mend: str
    change: dict[str, Any] = Field(description="Settings that would mend it.")
    leads_to: str = Field(description="Where else to go: copies, divide, network, rows or variation.")


class RunLookoutsRead(BaseModel):
    """What all lookouts of a run say."""

    turned: int | None = Field(description="Epoch in which the loss on validation turned.")
    lookouts: list[LookoutRead]


class WatchedLayersRead(BaseModel):
    """Figures of layers over an epoch, in the order of the layers; null of one that was not measured."""

    number: int
    layers: list[dict[str, Any] | None]


class LayersRead(BaseModel):
    """What the layers of a run did, in at most 200 epochs at equal distances."""

    layers: list[str]
    bands: list[float] = Field(description="Quantiles that `bands` and `weight_bands` of a layer are.")
    epochs: list[WatchedLayersRead]


class LookoutTrialRead(BaseModel):
    """An earlier run under a lookout of one's own."""

    number: int
    epochs: int
    epoch: int | None = Field(description="After which it would have found something.")
    why: str
