"""A network that learns: built from a description, it holds weights, running statistics and the planes of a batch."""

from collections.abc import Mapping

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray, check_floating, check_rank
from vast_orchard.core.network._program import TrainingProgram
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.layout import lay_out_training, picture_shape
from vast_orchard.core.network.learning import Learning, all_learn
from vast_orchard.core.network.parameters import first_numbers
from vast_orchard.core.network.plan import plan
from vast_orchard.core.team import Team
from vast_orchard.errors import ShapeError

__all__ = ["Network", "check_pictures"]


def check_pictures(x: FloatArray, shape: tuple[int, ...]) -> None:
    """Raise `ShapeError` unless `x` is a batch of pictures (N, H, W, C) of `shape`. Of any floating dtype."""
    check_rank("x", x, 4, "(N, H, W, C)")
    check_floating("x", x)
    if x.shape[1:] != shape:
        raise ShapeError(
            f"Pictures have shape {x.shape[1:]} and the network expects {shape}.",
            "Resize them first.",
        )


class Network:
    """Layers joined as their description says.

    Parameters
    ----------
    description : NetworkDescription
    seed : int
        Draws the first weights.
    dtype : type
        float32 for work; float64 for checks of gradients.
    team : Team, optional
        Threads for training; the caller's alone by default. Their number changes no bit of any result.

    Raises
    ------
    DescriptionError
        The description does not hold together.
    """

    def __init__(
        self,
        description: NetworkDescription,
        seed: int = 0,
        dtype: type[np.floating] = np.float32,
        team: Team | None = None,
    ) -> None:
        planned = plan(description)
        self.description = description
        self.dtype = np.dtype(dtype)
        self.learning = all_learn(description)
        self._layout = lay_out_training(description, self.learning)
        self._input_shape: tuple[int, ...] = description.input_shape
        self.classes = planned.layers[-1].shape[0]
        self._team = team or Team(1)
        random = np.random.default_rng(seed)
        shapes = [description.input_shape, *(entry.shape for entry in planned.layers)]
        self.names = [entry.id for entry in planned.layers]
        self.numbers = [
            first_numbers(layer, entry, shapes[entry.sources[0]], random, self.dtype)
            for layer, entry in zip(description.flat, planned.layers, strict=True)
        ]
        self._program: TrainingProgram | None = None

    @property
    def parameters(self) -> dict[str, FloatArray]:
        """Trained values by `id.name` of their layer; the arrays themselves, not copies.

        Each of its layer's shape, float32 or float64 as the network.
        """
        return self._gather("parameters")

    @property
    def learning_parameters(self) -> dict[str, FloatArray]:
        """Those of the layers that learn; the arrays themselves, of shape and dtype as of `parameters`."""
        learning = {self.names[place - 1] for place in self.learning.learns}
        return {name: value for name, value in self.parameters.items() if name.partition(".")[0] in learning}

    def let_learn(self, learning: Learning) -> None:
        """From now on only these layers learn, and `forward` takes the values at `learning.cut`."""
        self.learning, self._program = learning, None
        self._layout = lay_out_training(self.description, learning)
        if learning.cut:
            self._input_shape = picture_shape(plan(self.description).layers[learning.cut - 1].shape)
        else:
            self._input_shape = self.description.input_shape
        for numbers in self.numbers:
            numbers.gradients.clear()

    @property
    def gradients(self) -> dict[str, FloatArray]:
        """Gradients of the last `backward`, by the same names; the next one overwrites them.

        Of the shape and dtype of the parameter, as of `parameters`.
        """
        return self._gather("gradients")

    def _gather(self, what: str) -> dict[str, FloatArray]:
        return {
            f"{name}.{key}": value
            for name, numbers in zip(self.names, self.numbers, strict=True)
            for key, value in getattr(numbers, what).items()
        }

    def state(self) -> dict[str, FloatArray]:
        """Copies of parameters and running statistics, by name.

        Shapes and dtype as of `parameters`; statistics have shape (C,).
        """
        return {name: value.copy() for name, value in self.held().items()}

    def held(self) -> dict[str, FloatArray]:
        """Parameters and running statistics, by `id.name` of their layer; the arrays themselves, not copies.

        Shapes and dtype as of `parameters`; statistics have shape (C,).
        """
        return {**self.parameters, **self._gather("statistics")}

    def load(self, state: Mapping[str, Array]) -> None:
        """Take over what `state` returned.

        Raises
        ------
        ShapeError
            A name is missing, or a shape is another.
        """
        for name, value in self.held().items():
            new = state.get(name)
            if new is None or new.shape != value.shape:
                raise ShapeError(
                    f"{name} is {'missing' if new is None else new.shape}, not {value.shape}.",
                    "The stored weights belong to another network.",
                )
            value[...] = new

    def forward(self, x: FloatArray, random: np.random.Generator) -> FloatArray:
        """Logits (N, K) in training mode for x (N, H, W, C): batch norm by the batch, dropout drawn from `random`.

        x are pictures or, where the first part is frozen (`let_learn`), its values (`FrozenNetwork`).

        Raises
        ------
        ShapeError
            The pictures are not of the network's shape, or there are none.
        """
        check_pictures(x, self._input_shape)
        if self._program is None or len(x) > self._program.batch:
            self._program = TrainingProgram(self._layout, self.numbers, len(x), self.dtype, self._team)
        return self._program.forward(x, random)

    def backward(self, grad: FloatArray) -> None:
        """Fill `gradients` from the gradient with respect to the logits of the last `forward`.

        `grad` has shape (N, K), floating.
        """
        assert self._program is not None, "backward needs a forward pass first"
        self._program.backward(grad)

    def values_by_place(self) -> Mapping[int, FloatArray]:
        """Values (N, H, W, C) of the last `forward`, of the network's dtype, by place of a layer.

        Of layers that are computed together there are those of the last one only; they are overwritten by the next
        `forward`.
        """
        assert self._program is not None
        return self._program.values_by_place()

    def first_lost(self) -> str | None:
        """Name of the first layer whose values in the last `forward` hold infinity or not-a-number, if any does."""
        assert self._program is not None
        for place, values in self._program.places_in_order():
            if not np.isfinite(values).all():
                return self.names[place - 1]
        return None
