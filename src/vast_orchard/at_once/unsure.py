"""Under which probability a model says "unsure": one for all classes, or what an aim asks of each."""

from collections.abc import Mapping, Sequence
from typing import Any

from vast_orchard.errors import ConflictError, InputError

__all__ = ["below_for_aim"]


def below_for_aim(
    sureness: Mapping[str, Any] | None, classes: int, wanted: float, *, by_class: bool
) -> Sequence[float | None]:
    """The lowest thresholds with which so many of the answers are right, by class; None: it never answers.

    Parameters
    ----------
    sureness : mapping, optional
        Of the validation pictures, as it is stored.
    classes : int
    wanted : float
        One of `core.judging.answering.AIMS`.
    by_class : bool
        A threshold for each class with answers enough; the others share that of all.

    Raises
    ------
    ConflictError
        Nothing is known of the validation pictures, or no threshold reaches the aim.
    InputError
        It is none of the aims.
    """
    if sureness is None:
        raise ConflictError("How sure this model is was not computed yet.", "Judge it on validation first.")
    aims = sureness["answering"]["aims"]
    aim = next((entry for entry in aims if entry["wanted"] == wanted), None)
    if aim is None:
        raise InputError(f"{wanted} is no aim.", f"Take one of {', '.join(str(entry['wanted']) for entry in aims)}.")
    # What JSON has for the place of a class is text.
    own = {int(place): below for place, below in aim["by_class"].items()} if by_class else {}
    found = [own.get(place, aim["below"]) for place in range(classes)]
    if all(below is None for below in found):
        raise ConflictError(
            f"No threshold makes {wanted} of the answers right.", "Take a lower aim, or mend what it errs on."
        )
    return found
