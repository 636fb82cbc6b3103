"""How long to train on so many pictures, where nobody said it."""

import math

__all__ = ["proposed_epochs"]

# With few pictures an epoch is too short a unit: what is learnt goes by steps. Above that the steps grow more slowly
# than the pictures. The steps were tried on few pictures of made-up sets (README, "Figures"); the fall keeps the time
# near what 25 epochs took at some thousands, and is not measured.
_FEW, _FEW_STEPS, _FALL = 300, 500, 0.25
_FEWEST, _MOST = 10, 150


def proposed_epochs(pictures: int, batch_size: int = 32) -> int:
    """Epochs for a training on so many pictures.

    Up to 300 pictures as many as make 500 steps, but at most 150, which is within a minute on two processors; from
    there on the epochs fall with the fourth root of the pictures: ten times as many make not quite six times the steps.

    Parameters
    ----------
    pictures : int
        Of the training set, at least 1.
    batch_size : int
    """
    few = _FEW_STEPS / math.ceil(min(pictures, _FEW) / batch_size)
    return max(_FEWEST, min(_MOST, round(few * min(1.0, (_FEW / pictures) ** _FALL))))
