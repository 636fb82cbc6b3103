"""`orchard train`: from a folder or zip of labelled pictures to a verified export, with no server and no database."""

import json
import time
from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from vast_orchard.at_once.network_times import free_memory
from vast_orchard.cli.divided import Divided, contents, divide
from vast_orchard.cli.exported import export_trained
from vast_orchard.cli.recipe_options import Wish, with_recipe_options
from vast_orchard.cli.starts import tell_start
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.cli.watched import found_by_lookouts, read_watch, training_facts
from vast_orchard.core.judging.scores import Judgement, judge
from vast_orchard.core.network.plan import plan
from vast_orchard.core.team import Team
from vast_orchard.core.training.amount import epochs_within
from vast_orchard.core.training.begin import Training, begin
from vast_orchard.core.training.doubts import doubts
from vast_orchard.core.training.duration import recipe_time
from vast_orchard.core.training.endings import ended_early, met_words
from vast_orchard.core.training.recipe import Recipe, resolved_recipe
from vast_orchard.core.training.values import EpochResult, Examples, TrainingState
from vast_orchard.core.watching.findings import Facts
from vast_orchard.core.watching.history import EpochRecord, watched_to_json
from vast_orchard.core.watching.lookouts import LOOKOUTS, Found, ends, wording
from vast_orchard.errors import SettingError
from vast_orchard.formats.collection import collect
from vast_orchard.formats.layer_table import layer_table
from vast_orchard.formats.model_file import Model, origin_of, trained_model
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.jobs.pace import find_pace
from vast_orchard.settings import read_settings
from vast_orchard.types import SetName

__all__ = ["train"]


def _for_a_time(recipe: Recipe, minutes: float, divided: Divided, team: Team, out: Console) -> Recipe:
    """With as many epochs as fit into some minutes: a number, so that the rate completes its course."""
    counts = (len(divided.sets[SetName.TRAINING]), len(divided.sets[SetName.VALIDATION]))
    whole = resolved_recipe(recipe, len(divided.classes))
    epoch_s = recipe_time(whole, find_pace(team), *counts).epoch_s
    epochs = epochs_within(60 * minutes, epoch_s)
    out.print(f"{minutes:g} minutes are {epochs} epochs of about {epoch_s:.2g} s.")
    return replace(recipe, settings=replace(recipe.settings, epochs=epochs))


def _run(training: Training, steps: int, out: Console, facts: Facts) -> tuple[TrainingState, list[EpochRecord]]:
    """To its end; the last state, and what was recorded."""
    state: TrainingState | None = None
    history: list[EpochRecord] = []
    found: Found | None = None
    settings, began = training.recipe.settings, time.monotonic()
    columns = (TextColumn("{task.description}"), BarColumn(), TimeRemainingColumn())
    with Progress(*columns, console=out) as bar:
        task = bar.add_task("Training", total=settings.epochs * steps)
        for result in training.results:
            if isinstance(result, EpochResult):
                state, figures = result.state, result.metrics.figures
                history.append(EpochRecord(number=result.metrics.number, figures=figures, watched=result.watched))
                found = ends(history, facts, training.recipe.watch)
                loss, accuracy = figures["validation_loss"], figures["validation_accuracy"]
                bar.update(
                    task,
                    total=result.last * steps,
                    description=f"Epoch {result.metrics.number} of {result.last}: validation loss {loss:.3f}, "
                    f"accuracy {accuracy:.3f}",
                )
                if found:
                    break
                if settings.time_limit and time.monotonic() - began >= 60 * settings.time_limit:
                    break
            else:
                bar.advance(task)
    assert state is not None
    if found:
        out.print(wording(found, state.epoch), soft_wrap=True)
    elif met := ended_early(state.history, settings, training.phases[-1].first):
        out.print(met_words(met, settings), soft_wrap=True)
    return state, history


def _scores(model: Model, examples: Examples, team: Team) -> Judgement | None:
    return judge(model.probabilities(examples.pixels, team), examples.labels) if len(examples) else None


def _short(judgement: Judgement | None) -> dict[str, Any] | None:
    if judgement is None:
        return None
    return {"accuracy": judgement.accuracy, "loss": judgement.loss, "count": judgement.count}


@with_recipe_options
def train(
    folder: Annotated[Path, typer.Argument(help="Folder or zip with a folder a class.")],
    out: Annotated[Path, typer.Option(help="Folder for the export and the weights.")],
    train_for: Annotated[
        float | None,
        typer.Option(help="Minutes: as many epochs as fit into them at this machine's pace, in place of --epochs."),
    ] = None,
    watch: Annotated[Path | None, typer.Option(help="How it is watched, as JSON; see docs/watching.md.")] = None,
    ends_on: Annotated[
        list[str] | None, typer.Option(help=f"A lookout that ends it: {', '.join(LOOKOUTS)}. May be given again.")
    ] = None,
    layers_to: Annotated[Path | None, typer.Option(help="A CSV file for what the layers did.")] = None,
    threads: Annotated[int, typer.Option(help="0 means one for each processor; changes no bit of the result.")] = 0,
    as_json: AsJson = False,
    *,
    wish: Wish,
) -> None:
    """Bring in, divide, train, judge and export; uses training/validation/test folders where there are any."""
    words = console()
    if train_for is not None and "epochs" in wish.asked:
        raise SettingError("--epochs and --train-for both say how long it trains.", "Give one of them.")
    recipe, origin = replace(wish.recipe, watch=read_watch(watch, ends_on or ())), wish.origin
    with open_source(folder) as source:
        with Progress(console=words) as bar:
            task = bar.add_task("Reading pictures")
            collection = collect(
                source,
                recipe.preprocessing,
                lambda done, total: bar.update(task, completed=done, total=total),
            )
        divided = divide(collection, recipe.settings.seed)
        sets = divided.sets
        recipe = wish.for_pictures(recipe, len(sets[SetName.TRAINING]))
        make_ready(words.print)
        team = make_team(read_settings(threads=threads or None))
        if train_for is not None:
            recipe = _for_a_time(recipe, train_for, divided, team, words)
        for doubt in doubts(recipe.settings):
            words.print(doubt)
        words.print(
            f"{len(collection.pictures)} pictures, {len(divided.classes)} classes, "
            f"{', '.join(f'{len(sets[name])} {name}' for name in SetName)}; {collection.repeated} repeated, "
            f"{len(collection.skipped)} skipped.",
            soft_wrap=True,
        )
        if origin is not None:
            tell_start(words, recipe, origin, divided.classes, training=len(sets[SetName.TRAINING]))
        started = time.monotonic()
        running = begin(
            recipe, len(divided.classes), sets[SetName.TRAINING], sets[SetName.VALIDATION],
            team=team, memory_bytes=free_memory(),
            origin=None if origin is None else origin_of(origin), names=divided.classes,
        )  # fmt: skip
        facts = training_facts(running.recipe, divided.classes, sets)
        state, history = _run(running, facts.steps, words, facts)
        train_s = time.monotonic() - started
        model = trained_model(running, state, divided.classes)
        judged = {name: _scores(model, sets[name], team) for name in (SetName.VALIDATION, SetName.TEST)}
        if layers_to is not None:
            layers = ((entry.number, watched_to_json(entry.watched).get("layers", ())) for entry in history)
            layers_to.write_text(layer_table(layers), newline="")
        with words.status("Proving the export in a fresh process"):
            places = [place for name in reversed(SetName) for place in divided.places[name]]
            path, proof = export_trained(
                source, collection, places, model, out, contents(collection, divided.places[SetName.TRAINING])
            )
    summary = {
        "test": _short(judged[SetName.TEST]),
        "validation": _short(judged[SetName.VALIDATION]),
        "epochs": state.epoch,
        "kept_epoch": state.kept_epoch,
        "lookouts": found_by_lookouts(history, facts, recipe.watch),
        "train_s": round(train_s, 3),
        "parameters": plan(model.description).parameters,
        "export": str(path),
        "export_check": {"pictures": proof.pictures, "max_abs_difference": proof.max_abs_difference},
    }
    if as_json:
        print(json.dumps(summary))
        return
    _print_scores(divided.classes, judged, state, summary, train_s)


def _print_scores(
    classes: tuple[str, ...],
    judged: dict[SetName, Judgement | None],
    state: TrainingState,
    summary: dict[str, Any],
    train_s: float,
) -> None:
    for said in summary["lookouts"]:
        print(f"{said['words']}: {said['why']} {said['mend']}")
    print(f"Kept epoch {state.kept_epoch} of {summary['epochs']} after {train_s:.0f} s of training.")
    for name, judgement in judged.items():
        if judgement is None:
            print(f"{name}: no pictures")
            continue
        low, high = judgement.accuracy_interval
        print(
            f"{name}: accuracy {judgement.accuracy:.3f} ({judgement.right} of {judgement.count}, "
            f"95 % between {low:.3f} and {high:.3f}), loss {judgement.loss:.3f}; "
            f"the largest class alone would give {judgement.largest_class_share:.3f}"
        )
    test = judged[SetName.TEST] or judged[SetName.VALIDATION]
    assert test is not None
    pairs = [
        (count, classes[true], classes[predicted])
        for true, row in enumerate(test.confusion)
        for predicted, count in enumerate(row)
        if true != predicted and count
    ]
    for count, true, predicted in sorted(pairs, reverse=True)[:5]:
        print(f"  {count} {true} read as {predicted}")
    check = summary["export_check"]
    print(
        f"Export: {summary['export']} (checked on {check['pictures']} picture files, "
        f"largest difference {check['max_abs_difference']:.1e})"
    )
