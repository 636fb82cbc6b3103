"""The starters that come with the program: weights as model files in half precision, and how each was taught."""

import json
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from vast_orchard.errors import SettingError

__all__ = ["Starter", "starter", "starter_file", "starters"]


@dataclass(frozen=True, kw_only=True)
class Starter:
    """One of them, without its weights; these lie in a file named for the network."""

    name: str
    network: str  # a ready network
    parameters: int  # without its last layer, which tells drawn classes apart
    input_size: int  # side of what it has learnt on, in pixels
    taught: dict[str, Any]  # how: seed, classes, pictures, epochs, minutes on how many threads, what it reached
    # Sets on which `orchard bench starters` found it better than nothing, each with the ratio of errors.
    helps: dict[str, float]


@cache
def starters() -> tuple[Starter, ...]:
    """All of them, smallest first."""
    record: list[dict[str, Any]] = json.loads((files(__package__) / "shipped" / "starters.json").read_text())
    return tuple(Starter(**entry) for entry in record)


def starter(name: str) -> Starter:
    """One of them.

    Raises
    ------
    SettingError
        There is none of that name.
    """
    for entry in starters():
        if entry.name == name:
            return entry
    known = ", ".join(entry.name for entry in starters())
    raise SettingError(f"There is no starter named {name!r}.", f"Choose one of: {known}.")


def starter_file(name: str) -> bytes:
    """Its model file.

    Raises
    ------
    SettingError
        There is none of that name.
    """
    found = starter(name)
    return (files(__package__) / "shipped" / f"{found.network.replace(' ', '-')}.safetensors").read_bytes()
