"""What goes over the wire of networks."""

from typing import Any

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Write

__all__ = [
    "LayerRead",
    "MeasuredOnRead",
    "NetworkCheckCreate",
    "NetworkCheckRead",
    "NetworkLesson",
    "NetworkLineRead",
    "NetworkPartRead",
    "NetworkRead",
    "NetworkRemarkRead",
    "NetworkRepairRead",
    "NetworksQuery",
    "OpenedBlockRead",
    "PartSettingRead",
    "RunNetworkRead",
]


class LayerRead(BaseModel):
    """One layer of a network."""

    place: int
    id: str
    kind: str
    sources: list[int] = Field(description="Places of the layers that feed it; 0 is the picture.")
    shape: list[int]
    parameters: int
    multiply_adds: int
    receptive_field: int


class RunNetworkRead(BaseModel):
    """A network for an input size and a number of classes."""

    name: str
    parameters: int
    multiply_adds: int
    layers: list[LayerRead]


class _Consequences(BaseModel):
    """What a network comes to; sums are 0 and times None while something is wrong."""

    parameters: int
    multiply_adds: int
    receptive_field: int
    memory_bytes: int = Field(description="Of a training step.")
    memory_free_bytes: int = Field(description="On this machine now.")
    batch_that_fits: int = Field(description="The largest batch for which that is enough; 0: none.")
    threads: int = Field(description="Of a training on this machine.")
    watched: list[str] = Field(description="Ids of the layers that a training can be watched by.")
    file_bytes: int = Field(description="Of an export, about.")
    epoch_s: float | None = Field(
        description="Expected on this machine, with the validation; None without pictures, or where no pace is known."
    )
    answer_s: float | None = Field(description="Expected on this machine for one picture.")


class MeasuredOnRead(BaseModel):
    """How errors were measured."""

    training: int = Field(description="Pictures that each network learnt from.")
    judged: int = Field(description="Others that it was judged on.")
    epochs: int
    seeds: int = Field(description="That the errors are pooled over.")


class NetworkRead(_Consequences):
    """A ready network."""

    name: str
    layers: list[LayerRead]
    default: bool
    written: list[dict[str, Any]] = Field(description="Its layers and blocks as they are written.")
    errors: dict[str, float] = Field(description="Share of wrong answers on made-up sets, measured beforehand.")
    started: dict[str, float] = Field(description="The same from its starter; empty where it has none.")
    measured: MeasuredOnRead


class PartSettingRead(BaseModel):
    """A setting of a layer or block."""

    name: str
    type: str = Field(description="int, float, str or bool")
    default: Any = Field(description="None where one has to be given.")
    choices: list[str]


class NetworkPartRead(BaseModel):
    """A kind of layer or block."""

    kind: str
    does: str
    settings: list[PartSettingRead]


class NetworkLesson(Write):
    """What a network is to learn from, and how."""

    size: int = Field(48, ge=8, le=512, description="Side of what it sees, in pixels.")
    channels: int = Field(3, ge=1, le=3)
    batch_size: int = Field(16, ge=1, le=4096)
    pictures: int = Field(0, ge=0, le=10**9, description="That it is to learn from.")
    validation: int = Field(0, ge=0, le=10**9, description="Pictures that it is judged on after each epoch.")
    operations: int = Field(0, ge=0, le=100, description="Of the variation.")


class NetworksQuery(NetworkLesson):
    """The same for a list of networks."""

    also: str = Field("", max_length=120, description="Another one by its name, such as a wider one.")


class NetworkCheckCreate(NetworkLesson):
    """A list of layers and blocks, and what it is for."""

    layers: list[dict[str, Any]] = Field(max_length=1000)


class NetworkLineRead(BaseModel):
    """What one line comes to."""

    line: list[int] = Field(description="Its place, and within a repeated stretch its place there, from 0.")
    kind: str
    shape: list[int]
    parameters: int
    multiply_adds: int
    receptive_field: int
    layers: list[LayerRead]


class OpenedBlockRead(BaseModel):
    """A block as the layers that it consists of."""

    line: list[int]
    layers: list[dict[str, Any]]


class NetworkRepairRead(BaseModel):
    """What can be done at a press."""

    words: str
    layers: list[dict[str, Any]] = Field(description="The list as it is then.")


class NetworkRemarkRead(BaseModel):
    """Something wrong or doubtful."""

    line: list[int] | None = Field(description="None: it is about all of it.")
    what: str
    why: str
    repair: NetworkRepairRead | None


class NetworkCheckRead(_Consequences):
    """What a list of layers and blocks comes to, line by line."""

    written: list[dict[str, Any]] = Field(description="The list with every setting and id.")
    lines: list[NetworkLineRead]
    opened: list[OpenedBlockRead] = Field(description="Blocks that stand for themselves, not in a repeated stretch.")
    wrong: NetworkRemarkRead | None
    doubts: list[NetworkRemarkRead]
