"""Several models that answer as one: judged on what none of them learnt from, and kept as the model of a run."""

import time
from dataclasses import asdict, replace
from typing import Any

import numpy as np

from vast_orchard.at_once.catalogue import PROGRAM
from vast_orchard.at_once.planning.members import check_members, unlearnt_sets
from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.together import Member, answering_together
from vast_orchard.core.pictures.variation import NO_VARIATION
from vast_orchard.core.planning.combining import Combined, combine_answers, disagreement
from vast_orchard.core.team import Team
from vast_orchard.core.training.recipe import Recipe, recipe_to_json
from vast_orchard.errors import ConflictError
from vast_orchard.formats.model_file import Model, read_model, weights_digest, write_model
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.jobs.queue import start_job
from vast_orchard.jobs.training.pixel_cache import run_pixels
from vast_orchard.store.models import keep_state, model_of_run
from vast_orchard.store.run_states import end_run
from vast_orchard.store.runs import create_run, get_run, set_parameters
from vast_orchard.store.schema import JobKind, RunEnding
from vast_orchard.store.snapshots import derived_snapshot
from vast_orchard.store.splits import copy_keys
from vast_orchard.store.values import ModelValue
from vast_orchard.types import SetName

__all__ = ["combine_models", "together_as"]

_TIMED = 64  # pictures by which the time of an answer is measured


def together_as(models: list[Model], shares: tuple[float, ...]) -> Model:
    """One model that answers the weighted mean of what several say; classes and preprocessing are the first one's."""
    first = models[0]
    members = [
        Member(
            description=model.description, weights=model.weights, statistics=model.statistics,
            order=tuple(model.classes.index(name) for name in first.classes),
        )
        for model in models
    ]  # fmt: skip
    description, weights = answering_together(members, shares, len(first.classes))
    return replace(first, description=description, weights=weights, temperature=1.0, unsure_below=None)


def combine_models(
    context: WorkContext, project_id: int, progress: Progress, *, model_ids: list[int], fitted: bool, name: str
) -> None:
    """Let models answer together, and record that as a run that has ended.

    Raises
    ------
    ConflictError
        They cannot, or no picture is left to judge that by.
    """
    with context.database.session() as session:
        entries = check_members(session, project_id, model_ids)
        sets = unlearnt_sets(session, entries)
        copies = copy_keys(session, project_id)
        names = [get_run(session, entry.run_id or 0).name for entry in entries]
    judged = sorted(
        (picture for picture, own in sets.values() if own is SetName.VALIDATION), key=lambda one: one.sha256
    )
    models = [read_model(context.store.read(entry.weights_path)) for entry in entries]
    make_ready(lambda words: progress.stage(words, 1))
    team = make_team(context.settings)
    pixels = run_pixels(context, judged, models[0].preprocessing, progress)
    progress.stage("Asking each of them", len(models))
    ids = [known["id"] for known in entries[0].classes]
    labels = np.array([ids.index(picture.class_id) for picture in judged], np.int64)
    answers = []
    for entry, model in zip(entries, models, strict=True):
        own = [known["id"] for known in entry.classes]
        answers.append(_plain(model, pixels, team)[:, [own.index(number) for number in ids]])
        progress.advance()
    told = np.stack(answers)
    keys = [copies.get(picture.picture_id) for picture in judged]
    combined = combine_answers(told, labels, keys, fitted=fitted)
    whole = together_as(models, combined.weights)
    if fitted:
        # The weights have learnt from these: what is left to judge by is the test set.
        sets = {n: (picture, _learnt(own)) for n, (picture, own) in sets.items()}
    called = list(zip((entry.run_number or 0 for entry in entries), names, strict=True))
    facts = _facts(combined, called, models, whole, told, labels, pixels, team, fitted=fitted)
    _record(context, project_id, entries, whole, facts, {n: own for n, (_, own) in sets.items()}, name)


def _learnt(own: SetName) -> SetName:
    return SetName.TRAINING if own is SetName.VALIDATION else own


def _plain(model: Model, pixels: Array, team: Team) -> FloatArray:
    """Probabilities as they are, whatever temperature was fitted."""
    return replace(model, temperature=1.0).probabilities(pixels, team)


def _facts(
    combined: Combined, called: list[tuple[int, str]], models: list[Model], whole: Model, told: FloatArray,
    labels: Array, pixels: Array, team: Team, *, fitted: bool,
) -> dict[str, Any]:  # fmt: skip
    members = [
        {
            "number": number, "name": own, "weight": combined.weights[n],
            "accuracy": combined.members[n], "loss": combined.member_losses[n],
            "parameters": plan(model.description).parameters, "picture_ms": _picture_ms(model, pixels, team),
        }
        for n, ((number, own), model) in enumerate(zip(called, models, strict=True))
    ]  # fmt: skip
    chosen = ("accuracy", "loss", "best", "gain", "interval", "chance", "loss_gain")
    return {
        "members": members, "fitted": fitted, "pictures": len(labels),
        **{key: value for key, value in asdict(combined).items() if key in chosen},
        "doubt": _told_by_doubt(told, labels, combined), "picture_ms": _picture_ms(whole, pixels, team),
    }  # fmt: skip


def _told_by_doubt(told: FloatArray, labels: Array, combined: Combined) -> float:
    """Of ten wrong answers together, how many lie in the half of the pictures on which members agree least."""
    mixed = np.tensordot(np.array(combined.weights), told, axes=1)
    wrong = mixed.argmax(axis=1) != labels
    doubtful = np.argsort(-disagreement(told), kind="stable")[: -(-len(labels) // 2)]
    return 10 * float(wrong[doubtful].sum()) / max(1, int(wrong.sum()))


def _picture_ms(model: Model, pixels: Array, team: Team) -> float:
    some = pixels[:_TIMED]
    model.logits(some, team)
    began = time.perf_counter()
    model.logits(some, team)
    return 1000 * (time.perf_counter() - began) / len(some)


def _record(
    context: WorkContext, project_id: int, entries: list[ModelValue], whole: Model, facts: dict[str, Any],
    sets: dict[int, SetName], name: str,
) -> None:  # fmt: skip
    """The run whose model they are together, over the pictures with their sets for all of them."""
    recipe = Recipe(network=whole.description, preprocessing=whole.preprocessing, variation=NO_VARIATION)
    store = context.store
    with context.database.session() as session:
        first = get_run(session, entries[0].run_id or 0)
        if first.split_id is None:
            raise ConflictError(f"The split of run {first.number} is gone.", "Choose another first model.")
        snapshot = derived_snapshot(session, first.snapshot_id, sets)
        run = create_run(
            session, project_id, first.split_id, recipe_to_json(recipe),
            program=PROGRAM, name=name or whole.description.name, snapshot_id=snapshot,
        )  # fmt: skip
        set_parameters(session, run.id, recipe_to_json(recipe), plan(whole.description).parameters)
        path = f"runs/{run.id}/kept-0.safetensors"
        keep_state(session, run.id, epoch=0, digest=weights_digest(whole.weights), path=path)
        end_run(session, run.id, RunEnding.COMBINED, {"together": facts})
        if run.counts.get(SetName.VALIDATION):
            model = model_of_run(session, run.id)
            title = f"Judge run {run.number} on its validation set"
            start_job(session, project_id, JobKind.JUDGE, title, model.id, SetName.VALIDATION.value)
        # The last that can fail, so that no file is left of a run that there is not.
        store.write(path, write_model(whole))
        store.settle()
