"""`orchard prepare` compiles the engine ahead of its use; `orchard plan` shows a network before it is trained."""

import json
import time
from pathlib import Path
from typing import Annotated

import typer
from rich.progress import BarColumn, Progress, TextColumn
from rich.table import Table

from vast_orchard.at_once.network_times import Lesson, pace_here, time_values
from vast_orchard.at_once.networks import layer_values
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.network.description import OPEN_SHAPE, NetworkDescription, description_from_json, resolved
from vast_orchard.core.network.doubts import doubts_of
from vast_orchard.core.network.layout import memory_for_training
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.errors import DescriptionError, MissingError
from vast_orchard.jobs.engine import COMPILING, make_ready, make_team
from vast_orchard.jobs.pace import find_pace
from vast_orchard.settings import read_settings
from vast_orchard.upgrades.network import ready_name

__all__ = ["named_network", "prepare", "show_plan"]


def named_network(name: str) -> NetworkDescription:
    """A ready network by its name, or one from a JSON file.

    Raises
    ------
    MissingError, DescriptionError
        There is no such network or file, or it does not hold together.
    """
    if ready_name(name) in READY_NETWORKS:
        return ready_network(name)
    path = Path(name)
    if not path.is_file():
        ready = ", ".join(READY_NETWORKS)
        raise MissingError(f"There is no network {name!r}.", f"Choose one of {ready}, or name a JSON file.")
    try:
        return description_from_json(json.loads(path.read_text("utf-8")))
    except ValueError as error:
        raise DescriptionError(f"{name} is not JSON: {error}.", "Mend that place.") from error


def prepare() -> None:
    """Compile the engine for this processor, so that the first training need not."""
    began = time.monotonic()
    with Progress(TextColumn("{task.description}"), BarColumn(), console=console(), transient=True) as bar:
        task = bar.add_task(COMPILING)
        compiled = make_ready(lambda _: None, lambda done, total: bar.update(task, completed=done, total=total))
        find_pace(make_team(read_settings()))
    spent = time.monotonic() - began
    print(f"The engine is compiled ({spent:.0f} s)." if compiled else "The engine was compiled before.")


def show_plan(
    network: Annotated[str, typer.Argument(help="A ready network's name, or a JSON file.")],
    size: Annotated[int, typer.Option(help="Side of the pictures, in pixels, where the network leaves it open.")] = 48,
    classes: Annotated[int, typer.Option(help="Number of classes, where the network leaves it open.")] = 7,
    batch_size: Annotated[int, typer.Option(help="Pictures a step, for the memory.")] = 32,
    pictures: Annotated[
        int, typer.Option(help="That it is to learn from, for its size and an epoch's time; 0 if not known.")
    ] = 0,
    as_json: AsJson = False,
) -> None:
    """Show what a network comes to: shapes, parameters, multiply-adds, receptive field, memory, time, and doubts."""
    described = named_network(network)
    shape = (size, size, 3) if described.input_shape == OPEN_SHAPE else described.input_shape
    description = resolved(described, shape, classes)
    planned, memory = plan(description), memory_for_training(description, batch_size)
    doubts = doubts_of(description, planned, pictures)
    lesson = Lesson(pictures=pictures, batch_size=batch_size, pace=pace_here(read_settings()))
    times = time_values(planned.layers, description.input_shape, lesson)
    if as_json:
        sums = {"parameters": planned.parameters, "multiply_adds": planned.multiply_adds, "training_bytes": memory}
        told = [{"line": doubt.line, "what": doubt.what, "why": doubt.why} for doubt in doubts]
        print(json.dumps({"layers": layer_values(planned.layers), **sums, **times, "doubts": told}))
        return
    table = Table(box=None, pad_edge=False)
    for head in ("", "id", "layer", "fed by", "gives"):
        table.add_column(head)
    for head in ("parameters", "multiply-adds", "sees, px"):
        table.add_column(head, justify="right")
    for entry in planned.layers:
        before = entry.sources == (entry.place - 1,)
        fed = "" if before else ", ".join("picture" if n == 0 else str(n) for n in entry.sources)
        counts = (f"{entry.parameters:,}", f"{entry.multiply_adds:,}", str(entry.receptive_field))
        table.add_row(str(entry.place), entry.id, entry.kind, fed, "×".join(map(str, entry.shape)), *counts)
    console(error=False).print(table)
    print(
        f"{planned.parameters:,} parameters, {planned.multiply_adds:,} multiply-adds a picture, "
        f"about {memory / 1e6:,.0f} MB to train with batches of {batch_size}."
    )
    if times["answer_s"] is not None:
        print(f"An answer takes about {times['answer_s'] * 1e3:.1f} ms here.")
    if times["epoch_s"] is not None:
        print(f"An epoch of {pictures:,} pictures takes about {times['epoch_s']:.1f} s here.")
    for doubt in doubts:
        where = "" if doubt.line is None else f"Line {'.'.join(str(place + 1) for place in doubt.line)}: "
        print(f"{where}{doubt.what} {doubt.why}")
