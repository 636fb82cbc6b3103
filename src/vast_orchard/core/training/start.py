"""What a training starts from if not from nothing, and what of it learns."""

from dataclasses import dataclass
from enum import StrEnum

from vast_orchard.errors import SettingError

__all__ = ["RATE_FACTOR", "Learns", "Start", "phase_epochs"]


# From a model of the same kind of pictures the whole rate lets the loss rise in between, and ends no worse than 0.3 or
# 0.1 of it; from the starters it ended better than 0.3 (README, "Starters").
RATE_FACTOR = 1.0


class Learns(StrEnum):
    """What moves in a training that starts from something."""

    ALL = "all"
    NEW = "new"  # only what was not taken over
    NEW_THEN_ALL = "new-then-all"
    AFTER = "after"  # what comes after a layer


@dataclass(frozen=True, kw_only=True)
class Start:
    """Where a training starts from, and what of it learns."""

    words: str  # what people call it
    digest: str  # of its weights, SHA-256
    learns: Learns = Learns.ALL
    new_epochs: int = 0  # of all epochs the first ones, with NEW_THEN_ALL: only what is new learns in them
    frozen_to: str = ""  # id of the last layer that stays as it is, with AFTER
    rate_factor: float = RATE_FACTOR  # by which the rate of what was taken over is multiplied
    # Whether batch norms that were taken over go by each batch and move their statistics, as new ones do.
    moving_statistics: bool = False
    # Whether pictures are standardised by statistics of these pictures instead of the model's.
    new_statistics: bool = False

    def __post_init__(self) -> None:
        try:
            object.__setattr__(self, "learns", Learns(self.learns))
        except ValueError:
            choices = ", ".join(Learns)
            raise SettingError(f"What learns cannot be {self.learns!r}.", f"Choose one of {choices}.") from None
        if self.learns is Learns.NEW_THEN_ALL and self.new_epochs < 1:
            raise SettingError(
                f"The phase in which only new layers learn has {self.new_epochs} epochs.",
                "Give it at least 1, or let everything learn from the start.",
            )
        if not 0 < self.rate_factor <= 10:
            raise SettingError(
                f"The rate of what is taken over cannot be {self.rate_factor:g} times the rate.",
                "Choose above 0, at most 10; to keep layers as they are, let only new ones learn.",
            )


def phase_epochs(start: Start | None, epochs: int) -> tuple[int, ...]:
    """Epochs of each phase of a training of so many.

    Raises
    ------
    SettingError
        One of two phases has none.
    """
    if start is None or start.learns is not Learns.NEW_THEN_ALL:
        return (epochs,)
    if start.new_epochs >= epochs:
        raise SettingError(
            f"Of {epochs} epochs {start.new_epochs} are for new layers only, which leaves none for everything.",
            "Give the training more epochs, or the first phase fewer.",
        )
    return start.new_epochs, epochs - start.new_epochs
