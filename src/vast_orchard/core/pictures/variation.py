"""What may happen to training pictures at random, as values."""

from dataclasses import dataclass

from vast_orchard.errors import SettingError

__all__ = ["NO_VARIATION", "Variation"]


@dataclass(frozen=True, kw_only=True)
class Variation:
    """What may happen to a training picture each time it is shown."""

    mirror: bool = True  # left to right, in half of the cases
    turn_degrees: float = 15.0  # turned by up to this either way; 180 is any angle, 0 is off
    brightness: float = 0.2  # made darker or lighter by up to this share; 0 is off

    def __post_init__(self) -> None:
        if not 0 <= self.turn_degrees <= 180:
            raise SettingError(f"A turn of up to {self.turn_degrees} degrees is asked for.", "Choose 0 to 180.")
        if not 0 <= self.brightness < 1:
            raise SettingError(f"A brightness change of {self.brightness} is asked for.", "Choose 0 to 0.9.")

    @property
    def does_nothing(self) -> bool:
        """True when every operation is off."""
        return not (self.mirror or self.turn_degrees or self.brightness)


NO_VARIATION = Variation(mirror=False, turn_degrees=0.0, brightness=0.0)
