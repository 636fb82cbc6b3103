"""Options of the terminal for the settings of training, made from their one table."""

import inspect
from dataclasses import fields
from typing import Annotated, Any

import typer

from vast_orchard.core.training.settings import SETTINGS, Setting, TrainingSettings

__all__ = ["setting_options"]

_TYPES: dict[str, Any] = {entry.name: entry.type for entry in fields(TrainingSettings)}


def setting_options() -> list[inspect.Parameter]:
    """An option for each setting; None where it was not given and follows something else."""
    return [_option(entry) for entry in SETTINGS.values()]


def _option(entry: Setting) -> inspect.Parameter:
    kind = _TYPES[entry.name]
    words = entry.help
    if entry.when:
        other, values = entry.when
        words = f"With --{other.replace('_', '-')} {' or '.join(values)}: {words}"
    default = entry.default
    if entry.choices:
        # As text, so that a wrong one is refused with the table's own words.
        kind, default = str, str(default)
        words = f"{words} One of: {', '.join(choice for choice, _, _ in entry.choices)}."
    if entry.by_pictures:
        kind, default, words = kind | None, None, f"{words} Without it the number follows the pictures."
    if entry.follows:
        # What was not asked for follows another option.
        offered = ", ".join(f"{value:g} with {name}" for name, value in entry.follows[1].items())
        kind, default, words = kind | None, None, f"{words} It is {offered}."
    return inspect.Parameter(
        entry.name,
        inspect.Parameter.KEYWORD_ONLY,
        default=default,
        annotation=Annotated[kind, typer.Option(help=words)],
    )
