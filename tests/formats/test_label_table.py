"""Tables beside pictures: encodings, columns, and what rows say of which file."""

import csv
import io
import tracemalloc
from collections.abc import Mapping, Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.errors import InputError
from vast_orchard.formats.label_table import TableReading, guess_columns, open_table

_COLUMNS = {"path": "file", "label": "class"}


def _names(*paths: str) -> set[str]:
    last = [path.rpartition("/")[2] for path in paths]
    return {*last, *(name.rpartition(".")[0] for name in last)}


def _read(text: str, paths: Sequence[str], columns: Mapping[str, str] = _COLUMNS) -> dict[str, str | None]:
    reading = TableReading(open_table(text.encode(), "log.csv"), columns, _names(*paths))
    return {path: reading.tell(path).class_name for path in paths}


@pytest.mark.parametrize(
    ("row", "path"),
    [
        ("1.png", "plates/1.png"), ("plates/1.png", "winter/plates/1.png"), ("./plates/1.png", "plates/1.png"),
        ("plates\\1.png", "plates/1.png"), ("1", "plates/1.png"), ("/srv/old/plates/1.png", "plates/1.png"),
        ("été.png", "été.png"),
    ],
)  # fmt: skip
def test_rows_find_their_files(row: str, path: str) -> None:
    assert _read(f"file,class\n{row},plate\n", [path]) == {path: "plate"}


def test_a_row_is_not_taken_for_another_file_of_the_same_name() -> None:
    found = _read("file,class\nplates/1.png,plate\n", ["plates/1.png", "rime/1.png"])
    assert found == {"plates/1.png": "plate", "rime/1.png": None}


@pytest.mark.parametrize(
    ("data", "note"),
    [
        ("file,class\né.png,étoile\n".encode(), ""),
        ("file,class\né.png,étoile\n".encode("utf-8-sig"), ""),
        ("file,class\né.png,étoile\n".encode("utf-16"), ""),
        ("file,class\né.png,étoile\n".encode("cp1252"), "Western European"),
        ("file;class\r\né.png;étoile\r\n".encode(), ""),
        ("file\tclass\né.png\tétoile\n".encode(), ""),
    ],
)
def test_encodings_byte_order_marks_and_delimiters(data: bytes, note: str) -> None:
    table = open_table(data, "log.csv")
    assert table.columns == ("file", "class")
    assert TableReading(table, _COLUMNS, _names("é.png")).tell("é.png").class_name == "étoile"
    assert note in " ".join(table.notes)


def test_everything_that_a_row_can_say() -> None:
    text = 'file,class,set,series,remark,title\n1.png,plate,VAL,"A, B","line 1\nline 2",first.png\n'
    columns = {"path": "file", "label": "class", "set": "set", "group": "series", "note": "remark", "name": "title"}
    told = TableReading(open_table(text.encode(), "t.csv"), columns, _names("1.png")).tell("1.png")
    assert (told.class_name, told.set_name, told.group) == ("plate", "validation", "A, B")
    assert (told.note, told.name) == ("line 1\nline 2", "first.png")


def test_what_does_not_fit_is_counted_and_said() -> None:
    rows = ["1.png,plate,train", "1.png,plate,train", "1.png,rime,train", "gone.png,plate,", "2.png,x,m"]
    table = open_table(("file,class,set\n" + "\n".join(rows) + "\n\n\n").encode(), "t.csv")
    reading = TableReading(table, {**_COLUMNS, "set": "set"}, _names("1.png", "2.png"))
    assert (reading.rows, reading.missing, reading.repeated, reading.contradictions) == (5, 1, 1, 1)
    assert reading.tell("1.png").class_name == "plate"
    said = " ".join(reading.notes)
    assert "such as gone.png" in said
    assert "1.png: plate, then rime" in said
    assert "1 row names a set that is not" in said


def test_capitals_are_one_class_and_rows_may_be_short() -> None:
    text = "file,class\n1.png,Plate\n2.png,plate\n3.png,plate\n4.png\n"
    assert set(_read(text, ["1.png", "2.png", "3.png", "4.png"]).values()) == {"plate", None}


@pytest.mark.parametrize(
    ("data", "words"),
    [(b"", "is empty"), (b"\n\n", "is empty"), (b"\x00\x01\x02", "zero bytes"), (b"," * 600, "601 columns"),
     (b"\xff\xfea", "UTF-16")],
)  # fmt: skip
def test_what_is_no_table_says_so(data: bytes, words: str) -> None:
    with pytest.raises(InputError, match=words):
        open_table(data, "t.csv")


def test_unknown_columns_and_roles_are_refused() -> None:
    table = open_table(b"file,class\n1.png,plate\n", "t.csv")
    with pytest.raises(InputError, match="no column 'klass'"):
        TableReading(table, {"path": "file", "label": "klass"}, set())
    with pytest.raises(InputError, match="cannot be used as 'colour'"):
        TableReading(table, {"path": "file", "colour": "class"}, set())
    with pytest.raises(InputError, match="paths"):
        TableReading(table, {"label": "class"}, set())


def test_a_table_that_breaks_off_says_in_which_line() -> None:
    broken = b'file,class\n1.png,plate\n2.png,"' + b"x" * (2 << 20)
    with pytest.raises(InputError, match="line 3"):
        TableReading(open_table(broken, "t.csv"), _COLUMNS, _names("1.png"))


def test_columns_are_guessed_from_contents_and_headings() -> None:
    rows = b"7,a/1.png,plate,train\n8,a/2.png,rime,test\n9,a/3.png,rime,test\n"
    table = open_table(b"id,where,kind,split\n" + rows, "t.csv")
    assert guess_columns(table, _names("1.png", "2.png", "3.png")) == {"path": "where", "label": "kind", "set": "split"}
    unnamed = open_table(b"1.png,plate\n2.png,rime\n3.png,rime\n", "t.csv")
    assert unnamed.columns == ("column 1", "column 2")
    assert guess_columns(unnamed, _names("1.png", "2.png", "3.png")) == {"path": "column 1", "label": "column 2"}
    assert guess_columns(unnamed, _names("other.png")) == {}


def test_headings_that_repeat_stay_apart() -> None:
    assert open_table(b"file,class,class,\n", "t.csv").columns == ("file", "class", "class (2)", "column 4")


@pytest.mark.long
def test_a_million_rows() -> None:
    text = "file,class\n" + "".join(f"p{n}.png,plate\n" for n in range(1_000_000))
    reading = TableReading(open_table(text.encode(), "t.csv"), _COLUMNS, _names("p5.png", "p999999.png"))
    assert (reading.rows, reading.missing) == (1_000_000, 999_998)
    assert reading.tell("p999999.png").class_name == "plate"


def test_rows_of_other_files_are_not_kept() -> None:
    text = "file,class\n" + "".join(f"{'p' * 200}{n}.png,plate\n" for n in range(20_000))
    table = open_table(text.encode(), "t.csv")
    tracemalloc.start()
    TableReading(table, _COLUMNS, _names("1.png"))
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 5 * len(text)  # the text once more, four bytes a sign; its rows would be as much again


@given(st.lists(st.tuples(st.text(max_size=12), st.text(max_size=12)), max_size=12), st.binary(max_size=60))
def test_no_table_is_more_than_an_error_with_words(rows: list[tuple[str, str]], tail: bytes) -> None:
    out = io.StringIO(newline="")
    csv.writer(out).writerows([("file", "class"), *rows])
    try:
        table = open_table(out.getvalue().encode("utf-8", "surrogatepass") + tail, "t.csv")
        TableReading(table, {"path": table.columns[0]}, {"1.png"})
    except InputError as error:
        assert error.mend
