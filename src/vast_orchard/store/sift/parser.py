"""Reads a Sift: the one parser for the page, the API, exports and the command line.

    sift      = { order | either }
    either    = both { "or" both }
    both      = term { [ "and" ] term }
    term      = "not" term | "(" either ")" | field sign values | flag | text
    sign      = ":" | "=" | "<" | "<=" | ">" | ">="
    values    = value { "," value }
    order     = "order:" [ "-" ] key { "," [ "-" ] key }

`and` binds closer than `or`. Text in quotes is never a word of the language.
"""

from collections.abc import Callable, Sequence
from difflib import get_close_matches

from vast_orchard.store.sift.syntax import (
    All,
    Anyone,
    Compare,
    Condition,
    Flag,
    Not,
    Order,
    Place,
    Sift,
    SiftError,
    Text,
    Word,
)
from vast_orchard.store.sift.tokens import Token, tokens_of
from vast_orchard.store.sift.words import FIELDS, FLAGS, ORDERS, Kind

__all__ = ["did_you_mean", "parse"]

_MOST_TERMS = 200
_DEEPEST = 40
_ORDERED = frozenset({Kind.NUMBER, Kind.BYTES, Kind.DAY})


def did_you_mean(text: str, choices: Sequence[str], otherwise: str) -> str:
    """A mend that names the nearest choice."""
    near = get_close_matches(text.lower(), choices, 1)
    return f"Did you mean {near[0]}?" if near else otherwise


def parse(line: str) -> Sift:
    """What a line says.

    Raises
    ------
    SiftError
        With the place of the first mistake.
    """
    return _Parser(tokens_of(line), len(line)).sift()


class _Parser:
    def __init__(self, tokens: Sequence[Token], end: int) -> None:
        self._tokens, self._at, self._end = tokens, 0, end
        self._order: list[Order] = []
        self._terms = self._depth = 0

    def _next(self) -> Token | None:
        return self._tokens[self._at] if self._at < len(self._tokens) else None

    def _is_word(self, *words: str) -> bool:
        token = self._next()
        return token is not None and token.kind == "word" and not token.quoted and token.text.lower() in words

    def sift(self) -> Sift:
        condition = self._either() if self._tokens else All(parts=())
        token = self._next()
        if token is not None:
            raise SiftError("This bracket closes nothing.", "Take it out, or open one before it.", token.place)
        return Sift(condition=condition, order=tuple(self._order))

    def _either(self) -> Condition:
        parts = [self._both()]
        while self._is_word("or"):
            self._at += 1
            parts.append(self._both())
        if len(parts) > 1 and All(parts=()) in parts:
            place = self._order[-1].place
            raise SiftError("Beside or stands an order alone.", "Put the order at the end of the line.", place)
        return parts[0] if len(parts) == 1 else Anyone(parts=tuple(parts))

    def _both(self) -> Condition:
        parts = []
        while True:
            part = self._term()
            if part is not None:
                parts.append(part)
            joined = self._is_word("and")
            if joined:
                self._at += 1
            token = self._next()
            if not joined and (token is None or token.kind == ")" or self._is_word("or")):
                break
        return parts[0] if len(parts) == 1 else All(parts=tuple(parts))

    def _term(self) -> Condition | None:
        """One condition; None for an order, which is none."""
        token = self._next()
        if token is None or token.kind == ")" or self._is_word("and", "or"):
            raise self._lacking(token)
        self._at += 1
        self._terms += 1
        if self._terms > _MOST_TERMS:
            raise SiftError(f"The Sift has more than {_MOST_TERMS} conditions.", "Take some out.", token.place)
        if token.kind == "(":
            return self._deeper(token.place, self._in_brackets)
        if token.kind == "term":
            return self._field(token)
        word = token.text.lower()
        if not token.quoted and word == "not":
            return self._deeper(token.place, self._negated)
        if not token.quoted and word in FLAGS:
            return Flag(name=word, place=token.place)
        return Text(word=Word(text=token.text, quoted=token.quoted, place=token.place))

    def _lacking(self, token: Token | None) -> SiftError:
        place = token.place if token else (max(0, self._end - 1), max(1, self._end))
        before = self._tokens[self._at - 1].text if self._at else ""
        what = f"Something is missing behind {before}." if before else "Something is missing here."
        return SiftError(what, "Write a condition, such as class:none.", place)

    def _deeper(self, place: Place, read: Callable[[Place], Condition]) -> Condition:
        self._depth += 1
        if self._depth > _DEEPEST:
            raise SiftError(f"Brackets and not stand more than {_DEEPEST} deep.", "Write it flatter.", place)
        found = read(place)
        self._depth -= 1
        return found

    def _in_brackets(self, opened: Place) -> Condition:
        inner = self._either()
        token = self._next()
        if token is None:
            raise SiftError("This bracket is never closed.", "Put a ) where it ends.", opened)
        self._at += 1
        return inner

    def _negated(self, _place: Place) -> Condition:
        inner = self._term()
        assert inner is not None  # an order that deep was refused
        return Not(inner=inner)

    def _field(self, token: Token) -> Condition | None:
        name, place = token.text, token.place
        if name == "order":
            self._read_order(token)
            return None
        field = FIELDS.get(name)
        ends = place[0] + len(name)
        if field is None:
            mend = did_you_mean(name, [*FIELDS, "order"], "To search for text with such a sign, put it in quotes.")
            raise SiftError(f"There is no field {name}.", mend, (place[0], ends))
        if token.sign in ("<", "<=", ">", ">=") and field.kind not in _ORDERED:
            raise SiftError(f"{name} cannot be compared by {token.sign}.", f"Write {name}: instead.", (ends, ends + 1))
        if token.sign not in (":", "=") and len(token.values) > 1:
            raise SiftError(f"{name}{token.sign} takes one value.", "Take the others out.", token.values[1].place)
        return Compare(field=name, sign=token.sign, values=token.values, place=place)  # type: ignore[arg-type]

    def _read_order(self, token: Token) -> None:
        if self._depth:
            raise SiftError("An order cannot stand in brackets or behind not.", "Put it at the end.", token.place)
        if token.sign != ":":
            raise SiftError("An order is written order:name.", "Put a colon there.", token.place)
        for value in token.values:
            falling = value.text.startswith("-") and not value.quoted
            key = value.text[falling:].lower()
            if key not in ORDERS:
                mend = did_you_mean(key, list(ORDERS), f"There are {', '.join(ORDERS)}.")
                raise SiftError(f"There is no order by {key or 'nothing'}.", mend, value.place)
            self._order.append(Order(key=key, falling=falling, place=value.place))
