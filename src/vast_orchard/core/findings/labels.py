"""Which labels are contradicted by answers of networks that have not learnt from their pictures."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["Contradicted", "contradicted"]

# Above it the label is not hopeless, however sure the network is of another one. Of crystals without a wrong label one
# in two hundred lies below, of wrong labels five in six (drawn for trying, none of them measured by later).
_HARDLY = 0.1


@dataclass(frozen=True, kw_only=True)
class Contradicted:
    """Pictures in the order of how much the answers contradict their labels."""

    order: Array  # (N,), int: places of the pictures, the most contradicted first
    margin: FloatArray  # (N,): probability of the label less that of the likeliest other class
    proposals: Array  # (N,), int: the likeliest other class
    thresholds: FloatArray  # (K,): from which probability on a picture is taken for one of the class; NaN without any
    named: Array  # (N,), bool
    expected: float  # of those named, labelled rightly if the probabilities are true


def contradicted(probabilities: FloatArray, labels: Array) -> Contradicted:
    """Hold labels against answers.

    Thresholds are by class, the mean probability that pictures under its label have of it, so that a class which the
    network is never sure of is not held to the measure of another; the order is that of the margin (confident
    learning: Northcutt, Jiang & Chuang 2021, "Confident learning: estimating uncertainty in dataset labels", sections
    3.1 and 3.3). Named is what reaches the threshold of another class while its label is hopeless.

    Parameters
    ----------
    probabilities : ndarray, shape (N, K), float
    labels : ndarray, shape (N,), int
    """
    count, classes = probabilities.shape
    places = np.arange(count)
    of_label = probabilities[places, labels].astype(np.float64)
    others = probabilities.astype(np.float64)
    others[places, labels] = -1.0
    proposals = others.argmax(axis=1)
    of_proposal = others[places, proposals]
    thresholds = np.array(
        [of_label[labels == k].mean() if (labels == k).any() else np.nan for k in range(classes)], np.float64
    )
    margin = of_label - of_proposal
    with np.errstate(invalid="ignore"):
        named = (of_proposal >= thresholds[proposals]) & (of_label < _HARDLY)
    return Contradicted(
        order=np.argsort(margin, kind="stable"),
        margin=margin,
        proposals=proposals,
        thresholds=thresholds,
        named=named,
        expected=float(of_label[named].sum()),
    )
