"""How a network is computed: layers fused into stages, the planes between them, and the memory that they take.

Plain values without any arithmetic, so that memory can be told before anything is allocated.
"""

import math
from dataclasses import dataclass, replace

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.learning import Learning, all_learn
from vast_orchard.core.network.plan import NetworkPlan, Shape, plan, window_of
from vast_orchard.core.ops.window import forward_halo, gradient_halo
from vast_orchard.core.plane import NO_HALO, Halo
from vast_orchard.errors import MemoryShortError

__all__ = [
    "SHARDS",
    "Layout",
    "PlaneSpec",
    "Stage",
    "check_memory",
    "fitting_batch",
    "lay_out",
    "lay_out_training",
    "memory_for_training",
    "picture_shape",
]

# Fixed parts of a batch whose sums are added in a fixed order: so results do not depend on the number of threads,
# which may be up to this many.
SHARDS = 8

_FLOAT_BYTES = 4

# Layers that change each value where it stands.
_VALUE_BY_VALUE = (
    d.BatchNorm,
    d.ReLU,
    d.LeakyReLU,
    d.ClippedReLU,
    d.SiLU,
    d.Tanh,
    d.Sigmoid,
    d.HardSigmoid,
    d.HardSwish,
    d.Dropout,
    d.ChannelDropout,
)


@dataclass(frozen=True, kw_only=True)
class PlaneSpec:
    """A plane to be: feature maps of one place of the network, with their padding."""

    shape: tuple[int, int, int]  # height, width, channels; 1×1 for plain features
    halo: Halo

    @property
    def values(self) -> int:
        """Numbers of one image, padding included."""
        height, width, channels = self.shape
        h = self.halo
        return (h.top + height + h.bottom) * (h.left + width + h.right) * channels


@dataclass(frozen=True, kw_only=True)
class Stage:
    """Layers that are computed in one pass over memory."""

    place: int  # of its main layer
    layer: d.Layer
    norm: int | None  # place of a batch norm that is folded into the weights
    slope: float  # of the ReLU behind: 0 for ReLU, below 1 for leaky ReLU, 1 for none
    inputs: tuple[int, ...]  # places whose values it reads
    output: int  # place of its last layer, whose values it writes
    learns: bool = True  # whether its numbers move
    backward: bool = True  # whether it or anything before it learns, so that a gradient goes through it
    steady: bool = False  # a batch norm by its running statistics

    @property
    def overwrites_gradient(self) -> bool:
        """Whether it may write its input's gradient over its output's."""
        return isinstance(self.layer, _VALUE_BY_VALUE)


@dataclass(frozen=True, kw_only=True)
class Layout:
    """Stages in the order of computing, and a plane for each value and each gradient."""

    stages: tuple[Stage, ...]
    values: dict[int, PlaneSpec]  # by place; 0 is the picture
    gradients: dict[tuple[int, int], int]  # (place, place of the stage that reads it): number of the gradient plane
    gradient_planes: tuple[PlaneSpec, ...]  # the last belongs to the network's output
    input: int = 0  # place whose values come from outside

    def edges(self, place: int) -> list[int]:
        """Numbers of the gradient planes that together are the gradient of the value at `place`."""
        found = [number for (value, _), number in self.gradients.items() if value == place]
        return found or [len(self.gradient_planes) - 1]


def picture_shape(shape: Shape) -> tuple[int, int, int]:
    """Height, width and channels; plain features are a picture of one pixel."""
    if len(shape) == 3:
        return shape[0], shape[1], shape[2]
    return 1, 1, shape[0]


def _slope(layer: d.Layer) -> float | None:
    match layer:
        case d.ReLU():
            return 0.0
        case d.LeakyReLU():
            return layer.slope
        case _:
            return None


def _fuse(description: NetworkDescription, planned: NetworkPlan, fold: bool) -> list[Stage]:
    readers: dict[int, list[int]] = {}
    for entry in planned.layers:
        for source in entry.sources:
            readers.setdefault(source, []).append(entry.place)

    def only_reader(place: int) -> d.Layer | None:
        following = readers.get(place, [])
        return description.flat[following[0] - 1] if len(following) == 1 else None

    stages: list[Stage] = []
    taken: set[int] = set()
    for entry, layer in zip(planned.layers, description.flat, strict=True):
        if entry.place in taken:
            continue
        output, norm, slope = entry.place, None, 1.0
        weighted = isinstance(layer, d.Conv | d.DepthwiseConv | d.Dense)
        if weighted and fold and isinstance(only_reader(output), d.BatchNorm):
            output = norm = readers[output][0]
        if weighted or isinstance(layer, d.BatchNorm):
            behind = only_reader(output)
            found = None if behind is None else _slope(behind)
            if found is not None:
                output, slope = readers[output][0], found
        taken |= {output} if norm is None else {norm, output}
        stages.append(
            Stage(place=entry.place, layer=layer, norm=norm, slope=slope, inputs=entry.sources, output=output)
        )
    return stages


def _needs(stage: Stage, size: tuple[int, int]) -> Halo:
    if isinstance(stage.layer, d.Conv | d.DepthwiseConv):
        return forward_halo(window_of(stage.layer), size)
    return NO_HALO


def _gradient_needs(stage: Stage, size: tuple[int, int]) -> Halo:
    if isinstance(stage.layer, d.Conv | d.DepthwiseConv):
        return gradient_halo(window_of(stage.layer), size)
    return NO_HALO


def _gradients(
    stages: list[Stage], shapes: dict[int, tuple[int, int, int]]
) -> tuple[dict[tuple[int, int], int], tuple[PlaneSpec, ...]]:
    """A plane for each edge, shared where a stage may write over the gradient that it reads."""
    stages = [stage for stage in stages if stage.backward]
    asked = {stage.output for stage in stages}
    readers: dict[int, int] = {}
    for stage in stages:
        for source in set(stage.inputs):
            readers[source] = readers.get(source, 0) + 1
    halos: list[Halo] = []
    places: list[int] = []
    numbers: dict[tuple[int, int], int] = {}

    def new(place: int) -> int:
        halos.append(NO_HALO)
        places.append(place)
        return len(halos) - 1

    own: dict[int, int] = {}  # the plane from which a stage's backward pass starts
    for stage in reversed(stages):
        number = own[stage.output] if stage.output in own else new(stage.output)
        own[stage.output] = number
        if asked.intersection(stage.inputs):
            height, width, _ = shapes[stage.inputs[0]]
            halos[number] |= _gradient_needs(stage, (height, width))
        for source in dict.fromkeys(stage.inputs):
            if source not in asked:
                continue
            shared = stage.overwrites_gradient and readers[source] == 1
            numbers[source, stage.place] = edge = number if shared else new(source)
            own.setdefault(source, edge)
    last = own[stages[-1].output]
    order = [number for number in range(len(halos)) if number != last] + [last]
    rank = {number: place for place, number in enumerate(order)}
    specs = tuple(PlaneSpec(shape=shapes[places[number]], halo=halos[number]) for number in order)
    return {edge: rank[number] for edge, number in numbers.items()}, specs


def _teaching(stages: list[Stage], learning: Learning) -> list[Stage]:
    """The stages with what each does in training; a network without numbers still passes its gradient on."""
    if not learning.learns:
        return stages
    moved: set[int] = set()
    found = []
    for stage in stages:
        learns = stage.place in learning.learns
        backward = learns or not moved.isdisjoint(stage.inputs)
        if backward:
            moved.add(stage.output)
        found.append(replace(stage, learns=learns, backward=backward, steady=stage.place in learning.steady))
    return found


def _put_together(
    description: NetworkDescription, planned: NetworkPlan, stages: list[Stage], first: int, *, training: bool
) -> Layout:
    shapes = {0: picture_shape(description.input_shape)}
    shapes |= {entry.place: picture_shape(entry.shape) for entry in planned.layers}
    halos = {first: NO_HALO} | {stage.output: NO_HALO for stage in stages}
    for stage in stages:
        for source in stage.inputs:
            height, width, _ = shapes[source]
            halos[source] |= _needs(stage, (height, width))
    values = {place: PlaneSpec(shape=shapes[place], halo=halo) for place, halo in halos.items()}
    gradients, planes = _gradients(stages, shapes) if training else ({}, ())
    return Layout(stages=tuple(stages), values=values, gradients=gradients, gradient_planes=planes, input=first)


def lay_out(description: NetworkDescription, *, fold: bool = True, after: int = 0, until: int | None = None) -> Layout:
    """Stages and planes of a network that answers, or of a part of it.

    Parameters
    ----------
    description : NetworkDescription
    fold : bool
        Fold batch norm into the convolution or dense layer before it.
    after, until : int
        Places at which the network hangs together by one value (`Learning.cut`); all of it by default.

    Raises
    ------
    DescriptionError
        The description does not hold together.
    """
    planned = plan(description)
    last = len(planned.layers) if until is None else until
    stages = [stage for stage in _fuse(description, planned, fold) if after < stage.place and stage.output <= last]
    return _put_together(description, planned, stages, after, training=False)


def lay_out_training(description: NetworkDescription, learning: Learning | None = None) -> Layout:
    """Stages and planes with gradients, each batch norm as a stage of its own, of what comes after the frozen part.

    Parameters
    ----------
    description : NetworkDescription
    learning : Learning, optional
        Everything learns by default.

    Raises
    ------
    DescriptionError
        The description does not hold together.
    """
    planned, learning = plan(description), learning or all_learn(description)
    stages = [stage for stage in _fuse(description, planned, fold=False) if stage.place > learning.cut]
    return _put_together(description, planned, _teaching(stages, learning), learning.cut, training=True)


def memory_for_training(description: NetworkDescription, batch_size: int) -> int:
    """Bytes that a training step holds: planes for one batch, weights, their gradients and the optimizer's memory.

    An estimate from below: the pictures themselves are not counted, they stay in a memory-mapped file.
    """
    layout = lay_out_training(description)
    planes = sum(spec.values for spec in (*layout.values.values(), *layout.gradient_planes))
    # A byte for the winner of each window, a number for each value that dropout may take away.
    beside = sum(
        math.prod(layout.values[stage.output].shape) * (1 if isinstance(stage.layer, d.MaxPool) else _FLOAT_BYTES)
        for stage in layout.stages
        if isinstance(stage.layer, d.MaxPool | d.Dropout)
    )
    # Weights, their gradient, one partial gradient a shard and two packed copies (16 places for 9 weights where minimal
    # filtering is used), and the optimizer's two moments.
    weights = plan(description).parameters * (2 + (SHARDS + 2) * 16 // 9 + 2)
    return (planes * _FLOAT_BYTES + beside) * batch_size + weights * _FLOAT_BYTES


def fitting_batch(needed: int, fixed: int, batch_size: int, available: int) -> int:
    """The largest batch that fits into `available` bytes, 0 if none does.

    Parameters
    ----------
    needed : int
        Bytes for a batch of `batch_size`.
    fixed : int
        Bytes of that whatever the batch.
    batch_size : int
    available : int
    """
    return max(0, available - fixed) * batch_size // max(1, needed - fixed)


def check_memory(description: NetworkDescription, batch_size: int, available: int) -> None:
    """See to it that a training fits into `available` bytes.

    Raises
    ------
    MemoryShortError
        It does not; the message names the largest batch that does.
    """
    needed = memory_for_training(description, batch_size)
    if needed <= available:
        return
    fits = fitting_batch(memory_for_training(description, 1), memory_for_training(description, 0), 1, available)
    mend = f"Choose a batch size of at most {fits}." if fits else "Choose a smaller network or input size."
    raise MemoryShortError(
        f"A batch of {batch_size} needs about {needed / 1e9:.1f} GB of memory, and {available / 1e9:.1f} GB are free.",
        mend,
    )
