"""Softmax and its cross-entropy."""

import numpy as np

from vast_orchard.core.arrays import FloatArray, check_rank
from vast_orchard.errors import ShapeError

__all__ = ["softmax", "softmax_cross_entropy"]


def softmax(logits: FloatArray) -> FloatArray:
    """Probabilities of shape (N, K) from logits of shape (N, K); the row maximum is taken off first."""
    check_rank("logits", logits, 2, "(N, K)")
    powers = np.exp(logits - logits.max(axis=1, keepdims=True))
    return powers / powers.sum(axis=1, keepdims=True)


def softmax_cross_entropy(logits: FloatArray, targets: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Cross-entropy of each row, in nats, and the gradient of their mean.

    Parameters
    ----------
    logits : ndarray, shape (N, K)
    targets : ndarray, shape (N, K)
        Probabilities that sum to one in each row; one-hot for plain labels.

    Returns
    -------
    tuple of ndarray, shape (N,), and ndarray, shape (N, K)
    """
    check_rank("logits", logits, 2, "(N, K)")
    if targets.shape != logits.shape:
        raise ShapeError(f"targets has shape {targets.shape}, logits {logits.shape}.", "Give both the same shape.")
    shifted = logits - logits.max(axis=1, keepdims=True)
    log_sum = np.log(np.exp(shifted).sum(axis=1, keepdims=True))
    losses = ((log_sum - shifted) * targets).sum(axis=1)
    return losses, (np.exp(shifted - log_sum) - targets) / logits.dtype.type(len(logits))
