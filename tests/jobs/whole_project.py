"""A project in which everything was done, and all that a person can see of it."""

import json
from typing import Any

from tests.pictures import png
from tests.world import World, list_pictures
from vast_orchard.at_once.catalogue import checked_variation
from vast_orchard.at_once.dividing import move_to_set
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import actions, history
from vast_orchard.store.area_actions import give_area, set_rules
from vast_orchard.store.areas import areas_for, list_rules
from vast_orchard.store.bin import list_bin
from vast_orchard.store.classes import list_classes
from vast_orchard.store.exports import create_export, list_exports
from vast_orchard.store.ingredients import list_ingredients, save_ingredient
from vast_orchard.store.ledger import list_runs
from vast_orchard.store.models import judgement_of
from vast_orchard.store.pictures import picture_detail
from vast_orchard.store.predictions import list_outcomes
from vast_orchard.store.runs import footing, list_epochs
from vast_orchard.store.schema import IngredientKind, JobKind
from vast_orchard.store.splits import list_splits
from vast_orchard.store.told_steps import list_actions

__all__ = ["state_of", "trained_project"]


def _area(**parts: Any) -> dict[str, Any]:
    return {"keep": None, "margin": None, "covered": [], "fill": None, **parts}


_LEFT = _area(keep=[0.0, 0.0, 0.75, 1.0])
_TOP = _area(keep=[0.0, 0.0, 1.0, 0.75])
_COVERED = _area(covered=[[[0.0, 0.0], [0.5, 0.0], [0.0, 0.5]]], fill=[1, 2, 3])


def trained_project(world: World) -> int:
    """A project with everything in it: a run, a pack, named ingredients, a bin, a history with an undo."""
    project = world.project("Ridge")
    members = {
        f"{c}/{n}.png": png(60 * k + n, level=90 + 60 * k) for k, c in enumerate(("plate", "rime")) for n in range(30)
    }
    world.bring_in(project, members)
    with world.context.database.session() as session:
        set_rules(session, project, "areas", [("width>2", _LEFT), ("", _TOP)], fresh_by="rule", fresh=_TOP, was=0)
        give_area(session, project, "areas", world.picture_ids(project)[3:5], _COVERED)
    _, job = world.run_job(project)
    assert world.run(job).state == "done"
    with world.context.database.session() as session:
        run = list_runs(session, project).runs[0]
        assert run.model is not None
        export = create_export(session, project, run.model.id, calibrated=True)
        made = start_job(session, project, JobKind.EXPORT, "Export", export.id)
    assert world.run(made).state == "done"
    first = world.picture_ids(project)
    with world.context.database.session() as session:
        save_ingredient(session, project, IngredientKind.VARIATION, "Gentle", checked_variation({"operations": []}))
        # The run has used the split: the moves make its next version.
        split = list_splits(session, project)[0]
        move_to_set(session, project, "two", split.id, dict.fromkeys(first[8:12]))
        set_rules(session, project, "areas", [("", _LEFT)], fresh_by="whole", fresh=None, was=1)
        give_area(session, project, "areas", first[4:5], None)
        actions.note_pictures(session, project, "one", [first[0]], "odd one")
        actions.bin_pictures(session, project, "one", first[1:3])
        rime = list_classes(session, project)[1].id
        actions.label_pictures(session, project, "one", [first[6]], rime)
    with world.context.database.session() as session:
        assert history.undo(session, project, "one").taken_back == 1  # a step that names another
    with world.context.database.session() as session:
        actions.label_pictures(session, project, "one", [first[5]], rime)
    return project


def state_of(world: World, project: int) -> dict[str, Any]:
    """All of a project that a person can see, without the numbers that only this database knows."""
    with world.context.database.session() as session:
        names = {entry.id: entry.name for entry in list_classes(session, project)}
        run = list_runs(session, project).runs[0]
        splits = list_splits(session, project)
        split = splits[0]
        model = run.model
        assert model is not None
        pictures = list_pictures(session, project, split.id)
        areas, then = (areas_for(session, project, [p.id for p in pictures], m) for m in (None, model))
        outcomes = list_outcomes(session, model, "validation", [], wrong_only=False, limit=500)
        return {
            "pictures": sorted((p.sha256, p.name, names.get(p.class_id or 0), p.set_name, p.note) for p in pictures),
            "areas": sorted((p.sha256, json.dumps(areas.get(p.id)), json.dumps(then.get(p.id))) for p in pictures),
            "rules": [(x.number, x.rules, x.fresh_by, x.fresh) for x in list_rules(session, project)],
            "bin": sorted(p.sha256 for p in list_bin(session, project, 100)),
            "history": sorted(
                (p.sha256, tuple(picture_detail(session, project, p.id, None).history)) for p in pictures
            ),
            "actions": [(a.kind, a.summary) for a in list_actions(session, project)],
            "run": (
                run.number,
                run.state,
                run.recipe,
                run.ended_by,
                run.ending,
                run.ended_at,
                run.counts,
                run.figures,
                list_epochs(session, run.id),
                (model.epoch, model.digest, model.looks, model.frozen),
                [judgement_of(session, model.id, name) for name in ("training", "validation", "test")],
            ),
            "classes of the run": [(names[c["id"]], c["sign"]) for c in run.classes],
            "outcomes": sorted(
                (o.sha256, names[o.true_class or 0], names[o.predicted_class], o.p, o.loss) for o in outcomes
            ),
            "splits": [
                (x.name, x.version, x.in_no_set, [(names[met["class_id"]], met["got"]) for met in x.fit])
                for x in splits
            ],
            "variations": [
                (x.name, x.version, x.value) for x in list_ingredients(session, project, IngredientKind.VARIATION)
            ],
            "footing": footing(session, run.id),
            "weights": [world.context.store.read(str(path)) for path in (run.state_path, model.path)],
            "packs": [world.context.store.read(str(e.path)) for e in list_exports(session, model.id)],
        }
