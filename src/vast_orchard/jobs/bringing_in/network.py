"""Brings a network file in: a run that was no training, whose model is judged, tried, handed over and started from."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.catalogue import PROGRAM
from vast_orchard.at_once.dividing import split_for_training
from vast_orchard.core.network.description import description_from_json
from vast_orchard.core.network.plan import plan
from vast_orchard.core.pictures.preprocessing import preprocessing_from_json, preprocessing_to_json
from vast_orchard.core.training.recipe import Recipe, recipe_to_json
from vast_orchard.jobs.queue import start_job
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.classes import find_or_add_classes
from vast_orchard.store.ingredients import version_of_value
from vast_orchard.store.models import keep_state, model_of_run, set_unsure
from vast_orchard.store.run_states import end_run
from vast_orchard.store.runs import create_run, get_run, set_parameters
from vast_orchard.store.schema import IngredientKind, JobKind, RunEnding
from vast_orchard.store.values import RunValue
from vast_orchard.types import SetName

__all__ = ["bring_in_network"]


def bring_in_network(session: Session, store: ByteStore, project_id: int, found: Mapping[str, Any]) -> RunValue:
    """Record a model that was read of a file as a run that has ended, and have it judged on validation.

    Parameters
    ----------
    found : mapping
        What `look_at_network_file` answers, with the model.

    Raises
    ------
    ConflictError
        The project has no picture of one of its classes.
    """
    network = description_from_json(found["network"])
    before = preprocessing_from_json(found["preprocessing"])
    recipe = Recipe(network=network, preprocessing=before)
    classes = find_or_add_classes(session, project_id, found["names"])
    split_id = split_for_training(session, project_id, None, recipe.settings.seed)
    plain = preprocessing_to_json(before)
    plain.pop("area", None)
    run = create_run(
        session,
        project_id,
        split_id,
        recipe_to_json(recipe),
        program=PROGRAM,
        variation_id=version_of_value(session, project_id, IngredientKind.VARIATION, asdict(recipe.variation)),
        preprocessing_id=version_of_value(session, project_id, IngredientKind.PREPROCESSING, plain),
        name=network.name,
        class_ids=[classes[name].id for name in found["names"]],
    )
    set_parameters(session, run.id, recipe_to_json(recipe), plan(network).parameters)
    path = f"runs/{run.id}/kept-0.safetensors"
    keep_state(session, run.id, epoch=0, digest=found["digest"], path=path)
    facts = {key: found[key] for key in ("difference", "producer")}
    end_run(session, run.id, RunEnding.BROUGHT, {"file": found["name"], **facts})
    if found["unsure_below"] is not None:
        set_unsure(session, model_of_run(session, run.id).id, found["unsure_below"])
    if run.counts.get(SetName.VALIDATION):
        title = f"Judge run {run.number} on its validation set"
        start_job(session, project_id, JobKind.JUDGE, title, model_of_run(session, run.id).id, SetName.VALIDATION.value)
    # The last that can fail, so that no file is left of a run that there is not.
    store.write(path, found["model"])
    store.settle()
    return get_run(session, run.id)
