"""From answers about the pictures to a variation: what may change without making a label untrue."""

from dataclasses import dataclass

from vast_orchard.core.pictures.variation import Operation, Variation, operation
from vast_orchard.errors import SettingError

__all__ = ["MIRRORED", "TURNED", "Answers", "variation_by_answers"]

MIRRORED = ("no", "sideways", "both")
TURNED = ("no", "slightly", "quarters", "any")


@dataclass(frozen=True, kw_only=True)
class Answers:
    """What a person says of the pictures; the defaults are the careful answers."""

    mirrored: str = "no"  # may it be mirrored: "no", "sideways", "both" ways
    turned: str = "slightly"  # may it be turned: "no", "slightly", by "quarters", by "any" angle
    size_is_clue: bool = False  # to a tenth or so, which is what a zoom changes
    colour_is_clue: bool = True
    light_is_even: bool = True  # as in the pictures to come
    sharp: bool = True  # are all pictures, and those to come, equally sharp
    covered: bool = False  # may a part be hidden

    def __post_init__(self) -> None:
        for name, answer, answers in (
            ("mirroring", self.mirrored, MIRRORED),
            ("turning", self.turned, TURNED),
        ):
            if answer not in answers:
                raise SettingError(f"The answer on {name} is {answer!r}.", f"Choose one of {', '.join(answers)}.")


def variation_by_answers(answers: Answers, channels: int = 3) -> Variation:
    """The variation that the answers allow; ranges are the operations' usual ones, wider where an answer says so.

    Parameters
    ----------
    answers : Answers
    channels : {1, 3}
        Of what the network sees; of grey pictures colours are not varied.
    """
    found: list[Operation] = []
    if answers.mirrored != "no":
        found.append(operation("mirror"))
    if answers.mirrored == "both":
        found.append(operation("flip"))
    if answers.turned == "quarters":
        found.append(operation("quarter-turn"))
    if answers.turned in ("slightly", "any"):
        found.append(operation("turn", *((-180, 180) if answers.turned == "any" else ())))
    found.append(operation("shift"))
    if not answers.size_is_clue:
        found.append(operation("zoom"))
    wide = not answers.light_is_even
    found.append(operation("brightness", *((0.6, 1.4) if wide else ())))
    found.append(operation("contrast", *((0.7, 1.4) if wide else ())))
    if wide:
        found.append(operation("gamma"))
    if not answers.colour_is_clue and channels == 3:
        found += [operation("saturation"), operation("hue"), operation("grey")]
    if not answers.sharp:
        found += [operation("blur"), operation("noise")]
    if answers.covered:
        found.append(operation("block"))
    return Variation(operations=tuple(found))
