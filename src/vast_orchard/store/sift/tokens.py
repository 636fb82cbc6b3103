"""Cuts a Sift into words, brackets and terms; knows where each stands and nothing of what it means."""

import re
from dataclasses import dataclass
from typing import Literal

from vast_orchard.store.sift.syntax import Place, SiftError, Word

__all__ = ["LONGEST", "Token", "tokens_of"]

LONGEST = 2000
_FIELD = re.compile(r"([A-Za-z][A-Za-z-]*)(<=|>=|:|=|<|>)")
# Half a character, or none: no name can hold them, and the database takes neither.
_UNSTORABLE = re.compile("[\x00\ud800-\udfff]")
# Where an unquoted value ends.
_BARE = re.compile(r'[^\s()",]+')


@dataclass(frozen=True, kw_only=True)
class Token:
    """A piece of the line."""

    kind: Literal["(", ")", "word", "term"]
    place: Place
    text: str = ""  # of a word; of a term its field, in small letters
    quoted: bool = False
    sign: str = ""
    values: tuple[Word, ...] = ()


def _quoted(line: str, start: int) -> tuple[Word, int]:
    """Text in quotes, in which two of them stand for one."""
    parts, at = [], start + 1
    while True:
        end = line.find('"', at)
        if end < 0:
            raise SiftError("The quote is never closed.", 'Put a " behind the text.', (start, len(line)))
        parts.append(line[at:end])
        if line[end + 1 : end + 2] != '"':
            return Word(text='"'.join(parts), quoted=True, place=(start, end + 1)), end + 1
        at = end + 2


def _word(line: str, start: int) -> tuple[Word, int] | None:
    if line[start : start + 1] == '"':
        return _quoted(line, start)
    match = _BARE.match(line, start)
    return (Word(text=match[0], quoted=False, place=match.span()), match.end()) if match else None


def _values(line: str, start: int, field: str) -> tuple[tuple[Word, ...], int]:
    values, at = [], start
    while True:
        found = _word(line, at)
        if found is None:
            raise SiftError(f"There is no value behind {field}.", f"Write one, for example {field}:none.", (at, at + 1))
        word, at = found
        values.append(word)
        if line[at : at + 1] != ",":
            return tuple(values), at
        at += 1


def tokens_of(line: str) -> list[Token]:
    """The pieces of a line, in order.

    Raises
    ------
    SiftError
        It is too long, a quote is open, or a value is missing.
    """
    if len(line) > LONGEST:
        raise SiftError(
            f"The Sift has {len(line)} characters.", f"The limit is {LONGEST}; shorten it.", (LONGEST, len(line))
        )
    odd = _UNSTORABLE.search(line)
    if odd:
        raise SiftError("A character here cannot be stored anywhere.", "Take it out.", odd.span())
    found, at = [], 0
    while at < len(line):
        char = line[at]
        if char.isspace():
            at += 1
        elif char in "()":
            found.append(Token(kind="(" if char == "(" else ")", place=(at, at + 1)))
            at += 1
        elif char == ",":
            raise SiftError(
                "The comma joins nothing.", "Commas join values of a field: class:plate,column.", (at, at + 1)
            )
        elif match := _FIELD.match(line, at):
            values, end = _values(line, match.end(), match[1])
            found.append(Token(kind="term", text=match[1].lower(), sign=match[2], values=values, place=(at, end)))
            at = end
        else:
            word, end = _word(line, at) or (Word(text="", quoted=False, place=(at, at + 1)), at + 1)
            found.append(Token(kind="word", text=word.text, quoted=word.quoted, place=word.place))
            at = end
    return found
