"""The working area: which part of a turned picture counts, and what of it is covered."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from vast_orchard.core.pictures._area_steps import covered_rows
from vast_orchard.errors import SettingError

__all__ = ["LARGEST_MARGIN", "Area", "Box", "Polygon", "area_from_json", "area_to_json", "area_words", "box_polygon"]

Box = tuple[float, float, float, float]  # left, top, right and bottom in fractions of the turned picture's sides
Polygon = tuple[tuple[float, float], ...]  # points, x and y in the same fractions

LARGEST_MARGIN = 1.0
_MOST_COVERED, _MOST_POINTS = 50, 200
# Of a side: a hundredth of a per cent is a pixel of the largest pictures.
_DIGITS = 4
# Sides of the grid on which it is tried whether anything is left.
_TRIED = 200


@dataclass(frozen=True, kw_only=True)
class Area:
    """What counts of a picture; as it stands here, all of it does.

    Raises
    ------
    SettingError
        It reaches beyond the picture, has no extent, or leaves nothing.
    """

    keep: Box | None = None  # this part and nothing else
    # What stands out from the ground is kept, with a margin around it of so much of its own sides; None: the part is
    # not looked for. Where nothing stands out, the whole picture is kept.
    margin: float | None = None
    covered: tuple[Polygon, ...] = ()  # what lies in them is painted over, and does not stand out
    fill: tuple[int, int, int] | None = None  # with which colour, 0 to 255; None: the mean of what is left

    def __post_init__(self) -> None:
        if self.keep is not None and self.margin is not None:
            raise SettingError("A kept part is given, and it is to be found as well.", "Give one of both.")
        if self.margin is not None and not 0 <= self.margin <= LARGEST_MARGIN:
            raise SettingError(
                f"The margin is {self.margin:g}.", "Choose 0 to 1 of the found part's sides; 0.08 is usual."
            )
        if self.fill is not None and (len(self.fill) != 3 or any(not 0 <= value <= 255 for value in self.fill)):
            raise SettingError(f"The covering colour is {self.fill}.", "Give red, green and blue from 0 to 255.")
        if self.keep is not None:
            object.__setattr__(self, "keep", _rounded(self.keep))
            left, top, right, bottom = self.keep
            # Turned round it has no extent either.
            _check_inside("kept part", box_polygon((left, top, max(left, right), max(top, bottom))))
        if len(self.covered) > _MOST_COVERED:
            raise SettingError(f"{len(self.covered)} parts are covered.", f"Cover at most {_MOST_COVERED}.")
        object.__setattr__(self, "covered", tuple(tuple(map(_rounded, polygon)) for polygon in self.covered))
        for polygon in self.covered:
            if not 3 <= len(polygon) <= _MOST_POINTS:
                raise SettingError(
                    f"A covered part has {len(polygon)} corners.", f"Draw one with 3 to {_MOST_POINTS} corners."
                )
            _check_inside("covered part", polygon)
        if self.covered and not self._leaves_something():
            raise SettingError("Everything that is kept is covered.", "Cover less, or keep more.")

    def _leaves_something(self) -> bool:
        left, top, right, bottom = self.keep or (0.0, 0.0, 1.0, 1.0)
        within = [
            [((x - left) / (right - left), (y - top) / (bottom - top)) for x, y in polygon] for polygon in self.covered
        ]
        return not covered_rows(within, (_TRIED, _TRIED), (0, 0, _TRIED, _TRIED)).all()

    @property
    def is_whole(self) -> bool:
        """Whether nothing is done to a picture."""
        return self.keep is None and self.margin is None and not self.covered


def box_polygon(box: Box) -> Polygon:
    """The corners of a box, clockwise from the upper left."""
    left, top, right, bottom = box
    return ((left, top), (right, top), (right, bottom), (left, bottom))


def _rounded(values: Sequence[float]) -> tuple[float, ...]:
    return tuple(round(float(value), _DIGITS) for value in values)


def _check_inside(what: str, points: Polygon) -> None:
    across, down = zip(*points, strict=True)
    for name, values in (("sideways", across), ("down", down)):
        # Written so that what is no number is refused too.
        if not (min(values) >= 0 and max(values) <= 1):
            raise SettingError(
                f"The {what} reaches from {min(values):g} to {max(values):g} {name}.",
                "Give fractions of the turned picture's side, 0 to 1.",
            )
    if max(across) <= min(across) or max(down) <= min(down):
        raise SettingError(f"The {what} has no extent.", "Draw it from its upper left to its lower right corner.")


def area_to_json(area: Area | None) -> dict[str, Any] | None:
    """Plain JSON values; the same area is always the same to the letter."""
    if area is None:
        return None
    return {
        "keep": None if area.keep is None else list(area.keep),
        "margin": area.margin,
        "covered": [[list(point) for point in polygon] for polygon in area.covered],
        "fill": None if area.fill is None else list(area.fill),
    }


def area_from_json(data: Mapping[str, Any] | None) -> Area | None:
    """Read what `area_to_json` wrote.

    Raises
    ------
    SettingError
    """
    if data is None:
        return None
    unknown = set(data) - {"keep", "margin", "covered", "fill"}
    if unknown:
        raise SettingError(f"A working area has no {', '.join(sorted(unknown))}.", "Give keep, margin, covered, fill.")
    try:
        keep, covered, fill = data.get("keep"), data.get("covered") or (), data.get("fill")
        if keep is not None and len(keep) != 4:
            raise SettingError(f"The kept part has {len(keep)} numbers.", "Give left, top, right and bottom.")
        return Area(
            keep=None if keep is None else (float(keep[0]), float(keep[1]), float(keep[2]), float(keep[3])),
            margin=None if data.get("margin") is None else float(data["margin"]),
            covered=tuple(tuple((float(x), float(y)) for x, y in polygon) for polygon in covered),
            fill=None if fill is None else (int(fill[0]), int(fill[1]), int(fill[2])),
        )
    except (TypeError, ValueError, IndexError, KeyError) as error:
        raise SettingError(
            "The working area cannot be read.",
            "Give keep as [left, top, right, bottom] and covered as lists of [x, y], in fractions of the sides.",
        ) from error


def area_words(area: Area | None) -> str:
    """What it does, in a few words."""
    if area is None or area.is_whole:
        return "the whole picture"
    parts = []
    if area.margin is not None:
        parts.append(f"what stands out, with {area.margin:.0%} around it")
    elif area.keep is not None:
        left, top, right, bottom = area.keep
        parts.append(f"{left:.0%} to {right:.0%} sideways, {top:.0%} to {bottom:.0%} down")
    else:
        parts.append("the whole picture")
    if area.covered:
        filled = "its mean" if area.fill is None else "#{:02x}{:02x}{:02x}".format(*area.fill)
        parts.append(f"{len(area.covered)} part{'' if len(area.covered) == 1 else 's'} covered by {filled}")
    return ", ".join(parts)
