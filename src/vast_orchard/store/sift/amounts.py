"""Numbers and days as a Sift writes them."""

import datetime as dt
import math
import re

from vast_orchard.store.sift.syntax import SiftError, Word
from vast_orchard.store.sift.words import Kind

__all__ = ["amount_of", "span_of"]

_BYTES = {"": 1, "b": 1, "kb": 1000, "mb": 1_000_000, "gb": 1_000_000_000, "kib": 2**10, "mib": 2**20, "gib": 2**30}
_NUMBER = re.compile(r"([+-]?[0-9]+(?:\.([0-9]+))?|\.([0-9]+))([A-Za-z]*)", re.ASCII)
_DAYS_BACK = re.compile(r"([0-9]{1,5})d", re.ASCII)


def amount_of(word: Word, kind: Kind) -> tuple[float, int]:
    """A number and how many digits stand behind its point.

    Raises
    ------
    SiftError
        It is none, or too large.
    """
    match = _NUMBER.fullmatch(word.text)
    units = _BYTES if kind is Kind.BYTES else {"": 1}
    if match is None or match[4].lower() not in units:
        example = "such as 200kB" if kind is Kind.BYTES else "such as 0.6"
        raise SiftError(f"{word.text} is not a number.", f"Write digits, {example}.", word.place)
    value = float(word.text[: len(word.text) - len(match[4])]) * units[match[4].lower()]
    if not math.isfinite(value):
        raise SiftError("The number is too large.", "Write a smaller one.", word.place)
    return value, len(match[2] or match[3] or "")


def span_of(word: Word, now: dt.datetime) -> tuple[dt.datetime, dt.datetime]:
    """The beginning of the days that are named, and the end.

    Raises
    ------
    SiftError
        No day is named.
    """
    text = word.text.lower()
    midnight = now.replace(hour=0, minute=0, second=0, microsecond=0)
    day = dt.timedelta(days=1)
    try:
        if text == "today":
            return midnight, midnight + day
        if text == "yesterday":
            return midnight - day, midnight
        if match := _DAYS_BACK.fullmatch(text):
            return now - int(match[1]) * day, now + day
        begins = dt.datetime.strptime(text, "%Y-%m-%d").replace(tzinfo=now.tzinfo)
        return begins, begins + day
    except (ValueError, OverflowError) as error:
        raise SiftError(
            f"{word.text} is not a day.", "Write today, yesterday, 7d, or a date such as 2026-01-31.", word.place
        ) from error
