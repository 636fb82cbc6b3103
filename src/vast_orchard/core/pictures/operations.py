"""The operations a variation is made of: what each does, when it would make a label untrue, and within which limits."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = ["KINDS", "Family", "OperationKind", "at_strength", "at_strengths"]


class Family(StrEnum):
    """What an operation works on; also the order in which the families are applied."""

    GEOMETRY = "geometry"  # all of them together are one resampling
    LIGHT = "light and colour"  # all of them together are one pass
    DAMAGE = "damage"
    MIXING = "mixing"  # pictures and labels


@dataclass(frozen=True, kw_only=True)
class OperationKind:
    """One operation with its meaning and its limits."""

    code: int  # of its random numbers; never changes and is never used again, so that other operations' draws stay
    name: str
    family: Family
    does: str
    caution: str  # when it would make the label untrue
    unit: str = ""
    least: float = 0.0
    most: float = 0.0  # no more than `least`: it has no range, only a probability
    neutral: float = 0.0  # the value that changes nothing
    usual: tuple[float, float] = (0.0, 0.0)
    readable: tuple[float, float] = (0.0, 0.0)  # beyond it little of a picture can be recognised
    probability: float = 1.0  # that it starts with
    by_ratio: bool = False  # drawn evenly by ratio: halving is as likely as doubling
    needs_colour: bool = False
    one_value: bool = False  # a single number instead of a range

    @property
    def ranged(self) -> bool:
        """Whether it has a range."""
        return self.most > self.least


def at_strength(kind: OperationKind, value: float, strength: float) -> float:
    """A value as far from neutral as `strength` says (1 as it is, 0 not at all), within the kind's limits."""
    if kind.by_ratio:
        moved = kind.neutral * (value / kind.neutral) ** strength
    else:
        moved = kind.neutral + (value - kind.neutral) * strength
    return min(max(moved, kind.least), kind.most)


def at_strengths(kind: OperationKind, value: float, strengths: FloatArray) -> FloatArray:
    """The same for one strength a picture.

    Parameters
    ----------
    strengths : ndarray, shape (N,), float64

    Returns
    -------
    ndarray, shape (N,), float64
    """
    if kind.by_ratio:
        moved = kind.neutral * (value / kind.neutral) ** strengths
    else:
        moved = kind.neutral + (value - kind.neutral) * strengths
    return np.clip(moved, kind.least, kind.most)


_GEOMETRY = (
    OperationKind(
        code=1,
        name="mirror",
        family=Family.GEOMETRY,
        does="Left becomes right.",
        caution="Untrue where left and right tell classes apart, as with letters or screw threads.",
        probability=0.5,
    ),
    OperationKind(
        code=2,
        name="flip",
        family=Family.GEOMETRY,
        does="Top becomes bottom.",
        caution="Untrue where up and down matter: things that stand, or light that always comes from above.",
        probability=0.5,
    ),
    OperationKind(
        code=3,
        name="quarter-turn",
        family=Family.GEOMETRY,
        does="Turned by 90, 180 or 270 degrees; no pixel is resampled by it.",
        caution="Untrue where a class is a direction, or things always stand the same way.",
        probability=0.75,
    ),
    OperationKind(
        code=4,
        name="turn",
        family=Family.GEOMETRY,
        does="Turned about the middle by an angle of the range.",
        caution="Untrue where the angle is the class; beyond 30 degrees, where things always stand upright.",
        unit="degrees",
        least=-180,
        most=180,
        usual=(-15, 15),
        readable=(-180, 180),
    ),
    OperationKind(
        code=5,
        name="shift",
        family=Family.GEOMETRY,
        does="Moved by a share of its side, across and down alike; the edge is mirrored outwards.",
        caution="Untrue where a thing at the edge would leave the picture.",
        unit="of the side",
        least=-0.5,
        most=0.5,
        usual=(-0.1, 0.1),
        readable=(-0.4, 0.4),
    ),
    OperationKind(
        code=6,
        name="zoom",
        family=Family.GEOMETRY,
        does="Enlarged about the middle; below 1 it gets smaller and the edge is mirrored outwards.",
        caution="Untrue where size tells classes apart.",
        unit="times",
        least=0.25,
        most=4,
        neutral=1,
        usual=(0.87, 1.15),
        readable=(0.4, 2.5),
        by_ratio=True,
    ),
    OperationKind(
        code=7,
        name="crop",
        family=Family.GEOMETRY,
        does="A part of the picture, anywhere in it, fills the whole.",
        caution="Untrue where what makes the class fills little of the picture and may be cut off.",
        unit="of the area",
        least=0.05,
        most=1,
        neutral=1,
        usual=(0.6, 1),
        readable=(0.2, 1),
        probability=0.5,
    ),
    OperationKind(
        code=8,
        name="shear",
        family=Family.GEOMETRY,
        does="Slanted sideways, like italic letters.",
        caution="Untrue where angles within the thing tell classes apart.",
        unit="degrees",
        least=-60,
        most=60,
        usual=(-8, 8),
        readable=(-45, 45),
        probability=0.5,
    ),
    OperationKind(
        code=9,
        name="perspective",
        family=Family.GEOMETRY,
        does="Tilted away from the eye: one side grows by this share, the other shrinks.",
        caution="Untrue where the pictures always come from straight above and proportions are measured.",
        unit="of the side",
        least=-0.4,
        most=0.4,
        usual=(-0.1, 0.1),
        readable=(-0.3, 0.3),
        probability=0.5,
    ),
)

_LIGHT = (
    OperationKind(
        code=10,
        name="brightness",
        family=Family.LIGHT,
        does="All values multiplied: below 1 darker, above 1 lighter.",
        caution="Untrue where how bright a thing is tells its class.",
        unit="times",
        least=0.1,
        most=4,
        neutral=1,
        usual=(0.8, 1.2),
        readable=(0.2, 3),
    ),
    OperationKind(
        code=11,
        name="contrast",
        family=Family.LIGHT,
        does="Differences from the picture's own mean multiplied: below 1 flatter, above 1 harder.",
        caution="Untrue where faint and strong structure are different classes.",
        unit="times",
        least=0.05,
        most=4,
        neutral=1,
        usual=(0.8, 1.25),
        readable=(0.15, 3),
    ),
    OperationKind(
        code=12,
        name="saturation",
        family=Family.LIGHT,
        does="Colours paler below 1, stronger above it.",
        caution="Untrue where pale and strong colours are different classes.",
        unit="times",
        least=0,
        most=4,
        neutral=1,
        usual=(0.7, 1.3),
        readable=(0, 4),
        needs_colour=True,
    ),
    OperationKind(
        code=13,
        name="hue",
        family=Family.LIGHT,
        does="All colours turned round the colour circle by an angle.",
        caution="Untrue wherever colour is a clue.",
        unit="degrees",
        least=-180,
        most=180,
        usual=(-10, 10),
        readable=(-180, 180),
        probability=0.5,
        needs_colour=True,
    ),
    OperationKind(
        code=14,
        name="gamma",
        family=Family.LIGHT,
        does="Middle tones lighter below 1, darker above it; black and white stay.",
        caution="Untrue where middle tones are measured.",
        unit="exponent",
        least=0.2,
        most=5,
        neutral=1,
        usual=(0.8, 1.25),
        readable=(0.25, 4),
        probability=0.5,
        by_ratio=True,
    ),
    OperationKind(
        code=15,
        name="grey",
        family=Family.LIGHT,
        does="All colour taken out.",
        caution="Untrue where colour alone tells two classes apart.",
        probability=0.1,
        needs_colour=True,
    ),
)

_DAMAGE = (
    OperationKind(
        code=16,
        name="blur",
        family=Family.DAMAGE,
        does="Out of focus, by a Gaussian of this deviation in pixels of the network's input.",
        caution="Untrue where fine structure tells classes apart.",
        unit="pixels",
        least=0,
        most=8,
        usual=(0.3, 1),
        readable=(0, 4),
        probability=0.3,
    ),
    OperationKind(
        code=17,
        name="sharpen",
        family=Family.DAMAGE,
        does="What a small blur would take away is added this many times.",
        caution="Rarely untrue; strong sharpening draws rims that are not there.",
        unit="times",
        least=0,
        most=5,
        usual=(0.2, 1),
        readable=(0, 5),
        probability=0.3,
    ),
    OperationKind(
        code=18,
        name="noise",
        family=Family.DAMAGE,
        does="Gaussian noise on every value, its deviation as a share of the whole range.",
        caution="Untrue where a fine grain is the class.",
        unit="of the range",
        least=0,
        most=0.5,
        usual=(0.01, 0.05),
        readable=(0, 0.35),
        probability=0.5,
    ),
    OperationKind(
        code=19,
        name="jpeg",
        family=Family.DAMAGE,
        does="Written as a JPEG of this quality and read again.",
        caution="Untrue only where classes differ in fine grain; use it when later pictures are compressed.",
        unit="quality",
        least=1,
        most=100,
        neutral=100,
        usual=(30, 90),
        readable=(5, 100),
        probability=0.3,
    ),
    OperationKind(
        code=20,
        name="block",
        family=Family.DAMAGE,
        does="A rectangle of this share of the area is covered with the picture's mean colour.",
        caution="Untrue where one small spot makes the class and may be covered.",
        unit="of the area",
        least=0,
        most=0.9,
        usual=(0.05, 0.2),
        readable=(0, 0.6),
        probability=0.3,
    ),
    OperationKind(
        code=21,
        name="block-grid",
        family=Family.DAMAGE,
        does="A grid of squares that together cover this share is filled with the picture's mean colour.",
        caution="Untrue where what makes the class is smaller than a square.",
        unit="of the area",
        least=0,
        most=0.8,
        usual=(0.1, 0.3),
        readable=(0, 0.6),
        probability=0.3,
    ),
)

_MIXING = (
    OperationKind(
        code=22,
        name="blend",
        family=Family.MIXING,
        # Zhang, Cissé, Dauphin, Lopez-Paz 2018, "mixup: Beyond empirical risk minimization".
        does="Laid over another training picture; the label is shared out as the pictures are.",
        caution="No picture looks like this later; it steadies sure answers. The number is Beta's: 0.2 mostly leaves "
        "one picture in front, 1 makes every share alike.",
        unit="concentration",
        least=0.05,
        most=4,
        neutral=0.05,
        usual=(0.2, 0.2),
        readable=(0.05, 4),
        probability=0.5,
        one_value=True,
    ),
    OperationKind(
        code=23,
        name="paste",
        family=Family.MIXING,
        # Yun et al. 2019, "CutMix: Regularization strategy to train strong classifiers with localizable features".
        does="A rectangle of another training picture is pasted in; the label is shared out by area.",
        caution="Untrue where what makes the class may lie in the covered part. The number is Beta's, as for blend.",
        unit="concentration",
        least=0.05,
        most=4,
        neutral=0.05,
        usual=(1, 1),
        readable=(0.05, 4),
        probability=0.5,
        one_value=True,
    ),
)

KINDS: dict[str, OperationKind] = {kind.name: kind for kind in (*_GEOMETRY, *_LIGHT, *_DAMAGE, *_MIXING)}
