"""Projects by name, and splits by number."""

import pytest

from tests.pictures import png
from tests.world import World
from vast_orchard.at_once.dividing import DivideRule, divide, split_for_training
from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.projects import create_project, delete_project, describe_project, list_projects, restore_project
from vast_orchard.store.splits import get_split, list_splits

_SHARES = {"training": 0.5, "validation": 0.25, "test": 0.25}


def test_a_name_is_free_again_once_its_project_lies_in_the_bin(world: World) -> None:
    first = world.project("Ridge")
    with world.context.database.session() as session:
        delete_project(session, first)
    second = world.project("ridge")
    with pytest.raises(ConflictError, match="named Ridge already"), world.context.database.session() as session:
        restore_project(session, first)
    with world.context.database.session() as session:
        describe_project(session, second, name="Valley")
    with world.context.database.session() as session:
        restore_project(session, first)
        assert {entry.name for entry in list_projects(session)} == {"Ridge", "Valley"}


def test_deleting_loses_nothing_and_stops_what_runs(world: World) -> None:
    project = world.project()
    world.bring_in(project, {"a/1.png": png(1)})
    job = world.import_job(project, {"a/2.png": png(2)})
    with world.context.database.session() as session:
        delete_project(session, project)
    assert world.run(job).state == "stopped"
    with world.context.database.session() as session:
        assert restore_project(session, project).pictures == 1


def test_names_of_every_script_and_length_are_kept(world: World) -> None:
    with world.context.database.session() as session:
        for name in ("雪の結晶", "a/b\\c", "'; drop table picture; --", "x" * 200, "🌨"):
            assert create_project(session, name).name == name


def test_splits_are_numbered_and_the_newest_is_meant(world: World) -> None:
    project = world.project()
    world.bring_in(project, {f"{name}/{n}.png": png(n + 50 * k) for k, name in enumerate("ab") for n in range(8)})
    with world.context.database.session() as session:
        one = divide(session, project, DivideRule(shares=_SHARES))
        two = divide(session, project, DivideRule(shares=_SHARES))
        assert (one.number, two.number) == (1, 2)
        # The same seed and pictures give the same sets.
        assert one.counts == two.counts
        assert split_for_training(session, project, None, 1) == two.id
        assert split_for_training(session, project, one.id, 1) == one.id
        assert [entry.number for entry in list_splits(session, project)] == [2, 1]
        assert all(counts == {"training": 4, "validation": 2, "test": 2} for counts in one.counts.values())
        with pytest.raises(MissingError, match="no split 999"):
            get_split(session, 999)


def test_without_any_split_training_makes_one(world: World) -> None:
    project = world.project()
    world.bring_in(project, {f"{name}/{n}.png": png(n + 50 * k) for k, name in enumerate("ab") for n in range(10)})
    with world.context.database.session() as session:
        made = get_split(session, split_for_training(session, project, None, 7))
    assert (made.method, made.seed, made.number) == ("random", 7, 1)
    assert sum(sum(counts.values()) for counts in made.counts.values()) == 20
