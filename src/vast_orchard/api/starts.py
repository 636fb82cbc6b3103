"""What trainings can start from, over HTTP, and what each would take over."""

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Query
from sqlalchemy.orm import Session

from vast_orchard.api.dependencies import LARGEST_ID, Parts, PartsOf, ProjectOf, SessionOf
from vast_orchard.api.schemas.recipes import RecipeCreate, StartCreate
from vast_orchard.api.schemas.starts import (
    StarterRead,
    StartFactsRead,
    StartingModelRead,
    StartPlanCreate,
    StartPlanRead,
)
from vast_orchard.api.uploads import waiting_upload
from vast_orchard.at_once.catalogue import complete_settings, recipe_of
from vast_orchard.at_once.network_times import pace_here
from vast_orchard.at_once.networks import network_by_name
from vast_orchard.at_once.starting_points import Source, StartPlace, find_start, read_start, starter_values
from vast_orchard.errors import InputError, SettingError
from vast_orchard.jobs.training.starting import RunOrder
from vast_orchard.store.classes import list_classes
from vast_orchard.store.starting_models import list_starting_models
from vast_orchard.store.values import StartingModel

__all__ = ["ordered", "router", "start_of"]

router = APIRouter(prefix="/api", tags=["runs"])

_SourceId = Annotated[int | None, Query(ge=1, le=LARGEST_ID)]


@router.get("/starters", response_model=list[StarterRead])
def list_starters() -> list[dict[str, Any]]:
    """The starters that come with the program."""
    return starter_values()


@router.get("/projects/{project_id}/starting-models", response_model=list[StartingModelRead])
def list_models(session: SessionOf, project: ProjectOf) -> Sequence[StartingModel]:
    """Models that a training can start from: this project's first, then those of others, newest first."""
    return list_starting_models(session, project.id)


@router.get("/starting-point", response_model=StartFactsRead)
def read_point(
    session: SessionOf,
    parts: PartsOf,
    model_id: _SourceId = None,
    run_id: _SourceId = None,
    starter: Annotated[str, Query(max_length=80)] = "",
    upload: Annotated[str, Query(max_length=40)] = "",
) -> dict[str, Any]:
    """A model to start from, by one of the four."""
    wish = {"model_id": model_id, "run_id": run_id, "starter": starter, "upload": upload}
    facts: dict[str, Any] = parts.quick.run(
        "start_facts", place=_place(session, parts, StartCreate.model_validate(wish))
    )
    return facts


@router.post("/projects/{project_id}/start-plan", response_model=StartPlanRead)
def plan_start(session: SessionOf, parts: PartsOf, project: ProjectOf, body: StartPlanCreate) -> dict[str, Any]:
    """What a training would take over, layer by layer, and what would learn in which phase."""
    if body.recipe.start is None:
        raise SettingError("The recipe starts from nothing.", "Say what it should start from.")
    place = _place(session, parts, body.recipe.start)
    wanted, _ = _wanted(session, project.id, body.recipe)
    return _planned(session, parts, project.id, place, wanted, body.training, body.validation)


def ordered(session: Session, parts: Parts, project_id: int, asked: RecipeCreate | None) -> RunOrder:
    """What a person wants to be trained, with the weights that it starts from.

    Raises
    ------
    SettingError, DescriptionError, MissingError, ConflictError, InputError
        It cannot be.
    """
    if asked is None:
        return RunOrder()
    wanted, network_id = _wanted(session, project_id, asked)
    if asked.start is None:
        return RunOrder(recipe=recipe_of(wanted), network_id=network_id)
    place = _place(session, parts, asked.start)
    planned = _planned(session, parts, project_id, place, wanted)
    if planned["failure"]:
        raise SettingError(planned["failure"]["what"], planned["failure"]["mend"])
    data = read_start(parts.store, place)
    return RunOrder(recipe=recipe_of(planned["recipe"]), network_id=network_id, start_file=data)


def start_of(
    session: Session, parts: Parts, project_id: int, asked: RecipeCreate, source: Source
) -> tuple[dict[str, Any], bytes]:
    """What a recipe would be if it started from a source, and the weights of that; the network is the source's own.

    What learns is as the recipe says, or all at the rate that is proposed.

    Raises
    ------
    SettingError, MissingError, ConflictError
        It cannot start from there.
    """
    place = find_start(session, source)
    learning = (asked.start or StartCreate.model_validate({})).model_dump()
    if asked.start is None:
        learning["rate_factor"] = parts.quick.run("start_facts", place=place)["rate_factor"]
    wanted = {**asked.model_dump(exclude_none=True, exclude={"network"}), "start": learning}
    planned = _planned(session, parts, project_id, place, wanted)
    if planned["failure"]:
        raise SettingError(f"{place.words}: {planned['failure']['what']}", planned["failure"]["mend"])
    recipe: dict[str, Any] = planned["recipe"]
    return recipe, read_start(parts.store, place)


def _wanted(session: Session, project_id: int, asked: RecipeCreate) -> tuple[dict[str, Any], int | None]:
    """A recipe as plain values; its network whole, or left out where it is that of the model to start from."""
    wanted = asked.model_dump(exclude_none=True)
    if asked.network is None:
        if asked.start is None:
            raise SettingError("No network is named.", "Name one, or a model to start from.")
        return wanted, None
    try:
        network, network_id = network_by_name(session, project_id, asked.network)
    except SettingError:
        if asked.start is None:
            raise
        # A model may have a network that only its own project keeps; the name is held against the model's.
        return wanted, None
    return {**wanted, "network": network}, network_id


def _planned(
    session: Session,
    parts: Parts,
    project_id: int,
    place: StartPlace,
    wanted: dict[str, Any],
    training: int = 0,
    validation: int = 0,
) -> dict[str, Any]:
    start = {key: wanted["start"][key] for key in _LEARNING}
    recipe = {**wanted, "start": start, "settings": complete_settings(wanted.get("settings", {}))}
    classes = [entry.name for entry in list_classes(session, project_id) if entry.count]
    planned: dict[str, Any] = parts.quick.run(
        "start", place=place, recipe=recipe, classes=classes, training=training, validation=validation,
        pace=pace_here(parts.settings),
    )  # fmt: skip
    return planned


_LEARNING = ("learns", "new_epochs", "frozen_to", "rate_factor", "moving_statistics", "new_statistics")


def _place(session: Session, parts: Parts, wish: StartCreate) -> StartPlace:
    file = None
    if wish.upload:
        found = [entry for entry in waiting_upload(session, parts, wish.upload).iterdir() if entry.is_file()]
        if len(found) != 1:
            raise InputError(f"{len(found)} files were sent to start from.", "Send the one model file.")
        file = found[0]
    source = Source(model_id=wish.model_id, run_id=wish.run_id, starter=wish.starter, file=file)
    return find_start(session, source)
