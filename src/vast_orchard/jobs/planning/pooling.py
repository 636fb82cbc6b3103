"""The answers of all folds as one: each picture's by the fold that had not learnt from it, reviewed like a model's."""

import hashlib
from collections.abc import Sequence
from dataclasses import asdict

import numpy as np
from sqlalchemy.orm import Session

from vast_orchard.at_once.catalogue import PROGRAM
from vast_orchard.at_once.planning.order import PlanOrder
from vast_orchard.core.judging.scores import judge
from vast_orchard.core.judging.sureness import sureness
from vast_orchard.core.network.plan import plan
from vast_orchard.core.training.recipe import recipe_to_json, resolved_recipe
from vast_orchard.store.models import get_model, keep_state, model_of_run, store_judgement
from vast_orchard.store.pooled import copy_answers, pooled_answers
from vast_orchard.store.run_states import end_run
from vast_orchard.store.runs import create_run, set_parameters
from vast_orchard.store.schema import RunEnding
from vast_orchard.store.snapshots import derived_snapshot
from vast_orchard.store.splits import copy_keys
from vast_orchard.store.values import PlanValue, TrialValue
from vast_orchard.types import SetName

__all__ = ["pool_answers"]


def pool_answers(session: Session, entry: PlanValue, order: PlanOrder, whole: Sequence[TrialValue]) -> int | None:
    """Record a run whose model is no network: what the folds answered, with scores over all their pictures; its id.

    Where folds are drawn several times over, a picture's answer is that of the first round which has one: a mean of
    several would be better than any of them, and than the model that is trained in the end.

    Parameters
    ----------
    whole : sequence of TrialValue
        The folds that were trained to their end and judged, in the order of their numbers.
    """
    members = [get_model(session, one.model_id) for one in whole if one.model_id is not None]
    if entry.snapshot_id is None or entry.split_id is None:
        return None
    answers = pooled_answers(session, [member.id for member in members])
    if not answers.picture_ids:
        return None
    recipe = resolved_recipe(order.recipe, len(entry.classes))
    sets = dict.fromkeys(answers.picture_ids, SetName.VALIDATION)
    run = create_run(
        session, entry.project_id, entry.split_id, recipe_to_json(recipe),
        program=PROGRAM, group_id=entry.id, name="Answers of all folds",
        snapshot_id=derived_snapshot(session, entry.snapshot_id, sets),
    )  # fmt: skip
    set_parameters(session, run.id, recipe_to_json(recipe), plan(recipe.network, len(entry.classes)).parameters)
    digest = hashlib.sha256("".join(member.digest or "" for member in members).encode()).hexdigest()
    keep_state(session, run.id, epoch=0, digest=digest, path=None)
    end_run(session, run.id, RunEnding.POOLED, {"folds": len(members)})
    model = model_of_run(session, run.id)
    places = {known["id"]: place for place, known in enumerate(model.classes)}
    labels = np.array([places[number] for number in answers.true_classes], np.int64)
    probabilities = np.array(answers.probabilities, np.float32)
    copies = copy_keys(session, entry.project_id)
    groups = np.array([copies.get(number, -number) for number in answers.picture_ids], np.int64)
    # Their logarithms are logits of the same probabilities; no temperature was fitted on what was held out.
    logits = np.log(np.maximum(probabilities, np.finfo(np.float32).tiny))[None]
    sure = asdict(sureness(logits, labels, groups, fit=False))
    store_judgement(session, model, SetName.VALIDATION.value, asdict(judge(probabilities, labels)), sure)
    copy_answers(session, model.id, [member.id for member in members])
    return run.id
