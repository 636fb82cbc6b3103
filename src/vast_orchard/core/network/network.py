"""A network that computes: built from a description, it holds weights and running statistics."""

from collections.abc import Mapping

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray, check_rank
from vast_orchard.core.network._layers import build_layer
from vast_orchard.core.network.description import NetworkDescription, plan
from vast_orchard.core.ops.softmax import softmax
from vast_orchard.errors import ShapeError

__all__ = ["Network"]


class Network:
    """Layers in a row.

    Parameters
    ----------
    description : NetworkDescription
    seed : int
        Draws the first weights.
    dtype : type
        float32 for work; float64 for checks of gradients.

    Raises
    ------
    DescriptionError
        The description does not hold together.
    """

    def __init__(self, description: NetworkDescription, seed: int = 0, dtype: type[np.floating] = np.float32) -> None:
        plans = plan(description)
        self.description = description
        self.dtype = np.dtype(dtype)
        random = np.random.default_rng(seed)
        shapes = [description.input_shape, *(entry.shape for entry in plans)]
        self._layers = [
            build_layer(layer, shape, random, self.dtype)
            for layer, shape in zip(description.layers, shapes, strict=False)
        ]
        self.names = [f"{entry.place:02d}_{entry.kind}" for entry in plans]

    @property
    def parameters(self) -> dict[str, FloatArray]:
        """Trained values by `place_kind.name`; the arrays themselves, not copies."""
        return self._gather("parameters")

    @property
    def gradients(self) -> dict[str, FloatArray]:
        """Gradients of the last `backward`, by the same names."""
        return self._gather("gradients")

    def _gather(self, what: str) -> dict[str, FloatArray]:
        return {
            f"{name}.{key}": value
            for name, layer in zip(self.names, self._layers, strict=True)
            for key, value in getattr(layer, what).items()
        }

    def state(self) -> dict[str, FloatArray]:
        """Copies of parameters and running statistics, by name."""
        return {name: value.copy() for name, value in {**self.parameters, **self._gather("statistics")}.items()}

    def load(self, state: Mapping[str, Array]) -> None:
        """Take over what `state` returned.

        Raises
        ------
        ShapeError
            A name is missing, or a shape is another.
        """
        for name, layer in zip(self.names, self._layers, strict=True):
            for values in (layer.parameters, layer.statistics):
                for key, old in values.items():
                    new = state.get(f"{name}.{key}")
                    if new is None or new.shape != old.shape:
                        raise ShapeError(
                            f"{name}.{key} is {'missing' if new is None else new.shape}, not {old.shape}.",
                            "The stored weights belong to another network.",
                        )
                    values[key] = new.astype(self.dtype)

    def forward(self, x: FloatArray, random: np.random.Generator | None = None) -> FloatArray:
        """Logits of shape (N, K) for x of shape (N, H, W, C); `random` switches training mode on."""
        check_rank("x", x, 4, "(N, H, W, C)")
        if x.shape[1:] != self.description.input_shape:
            raise ShapeError(
                f"Pictures have shape {x.shape[1:]} and the network expects {self.description.input_shape}.",
                "Resize them first.",
            )
        for layer in self._layers:
            x = layer.forward(x, random)
        return x

    def backward(self, grad: FloatArray) -> None:
        """Fill `gradients` from the gradient with respect to the logits, after a forward in training mode."""
        for place in range(len(self._layers) - 1, -1, -1):
            grad = self._layers[place].backward(grad, input_gradient=place > 0)

    def probabilities(self, x: FloatArray) -> FloatArray:
        """Softmax of the logits in inference mode."""
        return softmax(self.forward(x))
