"""What comes before the first layer that learns, and its answers for whole sets, computed once."""

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.learning import remembered_values
from vast_orchard.core.network.network import Network
from vast_orchard.core.pictures.standardise import ChannelStatistics, standardise
from vast_orchard.core.team import Team

__all__ = ["FrozenPart"]

_AT_ONCE = 64  # pictures; it bounds memory and changes no bit


class FrozenPart:
    """Turns pictures into what the learning part of a network takes.

    Parameters
    ----------
    network : Network
        In the phase that it is in; a copy of its present weights is taken.
    statistics : ChannelStatistics
    team : Team
    """

    def __init__(self, network: Network, statistics: ChannelStatistics, team: Team) -> None:
        cut = network.learning.cut
        self._remembers = remembered_values(network.description, cut) > 0
        self._frozen = FrozenNetwork(network, team, until=cut) if cut else None
        self._statistics, self._team = statistics, team

    def values(self, pixels: Array) -> FloatArray:
        """For pixels (N, H, W, C), uint8: (N, …), float32."""
        x = standardise(pixels, self._statistics, self._team)
        return x if self._frozen is None else self._frozen.values(x)

    def remembered(self, pixels: Array) -> FloatArray | None:
        """The same for all pictures of a set (N, H, W, C), uint8, to be kept in memory.

        None where there is no frozen part, or it gives more numbers than a picture has.
        """
        if not self._remembers:
            return None
        starts = range(0, len(pixels), _AT_ONCE)
        return np.concatenate([self.values(pixels[start : start + _AT_ONCE]) for start in starts])
