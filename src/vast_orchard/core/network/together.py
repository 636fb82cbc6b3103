"""Several networks over the same pictures as one, whose answer is the weighted mean of their probabilities."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.ops.batch_norm import EPSILON
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.errors import DescriptionError

__all__ = ["Member", "answering_together"]

_MOST = 12


@dataclass(frozen=True, kw_only=True, eq=False)
class Member:
    """One of several networks."""

    description: NetworkDescription  # resolved
    weights: Mapping[str, Array]  # by `id.name`
    statistics: ChannelStatistics
    order: tuple[int, ...]  # of the answer's classes the place among its own outputs


def answering_together(
    members: Sequence[Member], shares: Sequence[float], classes: int
) -> tuple[NetworkDescription, dict[str, Array]]:
    """The network that answers as all of them, and its weights; it takes pictures as the first member does.

    Each member is followed by a softmax; a dense layer takes their weighted mean, and what comes out are its
    logarithms, whose softmax is that mean again. A member that standardises otherwise gets a batch norm before it.

    Parameters
    ----------
    members : sequence of Member
        At least two.
    shares : sequence of float
        Weight of each, summing to one.
    classes : int

    Raises
    ------
    DescriptionError
        There are not two to twelve, or they take pictures of different shapes.
    """
    if not 2 <= len(members) <= _MOST:
        raise DescriptionError(f"{len(members)} models are to answer together.", f"Choose 2 to {_MOST}.")
    shapes = {member.description.input_shape for member in members}
    if len(shapes) > 1:
        told = ", ".join(sorted("×".join(map(str, shape)) for shape in shapes))
        raise DescriptionError(
            f"The models take pictures of different shapes ({told}).", "Choose models of one input size and colour."
        )
    layers: list[d.Layer] = []
    weights: dict[str, Array] = {}
    ends = []
    for number, member in enumerate(members, 1):
        prefix, first = f"m{number}_", d.INPUT
        if member.statistics != members[0].statistics:
            first = f"{prefix}standardised"
            layers.append(d.BatchNorm(id=first, inputs=(d.INPUT,)))
            weights |= {f"{first}.{key}": value for key, value in _between(members[0], member).items()}
        before = first
        for layer in member.description.flat:
            inputs = tuple(first if name == d.INPUT else prefix + name for name in layer.inputs) or (before,)
            before = prefix + layer.id
            layers.append(replace(layer, id=before, inputs=inputs))
        weights |= {prefix + name: value for name, value in member.weights.items()}
        ends.append(f"{prefix}shares")
        layers.append(d.Softmax(id=ends[-1], inputs=(before,)))
    layers += [
        d.Concat(id="all_shares", inputs=tuple(ends)),
        d.Dense(id="mean", outputs=classes, bias=False),
        d.Log(id="logarithm"),
    ]
    columns = [np.eye(classes)[:, list(member.order)] for member in members]
    mixing = np.concatenate([share * column for share, column in zip(shares, columns, strict=True)])
    weights["mean.weights"] = np.ascontiguousarray(mixing, np.float32)
    name = f"{len(members)} together"
    return replace(members[0].description, name=name, layers=tuple(layers)), weights


def _between(first: Member, member: Member) -> dict[str, Array]:
    """A batch norm that turns pictures standardised for the first member into what the other one takes."""
    (mean, deviation), (own_mean, own_deviation) = (
        (np.array(one.mean, np.float64), np.array(one.deviation, np.float64))
        for one in (first.statistics, member.statistics)
    )
    gamma = deviation / own_deviation * np.sqrt(1 + EPSILON)
    values = {"gamma": gamma, "beta": (mean - own_mean) / own_deviation, "mean": 0 * mean, "variance": 1 + 0 * mean}
    return {key: value.astype(np.float32) for key, value in values.items()}
