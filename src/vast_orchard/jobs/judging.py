"""Judges a run on one of its sets: predictions of the kept state, and their scores."""

from dataclasses import asdict

import numpy as np

from vast_orchard.core.judging.scores import judge, picture_losses
from vast_orchard.errors import ConflictError
from vast_orchard.formats.model_file import Model, read_model
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.engine import make_team
from vast_orchard.jobs.pixels import run_pixels
from vast_orchard.store.predictions import store_predictions
from vast_orchard.store.runs import checkpoint_path, get_run, run_pictures, set_judgement

__all__ = ["judge_set", "kept_model"]


def kept_model(context: WorkContext, run_id: int) -> Model:
    """The model at the kept epoch.

    Raises
    ------
    ConflictError
        No epoch of the run has finished yet.
    """
    with context.database.session() as session:
        path = checkpoint_path(session, run_id, "kept")
    if path is None:
        raise ConflictError("This run has no finished epoch yet.", "Wait for the first one.")
    return read_model(context.store.read(path))


def judge_set(context: WorkContext, run_id: int, set_name: str, progress: Progress) -> None:
    """Predict every picture of a set as it was when the run started, and store predictions and scores.

    Raises
    ------
    ConflictError
        The set is empty, or there is nothing to judge with.
    """
    model = kept_model(context, run_id)
    with context.database.session() as session:
        run = get_run(session, run_id)
        pictures = [picture for picture in run_pictures(session, run_id) if picture.set_name == set_name]
    if not pictures:
        raise ConflictError(f"The split of this run has no {set_name} pictures.", "Divide again with a share for it.")
    pixels = run_pixels(context, [picture.sha256 for picture in pictures], model.preprocessing, progress)
    progress.stage(f"Judging the {set_name} set", 1)
    ids = [entry["id"] for entry in run.classes]
    labels = np.array([ids.index(picture.class_id) for picture in pictures], np.int64)
    probabilities = model.probabilities(pixels, make_team(context.settings))
    predicted, losses = probabilities.argmax(axis=1), picture_losses(probabilities, labels)
    rows = [
        {
            "picture_id": picture.picture_id,
            "true_class": picture.class_id,
            "predicted_class": ids[int(predicted[n])],
            "p": float(probabilities[n, predicted[n]]),
            "loss": float(losses[n]),
            "probabilities": [float(p) for p in probabilities[n]],
        }
        for n, picture in enumerate(pictures)
    ]
    with context.database.session() as session:
        store_predictions(session, run_id, set_name, rows)
        set_judgement(session, run_id, set_name, asdict(judge(probabilities, labels)))
    progress.advance()
