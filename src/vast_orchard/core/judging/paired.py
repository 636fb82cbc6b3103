"""Whether one of two models is better on the same pictures, or chance alone could have made the difference."""

from fractions import Fraction

__all__ = ["exact_paired_test"]


def exact_paired_test(gained: int, lost: int) -> float:
    """How often at least as large a difference comes about by chance: a two-sided probability.

    McNemar 1947, "Note on the sampling error of the difference between correlated proportions", exactly by the
    binomial distribution. It asks about these two models: trained with other seeds, two others may differ otherwise.

    Parameters
    ----------
    gained, lost : int
        Pictures that only the second model gets right, and only the first.
    """
    count, fewer = gained + lost, min(gained, lost)
    # In whole numbers, so that nothing underflows with many pictures.
    tail = term = 1
    for place in range(fewer):
        term = term * (count - place) // (place + 1)
        tail += term
    return float(min(Fraction(1), Fraction(2 * tail, 2**count)))
