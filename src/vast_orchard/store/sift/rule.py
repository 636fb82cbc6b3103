"""Which Sifts a working area's rule may go by: those that ask for what every new picture has, and never for the class.

A part that is chosen by class tells the network the answer before it has looked, and what it then learns is worth
nothing on a picture whose class is not known yet.
"""

from collections.abc import Iterator, Sequence

from vast_orchard.store.sift.syntax import (
    All,
    Anyone,
    Compare,
    Condition,
    Flag,
    Not,
    Sift,
    SiftError,
    Text,
)

__all__ = ["RULE_FIELDS", "check_rule_sift"]

# Facts of a file that a picture of any class has, and a new one too.
RULE_FIELDS = ("name", "source", "format", "mode", "width", "height", "side", "shape", "size", "brightness")
_SHORTEST = 3  # letters of a class's name that are looked for in texts: shorter ones stand in any word
_WHY = "A rule that goes by the class would tell the network the answer, and a new picture has no class yet."


def _parts(condition: Condition) -> Iterator[Compare | Flag | Text]:
    match condition:
        case All(parts=parts) | Anyone(parts=parts):
            for part in parts:
                yield from _parts(part)
        case Not(inner=inner):
            yield from _parts(inner)
        case Compare() | Flag() | Text():
            yield condition


def check_rule_sift(sift: Sift, classes: Sequence[str]) -> None:
    """Refuse what a rule may not ask.

    Parameters
    ----------
    classes : sequence of str
        Names of the project's classes, which may not stand in its texts.

    Raises
    ------
    SiftError
    """
    allowed = f"Ask for {', '.join(RULE_FIELDS)}."
    if sift.order:
        raise SiftError("A rule has no order.", "Take it out.", sift.order[0].place)
    for part in _parts(sift.condition):
        match part:
            case Flag(name=name, place=place):
                raise SiftError(f"{name} is no fact of the file, which a new picture has.", allowed, place)
            case Text(word=word):
                what = f"{word.text} is looked for in the class too. {_WHY}"
                raise SiftError(what, "Write name: before it.", word.place)
            case Compare(field=field, place=place) if field not in RULE_FIELDS:
                why = _WHY if field in ("class", "predicted", "true", "path") else "A new picture has no such fact."
                raise SiftError(f"A rule cannot go by {field}. {why}", allowed, place)
            case Compare(values=values):
                for word in values:
                    text = word.text.casefold()
                    named = [name for name in classes if len(name) >= _SHORTEST and name.casefold() in text]
                    if named:
                        raise SiftError(f"{word.text} holds the class {named[0]}. {_WHY}", allowed, word.place)
