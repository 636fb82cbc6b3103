"""Starts a run: from a recipe and a split to a record and its job, in one transaction, for the API and for jobs."""

from dataclasses import asdict, dataclass, replace

from sqlalchemy.orm import Session

from vast_orchard.at_once.catalogue import PROGRAM, default_recipe, recipe_of
from vast_orchard.at_once.dividing import split_for_training
from vast_orchard.core.network.plan import plan
from vast_orchard.core.pictures.area import area_from_json
from vast_orchard.core.pictures.preprocessing import preprocessing_to_json
from vast_orchard.core.pictures.variation import check_colour
from vast_orchard.core.training.recipe import Recipe, recipe_to_json, resolved_recipe
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.watching.lookouts import check_watch
from vast_orchard.errors import ConflictError
from vast_orchard.jobs.queue import start_job
from vast_orchard.store.areas import rules_now
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.classes import list_classes
from vast_orchard.store.ingredients import version_of_value
from vast_orchard.store.run_states import reopen_run
from vast_orchard.store.runs import START_FILE, create_run, get_run, set_parameters, set_start
from vast_orchard.store.schema import IngredientKind, JobKind
from vast_orchard.store.splits import get_split
from vast_orchard.store.values import RunValue
from vast_orchard.types import SetName

__all__ = ["RunOrder", "go_on", "start_run"]


@dataclass(frozen=True, kw_only=True)
class RunOrder:
    """What to train."""

    recipe: Recipe | None = None  # its network may be open; None: the defaults for as many pictures
    split_id: int | None = None  # None: the newest, or one by the defaults
    group_id: int | None = None  # of which plan it is part
    network_id: int | None = None  # of the kept network that it is, if it is one
    name: str = ""
    note: str = ""
    start_file: bytes | None = None  # the model that the recipe starts from; checked against it by `start_plan`


def _default_recipe(session: Session, split_id: int) -> Recipe:
    counts = get_split(session, split_id).counts.values()
    return recipe_of(default_recipe(sum(count.get(SetName.TRAINING, 0) for count in counts)))


def start_run(session: Session, project_id: int, order: RunOrder, store: ByteStore | None = None) -> RunValue:
    """Record a run with all that it stands on, and hand it to the workers.

    Parameters
    ----------
    session : Session
    project_id : int
    order : RunOrder
    store : ByteStore, optional
        Takes the weights that the run starts from, if it starts from any.

    Raises
    ------
    SettingError, DescriptionError
        The ingredients do not fit each other.
    ConflictError
        There is too little to tell apart, or the split cannot be trained on.
    MissingError
        There is no such split or group.
    """
    used = sum(1 for entry in list_classes(session, project_id) if entry.count)
    if used < 2:
        raise ConflictError(
            f"There are pictures of {used} class{'' if used == 1 else 'es'} only.",
            "A network tells at least two classes apart: bring in or label pictures of another.",
        )
    seed = (order.recipe.settings if order.recipe else TrainingSettings()).seed
    split_id = split_for_training(session, project_id, order.split_id, seed)
    asked = order.recipe or _default_recipe(session, split_id)
    # Its pictures have their areas from the project, and what a new one gets is said there too.
    fresh = area_from_json(rules_now(session, project_id).fresh)
    asked = replace(asked, preprocessing=replace(asked.preprocessing, area=fresh))
    check_colour(asked.variation, asked.preprocessing.channels)
    check_watch(asked.watch, resolved_recipe(asked, used).network, validated=True)
    values = {
        IngredientKind.VARIATION: asdict(asked.variation),
        IngredientKind.PREPROCESSING: preprocessing_to_json(replace(asked.preprocessing, area=None)),
    }
    named = {kind: version_of_value(session, project_id, kind, value) for kind, value in values.items()}
    run = create_run(
        session,
        project_id,
        split_id,
        recipe_to_json(asked),
        program=PROGRAM,
        variation_id=named[IngredientKind.VARIATION],
        preprocessing_id=named[IngredientKind.PREPROCESSING],
        network_id=order.network_id,
        group_id=order.group_id,
        name=order.name,
        note=order.note,
    )
    # Which classes can be learnt is known with the snapshot only, and with them the network's last layer.
    recipe = resolved_recipe(asked, len(run.classes))
    check_watch(recipe.watch, recipe.network, validated=bool(run.counts.get(SetName.VALIDATION)))
    set_parameters(session, run.id, recipe_to_json(recipe), plan(recipe.network, len(run.classes)).parameters)
    start_job(session, project_id, JobKind.TRAIN, f"Run {run.number}", run.id)
    if order.start_file is not None:
        assert store is not None, "what a run starts from is kept in a store"
        place = f"runs/{run.id}/{START_FILE}"
        set_start(session, run.id, place)
        # The last that can fail, so that no file is left of a run that there is not.
        store.write(place, order.start_file)
        store.settle()
    return get_run(session, run.id)


def go_on(session: Session, run: RunValue) -> RunValue:
    """Let a run that was stopped or failed train on from where it is, to the weights that it would have had.

    Raises
    ------
    ConflictError
        It has not ended, or has ended well.
    """
    reopen_run(session, run.id)
    start_job(session, run.project_id, JobKind.TRAIN, f"Run {run.number}", run.id)
    return get_run(session, run.id)
