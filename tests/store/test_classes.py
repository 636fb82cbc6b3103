"""Classes found by name, many at once."""

from tests.world import World
from vast_orchard.store.classes import add_class, find_or_add_classes, list_classes


def test_many_names_find_their_classes_in_any_capitals_or_make_them_in_order(world: World) -> None:
    project = world.project()
    with world.context.database.session() as session:
        rime = add_class(session, project, "RIME")
        found = find_or_add_classes(
            session, project, ["plate", "rime", "Plate", "Österås", "ÖSTERÅS", "needle", "rime"]
        )
        assert list(found) == ["plate", "rime", "Plate", "Österås", "ÖSTERÅS", "needle"]
        assert found["rime"].id == rime.id
        assert found["Plate"].id == found["plate"].id
        assert found["ÖSTERÅS"].id == found["Österås"].id
    with world.context.database.session() as session:
        listed = [(entry.name, entry.place, entry.sign) for entry in list_classes(session, project)]
    # The first spelling names a new class, and each has a place and a sign of its own.
    assert listed == [("RIME", 0, "R"), ("plate", 1, "P"), ("Österås", 2, "Ö"), ("needle", 3, "N")]


def test_no_names_need_no_class_and_another_project_keeps_its_own(world: World) -> None:
    project, other = world.project(), world.project("Other")
    with world.context.database.session() as session:
        theirs = add_class(session, other, "plate")
        assert find_or_add_classes(session, project, []) == {}
        assert find_or_add_classes(session, project, ["plate"])["plate"].id != theirs.id
