"""Cells of CSV that a spreadsheet would run as a formula are written so that it shows them, and read back as they were.

A cell that begins with =, +, -, @, a tab or a carriage return is given an apostrophe, which spreadsheets read as "this
is text"; so is one that begins with apostrophes before such a character, so that reading takes back exactly one.
"""

import re
from collections.abc import Iterable

__all__ = ["harmless", "plain"]

_FORMULA = re.compile(r"'*[=+\-@\t\r]")


def harmless(cells: Iterable[object]) -> list[object]:
    """A row in which no text is taken for a formula; numbers stay numbers."""
    return [f"'{cell}" if isinstance(cell, str) and _FORMULA.match(cell) else cell for cell in cells]


def plain(cell: str) -> str:
    """A cell as it was before `harmless`."""
    return cell[1:] if cell.startswith("'") and _FORMULA.match(cell) else cell
