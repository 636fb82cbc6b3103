"""Looks for findings: measures what nobody has measured, holds labels against answers, and stores what turned up."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import structlog

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.findings.alone import alone
from vast_orchard.core.findings.labels import contradicted
from vast_orchard.core.network.features import last_features
from vast_orchard.core.pictures.fingerprints import read_fingerprints
from vast_orchard.formats.model_file import Model, read_model
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.jobs.finding.by_facts import hard_findings, sets_that_differ, telltale_findings
from vast_orchard.jobs.training.measuring import measure_pictures
from vast_orchard.jobs.training.pixel_cache import run_pixels
from vast_orchard.store.finding_facts import (
    PictureFacts,
    answerer_of,
    picture_facts,
    standing_pictures,
    stored_answers_of,
)
from vast_orchard.store.findings import FoundPicture, store_findings
from vast_orchard.store.models import list_models
from vast_orchard.store.prints import read_prints
from vast_orchard.store.schema import FindingKind
from vast_orchard.store.splits import newest_split_id
from vast_orchard.store.values import JudgedPictureValue, ModelValue

__all__ = ["look_for_faults"]

_log = structlog.get_logger()
_LEAST_TO_HOLD = 20  # answers; of fewer no threshold is made
_AT_ONCE = 2048
# More pictures than that are compared by their fingerprints, which are there; a network would look at each first.
_MOST_BY_NETWORK = 20_000


def look_for_faults(context: WorkContext, project_id: int, progress: Progress) -> None:
    """Look at everything that may be wrong with a project's pictures, and store it in the place of what was found.

    Raises
    ------
    StoppedError
        A person stopped it; what was found before stays, and what was measured is not measured again.
    """
    with context.database.session() as session:
        wanted = standing_pictures(session, project_id)
    measure_pictures(context, wanted, progress)
    with context.database.session() as session:
        facts = picture_facts(session, project_id, newest_split_id(session, project_id))
    progress.stage("Looking for findings", 5)
    found, report = hard_findings(facts)
    progress.advance()
    more, by = _labels(context, project_id)
    found, report = [*found, *more], {**report, "label": by}
    progress.advance()
    labelled = [one for one in facts if one.class_id is not None]
    more, by = _alone(context, project_id, labelled, wanted, progress)
    found, report = [*found, *more], {**report, "alone": by}
    report["telltale"] = telltale_findings(labelled)
    progress.advance()
    report["apart"] = sets_that_differ(labelled)
    report["pictures"] = len(facts)
    with context.database.session() as session:
        store_findings(session, project_id, found, report)
    _log.info("Findings were looked for.", action="findings_found", project=project_id, found=len(found))
    progress.advance()


def _labels(context: WorkContext, project_id: int) -> tuple[list[FoundPicture], dict[str, Any]]:
    with context.database.session() as session:
        by = answerer_of(session, project_id)
        answers = stored_answers_of(session, by) if by else []
    if by is None or len(answers) < _LEAST_TO_HOLD:
        return [], {"by": None, "expected": 0.0}
    places = {number: place for place, number in enumerate(by.classes)}
    known = [(picture, label, p) for picture, label, p in answers if label in places and len(p) == len(by.classes)]
    labels = np.array([places[label] for _, label, _ in known], np.int64)
    probabilities = np.array([p for _, _, p in known], np.float64)
    held = contradicted(probabilities, labels)
    found = [
        FoundPicture(
            picture_id=known[n][0], kind=FindingKind.LABEL, weight=float(-held.margin[n]), class_id=known[n][1],
            proposal=by.classes[held.proposals[n]], p_label=float(probabilities[n, labels[n]]),
            p_proposal=float(probabilities[n, held.proposals[n]]),
        )
        for n in held.order.tolist()
        if held.named[n]
    ]  # fmt: skip
    told = {"run": by.run_number, "run_id": by.run_id, "folds": by.by_folds, "answers": len(known)}
    return found, {"by": told, "expected": held.expected}


def _alone(
    context: WorkContext,
    project_id: int,
    labelled: Sequence[PictureFacts],
    standing: Sequence[JudgedPictureValue],
    progress: Progress,
) -> tuple[list[FoundPicture], dict[str, Any]]:
    """By the last features of the newest model that knows all these classes, else by what a small tile looks like."""
    if len(labelled) < 2:
        return [], {"by": "", "expected": 0.0}
    entry = _featuring(context, project_id, labelled) if len(labelled) <= _MOST_BY_NETWORK else None
    if entry is not None:
        known = {one.id: one for one in labelled}
        asked = [one for one in standing if one.picture_id in known]
        kept, features = [known[one.picture_id] for one in asked], _by_network(context, entry, asked, progress)
        by = f"run {entry.run_number}"
    else:
        kept, features = _by_prints(context, project_id, labelled)
        by = "small tiles"
    if len(kept) < 2:
        return [], {"by": by, "expected": 0.0}
    held = alone(features, np.array([one.class_id for one in kept], np.int64))
    found = [
        FoundPicture(
            picture_id=kept[n].id, kind=FindingKind.ALONE, weight=float(held.far[n]), class_id=kept[n].class_id
        )
        for n in np.flatnonzero(held.named).tolist()
    ]
    return found, {"by": by, "expected": held.expected}


def _featuring(context: WorkContext, project_id: int, labelled: Sequence[PictureFacts]) -> ModelValue | None:
    classes = {one.class_id for one in labelled}
    with context.database.session() as session:
        models = list_models(session, project_id)
    whole = [one for one in models if one.has_weights and one.frozen]
    return next((one for one in whole if classes <= {entry["id"] for entry in one.classes}), None)


def _by_network(
    context: WorkContext, entry: ModelValue, asked: Sequence[JudgedPictureValue], progress: Progress
) -> FloatArray:
    model: Model = read_model(context.store.read(entry.weights_path))
    make_ready(lambda _words: None)
    pixels, team = run_pixels(context, asked, model.preprocessing, progress), make_team(context.settings)
    progress.stage("Looking for what is alone", len(asked))
    parts = []
    for start in range(0, len(asked), _AT_ONCE):
        parts.append(last_features(model.network(), pixels[start : start + _AT_ONCE], model.statistics, team))
        progress.advance(len(parts[-1]))
    return np.concatenate(parts)


def _by_prints(
    context: WorkContext, project_id: int, labelled: Sequence[PictureFacts]
) -> tuple[list[PictureFacts], FloatArray]:
    known = {one.id: one for one in labelled}
    kept: list[PictureFacts] = []
    parts: list[FloatArray] = [np.empty((0, 0), np.float32)]
    with context.database.session() as session:
        for part in read_prints(session, project_id):
            own = [(picture, place) for picture, place, _ in part if picture in known]
            if own:
                parts.append(read_fingerprints([place for _, place in own]))
                kept += [known[picture] for picture, _ in own]
    return kept, np.concatenate(parts[1:]) if kept else parts[0]
