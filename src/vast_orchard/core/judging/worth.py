"""Which unlabelled pictures are most worth labelling first: doubtful ones that are unlike one another.

A small margin between the two likeliest classes (Scheffer, Decomain and Wrobel 2001, "Active hidden Markov models for
information extraction") says that a label would teach something; pictures that lie far from all chosen before them
(farthest first, Gonzalez 1985; for labelling Sener and Savarese 2018, "Active learning for convolutional neural
networks: a core-set approach") say that it is not the same thing twice. The next is the one whose doubt times distance
is largest.
"""

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.errors import ShapeError

__all__ = ["worth_labelling"]

# So many of the most doubtful are compared, and so many chosen; nobody labels more in one sitting.
_CANDIDATES, _CHOSEN = 5000, 500


def worth_labelling(probabilities: FloatArray, features: FloatArray) -> Array:
    """Places of the pictures, the one most worth labelling first.

    Parameters
    ----------
    probabilities : ndarray, shape (N, K), floating
    features : ndarray, shape (N, F), floating
        Of unit length: their product is their likeness.

    Returns
    -------
    ndarray, shape (N,), int64
        Beyond the chosen ones by their margin alone.
    """
    if len(probabilities) != len(features):
        raise ShapeError(f"There are answers of {len(probabilities)} pictures and features of {len(features)}.")
    if probabilities.shape[1] < 2:
        return np.arange(len(probabilities))
    ranked = np.sort(probabilities, axis=1)
    doubt = 1 - (ranked[:, -1] - ranked[:, -2]).astype(np.float64)
    order = np.argsort(-doubt, kind="stable")
    candidates = order[:_CANDIDATES]
    vectors, doubts = features[candidates].astype(np.float32), doubt[candidates]
    # As if there were one behind everything: the first chosen is the most doubtful.
    distance = np.full(len(candidates), 2.0)
    chosen = []
    for _ in range(min(_CHOSEN, len(candidates))):
        place = int(np.argmax(doubts * distance))
        chosen.append(place)
        # The library's kernels may touch lanes beyond the vectors, and then raise a flag that means nothing.
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            likeness = vectors @ vectors[place]
        distance = np.minimum(distance, np.clip(1 - likeness, 0, 2))
        distance[chosen] = -1
    rest = np.setdiff1d(np.arange(len(order)), chosen, assume_unique=True)
    return np.concatenate([order[chosen], order[rest]])
