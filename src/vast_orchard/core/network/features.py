"""What a network makes of a picture before its last layer with weights decides: the features that it compares by."""

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.pictures.standardise import ChannelStatistics, standardise
from vast_orchard.core.team import Team

__all__ = ["feature_place", "last_features"]

_BATCH = 64


def feature_place(description: NetworkDescription) -> int:
    """The place whose values the last layer with weights takes; 0 are the pictures, where there is no other layer.

    Flattening and dropout before it are passed over: of the map itself the fields can be averaged.
    """
    planned = plan(description).layers
    place = max((entry.place for entry in planned if entry.parameters), default=0)
    place = planned[place - 1].sources[0] if place else 0
    while place and isinstance(description.flat[place - 1], d.Flatten | d.Dropout | d.ChannelDropout):
        place = planned[place - 1].sources[0]
    return place


def last_features(
    network: Network, pixels: Array, statistics: ChannelStatistics, team: Team | None = None
) -> FloatArray:
    """Features of unit length; of maps the mean over their fields.

    Parameters
    ----------
    network : Network
    pixels : ndarray, shape (N, H, W, C), uint8
    statistics : ChannelStatistics
    team : Team, optional

    Returns
    -------
    ndarray, shape (N, F), float32
        All zero where the network makes nothing of a picture.
    """
    place = feature_place(network.description)
    frozen = FrozenNetwork(network, team, until=place) if place else None
    parts = []
    for start in range(0, len(pixels), _BATCH):
        x = standardise(pixels[start : start + _BATCH], statistics, team)
        parts.append(x.reshape(len(x), -1) if frozen is None else frozen.values(x).mean(axis=(1, 2)))
    found = np.concatenate(parts).astype(np.float32, copy=False)
    lengths = np.linalg.norm(found, axis=1, keepdims=True)
    return found / np.where(lengths > 0, lengths, 1)
