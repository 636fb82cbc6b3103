"""Copies, found among generated crystals and counted against the generator's own list."""

import datetime as dt
import json
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from sqlalchemy import select, text

from tests.pictures import encoded
from tests.world import World
from vast_orchard.demo.picture import photograph
from vast_orchard.demo.write import PLANTED_FILE, write_collection
from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.jobs.queue import look_for_copies
from vast_orchard.store.copies import (
    Copies,
    copies_known,
    dismiss_copies,
    keep_agreeing,
    keep_of_copies,
    record_copies,
)
from vast_orchard.store.field import Grouping, field_records, sifted_pictures
from vast_orchard.store.field_scope import scope_of
from vast_orchard.store.history import undo
from vast_orchard.store.jobs import ask_stop, list_jobs, put_away
from vast_orchard.store.schema import Picture
from vast_orchard.store.sift.syntax import SiftError


def _groups(world: World, project: int) -> dict[int, set[str]]:
    """Names of the pictures in each group."""
    found: dict[int, set[str]] = {}
    with world.context.database.session() as session:
        for group, name in session.execute(
            text("select copy_group, name from picture where project_id = :p and copy_group is not null"),
            {"p": project},
        ):
            found.setdefault(group, set()).add(name)
    return found


def test_planted_copies_are_found_and_little_else(world: World, tmp_path: Path) -> None:
    write_collection(tmp_path, count=700, seed=5)
    planted = json.loads((tmp_path / PLANTED_FILE).read_text())["pictures"]
    project = world.project()
    world.bring_in(project, {entry["path"]: (tmp_path / entry["path"]).read_bytes() for entry in planted})
    world.run_waiting()

    names = {entry["number"]: Path(entry["path"]).name for entry in planted}
    near = {
        frozenset((names[entry["of"]], names[entry["number"]])) for entry in planted if entry["fault"] == "near_copy"
    }
    found = {frozenset(members) for members in _groups(world, project).values()}
    assert len(near) == 30
    assert len(found & near) >= 0.9 * len(near)
    assert len(found & near) >= 0.95 * len(found)
    # Exact copies of the demo are the very same file: one picture that came in twice.
    exact = [entry for entry in planted if entry["fault"] == "exact_copy"]
    with world.context.database.session() as session:
        known = copies_known(session, project)
        rows = session.execute(text("select reverse(split_part(reverse(path), '/', 1)), picture_id from appearance"))
        appearances = {row[0]: row[1] for row in rows}
    assert all(appearances[names[entry["number"]]] == appearances[names[entry["of"]]] for entry in exact)
    assert (known.repeated, known.waiting) == (len(exact), 0)
    of = {entry["number"]: entry for entry in planted}
    assert known.repeated_differing == sum(of[entry["of"]]["folder"] != entry["folder"] for entry in exact)


def _crystal(seed: int, name: str = "stellar") -> Image.Image:
    return photograph(name, np.random.default_rng(seed), side=100)


class _Desk:
    """A project into which pictures come under names, and whose copies are looked for."""

    def __init__(self, world: World) -> None:
        self.world, self.database = world, world.context.database
        self.project = world.project()

    def bring(self, members: dict[str, bytes]) -> None:
        self.world.bring_in(self.project, members)
        self.world.run_waiting()

    def ids(self, *names: str) -> list[int]:
        with self.database.session() as session:
            found = dict(session.execute(select(Picture.name, Picture.id)).all())
        return [found[name] for name in names]

    def groups(self) -> list[set[str]]:
        return sorted(_groups(self.world, self.project).values(), key=sorted)

    def excluded(self) -> set[str]:
        with self.database.session() as session:
            return set(session.scalars(select(Picture.name).where(Picture.excluded)))

    def sifted(self, sift: str) -> set[str]:
        with self.database.session() as session:
            scope = scope_of(session, self.project, now=dt.datetime.now(dt.UTC))
            return {entry.name for entry in sifted_pictures(session, scope, sift, 0, 100)}


@pytest.fixture
def desk(world: World) -> _Desk:
    return _Desk(world)


def test_the_same_pixels_are_exact_whatever_the_encoding(desk: _Desk) -> None:
    image = _crystal(1)
    other = image.copy()
    other.putpixel((50, 50), (1, 2, 3))
    turned = image.transpose(Image.Transpose.ROTATE_90)
    upright = Image.Exif()
    upright[0x0112] = 6  # shown turned by a quarter, which is as the picture was
    desk.bring(
        {
            "a/one.png": encoded(image),
            "a/two.bmp": encoded(image, "BMP"),
            "a/three.webp": encoded(image, "WEBP", lossless=True),
            "a/four.tif": encoded(turned, "TIFF", exif=upright),
            "a/nearly.png": encoded(other),
            "a/another.png": encoded(_crystal(2)),
        }
    )
    same = {"one.png", "two.bmp", "three.webp", "four.tif"}
    assert desk.groups() == [same | {"nearly.png"}]
    assert desk.sifted("exact-copies") == same
    assert desk.sifted("copies") == same | {"nearly.png"}


def test_a_later_import_joins_the_group_that_is_there(desk: _Desk) -> None:
    image = _crystal(3)
    desk.bring({"a/first.png": encoded(image), "a/alone.png": encoded(_crystal(4))})
    assert desk.groups() == []
    desk.bring({"b/second.jpg": encoded(image, "JPEG", quality=75)})
    desk.bring({"b/third.jpg": encoded(image.rotate(2, Image.Resampling.BILINEAR, fillcolor=(20, 20, 22)), "JPEG")})
    assert desk.groups() == [{"first.png", "second.jpg", "third.jpg"}]


def test_two_groups_that_a_third_picture_joins_become_one(desk: _Desk) -> None:
    with desk.database.session() as session:
        desk.bring({f"a/{name}.png": encoded(_crystal(n)) for n, name in enumerate("abcd")})
        a, b, c, d = desk.ids("a.png", "b.png", "c.png", "d.png")
        record_copies(session, desk.project, [Copies(first=a, second=b, exact=False)], [])
        record_copies(session, desk.project, [Copies(first=c, second=d, exact=False)], [])
    assert desk.groups() == [{"a.png", "b.png"}, {"c.png", "d.png"}]
    with desk.database.session() as session:
        record_copies(session, desk.project, [Copies(first=b, second=c, exact=False)], [])
    assert desk.groups() == [{"a.png", "b.png", "c.png", "d.png"}]


def test_what_was_dismissed_stays_dismissed_and_can_be_taken_back(desk: _Desk) -> None:
    image = _crystal(5)
    desk.bring({"a/one.png": encoded(image), "a/two.jpg": encoded(image, "JPEG", quality=70)})
    with desk.database.session() as session:
        dismiss_copies(session, desk.project, "one", desk.ids("one.png", "two.jpg"))
    desk.bring({"a/another.png": encoded(_crystal(6))})
    assert desk.groups() == []
    with desk.database.session() as session, pytest.raises(MissingError, match="None of these"):
        dismiss_copies(session, desk.project, "one", desk.ids("one.png"))
    with desk.database.session() as session:
        assert undo(session, desk.project, "one").taken_back == 2
    assert desk.groups() == [{"one.png", "two.jpg"}]


def test_one_is_kept_and_the_others_excluded_as_one_step(desk: _Desk) -> None:
    image = _crystal(7)
    desk.bring(
        {
            "needle/small.png": encoded(image.resize((80, image.height * 80 // 100), Image.Resampling.BOX)),
            "needle/large.png": encoded(image),
            "plate/apart.jpg": encoded(_crystal(8), "JPEG", quality=95),
            "column/apart.png": encoded(_crystal(8)),
        }
    )
    assert desk.sifted("differing-copies") == {"apart.jpg", "apart.png"}
    with desk.database.session() as session:
        assert (copies_known(session, desk.project).groups, copies_known(session, desk.project).differing) == (2, 1)
        keep_agreeing(session, desk.project, "one")
    assert desk.excluded() == {"small.png"}
    assert desk.sifted("copies") == {"apart.jpg", "apart.png"}
    with desk.database.session() as session:
        keep_of_copies(session, desk.project, "one", desk.ids("apart.jpg"))
    assert desk.excluded() == {"small.png", "apart.png"}
    with desk.database.session() as session, pytest.raises(ConflictError, match="no copies under one label"):
        keep_agreeing(session, desk.project, "one")
    for _ in range(2):
        with desk.database.session() as session:
            undo(session, desk.project, "one")
    assert desk.excluded() == set()


def test_keeping_asks_for_pictures_that_have_copies(desk: _Desk) -> None:
    desk.bring({"a/alone.png": encoded(_crystal(9))})
    with desk.database.session() as session, pytest.raises(MissingError, match="Not all of these"):
        keep_of_copies(session, desk.project, "one", desk.ids("alone.png"))


def test_pictures_of_one_colour_and_unreadable_thumbnails_do_no_harm(desk: _Desk) -> None:
    plain = {f"a/{n}.png": encoded(Image.new("RGB", (40, 40), (n, n, n))) for n in (0, 0, 90, 200)}
    desk.bring(plain | {"a/black.bmp": encoded(Image.new("RGB", (40, 40)), "BMP")})
    assert desk.groups() == [{"0.png", "black.bmp"}]


def test_a_search_that_was_stopped_is_done_again_and_one_without_copies_leaves_the_tray(desk: _Desk) -> None:
    image = _crystal(10)
    desk.world.bring_in(desk.project, {"a/one.png": encoded(image), "a/two.jpg": encoded(image, "JPEG")})
    with desk.database.session() as session:
        (waiting,) = [job for job in list_jobs(session) if job.kind == "copies"]
        ask_stop(session, waiting.id)
    desk.world.run_waiting()
    with desk.database.session() as session:
        assert copies_known(session, desk.project).waiting == 2
        look_for_copies(session, desk.project)
        assert look_for_copies(session, desk.project) is None
    desk.world.run_waiting()
    assert desk.groups() == [{"one.png", "two.jpg"}]
    with desk.database.session() as session:
        assert [job.state for job in list_jobs(session) if job.kind == "copies"] == ["stopped", "done"]
        for job in list_jobs(session):
            put_away(session, job.id)
        keep_agreeing(session, desk.project, "one")
    desk.bring({"a/three.png": encoded(_crystal(11))})
    with desk.database.session() as session:
        assert [job.kind for job in list_jobs(session)] == ["import"]


def test_pictures_are_ordered_by_likeness_to_one(desk: _Desk) -> None:
    image = _crystal(12, "needle")
    desk.bring(
        {
            "a/chosen.png": encoded(image),
            "a/far.png": encoded(Image.new("RGB", (100, 100), "white")),
            "a/near.png": encoded(image.rotate(6)),
            "a/other.png": encoded(_crystal(13, "graupel")),
        }
    )
    names = {picture: name for name in ("chosen", "far", "near", "other") for picture in desk.ids(f"{name}.png")}
    with desk.database.session() as session:
        scope = scope_of(session, desk.project, like_id=desk.ids("chosen.png")[0], now=dt.datetime.now(dt.UTC))
        records = field_records(session, scope, "order:like", Grouping.NOTHING)
        order = [names[int.from_bytes(records[n : n + 8]) >> 8] for n in range(0, len(records), 16)]
    assert order[:2] == ["chosen", "near"]
    assert order[-1] == "far"
    with desk.database.session() as session, pytest.raises(SiftError, match="none is chosen"):
        field_records(session, scope_of(session, desk.project, now=dt.datetime.now(dt.UTC)), "order:like", Grouping.SET)
