"""Reads classes from file names by a pattern with placeholders; our own small grammar, no regular expressions."""

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from functools import lru_cache
from posixpath import splitext

from vast_orchard.errors import InputError, SplitError
from vast_orchard.formats.told import NOTHING_TOLD, Told, class_or_none, merge_spellings, set_of
from vast_orchard.types import SetName

__all__ = ["PLACEHOLDERS", "USUAL_PATTERNS", "PatternReading", "keys_by_pattern"]

PLACEHOLDERS = {
    "class": "the class: any text",
    "number": "digits",
    "set": "a set: train, val, test or a usual spelling",
    "group": "what belongs together, such as a series: any text",
    "any": "any text, not used",
}

# What is tried unasked. In the order of their plainness: of two that match as well, the first is proposed.
USUAL_PATTERNS = (
    "{class}_{number}",
    "{class}-{number}",
    "{class} ({number})",
    "{class}.{number}",
    "{class}{number}",
    "{number}_{class}",
    "{number}-{class}",
    "{class}_{any}",
    "{class}-{any}",
)

_LONGEST = 200
# Each text of any length multiplies the ways to match. With three, in the longest name that a file system has, the
# worst there is takes hundredths of a second.
_MOST_FREE = 3
_LONGEST_NAME = 255
_FREE = {"class": ".+?", "group": ".+?", "any": ".*?"}
_TOKEN = re.compile(r"\{([^{}]*)\}|([{}])|([^{}]+)")


def _expression(pattern: str) -> re.Pattern[str]:
    """The pattern, checked, as an expression in which all text stands for itself."""
    if not pattern or len(pattern) > _LONGEST:
        raise InputError(f"The pattern has {len(pattern)} characters.", f"Write 1 to {_LONGEST}.")
    parts, used, before = [], Counter[str](), ""
    for match in _TOKEN.finditer(pattern):
        name, brace, text = match.groups()
        if brace:
            raise InputError(
                f"A {brace} at character {match.start() + 1} has no partner.", "Write {class}, for example."
            )
        if text:
            parts.append(re.escape(text))
            before = ""
            continue
        if name not in PLACEHOLDERS:
            raise InputError(
                f"There is no placeholder {{{name}}}.", f"Use {', '.join(f'{{{p}}}' for p in PLACEHOLDERS)}."
            )
        if before in _FREE and name in _FREE:
            raise InputError(
                f"{{{before}}} and {{{name}}} stand side by side; no one can tell where the first ends.",
                "Put the text between them that stands in the names, such as _.",
            )
        used[name] += 1
        if name != "any" and name != "number" and used[name] > 1:
            raise InputError(f"{{{name}}} stands there twice.", "Keep one of them, and write {any} for the other.")
        inner = _FREE.get(name, r"\d+" if name == "number" else "[A-Za-z_ -]+?")
        if name == "number" and before in ("class", "group"):
            parts[-1] = f"(?P<{before}>.*?\\D)"  # or its last digits would be taken from the number
        parts.append(f"(?P<{name}>{inner})" if name in ("class", "set", "group") else f"(?:{inner})")
        before = name
    if sum(used[name] for name in _FREE) > _MOST_FREE:
        raise InputError(
            f"The pattern has more than {_MOST_FREE} placeholders for any text.", "Write {number} where digits stand."
        )
    if not used["class"] and not used["set"] and not used["group"]:
        raise InputError("The pattern names no {class}.", "Write {class} where the class stands in the file name.")
    return re.compile("".join(parts), re.DOTALL)


class PatternReading:
    """Class, set and group from each file's name, without its ending.

    A pattern with slashes is matched on as many folders of the path as it names.

    Parameters
    ----------
    pattern : str
        Text that stands for itself, and placeholders: `{class}_{number}`.
    paths : iterable of str
        All files, for spellings that differ only in case.

    Raises
    ------
    InputError
        The pattern is not one; says where and how to mend it.
    """

    wrappers: tuple[str, ...] = ()

    def __init__(self, pattern: str, paths: Iterable[str]) -> None:
        self._expression = _expression(pattern)
        self._parts = pattern.count("/") + 1
        self._chosen: dict[str, str] = {}
        found = Counter(told.class_name for path in paths if (told := self.tell(path)).class_name)
        self._chosen, notes = merge_spellings({str(name): count for name, count in found.items()})
        self.notes = tuple(notes)

    def matches(self, path: str) -> bool:
        """True if the pattern fits this file."""
        return self.tell(path) is not NOTHING_TOLD

    def tell(self, path: str) -> Told:
        """What the name says; nothing where the pattern does not fit."""
        name = path.rpartition("/")[2] if self._parts == 1 else "/".join(path.rsplit("/", self._parts)[-self._parts :])
        found = _found(self._expression, splitext(name)[0], _LONGEST_NAME * self._parts)
        if found is None:
            return NOTHING_TOLD
        class_name, set_name, group = found
        return Told(
            class_name=self._chosen.get(class_name, class_name) if class_name else None, set_name=set_name, group=group
        )


# A reading goes through its names twice, for their spellings and for what they say.
@lru_cache(maxsize=8192)
def _found(
    expression: re.Pattern[str], stem: str, longest: int
) -> tuple[str | None, SetName | None, str | None] | None:
    """Class, set and group that a name tells; None if the pattern does not fit."""
    match = expression.fullmatch(stem) if len(stem) <= longest else None
    if match is None:
        return None
    found = match.groupdict()
    set_name = set_of(found["set"]) if "set" in found else None
    if "set" in found and set_name is None:
        return None
    return class_or_none(found["class"]) if "class" in found else None, set_name, found.get("group")


def keys_by_pattern(paths: Sequence[str], pattern: str) -> list[str | None]:
    """What a pattern reads as {group} from each file's name; None where it does not fit.

    Raises
    ------
    SplitError
        The pattern names no group, or fits no file.
    InputError
        It is no pattern.
    """
    if "{group}" not in pattern:
        raise SplitError(
            f"The pattern {pattern!r} names no {{group}}.",
            "Write {group} where the part stands that keeps pictures together, such as {group}_{number}.",
        )
    reading = PatternReading(pattern, paths)
    keys = [reading.tell(path).group for path in paths]
    if paths and not any(keys):
        raise SplitError(
            f"The pattern {pattern!r} fits none of {len(paths):,} names, such as {paths[0]}.",
            "Write the text between the parts as it stands in the names.",
        )
    return keys
