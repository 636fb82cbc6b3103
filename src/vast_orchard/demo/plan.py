"""What a generated collection holds: every picture with its true class, its folder and its planted faults."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.demo.shapes import CLASSES
from vast_orchard.errors import SettingError

__all__ = ["Faults", "PlannedPicture", "plan_collection"]

# Pictures of each class in 1,400: graupel falls four times as often as needles.
_WEIGHTS = (90, 140, 190, 170, 210, 240, 360)
_LIKE = {  # what a tired observer takes it for
    "needle": "column",
    "column": "needle",
    "plate": "sectored",
    "sectored": "stellar",
    "stellar": "dendrite",
    "dendrite": "stellar",
    "graupel": "plate",
}


@dataclass(frozen=True, kw_only=True)
class Faults:
    """What is planted, and how strong; the defaults are those of the demo."""

    planted: bool = True  # without, no label is wrong, nothing is blurred, dark, oversized or there twice
    blur: float = 5.0  # radius at a side of 96 pixels; up to 1.2 is natural
    dim: float = 0.22  # factor on all light; the lamp itself goes from 0.75 to 1.1
    png_class: str = ""  # a class whose pictures were all kept as PNG, which gives it away; of the others every eighth


@dataclass(frozen=True, kw_only=True)
class PlannedPicture:
    """One file of the collection."""

    number: int  # also the name of the file
    true_class: str
    folder: str  # the label it is filed under, or "unlabelled"
    fault: str = ""  # "", wrong_label, blurred, dark, oversized, exact_copy, near_copy, unlabelled
    of: int | None = None  # for copies: the number of the original
    draw: int = 0  # number whose random stream draws it
    nested: bool = False  # lies in a folder of the same name within its folder


def _class_sequence(count: int, random: np.random.Generator) -> list[str]:
    weights = np.array(_WEIGHTS, float) / sum(_WEIGHTS)
    counts = np.maximum(1, np.floor(weights * count).astype(int))
    counts[-1] += count - counts.sum()
    names = [name for name, n in zip(CLASSES, counts, strict=True) for _ in range(int(n))]
    return [names[i] for i in random.permutation(len(names))]


def plan_collection(count: int, seed: int, faults: Faults = Faults()) -> list[PlannedPicture]:
    """Plan `count` labelled and, beside them, unlabelled pictures; faults keep their share of the collection.

    Raises
    ------
    SettingError
        Fewer than 70 or more than a million pictures, or a class that there is not.
    """
    if faults.png_class not in ("", *CLASSES):
        raise SettingError(f"There is no class {faults.png_class!r}.", f"Choose one of {', '.join(CLASSES)}.")
    if not 70 <= count <= 1_000_000:
        raise SettingError(f"A collection of {count} pictures is asked for.", "Choose 70 to 1,000,000.")
    random = np.random.default_rng([seed, 0])

    def share(of_1400: int) -> int:
        return max(1, round(of_1400 * count / 1400))

    exact, near = (share(25), share(60)) if faults.planted else (0, 0)
    names = _class_sequence(count - exact - near, random)
    kinds = ["wrong_label"] * share(28) + ["blurred"] * share(30) + ["dark"] * share(20)
    kinds += ["oversized"] * min(4, share(4))
    kinds = kinds if faults.planted else []
    kinds += [""] * (len(names) - len(kinds))
    planned = []
    for number, place in enumerate(random.permutation(len(names))):
        name, fault = names[number], kinds[place]
        folder = _LIKE[name] if fault == "wrong_label" else name
        planned.append(PlannedPicture(number=number, true_class=name, folder=folder, fault=fault, draw=number))
    clean = [entry for entry in planned if not entry.fault]
    originals = [clean[i] for i in random.choice(len(clean), exact + near, replace=False)]
    elsewhere = share(5)
    for place, original in enumerate(originals):
        is_exact = place < exact
        moved = is_exact and place < elsewhere
        planned.append(
            PlannedPicture(
                number=len(planned),
                true_class=original.true_class,
                folder=_LIKE[original.true_class] if moved else original.folder,
                fault="exact_copy" if is_exact else "near_copy",
                of=original.number,
                draw=original.number,
            )
        )
    plates = [place for place, entry in enumerate(planned) if entry.folder == "plate" and entry.of is None]
    for place in plates[::4] if faults.planted else ():
        entry = planned[place]
        planned[place] = PlannedPicture(**{**entry.__dict__, "nested": True})
    for name in _class_sequence(max(7, share(60)), random):
        number = len(planned)
        planned.append(
            PlannedPicture(number=number, true_class=name, folder="unlabelled", fault="unlabelled", draw=number)
        )
    return planned
