"""Labels, classes, and taking back: by window, and never over someone else's later choice."""

import time
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from tests.pictures import png
from tests.world import World, list_pictures
from vast_orchard.errors import ConflictError, InputError, MissingError
from vast_orchard.store.actions import (
    change_class,
    create_class,
    delete_class,
    label_pictures,
    mark_pictures,
    merge_classes,
    order_classes,
    split_off_class,
)
from vast_orchard.store.classes import free_sign, list_classes
from vast_orchard.store.history import redo, undo
from vast_orchard.store.pictures import picture_detail
from vast_orchard.store.told_steps import list_actions


class _Desk:
    """A project with two classes of three pictures, seen by name."""

    def __init__(self, world: World) -> None:
        self.database = world.context.database
        self.project = world.project()
        members = {f"{name}/{n}.png": png(n + 10 * len(name)) for name in ("needle", "plate") for n in range(3)}
        world.bring_in(self.project, members)
        self.pictures = world.picture_ids(self.project)

    def labels(self) -> list[str | None]:
        with self.database.session() as session:
            names = {entry.id: entry.name for entry in list_classes(session, self.project)}
            found = list_pictures(session, self.project)
            return [names[entry.class_id] if entry.class_id else None for entry in found]

    def id_of(self, name: str) -> int:
        with self.database.session() as session:
            return next(entry.id for entry in list_classes(session, self.project) if entry.name == name)

    def label(self, places: list[int], name: str | None, window: str = "one") -> None:
        class_id = self.id_of(name) if name else None
        with self.database.session() as session:
            label_pictures(session, self.project, window, [self.pictures[p] for p in places], class_id)

    def undo(self, window: str = "one") -> tuple[int, int]:
        with self.database.session() as session:
            result = undo(session, self.project, window)
            return result.taken_back, result.kept

    def redo(self, window: str = "one") -> tuple[int, int]:
        with self.database.session() as session:
            result = redo(session, self.project, window)
            return result.taken_back, result.kept

    def classes(self) -> list[str]:
        with self.database.session() as session:
            return [entry.name for entry in list_classes(session, self.project)]

    def flags(self) -> list[str]:
        with self.database.session() as session:
            found = list_pictures(session, self.project)
            return ["x" * entry.excluded + "?" * entry.unsure for entry in found]


@pytest.fixture
def desk(world: World) -> _Desk:
    return _Desk(world)


_START = ["needle"] * 3 + ["plate"] * 3
_NAMES = ("needle", "plate", None)


def test_labelling_and_taking_back_step_by_step(desk: _Desk) -> None:
    desk.label([0, 1], "plate")
    desk.label([0], None)
    assert desk.labels() == [None, "plate", "needle", "plate", "plate", "plate"]
    assert desk.undo() == (1, 0)
    assert desk.labels() == ["plate", "plate", "needle", "plate", "plate", "plate"]
    assert desk.undo() == (2, 0)
    assert desk.labels() == _START
    with pytest.raises(ConflictError, match="nothing to take back"):
        desk.undo()


def test_each_window_takes_back_its_own(desk: _Desk) -> None:
    desk.label([0], "plate", "one")
    desk.label([1], "plate", "two")
    assert desk.undo("one") == (1, 0)
    assert desk.labels() == ["needle", "plate", "needle", "plate", "plate", "plate"]


def test_a_later_choice_of_another_window_stands_and_is_counted(desk: _Desk) -> None:
    desk.label([0, 1, 2], "plate", "one")
    desk.label([1], None, "two")
    assert desk.undo("one") == (2, 1)
    assert desk.labels() == ["needle", None, "needle", "plate", "plate", "plate"]
    # Both steps are taken back, so the picture is as it was before either.
    assert desk.undo("two") == (1, 0)
    assert desk.labels() == _START


def test_a_later_choice_of_the_same_value_stands_too(desk: _Desk) -> None:
    desk.label([0], "plate", "one")
    desk.label([0], None, "two")
    desk.label([0], "plate", "two")
    assert desk.undo("one") == (0, 1)
    assert desk.labels()[0] == "plate"
    assert desk.undo("two") == (1, 0)  # of two's steps the first stands still
    assert desk.labels()[0] is None
    assert desk.undo("two") == (1, 0)
    assert desk.labels() == _START


def test_a_later_name_of_a_class_stands_also_if_it_is_the_same(desk: _Desk) -> None:
    plate = desk.id_of("plate")
    with desk.database.session() as session:
        change_class(session, desk.project, "one", plate, {"name": "disc", "sign": "D"})
        change_class(session, desk.project, "two", plate, {"sign": "X"})
        change_class(session, desk.project, "two", plate, {"sign": "D"})
    assert desk.undo("one") == (1, 0)  # the name, and not the sign
    with desk.database.session() as session:
        assert [(entry.name, entry.sign) for entry in list_classes(session, desk.project)][1] == ("plate", "D")


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(
        st.tuples(
            st.sampled_from(("one", "two", "three")),
            st.one_of(st.none(), st.tuples(st.sets(st.integers(0, 5), min_size=1), st.sampled_from(_NAMES))),
        ),
        max_size=12,
    )
)
def test_whatever_windows_do_and_take_back_only_what_stands_counts(
    desk: _Desk, steps: list[tuple[str, tuple[set[int], str | None] | None]]
) -> None:
    done: list[tuple[str, set[int], str | None]] = []

    def expected() -> list[str | None]:
        labels: list[str | None] = list(_START)
        for _, places, name in done:
            for place in places:
                labels[place] = name
        return labels

    for window, labelled in steps:
        own = [n for n, step in enumerate(done) if step[0] == window]
        if labelled is not None:
            now = desk.labels()
            places, name = labelled
            desk.label(sorted(places), name, window)
            # Giving a picture the label that it has is no choice that could stand.
            done.append((window, {place for place in places if now[place] != name}, name))
        elif own:
            desk.undo(window)
            del done[own[-1]]
        assert desk.labels() == expected()
    for window in ("one", "two", "three"):
        for _ in range(sum(step[0] == window for step in done)):
            desk.undo(window)
    assert desk.labels() == _START


def test_a_picture_of_another_project_changes_nothing(desk: _Desk, world: World) -> None:
    other = world.project("Other")
    world.bring_in(other, {"a/1.png": png(99)})
    stranger = world.picture_ids(other)[0]
    with (
        desk.database.session() as session,
        pytest.raises(MissingError, match="1 of 2 pictures are not in this project"),
    ):
        label_pictures(session, desk.project, "one", [desk.pictures[0], stranger], desk.id_of("plate"))
    assert desk.labels() == _START


def test_more_pictures_than_a_statement_has_parameters(desk: _Desk, world: World) -> None:
    many = range(1_000_000, 1_070_000)
    with desk.database.session() as session, pytest.raises(MissingError, match="70000 of 70000 pictures are not in"):
        label_pictures(session, desk.project, "one", many, desk.id_of("plate"))


def test_new_and_renamed_classes_can_be_taken_back(desk: _Desk) -> None:
    with desk.database.session() as session:
        made = create_class(session, desk.project, "one", "  stellar ")
        assert (made.name, made.sign, made.place) == ("stellar", "S", 2)
    with desk.database.session() as session:
        change_class(session, desk.project, "one", desk.id_of("needle"), {"name": "thin needle"})
    assert desk.labels()[0] == "thin needle"
    desk.undo()
    assert desk.labels()[0] == "needle"
    desk.label([0], "stellar", "two")
    with pytest.raises(ConflictError, match="1 picture labelled stellar"):
        desk.undo("one")
    desk.undo("two")
    desk.undo("one")
    with pytest.raises(StopIteration):
        desk.id_of("stellar")


def test_renaming_keeps_the_id_and_the_pictures(desk: _Desk) -> None:
    before = desk.id_of("needle")
    with desk.database.session() as session:
        change_class(session, desk.project, "one", before, {"name": "雪/needle"})
    assert desk.id_of("雪/needle") == before
    assert desk.labels().count("雪/needle") == 3


@pytest.mark.parametrize(
    ("name", "words"),
    [("", "empty"), ("   ", "empty"), ("a\nb", "control character"), ("x" * 201, "201 characters")],
)
def test_names_that_cannot_be(desk: _Desk, name: str, words: str) -> None:
    with desk.database.session() as session, pytest.raises(InputError, match=words):
        create_class(session, desk.project, "one", name)


def test_a_class_of_the_same_name_in_other_capitals_is_refused(desk: _Desk) -> None:
    with pytest.raises(ConflictError, match="named PLATE already"), desk.database.session() as session:
        create_class(session, desk.project, "one", "PLATE")


def test_the_history_says_what_and_the_picture_remembers(desk: _Desk) -> None:
    desk.label([0], "plate")
    desk.undo()
    with desk.database.session() as session:
        said = [action.summary for action in list_actions(session, desk.project)]
        assert said == ["Taken back: 1 picture labelled plate", "1 picture labelled plate", "in brought in"]
        history = picture_detail(session, desk.project, desk.pictures[0], None).history
    assert [line.split(",")[0] for line in history] == ["plate → needle", "needle → plate"]


def test_signs_are_short_and_unique() -> None:
    taken: set[str] = set()
    for name in ("stellar", "sectored", "säule", "雪", "!!!", "stellar two", "s", "s"):
        sign = free_sign(name, taken)
        assert sign not in taken
        taken.add(sign)
    assert taken == {"S", "Se", "Sä", "雪", "?", "St", "S2", "S3"}


def test_any_number_of_steps_taken_back_is_done_again_in_order(desk: _Desk) -> None:
    desk.label([0], "plate")
    desk.label([1], None)
    desk.label([0], None)
    there = [None, None, "needle", *["plate"] * 3]
    for turn in range(2):
        assert [desk.undo() for _ in range(3)] == [(1, 0)] * 3, turn
        assert desk.labels() == _START
        assert desk.redo() == (1, 0)
        assert desk.labels()[:2] == ["plate", "needle"]
        assert [desk.redo() for _ in range(2)] == [(1, 0)] * 2
        assert desk.labels() == there
        with pytest.raises(ConflictError, match="nothing to do again"):
            desk.redo()


def test_after_another_step_nothing_is_done_again(desk: _Desk) -> None:
    desk.label([0], "plate")
    desk.undo()
    desk.label([5], "needle")
    with pytest.raises(ConflictError, match="nothing to do again"):
        desk.redo()
    assert desk.labels() == [*["needle"] * 3, "plate", "plate", "needle"]


def test_doing_again_leaves_what_someone_else_chose_since(desk: _Desk) -> None:
    desk.label([0, 1], "plate")
    desk.undo()
    desk.label([1], None, window="two")
    assert desk.redo() == (1, 1)
    assert desk.labels()[:2] == ["plate", None]


def test_flags_are_set_and_taken_back(desk: _Desk) -> None:
    with desk.database.session() as session:
        done = mark_pictures(session, desk.project, "one", desk.pictures[:2], "excluded", True)
        mark_pictures(session, desk.project, "one", desk.pictures[1:3], "unsure", True)
    assert (done.summary, done.pictures) == ("2 pictures excluded", 2)
    assert desk.flags() == ["x", "x?", "?", "", "", ""]
    assert desk.undo() == (2, 0)
    assert desk.flags() == ["x", "x", "", "", "", ""]
    desk.redo()
    assert desk.flags() == ["x", "x?", "?", "", "", ""]


def test_merging_and_deleting_classes_is_one_step_each_way(desk: _Desk) -> None:
    needle, plate = desk.id_of("needle"), desk.id_of("plate")
    with desk.database.session() as session:
        merge_classes(session, desk.project, "one", needle, plate)
    assert (desk.classes(), desk.labels()) == (["plate"], ["plate"] * 6)
    with desk.database.session() as session:
        delete_class(session, desk.project, "one", plate)
    assert (desk.classes(), desk.labels()) == ([], [None] * 6)
    desk.undo()
    assert (desk.classes(), desk.labels()) == (["plate"], ["plate"] * 6)
    desk.undo()
    assert (desk.classes(), desk.labels()) == (["needle", "plate"], _START)
    desk.redo()
    desk.redo()
    assert (desk.classes(), desk.labels()) == ([], [None] * 6)
    with desk.database.session() as session, pytest.raises(MissingError):
        merge_classes(session, desk.project, "one", needle, plate)


def test_a_class_cannot_be_merged_into_itself(desk: _Desk) -> None:
    needle = desk.id_of("needle")
    with desk.database.session() as session, pytest.raises(InputError, match="into itself"):
        merge_classes(session, desk.project, "one", needle, needle)


def test_splitting_off_makes_the_class_and_labels_in_one_step(desk: _Desk) -> None:
    with desk.database.session() as session:
        split_off_class(session, desk.project, "one", "rime", [desk.pictures[0], desk.pictures[4]])
    split = ["rime", "needle", "needle", "plate", "rime", "plate"]
    assert (desk.classes(), desk.labels()) == (["needle", "plate", "rime"], split)
    assert desk.undo() == (3, 0)
    assert (desk.classes(), desk.labels()) == (["needle", "plate"], _START)
    desk.redo()
    assert (desk.classes(), desk.labels()) == (["needle", "plate", "rime"], split)


def test_classes_are_put_in_order_and_back(desk: _Desk) -> None:
    order = [desk.id_of("plate"), desk.id_of("needle")]
    with desk.database.session() as session:
        order_classes(session, desk.project, "one", order)
    assert desk.classes() == ["plate", "needle"]
    desk.undo()
    assert desk.classes() == ["needle", "plate"]
    with desk.database.session() as session, pytest.raises(ConflictError, match="changed since"):
        order_classes(session, desk.project, "one", order[:1])


def test_the_history_counts_pages_and_follows_one_picture(desk: _Desk) -> None:
    desk.label([0, 1], "plate")
    desk.label([1], None)
    desk.undo()
    with desk.database.session() as session:
        steps = list_actions(session, desk.project, 3)
        older = list_actions(session, desk.project, 1, before=steps[-1].id)
        of_first = list_actions(session, desk.project, picture_id=desk.pictures[0])
    assert [(step.kind, step.pictures, step.undoes) for step in steps] == [
        ("undo", 1, steps[1].id),
        ("label", 1, None),
        ("label", 2, None),
    ]
    assert [step.kind for step in older] == ["import"]
    assert [step.summary for step in of_first] == ["2 pictures labelled plate"]


def test_the_history_follows_one_class(desk: _Desk) -> None:
    desk.label([3], "needle")  # out of plate
    with desk.database.session() as session:
        made = create_class(session, desk.project, "one", "rime").id
    with desk.database.session() as session:
        label_pictures(session, desk.project, "one", [desk.pictures[0]], made)
        change_class(session, desk.project, "one", made, {"name": "hard rime"})
        mark_pictures(session, desk.project, "one", [desk.pictures[5]], "excluded", True)

    def told(name: str) -> list[str]:
        with desk.database.session() as session:
            return [step.kind for step in list_actions(session, desk.project, class_id=desk.id_of(name))]

    assert told("plate") == ["label", "import"]
    assert told("needle") == ["label", "label", "import"]
    assert told("hard rime") == ["class_rename", "label", "class_new"]
    desk.undo()
    desk.undo()
    assert told("rime") == ["undo", "class_rename", "label", "class_new"]


def test_an_import_taken_back_is_done_again(world: World) -> None:
    desk = _Desk(world)
    with desk.database.session() as session:
        undo(session, desk.project, "", import_id=1)
    assert (desk.labels(), desk.classes()) == ([], [])
    with desk.database.session() as session:
        redo(session, desk.project, "")
    assert (desk.labels(), desk.classes()) == (_START, ["needle", "plate"])


def test_two_that_take_back_at_once_take_back_one_step_each(desk: _Desk) -> None:
    desk.label([0], "plate")
    desk.label([1], "plate")
    with ThreadPoolExecutor(1) as other:
        with desk.database.session() as session:
            first = undo(session, desk.project, "one")
            second = other.submit(desk.undo)
            # The other has asked, and waits, before the first is settled.
            with desk.database.engine.connect() as watching:
                until = time.monotonic() + 20
                while not watching.scalar(text("select count(*) from pg_locks where not granted")):
                    assert time.monotonic() < until, "the second did not wait for the first"
        assert (first.taken_back, second.result(timeout=20)) == (1, (1, 0))
    assert desk.labels() == ["needle"] * 3 + ["plate"] * 3


def test_of_two_that_wait_for_each_other_one_is_told(desk: _Desk) -> None:
    plate, (one, two, *_) = desk.id_of("plate"), desk.pictures
    both_hold_one = Barrier(2)

    def label(first: int, second: int) -> str:
        try:
            with desk.database.session() as session:
                label_pictures(session, desk.project, "one", [first], plate)
                both_hold_one.wait(20)
                label_pictures(session, desk.project, "one", [second], plate)
        except ConflictError as error:
            return error.what
        return "done"

    with ThreadPoolExecutor(2) as windows:
        told = sorted(windows.map(label, (one, two), (two, one)))
    assert "this one gave way: nothing was changed here" in told[0]
    assert told[1] == "done"
    assert desk.labels() == ["plate", "plate", "needle"] + ["plate"] * 3


def test_sign_and_colour_are_chosen_as_one_step_and_taken_back(desk: _Desk) -> None:
    needle = desk.id_of("needle")

    def look() -> tuple[str, str, int | None]:
        with desk.database.session() as session:
            entry = next(entry for entry in list_classes(session, desk.project) if entry.id == needle)
            return entry.name, entry.sign, entry.colour

    with desk.database.session() as session:
        change_class(session, desk.project, "one", needle, {"name": "thin", "sign": " Ñ2 ", "colour": 7})
        assert (
            list_actions(session, desk.project)[0].summary
            == "needle renamed thin, sign of thin chosen, colour of thin chosen"
        )
    assert look() == ("thin", "Ñ2", 7)
    desk.undo()
    assert look() == ("needle", "N", None)
    desk.redo()
    assert look() == ("thin", "Ñ2", 7)


@pytest.mark.parametrize(
    ("sign", "said"), [("P", "is the sign of plate"), ("", "cannot be"), ("a b", "cannot be"), ("long", "cannot be")]
)
def test_a_sign_is_short_and_nobody_elses(desk: _Desk, sign: str, said: str) -> None:
    with desk.database.session() as session, pytest.raises((ConflictError, InputError), match=said):
        change_class(session, desk.project, "one", desk.id_of("needle"), {"sign": sign})
