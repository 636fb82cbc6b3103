"""How a class's logit changes with the values of one layer: a forward and a backward pass as the network answers."""

from dataclasses import dataclass, replace

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network._program import TrainingProgram
from vast_orchard.core.network.layout import Layout, lay_out_training
from vast_orchard.core.network.learning import Learning
from vast_orchard.core.network.network import Network, check_pictures
from vast_orchard.core.network.plan import plan
from vast_orchard.core.team import Team
from vast_orchard.errors import InputError

__all__ = ["Sensitivity", "mapped_layers", "proposed_layer", "sensitivity"]

# On coarser maps the hottest fifth of a picture is a field or two, which is no place any more.
_LEAST_SIDE = 5


@dataclass(frozen=True, kw_only=True)
class Sensitivity:
    """Of one picture."""

    values: FloatArray  # (H, W, C), float32: what the layer gave
    gradient: FloatArray  # (H, W, C), float32: of the class's logit with respect to them
    logits: FloatArray  # (K,), float32


def mapped_layers(network: Network) -> tuple[str, ...]:
    """Ids of the layers whose values are feature maps that can be asked about, from the picture on.

    Of layers that are computed together there is the last one.
    """
    planned = plan(network.description).layers
    first = min((entry.place for entry in planned if entry.parameters), default=0)
    if not first:
        return ()
    outputs = {stage.output for stage in lay_out_training(network.description).stages}
    return tuple(
        entry.id
        for entry in planned
        if entry.place in outputs and entry.place >= first and len(entry.shape) == 3 and entry.shape[0] > 1
    )


def proposed_layer(network: Network) -> str:
    """The deepest of `mapped_layers` that still tells places apart: the last with 5 rows and columns or more.

    Raises
    ------
    InputError
        The network has no feature maps.
    """
    maps = mapped_layers(network)
    if not maps:
        raise InputError("This network has no feature maps.", "Cover parts of the picture instead.")
    shapes = {entry.id: entry.shape for entry in plan(network.description).layers}
    fine = [name for name in maps if min(shapes[name][:2]) >= _LEAST_SIDE]
    # Where pooling only follows a layer, its values before the pooling are the finer map of the same.
    return fine[-1] if fine else maps[0]


def sensitivity(network: Network, x: FloatArray, class_place: int, layer: str) -> Sensitivity:
    """Values and gradient at a layer for one class.

    As the network answers: batch norm by its running statistics, and no dropout. The network's gradients are
    overwritten.

    Parameters
    ----------
    network : Network
    x : ndarray, shape (1, H, W, C)
        One picture, standardised.
    class_place : int
    layer : str
        One of `mapped_layers`.

    Raises
    ------
    InputError
        The network has no such class, or no feature maps at that layer.
    """
    check_pictures(x, network.description.input_shape)
    if not 0 <= class_place < network.classes:
        raise InputError(f"There is no class {class_place}.", f"The network has {network.classes}.")
    if layer not in mapped_layers(network):
        raise InputError(f"{layer!r} gives no feature maps.", f"Take one of {', '.join(mapped_layers(network))}.")
    place = network.names.index(layer) + 1
    program = TrainingProgram(_answering(network, place), network.numbers, 1, network.dtype, Team(1), keep=place)
    logits = program.forward(x, np.random.default_rng(0))
    chosen = np.zeros_like(logits)
    chosen[0, class_place] = 1
    program.backward(chosen)
    assert program.kept is not None
    return Sensitivity(values=program.values_by_place()[place][0].copy(), gradient=program.kept[0], logits=logits[0])


def _answering(network: Network, place: int) -> Layout:
    """The network as it answers, with gradients back to a place."""
    planned = plan(network.description).layers
    norms = frozenset(
        entry.place
        for entry, layer in zip(planned, network.description.flat, strict=True)
        if isinstance(layer, d.BatchNorm)
    )
    # Only what lies after a layer that learns has a gradient: the nearest one, so that little is computed.
    learns = max(entry.place for entry in planned if entry.parameters and entry.place <= place)
    layout = lay_out_training(network.description, Learning(learns=frozenset({learns}), steady=norms))
    stages = tuple(
        replace(stage, layer=replace(stage.layer, share=0.0))
        if isinstance(stage.layer, d.Dropout | d.ChannelDropout)
        else stage
        for stage in layout.stages
    )
    return replace(layout, stages=stages)
