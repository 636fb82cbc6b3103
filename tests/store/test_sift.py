"""The Sift: what each expression lets through, by hand; where mistakes are; and that nothing gets past the parser."""

import datetime as dt
import math
import struct
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import psycopg
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import text
from sqlalchemy.orm import Session

from vast_orchard.store.database import Database
from vast_orchard.store.field import Grouping, field_records, field_rows, figure_name, sifted_ids
from vast_orchard.store.field_scope import scope_of
from vast_orchard.store.projects import create_project
from vast_orchard.store.sift.completion import complete
from vast_orchard.store.sift.parser import parse
from vast_orchard.store.sift.scope import SiftScope
from vast_orchard.store.sift.syntax import SiftError
from vast_orchard.supervision.postgres import Cluster

_NOW = dt.datetime(2026, 3, 10, 15, 0, tzinfo=dt.timezone(dt.timedelta(hours=1)))

# id, name, class, set, width, height, mode, format, bytes, note, excluded, unsure, two labels, brightness, came
_KEYS = ("id", "name", "class", "set", "w", "h", "mode", "format", "bytes", "note", "ex", "un", "two", "b", "came")
_PICTURES = """\
1|ridge-01.jpg|plate|training|96|96|RGB|JPEG|3000||||| 0.2|2026-03-10T09:00Z
2|ridge-02.jpg|plate|validation|64|128|RGB|JPEG|250000|rim broken||y||0.5|2026-03-09T23:30Z
3|ridge_03.png|plate (thick)|validation|200|100|L|PNG|9000||||y|0.9|2026-03-08T10:00Z
4|100%.png|column|test|50|50|RGBA|PNG|800||y|||0.35|2026-03-01T10:00Z
5|Ridge-05.JPG|||96|64|RGB|JPEG|3500|Column?|||||2026-03-10T13:00Z
6|or.bmp|column|validation|10|10|1|BMP|70|||||0|2026-03-10T13:00Z"""
# Group of copies, and whether the pixels are the same. In the last group one is excluded: it is settled.
_COPIES = {1: (1, True), 2: (1, True), 3: (2, False), 6: (2, False), 4: (3, True), 5: (3, True)}
# picture, set, true, predicted, p, loss
_PREDICTIONS = [
    (2, "validation", "plate", "column", 0.6, 1.5),
    (3, "validation", "plate (thick)", "plate (thick)", 0.91, 0.1),
    (6, "validation", "column", "plate", 0.99, 4.0),
    (4, "test", "column", "plate", 0.8, 2.0),
]


@pytest.fixture(scope="module")
def desk(cluster: Cluster) -> Iterator["Desk"]:
    # One for all: a Sift changes nothing.
    with psycopg.connect(cluster.url.rsplit("/", 1)[0] + "/postgres", autocommit=True) as connection:
        connection.execute("create database sifted template orchard")
    database = Database(cluster.url.rsplit("/", 1)[0] + "/sifted")
    yield Desk(database)
    database.close()


class Desk:
    """A project whose pictures are known in every fact."""

    def __init__(self, database: Database) -> None:
        self.database = database
        with self.database.session() as session:
            self.project = create_project(session, "Crystals").id
            self.classes = {
                name: session.scalar(
                    text("insert into class (project_id, name, place, sign) values (:p, :n, :i, :s) returning id"),
                    {"p": self.project, "n": name, "i": i, "s": name[:1] + str(i)},
                )
                for i, name in enumerate(("plate", "plate (thick)", "column", "none"))
            }
            self._fill(session)
            self.scope = scope_of(session, self.project, split_id=self.split, run_id=self.run, now=_NOW)

    def _fill(self, session: Session) -> None:
        self.split = session.scalar(
            text(
                "insert into split (project_id, number, method, shares, seed) values (:p, 1, 'random', '{}', 1)"
                " returning id"
            ),
            {"p": self.project},
        )
        entries = ", ".join(f'{{"id": {i}, "name": "{name}", "sign": "x"}}' for name, i in self.classes.items())
        self.run = session.scalar(
            text(
                "with snapshot as (insert into snapshot (project_id, classes, counts)"
                " values (:p, cast(:classes as jsonb), '{}') returning id)"
                " insert into run (project_id, number, snapshot_id, split_id, split_number, recipe, program,"
                " parameters, state, ended_by)"
                " select :p, 1, id, :split, 1, '{}', 'test', 1, 'ended', 'epochs' from snapshot returning id"
            ),
            {"p": self.project, "split": self.split, "classes": f"[{entries}]"},
        )
        self.model = session.scalar(
            text(
                "insert into model (project_id, kind, run_id, epoch, path, classes, preprocessing, digest)"
                " values (:p, 'run', :run, 1, 'x', cast(:classes as jsonb), '{}', 'd') returning id"
            ),
            {"p": self.project, "run": self.run, "classes": f"[{entries}]"},
        )
        for set_name in ("validation", "test"):
            session.execute(
                text("insert into judgement (model_id, set_name, digest, scores) values (:m, :set, 'd', '{}')"),
                {"m": self.model, "set": set_name},
            )
        for line in _PICTURES.splitlines():
            facts: dict[str, object] = dict(zip(_KEYS, line.split("|"), strict=True))
            facts |= {key: bool(facts[key]) for key in ("ex", "un", "two")}
            facts |= {
                "p": self.project,
                "sha": f"{facts['id']:>064}",
                "class_id": self.classes.get(str(facts["class"])),
            }
            facts["b"] = facts["b"] or None
            facts["group"], facts["exact"] = _COPIES[int(str(facts["id"]))]
            session.execute(
                text(
                    "insert into picture (id, project_id, sha256, name, class_id, two_labels, width, height, mode,"
                    " format, size_bytes, thumbnail_bytes, note, excluded, unsure, brightness, copy_group, copy_exact,"
                    " came_at) values"
                    " (cast(:id as int), :p, :sha, :name, :class_id, :two, cast(:w as int), cast(:h as int), :mode,"
                    " :format, cast(:bytes as int), 0, :note, :ex, :un, cast(:b as real), :group, :exact,"
                    " cast(:came as timestamptz))"
                ),
                facts,
            )
            if facts["set"]:
                session.execute(
                    text("insert into split_member values (:split, cast(:id as int), :set)"),
                    {"split": self.split, "id": facts["id"], "set": facts["set"]},
                )
        for picture, set_name, true, predicted, p, loss in _PREDICTIONS:
            session.execute(
                text(
                    "insert into prediction (model_id, picture_id, set_name, true_class, predicted_class, p, loss,"
                    " probabilities) values (:m, :id, :set, :t, :c, :p, :loss, '{0.5}')"
                ),
                {
                    "m": self.model,
                    "id": picture,
                    "set": set_name,
                    "t": self.classes[true],
                    "c": self.classes[predicted],
                    "p": p,
                    "loss": loss,
                },
            )

    def found(self, sift: str, scope: SiftScope | None = None) -> set[int]:
        with self.database.session() as session:
            return set(sifted_ids(session, scope or self.scope, sift))

    def ordered(
        self, sift: str, group: Grouping = Grouping.NOTHING, scope: SiftScope | None = None, **part: Any
    ) -> list[int]:
        with self.database.session() as session:
            records = field_records(session, scope or self.scope, sift, group, **part)
        return [int.from_bytes(records[n : n + 7]) for n in range(0, len(records), 16)]


_LETS_THROUGH = [
    ("", {1, 2, 3, 4, 5, 6}),
    ("class:plate", {1, 2}),
    ("class:PLATE", {1, 2}),
    ('class:"plate (thick)"', {3}),
    ("class:plate,column", {1, 2, 4, 6}),
    ("class:plate*", {1, 2, 3}),
    ("class:none", {5}),
    ('class:"none"', set()),
    ("not class:plate", {3, 4, 5, 6}),
    ("unlabelled", {5}),
    ("copies", {1, 2, 3, 6}),
    ("not copies", {4, 5}),
    ("exact-copies", {1, 2}),
    ("differing-copies", {3, 6}),
    ("set:validation", {2, 3, 6}),
    ("set:none", {5}),
    ("not set:validation", {1, 4, 5}),
    ("name:ridge", {1, 2, 3, 5}),
    ("name:ridge-*", {1, 2, 5}),
    ("name:*.png", {3, 4}),
    ('name:"*"', set()),
    ("name=ridge-01.jpg", {1}),
    ("name:_", {3}),
    ("name:%", {4}),
    ("note:BROKEN", {2}),
    ("noted", {2, 5}),
    ("column", {4, 5, 6}),
    ('"or"', {6}),
    ("ridge broken", {2}),
    ("width<64", {4, 6}),
    ("width<=64", {2, 4, 6}),
    ("width:96", {1, 5}),
    ("height>=100 width>100", {3}),
    ("side>96", {2, 3}),
    ("shape>1", {3, 5}),
    ("shape:1.5", {5}),
    ("size>200kB", {2}),
    ("size<1kB", {4, 6}),
    ("size<=1KiB", {4, 6}),
    ("mode:l", {3}),
    ("mode=RGB", {1, 2, 5}),
    ("format:png,bmp", {3, 4, 6}),
    ("brightness<0.3", {1, 6}),
    ("not brightness<0.3", {2, 3, 4, 5}),
    ("brightness:0.2", {1}),
    ("excluded", {4}),
    ("unsure or excluded", {2, 4}),
    ("two-labels", {3}),
    # Days begin at midnight of the person's zone, an hour before that of the records.
    ("came:today", {1, 2, 5, 6}),
    ("came:yesterday", set()),
    ("came:2026-03-08", {3}),
    ("came<2026-03-08", {4}),
    ("came<=2026-03-08", {3, 4}),
    ("came>2026-03-08", {1, 2, 5, 6}),
    ("came:3d", {1, 2, 3, 5, 6}),
    ("wrong", {2, 6}),
    ("right", {3}),
    ("not wrong", {1, 3, 4, 5}),
    ("judged", {2, 3, 6}),
    ("predicted:plate", {6}),
    ("predicted:none", {1, 4, 5}),
    ("true:plate", {2}),
    ("true:column predicted:plate", {6}),
    ("true:none", {1, 4, 5}),
    ("judged:validation", {2, 3, 6}),
    ("judged:validation,test", {2, 3, 6}),
    ("judged:none", {1, 4, 5}),
    ("judged:validation (true:plate or (true:column predicted:plate))", {2, 6}),
    ("p:0.6", {2}),
    ("p<0.95 judged", {2, 3}),
    ("loss>1", {2, 6}),
    ("class:plate or class:column and excluded", {1, 2, 4}),
    ("(class:plate or class:column) and excluded", {4}),
    ("not (class:plate or class:column)", {3, 5}),
    ("not not excluded", {4}),
    # Without brackets, not is about the next condition alone.
    ("not class:plate class:column", {4, 6}),
    ("not class:plate or class:plate", {1, 2, 3, 4, 5, 6}),
    ("not excluded unsure or class:plate", {1, 2}),
    ("class:column not excluded", {6}),
    ("class:plate order:-size", {1, 2}),
]


@pytest.mark.parametrize(("sift", "ids"), _LETS_THROUGH)
def test_what_a_sift_lets_through(desk: Desk, sift: str, ids: set[int]) -> None:
    assert desk.found(sift) == ids


def test_test_results_show_only_under_a_counted_look(desk: Desk) -> None:
    assert desk.found("wrong", replace(desk.scope, test_shown=True)) == {2, 4, 6}
    assert desk.found("set:test wrong") == set()
    assert desk.found("judged:test true:column", replace(desk.scope, test_shown=True)) == {4}


@pytest.mark.parametrize(
    ("sift", "order"),
    [
        ("order:name", [4, 6, 1, 2, 5, 3]),
        ("order:-size", [2, 3, 5, 1, 4, 6]),
        ("order:brightness", [6, 1, 4, 2, 3, 5]),
        ("order:-brightness", [3, 2, 4, 1, 6, 5]),
        ("order:-loss", [6, 2, 3, 1, 4, 5]),
        ("order:-side,name", [3, 2, 1, 5, 4, 6]),
        ("order:came", [4, 3, 2, 1, 5, 6]),
        ("jpg order:-class", [1, 2, 5]),
    ],
)
def test_orders(desk: Desk, sift: str, order: list[int]) -> None:
    assert desk.ordered(sift) == order


@pytest.mark.parametrize("group", list(Grouping))
@pytest.mark.parametrize("sift", ["", "order:-size", "jpg order:-class", "not class:plate", "wrong", "note:*"])
def test_a_page_that_knows_the_counts_is_the_beginning_of_the_whole(desk: Desk, group: Grouping, sift: str) -> None:
    # Records of all pictures are found without counts; a page that reaches one row, some, or all has to agree.
    with desk.database.session() as session:
        whole = field_records(session, desk.scope, sift, group)
        rows = field_rows(session, desk.scope, sift, group)
        for count in range(1, 7):
            page = field_records(session, desk.scope, sift, group, count=count, rows=rows)
            assert page == whole[: 16 * count]


def test_rows_are_counted_and_their_records_follow_in_their_order(desk: Desk) -> None:
    with desk.database.session() as session:
        rows = field_rows(session, desk.scope, "", Grouping.CLASS)
        sets = field_rows(session, desk.scope, "", Grouping.SET)
        days = field_rows(session, desk.scope, "", Grouping.DAY)
        sizes = field_rows(session, desk.scope, "", Grouping.SIZE)
        predicted = field_rows(session, desk.scope, "", Grouping.PREDICTED)
        records = field_records(session, desk.scope, "", Grouping.CLASS)
    ids = desk.classes
    assert [(row.key, row.count, row.training, row.validation, row.test, row.excluded) for row in rows] == [
        (None, 1, 0, 0, 0, 0),
        (str(ids["plate"]), 2, 1, 1, 0, 0),
        (str(ids["plate (thick)"]), 1, 0, 1, 0, 0),
        (str(ids["column"]), 2, 0, 1, 1, 1),
    ]
    assert [(row.key, row.count) for row in sets] == [("training", 1), ("validation", 3), ("test", 1), (None, 1)]
    assert [(row.key, row.count) for row in days] == [("2026-03-01", 1), ("2026-03-08", 1), ("2026-03-10", 4)]
    assert [(row.key, row.count) for row in sizes] == [
        ("to 32", 1),
        ("to 64", 1),
        ("to 96", 2),
        ("to 128", 1),
        ("to 256", 1),
    ]
    assert [(row.key, row.count) for row in predicted] == [
        (str(ids["plate"]), 1),
        (str(ids["plate (thick)"]), 1),
        (str(ids["column"]), 1),
        (None, 3),
    ]
    assert desk.ordered("", Grouping.CLASS) == [5, 1, 2, 3, 4, 6]
    second = records[16 * 2 : 16 * 3]  # picture 2: validation, unsure, noted, judged, wrong
    assert second[7] == 2 + 8 + 16 + 64 + 128
    assert int.from_bytes(second[8:12]) == ids["plate"]
    assert int.from_bytes(second[12:]) == ids["column"]
    assert records[7] == 16  # picture 5: noted, in no set
    assert desk.ordered("", Grouping.CLASS, start=2, count=2) == [2, 3]


@pytest.mark.parametrize(
    ("sift", "name", "figures"),
    [
        ("order:-loss", "loss", [4.0, 1.5, pytest.approx(0.1), None, None, None]),
        ("order:name,-size", "size", [800, 70, 3000, 250000, 3500, 9000]),
        ("judged order:p", "p", [pytest.approx(0.6), pytest.approx(0.91), pytest.approx(0.99)]),
        ("order:name", None, []),
        ("", None, []),
    ],
)
def test_records_carry_the_number_that_they_are_ordered_by(
    desk: Desk, sift: str, name: str | None, figures: list[float | None]
) -> None:
    with desk.database.session() as session:
        plain = field_records(session, desk.scope, sift, Grouping.NOTHING)
        records = field_records(session, desk.scope, sift, Grouping.NOTHING, figured=True)
        assert figure_name(sift, desk.scope) == name
    if name is None:
        assert records == plain
        return
    apart = [records[n : n + 20] for n in range(0, len(records), 20)]
    assert b"".join(record[:16] for record in apart) == plain
    told = [struct.unpack(">f", record[16:])[0] for record in apart]
    assert [None if math.isnan(value) else value for value in told] == figures


@pytest.mark.parametrize(
    ("sift", "place", "words"),
    [
        ("class:", (6, 7), "no value behind class"),
        ("clas:plate", (0, 4), "Did you mean class?"),
        ("class:plat", (6, 10), "Did you mean plate?"),
        ("noted set:trainin", (10, 17), "Did you mean training?"),
        ("width<wide", (6, 10), "not a number"),
        ("size<3MBit", (5, 10), "not a number"),
        ("name<ridge", (4, 5), "cannot be compared"),
        ("came:tomorrow", (5, 13), "not a day"),
        ("came:2026-02-30", (5, 15), "not a day"),
        ("(noted", (0, 1), "never closed"),
        ("noted)", (5, 6), "closes nothing"),
        ('name:"ridge', (5, 11), "quote is never closed"),
        ("noted or", (7, 8), "missing behind or"),
        ("not", (2, 3), "missing behind not"),
        ("or noted", (0, 2), "Something is missing"),
        ("order:naem", (6, 10), "Did you mean name?"),
        ("(order:name)", (1, 11), "cannot stand in brackets"),
        ("noted or order:name", (15, 19), "order alone"),
        ("width<1,2", (8, 9), "takes one value"),
        ("action:x", (7, 8), "not the number"),
        ("a\x00b", (1, 2), "cannot be stored"),
        ("x " * 201, (400, 401), "more than 200"),
        ("(" * 50, (40, 41), "40 deep"),
    ],
)
def test_mistakes_are_placed_and_mended(desk: Desk, sift: str, place: tuple[int, int], words: str) -> None:
    with pytest.raises(SiftError) as caught:
        desk.found(sift)
    assert caught.value.place == place
    assert words in str(caught.value)
    assert caught.value.mend


def test_without_split_or_run_their_words_say_so(desk: Desk) -> None:
    bare = replace(desk.scope, split_id=None, run_id=None)
    for sift in ("set:training", "parted-copies", "wrong", "p<1", "predicted:plate", "order:loss"):
        with pytest.raises(SiftError, match=r"first|none is on show"):
            desk.ordered(sift, scope=bare)


def test_a_run_that_is_not_judged_says_so_instead_of_nothing(desk: Desk) -> None:
    with desk.database.session() as session:
        for column, value, words in (
            ("state = 'training', ended_by", None, "judged when its training ends"),
            ("state = 'ended', ended_by", "stopped", "kept nothing"),
        ):
            session.execute(
                text(
                    "with snapshot as (insert into snapshot (project_id, classes, counts) values (:p, '[]', '{}')"
                    " returning id) insert into run (project_id, number, snapshot_id, split_number, recipe, program,"
                    " parameters) select :p, 2 + (select max(number) from run), id, 1, '{}', 'test', 1 from snapshot"
                ),
                {"p": desk.project},
            )
            run = session.scalar(text("select max(id) from run"))
            session.execute(text(f"update run set {column} = :v where id = :r"), {"v": value, "r": run})
            scope = scope_of(session, desk.project, run_id=run, now=_NOW)
            for sift in ("wrong", "right", "p<1", "loss>2", "predicted:plate", "order:-loss"):
                with pytest.raises(SiftError, match="not judged yet") as found:
                    field_records(session, scope, sift, Grouping.NOTHING)
                assert words in found.value.mend
            # That nothing was judged is an answer.
            assert sifted_ids(session, scope, "judged") == []
        session.rollback()


def test_history_is_asked_by_day_and_by_step(desk: Desk) -> None:
    with desk.database.session() as session:
        step = session.scalar(
            text(
                'insert into action (project_id, "window", kind, summary, done_at) values'
                " (:p, 'one', 'label', '', '2026-03-10T01:00Z') returning id"
            ),
            {"p": desk.project},
        )
        session.execute(text("insert into action_change (action_id, picture_id) values (:a, 2), (:a, 6)"), {"a": step})
    assert desk.found("changed:today") == {2, 6}
    assert desk.found("changed:yesterday") == set()
    assert desk.found(f"action:{step}") == {2, 6}
    assert desk.ordered("order:-changed")[:2] == [2, 6]


_ODD = """class:plate class: class:"plate set:test name:* note:% p<0.5 loss>1e9 wrong not and or ( ) " order:-size
order: width<5 size>1GB came:7d came:99999d changed:9999-12-31 came:0001-01-01 action:1 shape:0 , :: <= 'drop ; -- \\
format:[a-z] class:[* predicted:* \u202e \x00 \ud800 \U0001f41e"""
_WORDS = st.sampled_from(_ODD.split())
_LINES = st.one_of(st.text(max_size=60), st.lists(_WORDS, max_size=12).map(" ".join))


@settings(max_examples=400)
@given(line=_LINES, cut=st.integers(0, 60))
def test_any_line_is_answered_or_its_mistake_is_placed(desk: Desk, line: str, cut: int) -> None:
    try:
        parsed = parse(line)
        found = desk.found(line)
        if line.strip() and not parsed.order:
            # What it lets through and what its opposite does, are all pictures, each once.
            opposite = desk.found(f"not ({line})")
            assert found | opposite == {1, 2, 3, 4, 5, 6}
            assert not found & opposite
            assert desk.found(f"({line}) ({line})") == found
    except SiftError as mistake:
        first, last = mistake.place
        assert 0 <= first <= len(line)
        assert first <= last <= len(line) + 1
    with desk.database.session() as session:
        complete(session, desk.scope, line, min(cut, len(line)))


_CONDITIONS = st.sampled_from([(sift, frozenset(ids)) for sift, ids in _LETS_THROUGH if sift and "order" not in sift])
_EVERY = frozenset(range(1, 7))


@settings(max_examples=60)
@given(one=_CONDITIONS, two=_CONDITIONS)
def test_joins_are_those_of_sets(desk: Desk, one: tuple[str, frozenset[int]], two: tuple[str, frozenset[int]]) -> None:
    (a, in_a), (b, in_b) = one, two
    assert desk.found(f"({a}) ({b})") == in_a & in_b
    assert desk.found(f"({a}) or ({b})") == in_a | in_b
    assert desk.found(f"not ({a})") == _EVERY - in_a


@pytest.mark.parametrize(
    ("line", "texts"),
    [
        ("class:", [("plate", 2), ("column", 2), ('"plate (thick)"', 1), ("none", 1), ('"none"', 0)]),
        ("noted class:col", [("column", 2)]),
        ("class:plate,col", [("column", 2)]),
        ('class:"plate (', [('"plate (thick)"', 1)]),
        ("set:v", [("validation", 3)]),
        ("format:", [("JPEG", 3), ("PNG", 2), ("BMP", 1)]),
        ("exc", [("excluded", 1)]),
        ("order:-br", [("-brightness", None)]),
        ("not un", [("unlabelled", 1), ("unsure", 1), ("undecided", None)]),
        ("foo:", []),
    ],
)
def test_completions_with_counts(desk: Desk, line: str, texts: list[tuple[str, int | None]]) -> None:
    with desk.database.session() as session:
        found = complete(session, desk.scope, line, len(line))
    assert [(entry.text, entry.count) for entry in found] == texts
    for entry in found:
        whole = line[: entry.start] + entry.text
        parse(whole)  # what is proposed can be read


def test_sets_are_the_same_where_ids_lie_too_far_apart_for_one_run_of_bytes(desk: Desk) -> None:
    assert desk.scope.sets is not None
    assert desk.scope.sets.codes is not None
    far = replace(desk.scope, sets=replace(desk.scope.sets, codes=None))
    for sift in ("set:training", "set:validation", "set:test", "set:none", "not set:validation"):
        assert desk.found(sift, far) == desk.found(sift)
    with desk.database.session() as session:
        for group in (Grouping.SET, Grouping.CLASS):
            assert field_rows(session, far, "", group) == field_rows(session, desk.scope, "", group)
            assert field_records(session, far, "", group) == field_records(session, desk.scope, "", group)


def test_rows_of_copies_begin_with_those_under_different_labels(desk: Desk) -> None:
    with desk.database.session() as session:
        rows = field_rows(session, desk.scope, "", Grouping.COPIES)
        told = [(row.key, row.count, set(row.classes), row.exact) for row in rows]
    plate, thick, column = (desk.classes[name] for name in ("plate", "plate (thick)", "column"))
    assert told == [("2", 2, {thick, column}, False), ("1", 2, {plate}, True), ("3", 2, {column}, True)]
    assert desk.ordered("", Grouping.COPIES) == [3, 6, 1, 2, 4, 5]
    assert desk.ordered("copies order:-size", Grouping.COPIES) == [3, 6, 2, 1]
