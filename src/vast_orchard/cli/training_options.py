"""Options of the terminal for the settings of training, made from their one table."""

import functools
import inspect
from collections.abc import Callable
from dataclasses import fields
from typing import Annotated, Any

import typer

from vast_orchard.core.training.settings import SETTINGS, Setting, TrainingSettings

__all__ = ["with_training_options"]

_TYPES: dict[str, Any] = {entry.name: entry.type for entry in fields(TrainingSettings)}


def with_training_options(command: Callable[..., None]) -> Callable[..., None]:
    """The command with an option for each setting of training; its parameter `asked` gets those that were given."""
    own = [entry for entry in inspect.signature(command).parameters.values() if entry.name != "asked"]
    options = [_option(entry) for entry in SETTINGS.values()]

    @functools.wraps(command)
    def run(**given: Any) -> None:
        values = {name: given.pop(name) for name in SETTINGS}
        command(asked={name: value for name, value in values.items() if value is not None}, **given)

    parameters = [*own, *options]
    run.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
    run.__annotations__ = {entry.name: entry.annotation for entry in parameters}
    return run


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
