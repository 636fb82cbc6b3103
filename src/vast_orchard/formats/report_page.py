"""A report as one HTML file: no outside address, nothing that runs, and made to be printed on A4."""

import base64
import datetime as dt
from collections.abc import Mapping, Sequence
from importlib.resources import files
from typing import Any

from mako.template import Template

from vast_orchard.types import SetName

__all__ = ["report_page"]

_WIDTH, _HEIGHT, _EDGE = 640, 200, 44
_PAIRS = 30
_KINDS = {b"\xff\xd8": "image/jpeg", b"\x89P": "image/png"}


def report_page(facts: Mapping[str, Any], thumbnails: Mapping[str, bytes]) -> str:
    """The page.

    Parameters
    ----------
    facts : mapping
        As `at_once.reporting.report_facts` gives them; every text is escaped.
    thumbnails : mapping of str to bytes
        JPEG or PNG by SHA-256 of the picture; of one that is gone there is none.
    """
    template = Template(
        files("vast_orchard.formats").joinpath("report.html.mako").read_text("utf-8"),
        default_filters=["h"],
        strict_undefined=True,
    )
    pictures = [(entry, _address(thumbnails.get(entry["sha256"]))) for entry in facts["worst"]]
    page: str = template.render(
        facts=facts,
        sets=[name for name in SetName if name in facts["pictures"]["by_class"]],
        curves=_curves(facts["epochs"]),
        pictures=pictures,
        pairs=_pairs,
        p2=_two,
        p3=_three,
        when=_when,
    )
    return page


def _pairs(confusion: Sequence[Sequence[int]]) -> list[tuple[int, int, int, int]]:
    """The most confused pairs: true, predicted, how often, and how often the other way."""
    found = []
    for one in range(len(confusion)):
        for other in range(one + 1, len(confusion)):
            there, back = confusion[one][other], confusion[other][one]
            if there or back:
                found.append((one, other, there, back) if there >= back else (other, one, back, there))
    return sorted(found, key=lambda pair: -(pair[2] + pair[3]))[:_PAIRS]


def _address(data: bytes | None) -> str:
    if data is None:
        return ""
    return f"data:{_KINDS.get(data[:2], 'image/png')};base64,{base64.b64encode(data).decode()}"


def _three(value: float | None) -> str:
    return "–" if value is None else f"{value:.3f}"


def _two(value: float) -> str:
    return f"{value:.2g}"


def _when(moment: str) -> str:
    return f"{dt.datetime.fromisoformat(moment):%-d %B %Y, %H:%M}"


def _curves(epochs: Sequence[Mapping[str, Any]]) -> str:
    """Losses over the epochs as SVG; numbers only, so that nothing has to be escaped."""
    if not epochs:
        return ""
    most = max(max(float(one.get(f"{part}_loss", 0)) for part in ("training", "validation")) for one in epochs) or 1.0
    lines = []
    for part, stroke, dashes in (("training", "#5d6154", "6 3"), ("validation", "#7a2a63", "none")):
        points = [
            f"{_EDGE + (_WIDTH - _EDGE) * n / max(1, len(epochs) - 1):.1f},"
            f"{_HEIGHT * (1 - float(one[f'{part}_loss']) / most):.1f}"
            for n, one in enumerate(epochs)
            if f"{part}_loss" in one
        ]
        lines.append(
            f'<polyline fill="none" stroke="{stroke}" stroke-width="2" stroke-dasharray="{dashes}"'
            f' points="{" ".join(points)}"/>'
        )
    return (
        f'<svg viewBox="0 -8 {_WIDTH + 8} {_HEIGHT + 34}" width="100%" role="img"'
        ' aria-label="Loss of training and validation over the epochs">'
        f'<path d="M{_EDGE} 0V{_HEIGHT}H{_WIDTH}" fill="none" stroke="#8c8f80"/>'
        f'<text x="{_EDGE - 5}" y="10" text-anchor="end" font-size="12">{most:.2f}</text>'
        f'<text x="{_EDGE - 5}" y="{_HEIGHT}" text-anchor="end" font-size="12">0</text>'
        f'<text x="{_WIDTH}" y="{_HEIGHT + 16}" text-anchor="end" font-size="12">epoch {len(epochs)}</text>'
        f'<text x="{_EDGE}" y="{_HEIGHT + 16}" font-size="12">loss: dashed training, full validation</text>'
        f"{''.join(lines)}</svg>"
    )
