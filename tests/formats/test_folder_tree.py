"""What folders say about classes and sets, over the shapes that people's collections have."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.formats.folder_tree import read_folders
from vast_orchard.formats.told import clean_name

_Read = tuple[str | None, str | None]


def _read(*names: str) -> dict[str, _Read]:
    plan = read_folders(names)
    return {file.path: (file.class_name, file.set_name.value if file.set_name else None) for file in plan.files}


def test_a_folder_for_each_class() -> None:
    assert _read("plate/1.png", "needle/2.JPG") == {"plate/1.png": ("plate", None), "needle/2.JPG": ("needle", None)}


def test_wrappers_are_seen_through_and_told() -> None:
    plan = read_folders(["winter/2024/plate/1.png", "winter/2024/needle/2.png"])
    assert plan.wrappers == ("winter", "2024")
    assert [file.class_name for file in plan.files] == ["plate", "needle"]


def test_nested_folders_of_the_same_name_are_one() -> None:
    assert _read("plate/plate/1.png", "plate/2.png", "needle/3.png") == {
        "plate/plate/1.png": ("plate", None),
        "plate/2.png": ("plate", None),
        "needle/3.png": ("needle", None),
    }


def test_a_doubled_wrapper_is_seen_through() -> None:
    assert set(_read("crystals/crystals/plate/1.png", "crystals/crystals/needle/2.png").values()) == {
        ("plate", None),
        ("needle", None),
    }


def test_one_class_alone_is_not_taken_for_a_wrapper() -> None:
    assert _read("plate/1.png", "plate/2.png") == {"plate/1.png": ("plate", None), "plate/2.png": ("plate", None)}
    assert _read("x/plate/1.png")["x/plate/1.png"] == ("plate", None)
    assert _read("plate/plate/1.png")["plate/plate/1.png"] == ("plate", None)


@pytest.mark.parametrize(
    ("folder", "set_name"),
    [
        ("training", "training"), ("Train", "training"), ("trn", "training"), ("Training Set", "training"),
        ("val", "validation"), ("VALID", "validation"), ("dev", "validation"), ("validation-set", "validation"),
        ("test", "test"), ("testing", "test"), ("holdout", "test"),
    ],
)  # fmt: skip
def test_usual_spellings_of_sets(folder: str, set_name: str) -> None:
    assert _read(f"{folder}/plate/1.png", "other/needle/2.png")[f"{folder}/plate/1.png"] == ("plate", set_name)


def test_sets_below_a_wrapper_with_wrappers_of_their_own() -> None:
    found = _read("all/train/pictures/plate/1.png", "all/train/pictures/needle/2.png", "all/test/plate/3.png")
    assert found == {
        "all/train/pictures/plate/1.png": ("plate", "training"),
        "all/train/pictures/needle/2.png": ("needle", "training"),
        "all/test/plate/3.png": ("plate", "test"),
    }


def test_a_class_named_test_is_a_class_when_pictures_lie_in_it_directly() -> None:
    assert _read("test/1.png", "plate/2.png") == {"test/1.png": ("test", None), "plate/2.png": ("plate", None)}


def test_unlabelled_pictures() -> None:
    assert _read("unlabelled/1.png", "plate/2.png", "3.png") == {
        "unlabelled/1.png": (None, None),
        "plate/2.png": ("plate", None),
        "3.png": (None, None),
    }


def test_what_is_no_picture_is_skipped_with_its_reason() -> None:
    plan = read_folders(["plate/1.png", "notes.txt", "__MACOSX/plate/._1.png", "plate/.DS_Store", "more.zip", "README"])
    assert {skip.path: skip.reason for skip in plan.skipped} == {
        "notes.txt": "not a picture file (.txt)",
        "__MACOSX/plate/._1.png": "a hidden or system file",
        "plate/.DS_Store": "a hidden or system file",
        "more.zip": "an archive within the source; bring it in by itself",
        "README": "not a picture file (no ending)",
    }
    assert [file.path for file in plan.files] == ["plate/1.png"]


def test_classes_that_differ_only_in_case_are_one_and_it_is_said() -> None:
    plan = read_folders(["Plate/1.png", "plate/2.png", "plate/3.png", "needle/4.png"])
    assert [file.class_name for file in plan.files] == ["plate", "plate", "plate", "needle"]
    assert plan.notes == ("Plate and plate differ only in case and were read as one class, plate.",)


def test_names_of_other_scripts_and_with_spaces_stay() -> None:
    assert set(_read("雪の結晶/1.png", "Schnee stern /2.png", "пластина/3.png").values()) == {
        ("雪の結晶", None),
        ("Schnee stern", None),
        ("пластина", None),
    }


def test_composed_and_decomposed_spellings_are_one() -> None:
    assert {name for name, _ in _read("né/1.png", "ne\u0301/2.png").values()} == {"né"}


@given(st.text(max_size=40))
def test_clean_names_have_no_control_characters_and_stay_clean(text: str) -> None:
    cleaned = clean_name(text)
    assert clean_name(cleaned) == cleaned
    assert not any(ord(c) < 32 for c in cleaned)


@given(
    st.lists(
        st.lists(st.sampled_from(["a", "train", "test", "b", "1.png", "x.txt"]), min_size=1, max_size=5).map("/".join),
        unique=True,
    )
)
def test_every_name_is_planned_or_skipped_exactly_once(names: list[str]) -> None:
    plan = read_folders(names)
    assert sorted([f.path for f in plan.files] + [s.path for s in plan.skipped]) == sorted(names)


def test_nothing_is_nothing() -> None:
    assert read_folders([]).files == ()
