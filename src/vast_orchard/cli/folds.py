"""`orchard folds`: how good a set-up is and how sure that is, by training it several times on other parts."""

import csv
import hashlib
import json
import time
from collections.abc import Hashable, Iterator, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from vast_orchard.at_once.network_times import free_memory
from vast_orchard.cli.divided import divide
from vast_orchard.cli.recipe_options import Wish, with_recipe_options
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.fold_scores import fold_difference, fold_scores
from vast_orchard.core.judging.scores import Judgement, judge, judged_matrix
from vast_orchard.core.sets.grouped import check_folds, stratified_folds
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import EndFigure, Keep
from vast_orchard.core.training.values import EpochResult, Examples
from vast_orchard.errors import InputError, SettingError
from vast_orchard.formats.collection import Collection, collect, labelled_examples
from vast_orchard.formats.csv_cells import harmless
from vast_orchard.formats.model_file import Model, origin_of, trained_model
from vast_orchard.formats.name_pattern import keys_by_pattern
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.settings import read_settings
from vast_orchard.starters.shipped import starters
from vast_orchard.types import SetName

__all__ = ["Held", "Pool", "fold_pool", "folds", "held_out"]

_MOST_REPEATS = 20


@dataclass(frozen=True, kw_only=True)
class Pool:
    """The pictures that are divided into folds."""

    classes: tuple[str, ...]
    examples: Examples
    paths: tuple[str, ...]
    folds: tuple[tuple[int, ...], ...]  # of each repeat, the fold of each picture
    left_out: int  # pictures of the test set

    @property
    def drawn(self) -> str:
        """By which two runs see whether they have the same folds."""
        told = json.dumps([[int(one) for one in self.examples.identities], self.folds, self.classes])
        return hashlib.sha256(told.encode()).hexdigest()


@dataclass(frozen=True, kw_only=True)
class Held:
    """What a fold's model said of the pictures that it had not learnt from."""

    repeat: int
    fold: int
    places: Array  # (N,), int64, in the pool
    probabilities: FloatArray  # (N, K)
    judgement: Judgement


def _check(wish: Wish) -> None:
    """Refuse what would choose by the pictures that are judged, or may have learnt from them."""
    settings = wish.recipe.settings
    by_validation = settings.keep is not Keep.LAST or any(
        figure is not EndFigure.NONE and figure.value.startswith("validation")
        for figure in (settings.end_when, settings.reach)
    )
    if by_validation:
        raise SettingError(
            "The epoch would be chosen by the pictures that the fold is judged on, which makes every score too good.",
            "Leave --keep, --end-when and --reach to what needs no validation; all epochs are trained, and the last "
            "one is judged.",
        )
    start = wish.recipe.start
    if start is not None and start.words not in {f"the starter {entry.name}" for entry in starters()}:
        raise SettingError(
            f"{start.words} may have learnt from the very pictures that are judged.", "Start from a starter, or not."
        )


def fold_pool(collection: Collection, seed: int, keys: Sequence[Hashable | None], count: int, repeats: int) -> Pool:
    """The training and validation pictures of a collection, divided into folds as often as wanted."""
    divided = divide(collection, seed, keys)
    places = sorted([*divided.places[SetName.TRAINING], *divided.places[SetName.VALIDATION]])
    pictures = [collection.pictures[place] for place in places]
    labels, identities = [str(one.class_name) for one in pictures], [one.sha256 for one in pictures]
    own = [keys[place] if keys else None for place in places]
    check_folds(labels, own, count, {})
    return Pool(
        classes=divided.classes,
        examples=labelled_examples(collection.pixels[places], identities, labels, divided.classes),
        paths=tuple(one.path for one in pictures),
        folds=tuple(
            tuple(stratified_folds(identities, labels, own, count, seed + repeat)) for repeat in range(repeats)
        ),
        left_out=len(divided.places[SetName.TEST]),
    )


def _part(examples: Examples, chosen: Array) -> Examples:
    return Examples(
        pixels=examples.pixels[chosen], labels=examples.labels[chosen], identities=examples.identities[chosen]
    )


def held_out(pool: Pool, recipe: Recipe, origin: Model | None, team: Team, out: Console) -> Iterator[Held]:
    """Train on all folds but one, in turn, and answer about that one."""
    count, epochs = max(pool.folds[0]) + 1, recipe.settings.epochs
    columns = (TextColumn("{task.description}"), BarColumn(), TimeRemainingColumn())
    with Progress(*columns, console=out) as bar:
        task = bar.add_task("Training", total=len(pool.folds) * count * epochs)
        for repeat, chosen in enumerate(np.array(pool.folds), 1):
            for fold in range(count):
                bar.update(task, description=f"Fold {fold + 1} of {count}, round {repeat} of {len(pool.folds)}")
                training = begin(
                    recipe, len(pool.classes), _part(pool.examples, np.flatnonzero(chosen != fold)), None,
                    team=team, memory_bytes=free_memory(),
                    origin=None if origin is None else origin_of(origin), names=pool.classes,
                )  # fmt: skip
                for result in training.results:
                    if isinstance(result, EpochResult):
                        state = result.state
                        bar.advance(task)
                places = np.flatnonzero(chosen == fold)
                own = _part(pool.examples, places)
                probabilities = trained_model(training, state, pool.classes).probabilities(own.pixels, team)
                yield Held(
                    repeat=repeat, fold=fold + 1, places=places, probabilities=probabilities,
                    judgement=judge(probabilities, own.labels),
                )  # fmt: skip


def _former(file: Path, pool: Pool) -> FloatArray:
    """Accuracies of another set-up on the same folds."""
    wanted = "Give what orchard folds --json has printed for the same pictures, folds, repeats and seed."
    try:
        told = json.loads(file.read_text())
        drawn, scores = told["drawn"], [float(one["accuracy"]) for one in told["scores"]]
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise InputError(f"{file} holds no folds ({error!r}).", wanted) from error
    if drawn != pool.drawn:
        raise InputError(f"{file} is of other pictures or other folds: the two cannot be compared.", wanted)
    return np.array(scores)


def _write_answers(file: Path, pool: Pool, held: Sequence[Held]) -> None:
    with file.open("w", newline="") as opened:
        writer = csv.writer(opened)
        writer.writerow(["file", "class", "answer", "p", "p_of_class", "repeat", "fold"])
        for one in held:
            for place, row in zip(one.places, one.probabilities, strict=True):
                label, said = int(pool.examples.labels[place]), int(row.argmax())
                numbers = [round(float(row[said]), 6), round(float(row[label]), 6), one.repeat, one.fold]
                writer.writerow(harmless([pool.paths[place], pool.classes[label], pool.classes[said], *numbers]))


@with_recipe_options
def folds(
    folder: Annotated[Path, typer.Argument(help="Folder or zip with a folder a class.")],
    count: Annotated[int, typer.Option("--folds", min=2, max=50, help="Parts; each is held out once.")] = 5,
    repeats: Annotated[
        int, typer.Option(min=1, max=_MOST_REPEATS, help="How often they are drawn and trained anew.")
    ] = 1,
    together: Annotated[
        str, typer.Option(help="A pattern of file names: what has the same {group} is never divided.")
    ] = "",
    beside: Annotated[
        Path | None, typer.Option(help="What --json printed for another set-up on the same folds, to compare with.")
    ] = None,
    answers_to: Annotated[
        Path | None, typer.Option(help="A CSV file for what was said of every picture by a model that had not seen it.")
    ] = None,
    threads: Annotated[int, typer.Option(help="0 means one for each processor; changes no bit of the result.")] = 0,
    as_json: AsJson = False,
    *,
    wish: Wish,
) -> None:
    """Train on all parts but one, in turn, and judge on that one: how good a set-up is, and how sure that is.

    The test set is left out altogether. Every fold trains all epochs and is judged by the last: nothing is chosen by
    the pictures that are held out.
    """
    words = console()
    _check(wish)
    seed = wish.recipe.settings.seed
    with open_source(folder) as source, Progress(console=words) as bar:
        task = bar.add_task("Reading pictures")
        collection = collect(
            source, wish.recipe.preprocessing, lambda done, total: bar.update(task, completed=done, total=total)
        )
    keys = keys_by_pattern([one.path for one in collection.pictures], together) if together else []
    pool = fold_pool(collection, seed, keys, count, repeats)
    former = _former(beside, pool) if beside else None
    recipe = wish.for_pictures(wish.recipe, len(pool.examples) * (count - 1) // count)
    make_ready(words.print)
    words.print(
        f"{len(pool.examples)} pictures, {len(pool.classes)} classes; {pool.left_out} of the test set are left out. "
        f"{count * repeats} trainings of {recipe.settings.epochs} epochs.",
        soft_wrap=True,
    )
    began = time.monotonic()
    held = list(held_out(pool, recipe, wish.origin, make_team(read_settings(threads=threads or None)), words))
    if answers_to is not None:
        _write_answers(answers_to, pool, held)
    summary = _summary(pool, held, former, share=1 / (count - 1))
    summary |= {"epochs": recipe.settings.epochs, "train_s": round(time.monotonic() - began, 3)}
    if as_json:
        print(json.dumps(summary))
        return
    _print(summary, pool.classes)


def _summary(pool: Pool, held: Sequence[Held], former: FloatArray | None, *, share: float) -> dict[str, Any]:
    accuracies = np.array([one.judgement.accuracy for one in held])
    confusion = np.sum([one.judgement.confusion for one in held], axis=0)
    loss = float(np.average([one.judgement.loss for one in held], weights=[one.judgement.count for one in held]))
    return {
        "pictures": len(pool.examples),
        "left_out": pool.left_out,
        "classes": pool.classes,
        "drawn": pool.drawn,
        "accuracy": asdict(fold_scores(accuracies, share)),
        "macro_f1": asdict(fold_scores(np.array([one.judgement.macro_f1 for one in held]), share)),
        "loss": loss,
        "recalls": [one.recall for one in judged_matrix(confusion, loss).classes],
        "confusion": confusion.tolist(),
        "scores": [
            {
                "repeat": one.repeat, "fold": one.fold, "held_out": one.judgement.count, "right": one.judgement.right,
                "accuracy": one.judgement.accuracy,
                "macro_f1": one.judgement.macro_f1,
                "loss": one.judgement.loss,
            }
            for one in held
        ],
        "beside": None if former is None else asdict(fold_difference(former, accuracies, share)),
    }  # fmt: skip


def _print(summary: dict[str, Any], classes: Sequence[str]) -> None:
    for one in summary["scores"]:
        print(
            f"round {one['repeat']}, fold {one['fold']}: accuracy {one['accuracy']:.3f} "
            f"({one['right']} of {one['held_out']}), loss {one['loss']:.3f}"
        )
    told = summary["accuracy"]
    low, high = told["interval"]
    print(
        f"accuracy {told['mean']:.3f}, 95 % between {low:.3f} and {high:.3f}; "
        f"single folds differ by {told['deviation']:.3f}; macro F1 {summary['macro_f1']['mean']:.3f}"
    )
    for name, recall in zip(classes, summary["recalls"], strict=True):
        print(f"  {name}: {recall:.3f} found")
    if summary["beside"]:
        apart = summary["beside"]
        low, high = apart["interval"]
        print(
            f"{apart['mean']:+.3f} against the other, 95 % between {low:+.3f} and {high:+.3f}; by chance alone in "
            f"{100 * apart['chance']:.0f} of 100"
        )
