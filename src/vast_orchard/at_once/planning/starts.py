"""What the trials of a search can start from, by the names that people read: nothing, starters, models of runs."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.starting_points import Source
from vast_orchard.core.planning.knobs import NOTHING
from vast_orchard.core.planning.trial_recipe import NamedStart
from vast_orchard.core.training.recipe import recipe_from_json
from vast_orchard.errors import SettingError
from vast_orchard.starters.shipped import starters
from vast_orchard.store.models import get_model
from vast_orchard.store.snapshots import learnt_within
from vast_orchard.store.splits import newest_split_id
from vast_orchard.store.starting_models import list_starting_models
from vast_orchard.store.values import StartingModel

__all__ = ["check_unlearnt", "named_sources", "start_in", "start_names"]

# Models that are offered, of the project and of others; what was trained last is what is tried further.
_OFFERED = 12


def _words(model: StartingModel) -> str:
    return f"run {model.run_number} of {model.project}"


def start_names(session: Session, project_id: int) -> list[str]:
    """What is offered: nothing first, then starters, then the newest models of the Ledger, then of others'."""
    models = list_starting_models(session, project_id, _OFFERED, plain=True)
    return list(dict.fromkeys([NOTHING, *(f"the starter {one.name}" for one in starters()), *map(_words, models)]))


def named_sources(session: Session, project_id: int, space: Sequence[Mapping[str, Any]]) -> dict[str, Source]:
    """Where the weights lie that a space names to start from, by their names; nothing has none.

    Of two models that are called alike the project's own is meant, then the newest.

    Raises
    ------
    SettingError
        Nothing is called so.
    """
    named = [str(name) for knob in space if knob["name"] == "start" for name in knob.get("values") or ()]
    return {name: _source(session, project_id, name) for name in named if name != NOTHING}


def start_in(recipe: Mapping[str, Any]) -> NamedStart:
    """The start of a recipe as it is stored, with the network that comes with it."""
    found = recipe_from_json(recipe)
    assert found.start is not None, "it starts from something"
    return NamedStart(start=found.start, network=found.network)


def _source(session: Session, project_id: int, name: str) -> Source:
    for one in starters():
        if name == f"the starter {one.name}":
            return Source(starter=one.name)
    for model in list_starting_models(session, project_id):
        if name == _words(model):
            return Source(model_id=model.model_id)
    raise SettingError(
        f"There is nothing called {name!r} to start from.",
        f"Choose of: {', '.join(start_names(session, project_id))}.",
    )


def check_unlearnt(session: Session, project_id: int, split_id: int | None, sources: Sequence[Source]) -> None:
    """See to it that no start has learnt from the pictures that trials are compared by: it would win by that.

    Raises
    ------
    SettingError
    """
    split_id = split_id or newest_split_id(session, project_id)
    if split_id is None:
        return
    for source in sources:
        if source.model_id is None:
            continue
        model = get_model(session, source.model_id)
        known = learnt_within(session, model.snapshot_id or 0, split_id)
        if known:
            raise SettingError(
                f"Run {model.run_number} learnt from {known} of the pictures that trials are compared by, and would "
                "look better than it is.",
                "Leave it out, or compare on the split that it was trained by.",
            )
