"""Planes and stages put together, and the order in which shards of a batch go through them."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network._stage_work import Joints, StageWork
from vast_orchard.core.network._stages import make_work
from vast_orchard.core.network._weighted_stages import NormWork, SteadyNormWork, WeightedWork
from vast_orchard.core.network.layout import SHARDS, Layout, Stage
from vast_orchard.core.network.parameters import LayerNumbers
from vast_orchard.core.plane import Plane, make_plane
from vast_orchard.core.team import Team

__all__ = ["InferenceProgram", "TrainingProgram"]

# What one plane of a part may take of the cache, because the next stage reads it again. It is a share of the last
# level and not of the second: short calls cost more, as threads then wait for each other at the interpreter's lock.
_PART_BYTES = 8 * 1024 * 1024
_INFERENCE_BYTES = 1024 * 1024

# A shard of fewer images is not worth a thread.
_LEAST_IMAGES = 8

_Step = Callable[[int, int, int], None]


@dataclass(frozen=True, kw_only=True, eq=False)
class _Phase:
    """Steps that a part of a batch goes through without waiting for the others."""

    steps: tuple[_Step, ...]
    images: int  # of one part
    settle: Callable[[], None] | None  # when all parts are through

    def run_shard(self, shard: int, first: int, end: int) -> None:
        # Parts of one size, so that none is left with a single image.
        size = -(-(end - first) // -(-(end - first) // self.images))
        for start in range(first, end, size):
            for step in self.steps:
                step(start, min(size, end - start), shard)


def _images_at_once(planes: Sequence[Plane], most: int) -> int:
    largest = max(plane.image * plane.values.itemsize for plane in planes)
    return max(1, min(most, _PART_BYTES // largest))


def _shard_size(count: int) -> int:
    return max(-(-count // SHARDS), min(_LEAST_IMAGES, count))


class TrainingProgram:
    """Forward and backward passes over batches of up to `batch` images.

    A batch is cut into `SHARDS` fixed parts. Each goes alone through as many stages as possible, a few images at a
    time so that planes stay in the cache; they wait for each other only where batch norm needs the whole batch. Sums
    over a batch are kept by shard and added in the shards' order, so the number of threads changes no bit.

    With `keep`, a backward pass leaves the gradient with respect to the values of that place in `kept`: its plane is
    written over on the way back.
    """

    def __init__(
        self,
        layout: Layout,
        numbers: Sequence[LayerNumbers],
        batch: int,
        dtype: np.dtype[np.floating],
        team: Team,
        *,
        keep: int | None = None,
    ) -> None:
        self._keep = keep
        self.kept: FloatArray | None = None
        self.batch, self._layout, self._team = batch, layout, team
        self.values = {place: make_plane(batch, s.shape, s.halo, dtype) for place, s in layout.values.items()}
        self._gradients = [make_plane(batch, s.shape, s.halo, dtype) for s in layout.gradient_planes]
        most = _shard_size(batch)
        self._works: list[tuple[Stage, StageWork, int]] = []
        for stage in layout.stages:
            joints = self._joints(stage, most)
            self._works.append((stage, make_work(stage, joints, numbers), joints.images))
        # Batch norm by the batch takes its numbers between two passes.
        at_once = [(s, work) for s, work, _ in self._works if isinstance(work, WeightedWork | SteadyNormWork)]
        self._loaded = [work for _, work in at_once]
        self._collected = [work for stage, work in at_once if stage.learns]
        self._forward = self._forward_phases()
        self._backward = self._backward_phases()
        self._count = 0

    def _joints(self, stage: Stage, most: int) -> Joints:
        x = tuple(self.values[place] for place in stage.inputs)
        y = self.values[stage.output]
        gradient = self._gradients[self._layout.edges(stage.output)[0]] if stage.backward else None
        numbers = (self._layout.gradients.get((place, stage.place)) for place in stage.inputs)
        x_gradients = tuple(None if number is None else self._gradients[number] for number in numbers)
        images = _images_at_once([*x, y, *([] if gradient is None else [gradient])], most)
        return Joints(x=x, y=y, gradient=gradient, x_gradients=x_gradients, images=images)

    def _take_input(self, first: int, count: int, shard: int) -> None:
        values = self.values[self._layout.input].inside
        values[first : first + count] = self._taken[first : first + count].reshape(count, *values.shape[1:])

    def _forward_phases(self) -> list[_Phase]:
        phases: list[_Phase] = []
        steps: list[_Step] = [self._take_input]
        images = _shard_size(self.batch)
        for _, work, at_once in self._works:
            images = min(images, at_once)
            if isinstance(work, NormWork):
                phases.append(_Phase(steps=(*steps, work.measure), images=images, settle=work.settle))
                steps, images = [], at_once
            steps.append(work.forward)
        return [*phases, _Phase(steps=tuple(steps), images=images, settle=None)]

    def _backward_phases(self) -> list[_Phase]:
        phases: list[_Phase] = []
        steps: list[_Step] = []
        images = _shard_size(self.batch)
        for stage, work, at_once in reversed(self._works):
            if not stage.backward:
                continue
            images = min(images, at_once)
            own, *others = (self._gradients[number] for number in self._layout.edges(stage.output))
            if others:
                steps.append(_adding(own, others))
            if stage.output == self._keep:
                steps.append(self._keeping(own))
            if isinstance(work, NormWork):
                steps.append(work.measure_gradient)
                phases.append(_Phase(steps=tuple(steps), images=images, settle=work.settle_gradient))
                steps, images = [], at_once
            steps.append(work.backward)
        return [*phases, _Phase(steps=tuple(steps), images=images, settle=None)]

    def _keeping(self, own: Plane) -> _Step:
        self.kept = kept = np.zeros_like(own.inside)

        def keep(first: int, count: int, shard: int) -> None:
            kept[first : first + count] = own.inside[first : first + count]

        return keep

    def _run(self, phases: Sequence[_Phase]) -> None:
        size = _shard_size(self._count)
        shards = [(n, n * size, min((n + 1) * size, self._count)) for n in range(SHARDS) if n * size < self._count]
        for phase in phases:
            self._team.run(lambda shard, phase=phase: phase.run_shard(*shard), shards)  # type: ignore[misc]
            if phase.settle is not None:
                phase.settle()

    def forward(self, taken: FloatArray, random: np.random.Generator) -> FloatArray:
        """Logits (N, K) in training mode for the values (N, H, W, C) of the layout's input, N at most `batch`."""
        self._taken, self._count = taken, len(taken)
        for _, work, _ in self._works:
            work.start(random)
        self._team.run(lambda work: work.load(), self._loaded)
        self._run(self._forward)
        return self.values[self._layout.stages[-1].output].inside[: self._count, 0, 0].copy()

    def backward(self, gradient: FloatArray) -> None:
        """From the gradient with respect to the logits to those of all weights."""
        self._gradients[-1].inside[: self._count, 0, 0] = gradient
        self._run(self._backward)
        self._team.run(lambda work: work.collect(), self._collected)

    def places_in_order(self) -> list[tuple[int, FloatArray]]:
        """The main layer of each stage with its values of the last batch, for finding where numbers were lost."""
        return [(stage.place, self.values[stage.output].inside[: self._count]) for stage, _, _ in self._works]

    def values_by_place(self) -> dict[int, FloatArray]:
        """Values of the last batch by the place of the last layer of each stage."""
        return {stage.output: self.values[stage.output].inside[: self._count] for stage, _, _ in self._works}


def _adding(own: Plane, others: Sequence[Plane]) -> _Step:
    def add(first: int, count: int, shard: int) -> None:
        total = own.inside[first : first + count]
        for other in others:
            total += other.inside[first : first + count]

    return add


class InferenceProgram:
    """Forward passes over a few images at a time, for one thread."""

    def __init__(self, layout: Layout, numbers: Sequence[LayerNumbers], dtype: np.dtype[np.floating]) -> None:
        largest = max(spec.values for spec in layout.values.values()) * dtype.itemsize
        # Dense layers read all their weights for every call, so a call should bring several images.
        self.images = max(1, min(32, _INFERENCE_BYTES // largest))
        values = {place: make_plane(self.images, s.shape, s.halo, dtype) for place, s in layout.values.items()}
        self._input, self._output = values[layout.input], values[layout.stages[-1].output]
        self._works = []
        for stage in layout.stages:
            x = tuple(values[place] for place in stage.inputs)
            nothing = tuple(None for _ in x)
            joints = Joints(x=x, y=values[stage.output], gradient=None, x_gradients=nothing, images=self.images)
            self._works.append(make_work(stage, joints, numbers))
        for work in self._works:
            work.load()

    def run(self, taken: FloatArray, out: FloatArray) -> None:
        """Fill `out` (N, …) with the last stage's values for those of the input (N, …), N at most `images`."""
        count, values = len(taken), self._input.inside
        values[:count] = taken.reshape(count, *values.shape[1:])
        for work in self._works:
            work.forward(0, count, 0)
        out[:] = self._output.inside[:count].reshape(out.shape)
