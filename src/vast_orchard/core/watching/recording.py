"""Figures of layers, taken from steps that a training makes anyway."""

import math
from typing import Any

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network.network import Network
from vast_orchard.core.watching import _record_kernels as kernels
from vast_orchard.core.watching.figures import BANDS, LayerFigures
from vast_orchard.core.watching.rows import WatchedLayer, watched_layers
from vast_orchard.core.watching.watch import Watch

__all__ = ["LayerRecorder"]

# Values that a quantile is taken of, and values that a layer is looked over for in one step: more cost time and tell
# no more.
_SAMPLE, _LOOKED_OVER = 1024, 131_072
_LEAST_IMAGES = 4


class _Sums:
    """What is added up of a layer until the end of an epoch."""

    def __init__(self) -> None:
        self.steps = 0
        self.figures: dict[str, float] = {}
        self.bands = np.zeros(len(BANDS))
        self.weight_bands = np.zeros(len(BANDS))
        self.values, self.sums = 0, np.zeros(4)
        self.awake: FloatArray | None = None

    def add(self, name: str, value: float) -> None:
        self.figures[name] = self.figures.get(name, 0.0) + value


class LayerRecorder:
    """Looks at every so manieth step of a training; changes no bit of it.

    Parameters
    ----------
    network : Network
    watch : Watch
        How often, and of which layers what.
    steps : int
        In an epoch.
    """

    def __init__(self, network: Network, watch: Watch, steps: int) -> None:
        self._network, self._watch, self._steps = network, watch, steps
        chosen = watched_layers(network.description) if watch.every else ()
        self._layers = [entry for entry in chosen if not watch.layers or entry.id in watch.layers]
        self._held: dict[str, FloatArray] = {}
        self._sums: dict[str, _Sums] = {}
        self._sample = np.zeros(_SAMPLE, np.float32)

    def due(self, epoch: int, step: int) -> bool:
        """Whether a step, counted from 1, is measured: by its number alone, so that it is the same after a pause."""
        every = self._watch.every
        return bool(self._layers) and ((epoch - 1) * self._steps + step) % every == 0

    def before(self) -> None:
        """Hold on to the weights, once gradients are there and before they move."""
        moving = self._network.learning_parameters
        self._held = {n: moving[n].copy() for entry in self._layers if (n := entry.weights) and n in moving}

    def after(self) -> None:
        """Take the figures of a step that was made."""
        network, values = self._network, self._network.values_by_place()
        for entry in self._layers:
            sums = self._sums.setdefault(entry.id, _Sums())
            sums.steps += 1
            if entry.weights:
                self._weigh(entry.weights, sums, network.parameters[entry.weights])
            if entry.output in values:
                self._look(entry, sums, values[entry.output])

    def _weigh(self, name: str, sums: _Sums, weights: FloatArray) -> None:
        flat = weights.reshape(-1)
        length = _length(flat)
        sums.add("weight", length / math.sqrt(len(flat)))
        sums.weight_bands += np.quantile(flat[:: max(1, len(flat) // _SAMPLE)], BANDS)
        if name not in self._held:
            return
        gradient = self._network.gradients[name].reshape(-1)
        sums.add("gradient", _length(gradient) / math.sqrt(len(gradient)))
        moved = _length(flat - self._held[name].reshape(-1))
        # Weights that are all zero and stay so have moved by nothing.
        sums.add("update", moved / length if length else float(moved > 0))

    def _look(self, entry: WatchedLayer, sums: _Sums, values: FloatArray) -> None:
        images, one = len(values), math.prod(values.shape[1:])
        looked = values[: max(_LEAST_IMAGES, min(images, _LOOKED_OVER // one))]
        if sums.awake is None:
            sums.awake = np.zeros(values.shape[-1], np.bool_)
        taken = kernels.look_over(looked, entry.low, entry.high, sums.awake, self._sample, sums.sums)
        sums.values += looked.size
        sums.bands += np.quantile(self._sample[:taken], BANDS)

    def take(self) -> tuple[LayerFigures, ...]:
        """The figures of the epoch that is over, and begin anew; empty if no step of it was measured."""
        found = tuple(self._figures(entry, self._sums[entry.id]) for entry in self._layers if entry.id in self._sums)
        self._sums = {}
        return found

    def _figures(self, entry: WatchedLayer, sums: _Sums) -> LayerFigures:
        figures: dict[str, Any] = {name: value / sums.steps for name, value in sums.figures.items()}
        if entry.weights:
            figures["weight_bands"] = tuple((sums.weight_bands / sums.steps).tolist())
        if sums.awake is not None:
            mean, squares, zeros, pinned = (sums.sums / sums.values).tolist()
            figures |= {
                "mean": mean, "deviation": math.sqrt(max(0.0, squares - mean * mean)), "zeros": zeros,
                "bands": tuple((sums.bands / sums.steps).tolist()),
            }  # fmt: skip
            if entry.rectified:
                figures["asleep"] = 1 - float(sums.awake.mean())
            if math.isfinite(entry.high):
                figures["pinned"] = pinned
        wanted = self._watch.wanted
        return LayerFigures(layer=entry.id, **{name: value for name, value in figures.items() if name in wanted})


def _length(flat: FloatArray) -> float:
    return math.sqrt(float(np.dot(flat, flat)))
