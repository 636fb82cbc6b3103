"""How many pictures each set should get: by shares or by numbers."""

from collections.abc import Mapping
from dataclasses import dataclass

from vast_orchard.core.sets.split import Shares
from vast_orchard.errors import SplitError
from vast_orchard.types import SetName

__all__ = ["Numbers", "shares_of"]


@dataclass(frozen=True, kw_only=True)
class Numbers:
    """Pictures of each set; what is left is in none."""

    training: int
    validation: int
    test: int = 0

    def __post_init__(self) -> None:
        if self.training < 1 or self.validation < 1 or self.test < 0:
            raise SplitError(
                f"{self.training}, {self.validation} and {self.test} pictures are asked for.",
                "Give training and validation at least one, and test none or more.",
            )


def shares_of(numbers: Numbers, count: int) -> Shares:
    """The shares of `count` pictures that are those numbers.

    Raises
    ------
    SplitError
        There are fewer pictures.
    """
    wanted: Mapping[SetName, int] = {name: getattr(numbers, name.value) for name in SetName}
    total = sum(wanted.values())
    if total > count:
        raise SplitError(
            f"{total:,} pictures are asked for, and there are {count:,} to divide.", f"Ask for at most {count:,}."
        )
    return Shares(**{name.value: number / count for name, number in wanted.items()})
