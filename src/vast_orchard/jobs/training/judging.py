"""Judges a model on one set of its run: predictions of its state, and their scores."""

from dataclasses import asdict

import numpy as np

from vast_orchard.core.judging.calibration import tempered
from vast_orchard.core.judging.scores import judge, picture_losses
from vast_orchard.core.judging.sureness import sureness
from vast_orchard.errors import ConflictError
from vast_orchard.formats.model_file import read_model
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.engine import make_team
from vast_orchard.jobs.training.measuring import measure_pictures
from vast_orchard.jobs.training.pixel_cache import run_pixels
from vast_orchard.store.models import check_may_be_tested, get_model, store_judgement
from vast_orchard.store.predictions import store_predictions
from vast_orchard.store.snapshots import snapshot_pictures
from vast_orchard.store.splits import copy_keys
from vast_orchard.types import SetName

__all__ = ["judge_model"]


def judge_model(context: WorkContext, model_id: int, set_name: SetName, progress: Progress) -> None:
    """Predict every picture of a set as it was when the model's run started, and store predictions and scores.

    Raises
    ------
    ConflictError
        The set is empty, or the run went on meanwhile and keeps another state.
    """
    with context.database.session() as session:
        if set_name is SetName.TEST:
            check_may_be_tested(session, model_id)
        entry = get_model(session, model_id)
        pictures = snapshot_pictures(session, entry.snapshot_id or 0, set_name.value)
        copies = copy_keys(session, entry.project_id)
    if not pictures:
        raise ConflictError(f"The split of this run has no {set_name} pictures.", "Divide again with a share for it.")
    measure_pictures(context, pictures, progress)
    model = read_model(context.store.read(entry.path))
    pixels = run_pixels(context, [picture.sha256 for picture in pictures], model.preprocessing, progress)
    progress.stage(f"Judging the {set_name} set", 1)
    ids = [known["id"] for known in entry.classes]
    labels = np.array([ids.index(picture.class_id) for picture in pictures], np.int64)
    logits = model.logits(pixels, make_team(context.settings))
    probabilities = tempered(logits, 1.0)
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
    # A picture that is no copy is a group of its own.
    groups = np.array([copies.get(picture.picture_id, -picture.picture_id) for picture in pictures], np.int64)
    sure = sureness(logits, labels, groups, temperature=entry.temperature, fit=set_name is SetName.VALIDATION)
    with context.database.session() as session:
        store_judgement(session, entry, set_name.value, asdict(judge(probabilities, labels)), asdict(sure))
        store_predictions(session, model_id, set_name.value, rows)
    progress.advance()
