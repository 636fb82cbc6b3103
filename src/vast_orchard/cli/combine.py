"""`orchard combine`: several models that answer as one, judged on pictures that none of them learnt from."""

import json
from collections.abc import Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from vast_orchard.cli.divided import Divided, contents, divide
from vast_orchard.cli.exported import export_trained, learnt_by
from vast_orchard.cli.judge import read_model_file
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.network.plan import plan
from vast_orchard.core.planning.combining import combine_answers
from vast_orchard.errors import InputError, SplitError
from vast_orchard.formats.collection import Collection, collect
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.name_pattern import keys_by_pattern
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.jobs.planning.combining import together_as
from vast_orchard.settings import read_settings
from vast_orchard.types import SetName

__all__ = ["combine"]


def combine(
    folder: Annotated[Path, typer.Argument(help="The folder or zip that they were trained on.")],
    members: Annotated[list[Path], typer.Argument(help="Two to twelve model.safetensors, of orchard train or finish.")],
    out: Annotated[Path, typer.Option(help="Folder for the export and the weights.")],
    fitted: Annotated[
        bool, typer.Option(help="By weights of our own fitting; without, every model counts alike.")
    ] = False,
    seed: Annotated[int, typer.Option(help="By which the pictures were divided.")] = 1,
    together: Annotated[
        str, typer.Option(help="As in orchard train: what has the same {group} is never divided.")
    ] = "",
    threads: Annotated[int, typer.Option(help="0 means one for each processor; changes no bit of the result.")] = 0,
    as_json: AsJson = False,
) -> None:
    """Let several models answer as one: the mean of their probabilities, or by fitted weights.

    The gain is told on validation pictures that no member learnt from, as far as learnt.txt beside its weights says
    that; with fitted weights each picture is judged by weights that were fitted on others. The test set stays shut.
    """
    words, models = console(), [read_model_file(file) for file in members]
    _check_alike(members, models)
    with open_source(folder) as source:
        collection = collect(source, models[0].preprocessing)
        paths = [one.path for one in collection.pictures]
        keys = keys_by_pattern(paths, together) if together else [None] * len(paths)
        divided = divide(collection, seed, keys if together else [])
        places, learnt, silent = _unlearnt(members, collection, divided)
        for file in silent:
            words.print(f"{file} does not tell what it learnt from: see to it that these were not among it.")
        make_ready(words.print)
        team = make_team(read_settings(threads=threads or None))
        pixels = collection.pixels[places]
        names = models[0].classes
        labels = np.array([names.index(str(collection.pictures[place].class_name)) for place in places])
        answers = np.stack(
            [
                replace(model, temperature=1.0).probabilities(pixels, team)[:, [model.classes.index(n) for n in names]]
                for model in models
            ]
        )
        told = combine_answers(answers, labels, [keys[place] for place in places], fitted=fitted)
        whole = together_as(models, told.weights)
        if fitted:
            learnt |= set(contents(collection, places))
        order = [place for name in reversed(SetName) for place in divided.places[name]]
        with words.status("Proving the export in a fresh process"):
            path, proof = export_trained(source, collection, order, whole, out, sorted(learnt))
    summary: dict[str, Any] = {
        **asdict(told), "pictures": len(places), "parameters": plan(whole.description).parameters, "export": str(path),
        "export_check": {"pictures": proof.pictures, "max_abs_difference": proof.max_abs_difference},
    }  # fmt: skip
    if as_json:
        print(json.dumps(summary))
        return
    for file, weight, accuracy, loss in zip(members, told.weights, told.members, told.member_losses, strict=True):
        print(f"{file}: counts {weight:.3f}; alone accuracy {accuracy:.3f}, loss {loss:.3f}")
    low, high = told.interval
    print(
        f"together on {len(places)} pictures: accuracy {told.accuracy:.3f}, {told.gain:+.3f} against the best alone "
        f"(95 % {low:+.3f} to {high:+.3f}), loss {told.loss:.3f}"
    )
    print(f"Export: {path}")


def _check_alike(members: Sequence[Path], models: Sequence[Model]) -> None:
    first = models[0]
    for file, model in zip(members, models, strict=True):
        if set(model.classes) != set(first.classes):
            raise InputError(
                f"{file} tells {', '.join(model.classes)} apart, and {members[0]} {', '.join(first.classes)}.",
                "Choose models with the same classes.",
            )
        if model.preprocessing != first.preprocessing:
            raise InputError(f"{file} sees pictures otherwise than {members[0]}.", "Train both with one preprocessing.")


def _unlearnt(
    members: Sequence[Path], collection: Collection, divided: Divided
) -> tuple[list[int], set[str], list[Path]]:
    """Places of the pictures that may judge, everything that was learnt from, and the members that tell nothing of it.

    Raises
    ------
    SplitError
        Fewer than two are left.
    """
    told = {file: learnt_by(file) for file in members}
    learnt = set().union(*(known for known in told.values() if known))
    places = [n for n in divided.places[SetName.VALIDATION] if collection.pictures[n].sha256 not in learnt]
    if len(places) < 2:
        raise SplitError(
            "No validation picture is left that no member learnt from.",
            "Combine models of the same division and seed; one that was trained finally has learnt from all.",
        )
    return places, learnt, [file for file, known in told.items() if known is None]
