"""What `--vary` says: a list or a range of something that a search tries."""

from vast_orchard.core.planning.knobs import KNOBS, Knob
from vast_orchard.core.training.settings import SETTINGS
from vast_orchard.errors import SettingError

__all__ = ["read_knob"]

_NAMED = ("network", "variation", "start")


def read_knob(text: str) -> Knob:
    """What `--vary` says: `name=a,b,c` for a list, `name=low..high` for a range, `name=low..high:ratio` by ratio.

    What trials start from is a list with `;` between: nothing, names of starters, model files.

    Raises
    ------
    SettingError
    """
    name, equals, told = text.partition("=")
    name = name.strip().replace("-", "_")
    if not equals or not told.strip():
        raise SettingError(
            f"{text!r} does not say what to try.", "Write name=1,2,3 or name=0.001..0.1, with :ratio behind by ratio."
        )
    entry = SETTINGS.get(name)
    words = entry is not None and entry.kind in ("choice", "switch")
    if ".." in told and name not in _NAMED and not words:
        ends, _, how = told.partition(":")
        low, _, high = ends.partition("..")
        if how not in ("", "ratio"):
            raise SettingError(f"{text!r} ends in {how!r}.", "A range ends in :ratio or in nothing.")
        return Knob(name=name, low=_number(low), high=_number(high), by_ratio=how == "ratio")
    # The names of starters have commas in them.
    values = [part.strip() for part in told.split(";" if name == "start" else ",") if part.strip()]
    if (name in KNOBS and name not in _NAMED) or (entry is not None and entry.kind in ("whole", "number")):
        whole = entry.kind == "whole" if entry else name == "size"
        return Knob(name=name, values=tuple(int(_number(one)) if whole else _number(one) for one in values))
    if entry is not None and entry.kind == "switch":
        return Knob(name=name, values=tuple(one.lower() in ("yes", "true", "1", "on") for one in values))
    return Knob(name=name, values=tuple(values))


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError as error:
        raise SettingError(f"{text!r} is no number.", "Write numbers, as in 0.001..0.1 or 16,32.") from error
