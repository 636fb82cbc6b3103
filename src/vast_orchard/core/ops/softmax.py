"""Softmax and its cross-entropy."""

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray, check_rank
from vast_orchard.errors import ShapeError

__all__ = ["soft_targets", "softmax", "softmax_cross_entropy"]


def softmax(logits: FloatArray) -> FloatArray:
    """Probabilities of shape (N, K) from logits of shape (N, K); the row maximum is taken off first.

    Of the floating dtype of the logits.
    """
    check_rank("logits", logits, 2, "(N, K)")
    powers = np.exp(logits - logits.max(axis=1, keepdims=True))
    return powers / powers.sum(axis=1, keepdims=True)


def soft_targets(labels: Array, classes: int, smoothing: float = 0.0) -> FloatArray:
    """One-hot targets (N, K), float32, of which a share is spread evenly over all classes.

    Szegedy et al. 2016, "Rethinking the Inception Architecture", section 7.

    Raises
    ------
    ShapeError
        A label is none of the classes.
    """
    if len(labels) and not 0 <= labels.min() <= labels.max() < classes:
        raise ShapeError(
            f"Labels reach from {labels.min()} to {labels.max()}.",
            f"Those of {classes} classes are 0 to {classes - 1}.",
        )
    targets = np.full((len(labels), classes), smoothing / classes, np.float32)
    targets[np.arange(len(labels)), labels] += 1 - smoothing
    return targets


def softmax_cross_entropy(
    logits: FloatArray, targets: FloatArray, weights: FloatArray | None = None
) -> tuple[FloatArray, FloatArray]:
    """Cross-entropy of each row, in nats, and the gradient of their mean.

    All floating; answers are of the dtype of the logits.

    Parameters
    ----------
    logits : ndarray, shape (N, K)
    targets : ndarray, shape (N, K)
        Probabilities that sum to one in each row; one-hot for plain labels.
    weights : ndarray, shape (N,), optional
        What each row counts in the mean; all alike by default. The rows' own losses are not multiplied by it.

    Returns
    -------
    tuple of ndarray, shape (N,), and ndarray, shape (N, K)

    Raises
    ------
    ShapeError
        Shapes differ, or no row has a weight.
    """
    check_rank("logits", logits, 2, "(N, K)")
    if targets.shape != logits.shape:
        raise ShapeError(f"targets has shape {targets.shape}, logits {logits.shape}.", "Give both the same shape.")
    shares = np.full(len(logits), 1 / len(logits))
    if weights is not None:
        if weights.shape != (len(logits),) or not weights.sum() > 0:
            raise ShapeError(
                f"The weights {weights} do not fit {len(logits)} rows.", "Give each row one, and some above 0."
            )
        shares = weights / weights.sum()
    shifted = logits - logits.max(axis=1, keepdims=True)
    log_sum = np.log(np.exp(shifted).sum(axis=1, keepdims=True))
    losses = ((log_sum - shifted) * targets).sum(axis=1)
    return losses, (np.exp(shifted - log_sum) - targets) * shares[:, None].astype(logits.dtype)
