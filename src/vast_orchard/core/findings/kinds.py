"""The ways of being hard to see: which measure tells each, and how. Tables alone, for the server's process too."""

from collections.abc import Mapping
from dataclasses import dataclass

__all__ = ["HARD", "HardKind"]


@dataclass(frozen=True, kw_only=True)
class HardKind:
    """A way of being hard to see."""

    measure: str  # what the measure is called, in a Sift too
    high: bool  # the larger the worse
    scale: str  # log, plain, or both: the distance of the logarithm from the middle of its class
    shift: float  # added before the logarithm is taken
    least: float  # a deviation that nobody sees, see `beyond`


# By name. A third of a pixel of blur at a side of 96, a hundredth of light, and a thousandth of noise are next to none.
HARD: Mapping[str, HardKind] = {
    "blurred": HardKind(measure="blur", high=True, scale="log", shift=0.3, least=0.15),
    "dark": HardKind(measure="light", high=False, scale="log", shift=0.01, least=0.1),
    "bright": HardKind(measure="light", high=True, scale="log", shift=0.01, least=0.1),
    "flat": HardKind(measure="span", high=False, scale="log", shift=0.01, least=0.05),
    "noisy": HardKind(measure="noise", high=True, scale="log", shift=0.004, least=0.15),
    "tiny": HardKind(measure="side", high=False, scale="log", shift=0.0, least=0.15),
    "cut-off": HardKind(measure="cut", high=True, scale="plain", shift=0.0, least=0.05),
    "odd-shape": HardKind(measure="shape", high=True, scale="both", shift=0.0, least=0.1),
}
