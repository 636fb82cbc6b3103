"""What goes over the wire of a recipe. What is written is checked by the core; what is read was stored by some version,
and is never refused."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, Field, create_model, model_validator

from vast_orchard.api.schemas.base import Read, RecordId, Write
from vast_orchard.api.schemas.watching import WatchBody, WatchRead
from vast_orchard.at_once.catalogue import RATE_FACTOR, training_settings
from vast_orchard.at_once.watching import whole_watch
from vast_orchard.upgrades.network import ready_name

__all__ = [
    "AreaBody",
    "AreaRead",
    "EndedRunRead",
    "EndingTrialCreate",
    "EndingTrialRead",
    "OperationBody",
    "OperationUseRead",
    "PreprocessingBody",
    "PreprocessingRead",
    "RateLineCreate",
    "RecipeCreate",
    "RecipeRead",
    "SettingChoiceRead",
    "SettingFollowsRead",
    "SettingRead",
    "SettingWhenRead",
    "StartCreate",
    "StartRead",
    "TrainingSettingsCreate",
    "TrainingSettingsRead",
    "VariationBody",
    "VariationRead",
]


class AreaBody(Write):
    """Which part of a turned picture counts, in fractions of its sides; see `core.pictures.area`."""

    keep: list[float] | None = Field(None, min_length=4, max_length=4, description="left, top, right, bottom")
    margin: float | None = Field(None, description="Around what stands out, of its sides; null: not looked for.")
    covered: list[list[Annotated[list[float], Field(min_length=2, max_length=2)]]] = Field(
        default_factory=list, max_length=50, description="Polygons of [x, y] that are painted over."
    )
    fill: list[int] | None = Field(None, min_length=3, max_length=3, description="Their colour; null: the mean.")


class AreaRead(BaseModel):
    """A working area as it is stored."""

    keep: list[float] | None
    margin: float | None
    covered: list[list[list[float]]]
    fill: list[int] | None


class PreprocessingBody(Write):
    """See `core.pictures.preprocessing`."""

    size: int
    fit: str = Field("distort", description="distort, border or middle")
    colour: str = Field(description="rgb or grey")
    ground: list[int] = Field(default_factory=lambda: [0, 0, 0], min_length=3, max_length=3)
    border: list[int] = Field(default_factory=lambda: [0, 0, 0], min_length=3, max_length=3)
    scale: str = Field("deviation", description="deviation, unit or signed")
    views: str = Field("one", description="one, mirrored or turned")
    area: AreaBody | None = Field(None, description="Of no effect in a project, whose rules say it.")


class OperationBody(Write):
    """One operation with how often and how far; what is left out is as usual for its kind."""

    kind: str
    probability: float | None = None
    low: float | None = None
    high: float | None = None


class VariationBody(Write):
    """See `core.pictures.variation`."""

    operations: list[OperationBody] = Field(max_length=40)
    strength: float = 1.0
    drawn: int = 0
    drawn_chance: float = 1.0
    drawn_spread: float = 0.0


class PreprocessingRead(BaseModel):
    """A preprocessing as a run holds it."""

    size: int
    fit: str
    colour: str
    ground: list[int]
    border: list[int]
    scale: str
    views: str
    area: AreaRead | None = Field(None, description="What a picture from elsewhere gets; null: it counts whole.")


class OperationUseRead(BaseModel):
    """An operation as a run holds it."""

    kind: str
    probability: float
    low: float
    high: float


class VariationRead(BaseModel):
    """A variation as a run holds it."""

    operations: list[OperationUseRead]
    strength: float
    drawn: int
    drawn_chance: float
    drawn_spread: float


class SettingChoiceRead(BaseModel):
    """A value that a setting can take."""

    value: str
    words: str
    does: str


class SettingWhenRead(BaseModel):
    """A setting has a say only while another has one of these values."""

    name: str
    values: list[str]


class SettingFollowsRead(BaseModel):
    """The default of a setting, by the value of another."""

    name: str
    defaults: dict[str, float]


class SettingRead(BaseModel):
    """A setting of training: its name, range, default and meaning."""

    name: str
    words: str
    help: str
    part: Literal["schedule", "ending", "learning"]
    kind: Literal["whole", "number", "switch", "choice"]
    default: int | float | bool | str
    unit: str
    low: float
    high: float
    above: bool = Field(description="The low end itself is out.")
    choices: list[SettingChoiceRead]
    when: SettingWhenRead | None
    follows: SettingFollowsRead | None
    far: float = Field(description="A value further from the default than by this factor is questioned; 0: none is.")


_TYPES: dict[str, Any] = {"whole": int, "number": float, "switch": bool, "choice": str}


def _fields(*, written: bool) -> dict[str, Any]:
    found = {}
    for entry in training_settings():
        words, type_ = entry["help"], _TYPES[entry["kind"]]
        if not written:
            found[entry["name"]] = (type_, Field(description=words))
            continue
        # The core checks, and says what is wrong in words; the schema only tells of it.
        ends: dict[str, Any] = {}
        if entry["kind"] in ("whole", "number"):
            ends = {"exclusiveMinimum" if entry["above"] else "minimum": entry["low"], "maximum": entry["high"]}
        if entry["choices"]:
            words += f" One of {', '.join(choice['value'] for choice in entry['choices'])}."
        found[entry["name"]] = (type_ | None, Field(None, description=words, json_schema_extra=ends))
    return found


TrainingSettingsCreate = create_model(
    "TrainingSettingsCreate",
    __base__=Write,
    __doc__="What of the training is set; the rest takes its defaults, as those follow what is set.",
    **_fields(written=True),
)
TrainingSettingsRead = create_model(
    "TrainingSettingsRead", __base__=BaseModel, __doc__="Settings of a training.", **_fields(written=False)
)


class RateLineCreate(Write):
    """A training whose learning rate is asked for."""

    settings: TrainingSettingsCreate  # type: ignore[valid-type]
    steps: int = Field(ge=1, le=100_000_000, description="Of all epochs.")
    new_epochs: int = Field(0, ge=0, le=10_000, description="Of a first phase, which has a course of its own.")


class EndingTrialCreate(Write):
    """Conditions of an end, to be tried on earlier runs."""

    settings: TrainingSettingsCreate  # type: ignore[valid-type]
    new_epochs: int = Field(0, ge=0, le=10_000, description="Of a first phase, which no condition ends.")


class EndedRunRead(BaseModel):
    """An earlier run under these conditions."""

    number: int
    epochs: int = Field(description="That it trained.")
    epoch: int | None = Field(description="After which a condition would have been met.")
    words: str = Field(description="Which, with its numbers.")


class EndingTrialRead(BaseModel):
    """Conditions of an end, tried on the last runs that trained all their epochs."""

    doubts: list[str]
    runs: list[EndedRunRead]


class StartCreate(Write):
    """Where a training starts, by one of the first four, and what of it learns."""

    model_id: RecordId | None = None
    starter: str = Field("", max_length=80, description="Name of a shipped starter.")
    upload: str = Field("", max_length=40, description="Id of an upload of one model file.")
    run_id: RecordId | None = Field(None, description="Of a run, for what that one started from.")
    learns: str = Field("all", max_length=20, description="all, new, new-then-all or after")
    new_epochs: int = Field(0, description="With new-then-all: of all epochs the first ones, for new layers only.")
    frozen_to: str = Field("", max_length=80, description="With after: id of the last layer that stays as it is.")
    rate_factor: float = Field(RATE_FACTOR, description="By which the rate of what is taken over is multiplied.")
    moving_statistics: bool = Field(False, description="Whether batch norms that are taken over move theirs.")
    new_statistics: bool = Field(False, description="Standardises by statistics of these pictures, not the model's.")


class StartRead(BaseModel):
    """Where a run started, and what of it learnt."""

    words: str
    digest: str
    learns: Literal["all", "new", "new-then-all", "after"]
    new_epochs: int
    frozen_to: str
    rate_factor: float
    moving_statistics: bool
    new_statistics: bool


class RecipeCreate(Write):
    """Everything about a training but its pictures."""

    network: str | None = Field(
        None,
        description='The name of a ready network or of one that the project keeps, with ", version 2" or without. '
        "Left out, it is that of the model to start from.",
        max_length=120,
    )
    preprocessing: PreprocessingBody
    variation: VariationBody
    settings: TrainingSettingsCreate  # type: ignore[valid-type]
    start: StartCreate | None = Field(None, description="Left out, it starts from weights drawn by chance.")
    watch: WatchBody | None = Field(None, description="Left out, lookouts do as usual.")


def _name(network: Any) -> Any:
    return ready_name(network["name"] if isinstance(network, dict) else network)


class RecipeRead(Read):
    """A recipe as a run holds it; its network by name, see `…/network` for the layers."""

    network: Annotated[str, BeforeValidator(_name)]
    preprocessing: PreprocessingRead
    variation: VariationRead
    settings: TrainingSettingsRead  # type: ignore[valid-type]
    start: StartRead | None = None
    watch: WatchRead

    @model_validator(mode="before")
    @classmethod
    def _complete(cls, data: Any) -> Any:
        """Only what differs from the default is stored of a watch, and nothing by earlier versions."""
        return {**data, "watch": whole_watch(data.get("watch") or {})} if isinstance(data, dict) else data
