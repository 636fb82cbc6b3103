"""What is done to every picture alike before the network sees it."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from vast_orchard.core.pictures.area import Area, area_from_json, area_to_json
from vast_orchard.errors import SettingError

__all__ = [
    "COLOURS",
    "FITS",
    "SCALES",
    "VIEWS",
    "Preprocessing",
    "SizeProposal",
    "preprocessing_from_json",
    "preprocessing_to_json",
    "proposed_size",
]

COLOURS = ("rgb", "grey")
FITS = ("distort", "border", "middle")
SCALES = ("deviation", "unit", "signed")
VIEWS = ("one", "mirrored", "turned")
# Sides that are proposed: multiples of 16, so that four halvings leave whole numbers.
_SIDES = (16, 32, 48, 64, 96, 128, 160, 192, 224)
# Beyond this a step on an ordinary processor takes seconds; it can be chosen all the same.
_LARGEST_PROPOSED = 96


@dataclass(frozen=True, kw_only=True)
class Preprocessing:
    """From an upright picture to the square that the network sees."""

    size: int = 48  # side in pixels
    # "distort": the whole picture, stretched to the square; "border": the whole picture with a border beside it;
    # "middle": the largest square in the middle.
    fit: str = "distort"
    colour: str = "rgb"  # "rgb" or "grey"
    ground: tuple[int, int, int] = (0, 0, 0)  # laid under transparent pictures, 0 to 255
    border: tuple[int, int, int] = (0, 0, 0)  # beside the picture where fit is "border", 0 to 255
    # "deviation": less the mean, divided by the deviation of each channel of the training pictures; "unit": 0 to 1;
    # "signed": -1 to 1.
    scale: str = "deviation"
    # What an answer is the mean of: the picture alone; it and its mirror image; it in all four quarter turns. For
    # judging and later use; training goes by the picture alone.
    views: str = "one"
    # Which part of a picture counts, before all else. A picture of a project may have one of its own instead, and then
    # this is what a new picture gets; None: all of it.
    area: Area | None = None

    def __post_init__(self) -> None:
        if not 8 <= self.size <= 512:
            raise SettingError(f"The input size is {self.size}.", "Choose 8 to 512 pixels; 32 to 128 is usual.")
        for name, choice, choices in (
            ("fit", self.fit, FITS),
            ("colour", self.colour, COLOURS),
            ("scale", self.scale, SCALES),
            ("views", self.views, VIEWS),
        ):
            if choice not in choices:
                raise SettingError(f"The {name} is {choice!r}.", f"Choose one of {', '.join(choices)}.")
        for name, colour in (("ground", self.ground), ("border", self.border)):
            if len(colour) != 3 or any(not 0 <= value <= 255 for value in colour):
                raise SettingError(f"The {name} colour is {colour}.", "Give red, green and blue from 0 to 255.")

    @property
    def channels(self) -> int:
        """3 for colour, 1 for grey."""
        return 3 if self.colour == "rgb" else 1

    @property
    def input_shape(self) -> tuple[int, int, int]:
        """Height, width and channels of what the network sees."""
        return (self.size, self.size, self.channels)


def preprocessing_from_json(data: Mapping[str, Any]) -> Preprocessing:
    """Read plain values; what versions up to 0.5 did not store was always as the defaults say.

    Raises
    ------
    SettingError
    """
    colours = {name: tuple(data[name]) for name in ("ground", "border") if name in data}
    return Preprocessing(**{**data, **colours, "area": area_from_json(data.get("area"))})


def preprocessing_to_json(preprocessing: Preprocessing) -> dict[str, Any]:
    """As plain JSON values; the working area is said only where there is one, as in versions that knew none."""
    values = {**asdict(preprocessing), "area": area_to_json(preprocessing.area)}
    return values if preprocessing.area else {name: value for name, value in values.items() if name != "area"}


@dataclass(frozen=True, kw_only=True)
class SizeProposal:
    """An input size with its reason."""

    size: int
    middle_side: int  # median of the shorter sides, in pixels
    because: str


def proposed_size(shorter_sides: Sequence[int]) -> SizeProposal:
    """The input size that keeps most of what pictures show and still trains in minutes.

    The largest of a few sides that at least half of the pictures fill without being enlarged, but no more than 96:
    twice the side costs four times the work.

    Raises
    ------
    SettingError
        There are no pictures.
    """
    if not shorter_sides:
        raise SettingError("There are no pictures to go by.", "Bring in some first.")
    ordered = sorted(shorter_sides)
    middle = ordered[len(ordered) // 2]
    filled = [side for side in _SIDES if side <= middle] or [_SIDES[0]]
    size = min(filled[-1], _LARGEST_PROPOSED)
    reason = f"Half of the pictures are at least {middle} pixels on their shorter side"
    if filled[-1] > size:
        reason += f"; beyond {size} a training takes more than minutes"
    return SizeProposal(size=size, middle_side=middle, because=reason + ".")
