"""What is done to every picture alike before the network sees it."""

from dataclasses import dataclass

from vast_orchard.errors import SettingError

__all__ = ["Preprocessing"]


@dataclass(frozen=True, kw_only=True)
class Preprocessing:
    """The whole picture, stretched to a square of the network's input size."""

    size: int = 48  # side in pixels
    colour: str = "rgb"  # "rgb" or "grey"
    ground: tuple[int, int, int] = (0, 0, 0)  # laid under transparent pictures, 0 to 255

    def __post_init__(self) -> None:
        if not 8 <= self.size <= 512:
            raise SettingError(f"The input size is {self.size}.", "Choose 8 to 512 pixels; 32 to 128 is usual.")
        if self.colour not in ("rgb", "grey"):
            raise SettingError(f"The colour is {self.colour!r}.", "Choose 'rgb' or 'grey'.")
        if len(self.ground) != 3 or any(not 0 <= value <= 255 for value in self.ground):
            raise SettingError(f"The ground colour is {self.ground}.", "Give red, green and blue from 0 to 255.")

    @property
    def channels(self) -> int:
        """3 for colour, 1 for grey."""
        return 3 if self.colour == "rgb" else 1

    @property
    def input_shape(self) -> tuple[int, int, int]:
        """Height, width and channels of what the network sees."""
        return (self.size, self.size, self.channels)
