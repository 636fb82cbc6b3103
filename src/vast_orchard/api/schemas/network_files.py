"""What goes over the wire of network files that come in."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Read, Write
from vast_orchard.api.schemas.recipes import PreprocessingRead

__all__ = ["NetworkFileAnswers", "NetworkFileCreate", "NetworkFileRead", "RefusedNodeRead"]

_Share = Annotated[float, Field(ge=-10, le=10)]


class NetworkFileAnswers(Write):
    """What a person says of a network file that does not say it itself."""

    size: int = Field(0, ge=0, le=512, description="Side of its pictures, in pixels; 0: as the file says.")
    scale: Literal["plain", "unit", "signed", "deviation"] = Field(
        "unit", description="Values of 0 to 255 as they are, as 0 to 1, as −1 to 1, or less a mean by a deviation."
    )
    mean: list[_Share] = Field([0.485, 0.456, 0.406], min_length=1, max_length=3, description="Of values from 0 to 1.")
    deviation: list[_Share] = Field([0.229, 0.224, 0.225], min_length=1, max_length=3)
    blue_first: bool = Field(False, description="Its channels are blue, green and red.")
    fit: Literal["distort", "border", "middle"] = "distort"
    classes: list[Annotated[str, Field(min_length=1, max_length=100)]] = Field(
        [], max_length=1000, description="Names in the order of its outputs; empty: as the file says."
    )


class NetworkFileCreate(Write):
    """A network file that was sent."""

    upload: str = Field(max_length=40)
    answers: NetworkFileAnswers = Field(default_factory=lambda: NetworkFileAnswers.model_validate({}))


class RefusedNodeRead(BaseModel):
    """A node of a graph that cannot be taken."""

    operator: str
    node: str
    why: str


class NetworkFileRead(Read):
    """A network file, as far as it could be read."""

    name: str
    producer: str = Field(description="Which program wrote it, as it says.")
    opset: int
    refused: list[RefusedNodeRead] = Field(description="All that cannot be taken; empty: nothing.")
    asks: list[Literal["size", "preprocessing", "classes"]] = Field(description="What the file does not say.")
    size: int = Field(description="Side of its pictures in pixels; 0: not known.")
    channels: int
    outputs: int = Field(description="Classes; 0: not known.")
    names: list[str] = Field(description="Of its classes, as the file or the person says.")
    softmax: bool = Field(description="It gives probabilities; else numbers that a softmax is put behind.")
    layers: list[dict[str, Any]]
    parameters: int
    difference: float | None = Field(description="The most that a probability differs from its own graph's.")
    compared: int = Field(description="Pictures on which that was found.")
    tolerance: float
    seen: list[str] = Field(description="Some pictures as the network sees them: PNG, base 64.")
    preprocessing: PreprocessingRead | None
