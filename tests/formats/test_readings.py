"""Readings of a source: which is proposed, what each says of a file, and what a plan counts by it."""

import hashlib
from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.errors import InputError
from vast_orchard.formats.inventory import InventoryWriter, ListedFile, SeenWhole, read_inventory
from vast_orchard.formats.name_pattern import PatternReading
from vast_orchard.formats.reading_choice import Part, ReadAs, ReadingChoice, choice_from_json, choice_to_json
from vast_orchard.formats.reading_plan import open_plan, plan_to_json
from vast_orchard.formats.source_survey import SourceRecord, class_order, try_readings


def _sha(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()


def _record(folder: Path, contents: Mapping[str, str], tables: Sequence[bytes] = (), known: Sequence[str] = ()) -> Any:
    """A record of files by path; the same word as content means the same bytes."""
    record = SourceRecord(folder=folder)
    with record.writing() as out:
        out.add(
            ListedFile(
                path=path, sha256=_sha(content), size_bytes=9, width=4, height=3, format="PNG",
                traits=(), known=content in known, skipped=None,
            )
            for path, content in contents.items()
        )  # fmt: skip
    for number, table in enumerate(tables):
        record.table_copy(number).write_bytes(table)
    return record


def _files(*paths: str) -> dict[str, str]:
    return {path: path for path in paths}


def _best(record: SourceRecord, *tables: str) -> ReadingChoice:
    return try_readings(record, tables)[0].choice


def _classes(record: SourceRecord, choice: ReadingChoice, *tables: str) -> dict[str, str | None]:
    return {file.file.path: file.class_name for file in open_plan(record, tables, choice).files()}


_NUMBERS = range(6)


@pytest.mark.parametrize(
    ("paths", "read_as", "pattern"),
    [
        ([f"{c}/{n}.png" for c in ("plate", "needle") for n in _NUMBERS], "folders", ""),
        ([f"{c}_{n}.png" for c in ("plate", "needle") for n in _NUMBERS], "pattern", "{class}_{number}"),
        ([f"all/{c}-{n:03}.png" for c in ("plate", "needle") for n in _NUMBERS], "pattern", "{class}-{number}"),
        ([f"{c}-{n}.png" for c in ("plate", "rime", "unlabelled") for n in _NUMBERS], "pattern", "{class}-{number}"),
        ([f"{c} ({n}).jpg" for c in ("plate", "needle") for n in _NUMBERS], "pattern", "{class} ({number})"),
        ([f"{n:03}_{c}.jpg" for c in ("plate", "needle") for n in _NUMBERS], "pattern", "{number}_{class}"),
        ([f"plate{n}.jpg" for n in _NUMBERS] + ["needle1.jpg", "needle2.jpg"], "pattern", "{class}{number}"),
        # What a camera calls its files is no class, and neither is a counter.
        ([f"IMG_{n:04}.jpg" for n in _NUMBERS], "unlabelled", ""),
        ([f"{n}.png" for n in range(300)], "unlabelled", ""),
        # A folder is believed before a name that says something else.
        ([f"{c}/{d}_{n}.png" for c in ("plate", "needle") for d in ("a", "b") for n in _NUMBERS], "folders", ""),
    ],
)
def test_the_likeliest_reading_comes_first(tmp_path: Path, paths: list[str], read_as: str, pattern: str) -> None:
    choice = _best(_record(tmp_path, _files(*paths)))
    assert (choice.read_as, choice.pattern) == (read_as, pattern)


def test_inner_folders_are_offered_where_they_say_something_else(tmp_path: Path) -> None:
    record = _record(
        tmp_path, _files(*(f"2024/{day}/{c}/{n}.png" for day in ("mo", "tu") for c in ("plate", "rime") for n in "12"))
    )
    tried = [entry.choice.read_as for entry in try_readings(record, ())]
    assert tried == ["folders", "inner_folders", "unlabelled"]
    inner = _classes(record, ReadingChoice(read_as=ReadAs.INNER_FOLDERS))
    assert Counter(inner.values()) == {"plate": 4, "rime": 4}
    assert inner["2024/mo/plate/1.png"] == "plate"


@pytest.mark.parametrize(
    ("pattern", "name", "told"),
    [
        ("{class}_{number}", "plate_12.png", ("plate", None, None)),
        ("{class}_{number}", "thin_plate_12.png", ("thin_plate", None, None)),
        ("{class}_{number}", "plate.png", (None, None, None)),
        ("{class}{number}", "plate12.png", ("plate", None, None)),
        ("{class}{number}", "a1b22.png", ("a1b", None, None)),
        ("{group}-{class}-{any}", "ridge-plate-x-y.png", ("plate", None, "ridge")),
        ("{set}_{class}_{number}", "val_plate_1.png", ("plate", "validation", None)),
        ("{set}_{class}_{number}", "some_plate_1.png", (None, None, None)),
        ("{class}/{any}", "deep/plate/1.png", ("plate", None, None)),
        ("(x) {class} [{number}]", "(x) plate [7].png", ("plate", None, None)),
        ("{class}.{number}", "platex7.png", (None, None, None)),  # a point is a point
    ],
)
def test_a_pattern_reads_names(pattern: str, name: str, told: tuple[str | None, str | None, str | None]) -> None:
    found = PatternReading(pattern, [name]).tell(name)
    assert (found.class_name, found.set_name, found.group) == told


@pytest.mark.parametrize(
    ("pattern", "words"),
    [
        ("", "0 characters"), ("x" * 300, "300 characters"), ("{class", "character 1 has no partner"),
        ("a}{class}", "character 2 has no partner"), ("{klass}", "no placeholder {klass}"), ("{}", "no placeholder {}"),
        ("{class}{any}", "side by side"), ("{class}_{class}", "stands there twice"), ("{any}_{number}", "names no"),
        ("{any}-{any}-{any}-{class}", "more than 3"),
    ],
)  # fmt: skip
def test_a_wrong_pattern_says_where_and_how_to_mend_it(pattern: str, words: str) -> None:
    with pytest.raises(InputError, match=words.replace("{", r"\{")):
        PatternReading(pattern, [])


@given(st.lists(st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=20), max_size=4))
def test_text_of_a_pattern_stands_for_itself(parts: list[str]) -> None:
    plain = [part.replace("{", "").replace("}", "").replace("/", "") for part in parts]
    pattern = "_".join(["{class}", *plain])
    told = PatternReading(pattern, []).tell("_".join(["plate", *plain]) + ".png")
    assert told.class_name == "plate"


def test_the_slowest_names_take_no_time() -> None:
    reading = PatternReading("{group}_{class}_{any}_{number}x", [])
    assert reading.tell("_" * 250 + ".png").class_name is None
    assert reading.tell("_1" * 100_000 + ".png").class_name is None  # no file system has such names; archives can


def test_renaming_merges_and_takes_labels_away(tmp_path: Path) -> None:
    record = _record(tmp_path, _files("plate/1.png", "plates/2.png", "dust/3.png"))
    renamed = {"plates": " plate ", "dust": ""}
    choice = ReadingChoice(renamed=renamed)
    assert list(_classes(record, choice).values()) == ["plate", "plate", None]
    plan = plan_to_json(open_plan(record, (), choice), {"plate": 7})
    assert [(c["name"], sorted(c["read_as"]), c["files"], c["in_project"]) for c in plan["classes"]] == [
        ("plate", ["plate", "plates"], 2, 7)
    ]
    assert (plan["unlabelled"]["files"], plan["unlabelled"]["read_as"]) == (1, ["dust"])


def test_classes_and_folders_are_left_out_for_now(tmp_path: Path) -> None:
    paths = [f"{c}/{d}/{n}.png" for c in ("plate", "rime", "unlabelled") for d in ("old", "new") for n in range(3)]
    record = _record(tmp_path, _files(*paths))

    def taken(**change: Any) -> list[str]:
        return sorted(f.file.path for f in open_plan(record, [], ReadingChoice(**change)).files() if f.chosen)

    assert taken(without_classes=("rime", "")) == [path for path in sorted(paths) if path.startswith("plate")]
    assert taken(without_folders=("plate/old", "rime")) == [
        path for path in sorted(paths) if not path.startswith(("plate/old/", "rime/"))
    ]
    assert taken(without_folders=("plate/ol",)) == sorted(paths)  # a part of a name is no folder
    # A part is drawn from what is left in; a class that is left out keeps the name it was read by.
    some = taken(part=Part(per_class=2), without_folders=("plate/old",))
    assert Counter(path.partition("/")[0] for path in some) == {"plate": 2, "rime": 2, "unlabelled": 2}
    assert not any(path.startswith("plate/old") for path in some)
    choice = ReadingChoice(without_classes=("rime",), renamed={"rime": "plate"})
    plan = plan_to_json(open_plan(record, [], choice), {})
    (plate,) = plan["classes"]
    assert (plate["files"], plate["chosen"], plan["left_out"]) == (12, 6, 6)
    assert {entry["path"]: entry["files"] for entry in plan["folders"]}["rime"] == 6
    assert plan["folders_count"] == 9


def test_a_plan_counts_what_is_known_repeated_and_under_two_labels(tmp_path: Path) -> None:
    contents = {"plate/1.png": "a", "plate/2.png": "a", "rime/3.png": "a", "rime/4.png": "b", "5.png": "c"}
    plan = plan_to_json(open_plan(_record(tmp_path, contents, known=["b"]), (), ReadingChoice()), {})
    assert (plan["files"], plan["chosen"], plan["new"], plan["known"], plan["repeated"]) == (5, 5, 2, 1, 2)
    assert plan["two_labels_count"] == 1
    assert plan["two_labels"][0]["labels"] == ["plate", "rime"]
    assert plan["two_labels"][0]["paths"] == ["plate/1.png", "rime/3.png"]


@given(st.permutations(range(60)), st.integers(1, 12), st.integers(0, 2**31 - 1))
def test_a_random_part_is_balanced_and_the_same_in_any_order(
    tmp_path_factory: pytest.TempPathFactory, order: list[int], most: int, seed: int
) -> None:
    names = [f"{'plate' if n < 45 else 'rime'}/{n}.png" for n in range(60)]
    choice = ReadingChoice(part=Part(per_class=most, seed=seed))

    def drawn(paths: Sequence[str]) -> set[str]:
        record = _record(tmp_path_factory.mktemp("part"), _files(*paths))
        return {file.file.path for file in open_plan(record, (), choice).files() if file.chosen}

    chosen = drawn(names)
    assert Counter(path.split("/")[0] for path in chosen) == {"plate": min(most, 45), "rime": min(most, 15)}
    assert drawn([names[n] for n in order]) == chosen


def test_a_larger_part_holds_the_smaller_and_repeated_files_count_once(tmp_path: Path) -> None:
    contents = {f"plate/{n}.png": f"content {n // 2}" for n in range(40)}
    record = _record(tmp_path, contents)

    def drawn(most: int) -> set[str]:
        plan = open_plan(record, (), ReadingChoice(part=Part(per_class=most)))
        return {file.file.sha256 for file in plan.files() if file.chosen}

    assert len(drawn(5)) == 5
    assert drawn(5) < drawn(9)


def test_choices_come_back_as_they_were() -> None:
    choice = ReadingChoice(
        read_as=ReadAs.TABLE, table="a/log.csv", columns={"path": "file"}, renamed={"a": "b"}, part=Part(per_class=3)
    )
    assert choice_from_json(choice_to_json(choice)) == choice


def _listed(path: str, **facts: Any) -> ListedFile:
    return ListedFile(
        path=path, sha256="0" * 64, size_bytes=1, width=2, height=3, format="PNG", traits=("turned",),
        known=True, skipped=None, **facts,
    )  # fmt: skip


def test_inventories_come_back_as_they_were(tmp_path: Path) -> None:
    record = SourceRecord(folder=tmp_path)
    tiles = [bytes([n]) * 1728 for n in range(3)]
    with record.writing() as out:
        entries = [_listed("a/ü\n.png")] + [
            _listed(f"{n}.png", whole=SeenWhole(mode="RGB", tile=out.add_tile(tile), stamp=n or None))
            for n, tile in enumerate(tiles)
        ]
        out.add(entries)
    assert out.held == list(record.entries()) == list(read_inventory(record.inventory)) == entries
    with record.open_tiles() as read:
        assert [read(place) for place in (2, 0, 1)] == [tiles[2], tiles[0], tiles[1]]


def test_a_long_inventory_is_not_held(tmp_path: Path) -> None:
    with (tmp_path / "lines").open("w") as lines, (tmp_path / "tiles").open("wb") as tiles:
        out = InventoryWriter(lines, tiles, most_held=2)
        out.add([_listed("1.png")])
        out.add([_listed("2.png")])
        assert [entry.path for entry in out.held or ()] == ["1.png", "2.png"]
        out.add([_listed("3.png")])
        out.add([_listed("4.png")])
        assert out.held is None
    assert len(list(read_inventory(tmp_path / "lines"))) == 4


def test_inventories_of_earlier_versions_are_read(tmp_path: Path) -> None:
    record = SourceRecord(folder=tmp_path)
    record.inventory.write_text('["a.png", "ab", 1, 2, 3, "PNG", ["grey"], false, null]\n')
    assert [(entry.path, entry.traits, entry.whole) for entry in record.pictures()] == [("a.png", ("grey",), None)]
    with record.open_tiles():
        pass  # there are none


@pytest.mark.parametrize(
    "data", [{"read_as": "stars"}, {"part": {"per_class": 0}}, {"part": {"per_class": 1, "seed": -1}}]
)
def test_impossible_choices_are_refused(data: dict[str, Any]) -> None:
    with pytest.raises(InputError):
        choice_from_json(data)


def test_the_order_of_classes_is_read_from_our_own_metadata_only() -> None:
    ours = b'{"recordSet": [{"@id": "classes", "data": [{"classes/name": "rime"}, {"classes/name": "plate"}]}]}'
    assert class_order(ours) == ["rime", "plate"]
    for other in (b"", b"[]", b"{}", b'{"recordSet": 3}', b'{"recordSet": [{"@id": "classes"}]}', b"\xff"):
        assert class_order(other) == []
