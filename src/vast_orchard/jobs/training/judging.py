"""Judges a model on one set of its run, or on what lies in none: predictions of its state, and their scores."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.calibration import tempered
from vast_orchard.core.judging.scores import judge, picture_losses
from vast_orchard.core.judging.sureness import sureness
from vast_orchard.core.judging.worth import worth_labelling
from vast_orchard.core.network.features import last_features
from vast_orchard.errors import ConflictError
from vast_orchard.formats.feature_file import write_features
from vast_orchard.formats.model_file import Model, read_model
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.engine import make_team
from vast_orchard.jobs.training.measuring import measure_pictures
from vast_orchard.jobs.training.pixel_cache import run_pixels
from vast_orchard.store.models import check_may_be_tested, get_model, store_judgement
from vast_orchard.store.outside import outside_pictures
from vast_orchard.store.predictions import store_predictions
from vast_orchard.store.runs import get_run
from vast_orchard.store.snapshots import snapshot_pictures
from vast_orchard.store.splits import copy_keys
from vast_orchard.store.values import JudgedPictureValue, ModelValue
from vast_orchard.types import JudgedSet

__all__ = ["judge_model"]


def judge_model(context: WorkContext, model_id: int, set_name: JudgedSet, progress: Progress) -> None:
    """Predict every picture of a set as it was when the model's run started, and store predictions and scores.

    Outside the sets, pictures are taken as they are now, labelled and unlabelled ones together. With the training
    set the model's features of it are kept.

    Raises
    ------
    ConflictError
        The set is empty, or the run went on meanwhile and keeps another state.
    """
    with context.database.session() as session:
        if set_name is JudgedSet.TEST:
            check_may_be_tested(session, model_id)
        entry = get_model(session, model_id)
        if set_name is JudgedSet.OUTSIDE:
            pictures = outside_pictures(session, entry)
        else:
            pictures = snapshot_pictures(session, entry.snapshot_id or 0, set_name.value)
        copies = copy_keys(session, entry.project_id)
        held_out = entry.run_id is not None and "fold" in (get_run(session, entry.run_id).varied or {})
    # In a fold nothing is chosen by what it is judged on, a temperature as little as an epoch.
    fit = set_name is JudgedSet.VALIDATION and not held_out
    if not pictures:
        raise _nothing_to_judge(set_name)
    measure_pictures(context, pictures, progress)
    model = read_model(context.store.read(entry.weights_path))
    pixels = run_pixels(context, pictures, model.preprocessing, progress)
    progress.stage("Judging pictures in no set" if set_name is JudgedSet.OUTSIDE else f"Judging the {set_name} set", 1)
    logits = model.logits(pixels, make_team(context.settings))
    if set_name is JudgedSet.TRAINING:
        _keep_features(context, entry, model, [picture.picture_id for picture in pictures], pixels)
    # A picture that is no copy is a group of its own.
    groups = np.array([copies.get(picture.picture_id, -picture.picture_id) for picture in pictures], np.int64)
    worth = _worth(context, model, pictures, pixels, logits) if set_name is JudgedSet.OUTSIDE else {}
    parts = [
        _judged(entry, name, [pictures[n] for n in chosen], logits[:, chosen], groups[chosen], worth, fit=fit)
        for name, chosen in _parts_of(set_name, pictures).items()
    ]
    try:
        _store(context, entry, parts)
    except ConflictError:
        # Nobody asks for features of a state that is gone.
        _forget_features(context, entry)
        raise
    progress.advance()


def _nothing_to_judge(set_name: JudgedSet) -> ConflictError:
    if set_name is JudgedSet.OUTSIDE:
        return ConflictError(
            "Every picture of the project is in a set of this run, or left out.", "Bring in more, or judge a set."
        )
    return ConflictError(f"The split of this run has no {set_name} pictures.", "Divide again with a share for it.")


def _parts_of(set_name: JudgedSet, pictures: Sequence[JudgedPictureValue]) -> dict[JudgedSet, list[int]]:
    """Places of the pictures by what they are stored as: outside the sets, both parts at once."""
    if set_name is not JudgedSet.OUTSIDE:
        return {set_name: list(range(len(pictures)))}
    parts: dict[JudgedSet, list[int]] = {JudgedSet.OUTSIDE: [], JudgedSet.UNLABELLED: []}
    for place, picture in enumerate(pictures):
        parts[JudgedSet.UNLABELLED if picture.class_id is None else JudgedSet.OUTSIDE].append(place)
    return parts


def _worth(
    context: WorkContext, model: Model, pictures: Sequence[JudgedPictureValue], pixels: Array, logits: FloatArray
) -> dict[int, float]:
    """How much each unlabelled picture is worth labelling first: 1 for the first, falling to 0."""
    chosen = [place for place, picture in enumerate(pictures) if picture.class_id is None]
    if not chosen:
        return {}
    features = last_features(model.network(), pixels[chosen], model.statistics, make_team(context.settings))
    order = worth_labelling(tempered(logits[:, chosen], 1.0), features)
    return {pictures[chosen[place]].picture_id: 1 - rank / len(order) for rank, place in enumerate(order.tolist())}


def _keep_features(
    context: WorkContext, entry: ModelValue, model: Model, picture_ids: Sequence[int], pixels: Array
) -> None:
    path = context.store.features_path(entry.weights_path)
    if path is not None:
        features = last_features(model.network(), pixels, model.statistics, make_team(context.settings))
        context.store.write(path, write_features(picture_ids, features))


def _forget_features(context: WorkContext, entry: ModelValue) -> None:
    path = context.store.features_path(entry.weights_path)
    if path is not None:
        context.store.remove(path)


@dataclass(frozen=True, kw_only=True)
class _Judged:
    """What is stored of one set: without a picture no scores and no rows."""

    set_name: JudgedSet
    scores: dict[str, Any] | None
    sureness: dict[str, Any] | None
    rows: list[dict[str, Any]]


def _judged(
    entry: ModelValue,
    set_name: JudgedSet,
    pictures: Sequence[JudgedPictureValue],
    logits: FloatArray,
    groups: Array,
    worth: Mapping[int, float],
    *,
    fit: bool,
) -> _Judged:
    """Predictions and scores of one set; of unlabelled pictures there is a count.

    Parameters
    ----------
    logits : ndarray, shape (views, N, K)
    groups : ndarray, shape (N,), int
        Copies share a number.
    worth : mapping of int to float
        Of unlabelled pictures, by their ids.
    fit : bool
        The temperature is fitted on these pictures.
    """
    if not pictures:
        return _Judged(set_name=set_name, scores=None, sureness=None, rows=[])
    ids = [known["id"] for known in entry.classes]
    scores: dict[str, Any] = {"count": len(pictures)}
    sure = None
    losses: Sequence[float | None] = [None] * len(pictures)
    probabilities = tempered(logits, 1.0)
    if set_name is not JudgedSet.UNLABELLED:
        labels = np.array([ids.index(picture.class_id or 0) for picture in pictures], np.int64)
        losses = [float(loss) for loss in picture_losses(probabilities, labels)]
        scores = asdict(judge(probabilities, labels))
        sure = asdict(sureness(logits, labels, groups, temperature=entry.temperature, fit=fit))
    ranked = (-probabilities).argsort(axis=1, kind="stable")
    temperature = sure["temperature"] if sure and fit else entry.temperature
    calibrated = None if temperature is None else tempered(logits, temperature)
    rows = [
        {
            "picture_id": picture.picture_id,
            "true_class": picture.class_id,
            "predicted_class": ids[first],
            "p": float(probabilities[n, first]),
            "loss": losses[n],
            "probabilities": [float(p) for p in probabilities[n]],
            "runner_up": ids[second],
            "worth": worth.get(picture.picture_id),
            "calibrated": None if calibrated is None else float(calibrated[n, first]),
        }
        for n, (picture, (first, second)) in enumerate(zip(pictures, ranked[:, :2].tolist(), strict=True))
    ]
    return _Judged(set_name=set_name, scores=scores, sureness=sure, rows=rows)


def _store(context: WorkContext, entry: ModelValue, parts: Sequence[_Judged]) -> None:
    with context.database.session() as session:
        # All old ones go first: a picture that was unlabelled may have a label now.
        for part in parts:
            store_judgement(session, entry, part.set_name.value, part.scores, part.sureness)
        for part in parts:
            if part.rows:
                store_predictions(session, entry.id, part.set_name.value, part.rows)
