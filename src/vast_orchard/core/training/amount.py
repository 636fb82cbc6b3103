"""How long to train on so many pictures, and how strongly to vary them, where nobody said it."""

import math

from vast_orchard.core.training.settings import SETTINGS
from vast_orchard.errors import SettingError

__all__ = ["epochs_within", "proposed_epochs", "proposed_strength"]

# With few pictures an epoch is too short a unit: what is learnt goes by steps. Above that the steps grow more slowly
# than the pictures, with the power of two thirds, so that some thousands take little longer than 25 epochs of batches
# of 32 did. Measured from 70 to 3,000 pictures of four made-up sets (README, "Defaults").
_FEW, _FEW_STEPS, _FALL = 300, 1000, 1 / 3
_FEWEST, _MOST = 10, 200
# Few pictures are seen so often that they have to differ more; with some thousands it makes no difference (README).
_STRONG, _MANY = 1.5, 3000


def proposed_epochs(pictures: int, batch_size: int = 16) -> int:
    """Epochs for a training on so many pictures.

    Up to 300 pictures as many as make 1,000 steps, but at most 200, which is within a minute on two processors; from
    there on the epochs fall with the cube root of the pictures: eight times as many make four times the steps.

    Parameters
    ----------
    pictures : int
        Of the training set, at least 1.
    batch_size : int
    """
    few = _FEW_STEPS / math.ceil(min(pictures, _FEW) / batch_size)
    return max(_FEWEST, min(_MOST, round(few * min(1.0, (_FEW / pictures) ** _FALL))))


def proposed_strength(pictures: int) -> float:
    """Strength of the variation for a training on so many pictures: 1.5 for some hundreds, 1 for some thousands.

    In quarters, so that some pictures more or fewer are no other setting: a run says what it changed from the last.

    Parameters
    ----------
    pictures : int
        Of the training set, at least 1.
    """
    part = math.log(min(max(pictures, _FEW), _MANY) / _FEW) / math.log(_MANY / _FEW)
    return round(4 * (_STRONG + part * (1 - _STRONG))) / 4


def epochs_within(seconds: float, epoch_s: float) -> int:
    """As many whole epochs as fit into a time, at least one and at most as many as a training may have.

    Raises
    ------
    SettingError
        The time is none.
    """
    if not 0 < seconds < math.inf:
        raise SettingError(f"{seconds / 60:g} minutes are no time to train in.", "Give minutes above 0.")
    return int(max(1, min(SETTINGS["epochs"].high, seconds // epoch_s)))
