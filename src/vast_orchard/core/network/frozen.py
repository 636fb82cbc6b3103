"""A network that only answers: batch norm folded into the weights before it, one set of planes for each thread."""

from queue import SimpleQueue

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network._program import InferenceProgram
from vast_orchard.core.network.layout import lay_out
from vast_orchard.core.network.network import Network, check_pictures
from vast_orchard.core.ops.softmax import softmax
from vast_orchard.core.team import Team

__all__ = ["FrozenNetwork"]


class FrozenNetwork:
    """A copy of a network's present weights, for answering any number of pictures.

    An image's answer does not depend on the others in its batch, nor on the number of threads, to the last bit.

    Parameters
    ----------
    network : Network
    team : Team, optional
        Threads to share out the pictures; the caller's alone by default.
    fold : bool
        False keeps batch norm apart, for measuring what folding changes.
    after, until : int
        Places, for a part of the network (`Learning.cut`); all of it by default.
    """

    def __init__(
        self, network: Network, team: Team | None = None, *, fold: bool = True, after: int = 0, until: int | None = None
    ) -> None:
        self.description, self._dtype, self._team = network.description, network.dtype, team or Team(1)
        layout = lay_out(network.description, fold=fold, after=after, until=until)
        self._programs: SimpleQueue[InferenceProgram] = SimpleQueue()
        for _ in range(self._team.threads):
            program = InferenceProgram(layout, network.numbers, network.dtype)
            self._programs.put(program)
        self._images = program.images
        self._takes = network.description.input_shape if not after else layout.values[after].shape
        self._gives = (network.classes,) if until is None else layout.values[until].shape

    def values(self, x: FloatArray) -> FloatArray:
        """Logits (N, K), or the values (N, H, W, C) of the layer where this part ends, for those that it takes.

        Raises
        ------
        ShapeError
            The pictures are not of the network's shape, or there are none.
        """
        check_pictures(x, self._takes)
        out = np.empty((len(x), *self._gives), self._dtype)

        def answer(first: int) -> None:
            program = self._programs.get()
            try:
                part = slice(first, first + self._images)
                program.run(x[part], out[part])
            finally:
                self._programs.put(program)

        self._team.run(answer, range(0, len(x), self._images))
        return out

    def logits(self, x: FloatArray) -> FloatArray:
        """Logits (N, K) for pictures (N, H, W, C), floating; raises as `values`."""
        return self.values(x)

    def probabilities(self, x: FloatArray) -> FloatArray:
        """Softmax of the logits.

        Shape (N, K), in the network's float32 or float64, for pictures of shape (N, H, W, C), floating.
        """
        return softmax(self.logits(x))
