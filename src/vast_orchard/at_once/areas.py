"""Working areas as people give them: checked by the core, and what a picture from elsewhere gets."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from vast_orchard.core.pictures.area import Area, area_from_json, area_to_json
from vast_orchard.errors import SettingError

__all__ = ["checked_area", "checked_search", "fresh_area"]


def checked_area(data: Mapping[str, Any] | None) -> dict[str, Any] | None:
    """As it is stored.

    Raises
    ------
    SettingError
        It reaches beyond the picture, has no extent, or leaves nothing.
    """
    return area_to_json(area_from_json(data))


def checked_search(data: Mapping[str, Any]) -> dict[str, Any]:
    """The same of one whose part is looked for.

    Raises
    ------
    SettingError
    """
    if data.get("margin") is None:
        raise SettingError("No margin is given.", "Say how much around what stands out is kept; 0.08 is usual.")
    return checked_area(data) or {}


def fresh_area(rules: Sequence[tuple[str, Mapping[str, Any]]], fresh_by: str, margin: float) -> dict[str, Any] | None:
    """What a picture from elsewhere gets: nobody can ask a Sift of it, so by the rule for all, by itself, or nothing.

    What that rule covers is covered when the part is looked for too.

    Raises
    ------
    SettingError
    """
    general = next((area_from_json(area) for sift, area in rules if not sift.strip()), None)
    if fresh_by == "whole":
        return None
    if fresh_by == "found":
        return area_to_json(replace(general or Area(), keep=None, margin=margin))
    return area_to_json(general)
