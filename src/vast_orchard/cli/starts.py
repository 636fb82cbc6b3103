"""What a training at the terminal starts from; `orchard starters` lists what comes with the program."""

import json
from dataclasses import asdict
from pathlib import Path

from rich.console import Console
from rich.table import Table

from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.errors import MissingError
from vast_orchard.formats.model_file import Model, read_model, read_sent_model
from vast_orchard.jobs.start_plan import start_plan
from vast_orchard.starters.shipped import starter_file, starters

__all__ = ["list_starters", "named_start", "tell_start"]


def named_start(name: str) -> tuple[str, Model]:
    """A starter by its name, or a model file, and what it is called.

    Raises
    ------
    MissingError, InputError
        There is neither, or the file cannot be read.
    """
    if any(entry.name == name for entry in starters()):
        return f"the starter {name}", read_model(starter_file(name))
    path = Path(name)
    if not path.is_file():
        known = ", ".join(entry.name for entry in starters())
        raise MissingError(
            f"There is no starter and no file {name!r}.", f"Name a model.safetensors, or one of: {known}."
        )
    return path.name, read_sent_model(path.name, path.read_bytes())


def tell_start(words: Console, recipe: Recipe, model: Model, classes: tuple[str, ...], *, training: int) -> None:
    """Say before the start what is taken over, what is not and why, and what learns when."""
    told = start_plan(recipe, model, classes, training=training, validation=0, pace=None)
    numbered = [layer for layer in told["layers"] if layer["parameters"]]
    assert recipe.start is not None
    words.print(
        f"From {recipe.start.words}: {sum(layer['taken'] for layer in numbered)} of {len(numbered)} layers are taken "
        f"over, {'and' if told['statistics_kept'] else 'but not'} its statistics.",
        soft_wrap=True,
    )
    for layer in numbered:
        if not layer["taken"]:
            words.print(f"  {layer['id']} is new. {layer['why']}", soft_wrap=True)
    for phase in told["phases"]:
        last = phase["first"] + phase["epochs"] - 1
        words.print(
            f"Epochs {phase['first']} to {last}: {len(phase['layers'])} layers learn, {phase['parameters']:,} numbers."
        )
    for doubt in told["doubts"]:
        words.print(doubt, soft_wrap=True)


def list_starters(as_json: AsJson = False) -> None:
    """The starters that come with the program."""
    if as_json:
        print(json.dumps([asdict(entry) for entry in starters()]))
        return
    table = Table(box=None, pad_edge=False)
    for head in ("name", "network", "parameters", "input", "where it helps: error over that from nothing"):
        table.add_column(head)
    for entry in starters():
        helps = ", ".join(f"{name} {ratio:.2f}" for name, ratio in entry.helps.items()) or "not measured"
        table.add_row(entry.name, entry.network, f"{entry.parameters:,}", f"{entry.input_size} px", helps)
    console(error=False).print(table)
