"""Which epoch of a training is kept."""

from vast_orchard.core.training.settings import Keep
from vast_orchard.core.training.values import EpochMetrics

__all__ = ["figure_kept_by", "is_better"]

_FIGURES = {
    Keep.LOWEST_LOSS: ("validation_loss", -1),
    Keep.HIGHEST_ACCURACY: ("validation_accuracy", 1),
    Keep.HIGHEST_F1: ("validation_macro_f1", 1),
}


def figure_kept_by(keep: Keep) -> str | None:
    """Name of the figure that decides; None where the last epoch is kept whatever it says."""
    return _FIGURES[keep][0] if keep in _FIGURES else None


def is_better(new: EpochMetrics, kept: EpochMetrics | None, keep: Keep) -> bool:
    """Whether an epoch is kept instead of the one kept so far; of equal ones the first stays.

    Parameters
    ----------
    new : EpochMetrics
    kept : EpochMetrics or None
        None before the first epoch.
    keep : Keep
        Where the figure it asks for is not there, because nothing was validated, the last epoch is kept.
    """
    if kept is None or keep not in _FIGURES:
        return True
    name, sign = _FIGURES[keep]
    if name not in new.figures or name not in kept.figures:
        return True
    return sign * new.figures[name] > sign * kept.figures[name]
