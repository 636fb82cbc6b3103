"""How long a network takes to train and to answer, from what it consists of and one number for the machine.

The costs below are those of one machine, the reference (two virtual processors of 2024 with 512-bit vectors; least
squares on the relative error of 25 networks at 32, 48 and 64 pixels, then of the ready ones' epochs; parameters and
layers of a step later once more, by the ready ones with 8 to 64 pictures a batch). Of any other only a factor is
measured, its pace: processors differ far more in how fast they are than in what they are comparatively bad at.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

from vast_orchard.core.network.layers import KINDS
from vast_orchard.core.network.plan import LayerPlan, Shape

__all__ = ["Duration", "Effort", "effort_of", "expected"]

# Seconds of a training step, forwards and back: for each multiply-add of a picture; for each value of a picture that a
# normalisation or a pooling reads or another layer changes; for each parameter of the network; for each layer.
_STEP_ARITHMETIC, _STEP_NORM, _STEP_VALUE, _STEP_PARAMETER, _STEP_LAYER = 26e-12, 4.2e-9, 1.1e-9, 22e-9, 290e-6
# Of answering for a batch, and for one picture alone, where threads wait for each other and weights are read for it.
_BATCH_ARITHMETIC, _BATCH_VALUE, _BATCH_LAYER = 15e-12, 0.4e-9, 42e-6
_ONE_ARITHMETIC, _ONE_VALUE, _ONE_PARAMETER, _ONE_LAYER = 13e-12, 0.41e-9, 0.53e-9, 16e-6
# Of making a picture ready, for each pixel: reading and scaling; moving, once if anything varies; each operation.
_READ_PIXEL, _VARY_PIXEL, _OPERATION_PIXEL = 7e-9, 18e-9, 3.5e-9

_JUDGED = 64  # pictures of the validation set at a time

# Layers that the others' passes over memory take along.
_FREE = {"relu", "leaky_relu", "flatten", "dropout", "channel_dropout", "dense", "conv", "depthwise_conv"}
assert set(KINDS) >= _FREE


@dataclass(frozen=True, kw_only=True)
class Effort:
    """What a network's arithmetic comes to; seconds are those of the reference."""

    layers: int
    parameters: int
    multiply_adds: int  # for one picture
    normalised: int  # values of one picture
    moved: int  # values of one picture that other layers read or change

    def step_s(self, pictures: int) -> float:
        """A training step."""
        picture = self.multiply_adds * _STEP_ARITHMETIC + self.normalised * _STEP_NORM + self.moved * _STEP_VALUE
        return pictures * picture + self.parameters * _STEP_PARAMETER + self.layers * _STEP_LAYER

    def judged_s(self, pictures: int) -> float:
        """Answers for a set, many at a time."""
        picture = self.multiply_adds * _BATCH_ARITHMETIC + self.moved * _BATCH_VALUE
        return pictures * picture + math.ceil(pictures / _JUDGED) * self.layers * _BATCH_LAYER

    def answer_s(self) -> float:
        """The answer for one picture."""
        picture = self.multiply_adds * _ONE_ARITHMETIC + self.moved * _ONE_VALUE
        return picture + self.parameters * _ONE_PARAMETER + self.layers * _ONE_LAYER


@dataclass(frozen=True, kw_only=True)
class Duration:
    """Seconds that are expected on a machine."""

    epoch_s: float  # with its validation
    answer_s: float  # for one picture


def effort_of(layers: Iterable[LayerPlan], picture: Shape, *, after: int = 0, until: int | None = None) -> Effort:
    """What the arithmetic of a planned network comes to, or of a part of it.

    Parameters
    ----------
    layers : iterable of LayerPlan
    picture : tuple of int
        Height, width and channels of what the network sees.
    after, until : int
        Places: layers up to the one, and beyond the other, are not counted.
    """
    shapes, counted, normalised, moved, parameters, multiply_adds = [picture], 0, 0, 0, 0, 0
    for entry in layers:
        if entry.place <= after or (until is not None and entry.place > until):
            shapes.append(entry.shape)
            continue
        counted += 1
        if entry.kind == "batch_norm":
            normalised += math.prod(entry.shape)
        elif entry.kind not in _FREE:
            moved += max(math.prod(shapes[source]) for source in entry.sources)
        shapes.append(entry.shape)
        parameters += entry.parameters
        multiply_adds += entry.multiply_adds
    return Effort(
        layers=counted,
        parameters=parameters,
        multiply_adds=multiply_adds,
        normalised=normalised,
        moved=moved,
    )


def expected(
    effort: Effort,
    picture: Shape,
    pace: float,
    *,
    training: int,
    validation: int = 0,
    batch_size: int,
    operations: int = 0,
    frozen: Effort | None = None,
    remembered: bool = False,
) -> Duration:
    """How long an epoch takes, and an answer of what is learnt.

    Parameters
    ----------
    effort : Effort
    picture : tuple of int
        Height, width and channels.
    pace : float
        Seconds of the machine for one of the reference.
    training, validation : int
        Pictures in these sets.
    batch_size : int
    operations : int
        Of the variation.
    frozen : Effort, optional
        Of a part that only answers; `effort` is then of the rest.
    remembered : bool
        Whether the frozen part's answers are computed once for all epochs: then they cost an epoch nothing.
    """
    pixels = picture[0] * picture[1]
    shown = _READ_PIXEL + ((_VARY_PIXEL + operations * _OPERATION_PIXEL) if operations else 0)
    steps, rest = divmod(training, batch_size)
    epoch = steps * effort.step_s(batch_size) + (effort.step_s(rest) if rest else 0) + training * pixels * shown
    epoch += effort.judged_s(validation)
    if frozen is None or not remembered:
        epoch += validation * pixels * _READ_PIXEL
    else:
        epoch -= training * pixels * shown
    if frozen is not None and not remembered:
        epoch += frozen.judged_s(training) + frozen.judged_s(validation)
    answer = effort.answer_s() + (frozen.answer_s() if frozen else 0)
    return Duration(epoch_s=epoch * pace, answer_s=answer * pace)
