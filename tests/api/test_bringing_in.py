"""Bringing in over HTTP: a source is read, planned, decided on, brought in, and taken back."""

import csv
import hashlib
import io
import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from PIL import Image
from sqlalchemy import update
from starlette.testclient import TestClient

from tests.buckets import served
from tests.pictures import encoded, png, zipped
from tests.world import World
from vast_orchard.api.app import create_app
from vast_orchard.demo.bucket import StandIn
from vast_orchard.jobs.context import open_context
from vast_orchard.settings import Settings
from vast_orchard.store.schema import Job

_FIELD = {
    "winter/plate/1.png": png(1),
    "winter/plate/2.png": png(2),
    "winter/Plates/3.png": png(3),
    "winter/rime/4.png": png(4),
    "winter/rime/5.png": png(1),
    "winter/readme.txt": b"Wind from the west.",
}


class _Desk:
    """A project on the API, whose jobs are done here and now."""

    def __init__(self, client: TestClient, world: World) -> None:
        self.client, self.world = client, world
        self.project = self.ask("POST", "/api/projects", json={"name": "Crystals"})["id"]

    def ask(self, method: str, path: str, status: int = 0, **more: Any) -> Any:
        answer = self.client.request(method, path, **more)
        assert answer.status_code == status if status else answer.status_code < 400, answer.text
        return answer.json() if answer.content and "json" in answer.headers.get("content-type", "") else answer.content

    def read(self, kind: str, location: str, **more: str) -> dict[str, Any]:
        body = {"kind": kind, "location": location, **more}
        begun = self.ask("POST", f"/api/projects/{self.project}/imports", 202, json=body)
        self.world.run_waiting()
        found: dict[str, Any] = self.ask("GET", f"/api/imports/{begun['id']}")
        return found

    def upload(self, members: dict[str, bytes], **more: str) -> dict[str, Any]:
        return self.read("upload", self.world.upload(members), name="in", **more)

    def plan(self, entry: dict[str, Any], **changes: Any) -> dict[str, Any]:
        found: dict[str, Any] = self.ask("POST", f"/api/imports/{entry['id']}/plan", json=self.choice(entry, **changes))
        return found

    def choice(self, entry: dict[str, Any], **changes: Any) -> dict[str, Any]:
        return {**entry["survey"]["readings"][0]["choice"], **changes}

    def bring_in(self, entry: dict[str, Any], **changes: Any) -> dict[str, Any]:
        self.ask("POST", f"/api/imports/{entry['id']}/bring-in", 202, json=self.choice(entry, **changes))
        self.world.run_waiting()
        found: dict[str, Any] = self.ask("GET", f"/api/imports/{entry['id']}")
        return found

    def counts(self) -> dict[str, int]:
        rows = self.ask("GET", f"/api/projects/{self.project}/classes")
        return {row["name"]: row["count"] for row in rows}

    def job(self) -> dict[str, Any]:
        newest: dict[str, Any] = self.ask("GET", "/api/jobs")[-1]
        return newest


@pytest.fixture
def desk(client: TestClient, world: World) -> _Desk:
    return _Desk(client, world)


@contextmanager
def _with_settings(world: World, **changes: Any) -> Iterator[_Desk]:
    settings: Settings = replace(world.context.settings, **changes)
    context = open_context(settings)
    app = create_app(settings)
    with TestClient(app, base_url="http://127.0.0.1:8420", headers={"X-Window": "one"}) as client:
        yield _Desk(client, World(context))
    context.database.close()


def test_nothing_is_stored_before_the_plan_is_decided_on(desk: _Desk) -> None:
    entry = desk.upload({"winter.zip": zipped(_FIELD)})
    assert entry["state"] == "planned"
    survey = entry["survey"]
    assert (survey["files"], survey["pictures"], survey["skipped_count"], survey["formats"]) == (6, 5, 1, {"PNG": 5})
    assert survey["reasons"] == {"not a picture file (.txt)": 1}
    plan = desk.plan(entry)
    assert [(c["name"], c["files"]) for c in plan["classes"]] == [("plate", 2), ("Plates", 1), ("rime", 2)]
    assert (plan["new"], plan["repeated"], plan["two_labels_count"], plan["wrappers"]) == (4, 1, 1, ["winter"])
    assert plan["two_labels"][0]["labels"] == ["plate", "rime"]
    assert desk.counts() == {}
    assert desk.ask("GET", f"/api/projects/{desk.project}/pictures")["pictures"] == []
    assert not list((desk.world.context.settings.data_dir / "bytes").rglob("*"))

    done = desk.bring_in(entry, renamed={"Plates": "plate"})
    assert done["state"] == "done"
    assert desk.counts() == {"plate": 3, "rime": 1}
    assert not list(desk.world.context.folder.uploads.iterdir())


def test_sample_pictures_are_shown_before_anything_is_stored(desk: _Desk) -> None:
    entry = desk.upload(_FIELD)
    samples = desk.plan(entry)["classes"][0]["samples"]
    strip = desk.ask("GET", f"/api/imports/{entry['id']}/strip?side=32&contents={','.join(samples)}")
    assert strip[:2] == b"\xff\xd8"
    desk.ask("GET", f"/api/imports/{entry['id']}/strip?contents=nonsense", 422)


def test_formats_and_traits_are_counted(desk: _Desk) -> None:
    turned = Image.Exif()
    turned[0x0112] = 6
    members = {
        "a/1.jpg": encoded(Image.new("RGB", (9, 5), "red"), "JPEG", exif=turned),
        "a/2.jpg": encoded(Image.new("CMYK", (9, 5)), "JPEG"),
        "a/3.png": encoded(Image.new("RGBA", (9, 5)), "PNG"),
        "b/4.png": encoded(Image.new("I;16", (9, 5)), "PNG"),
        "b/5.gif": encoded(
            Image.new("P", (9, 5)), "GIF", save_all=True, append_images=[Image.new("RGB", (9, 5), "blue")]
        ),
        "b/6.bmp": encoded(Image.new("L", (30, 20)), "BMP"),
        "b/7.png": b"",
    }
    survey = desk.upload(members)["survey"]
    assert survey["formats"] == {"JPEG": 2, "PNG": 2, "GIF": 1, "BMP": 1}
    assert survey["traits"] == {
        "turned": 1, "CMYK": 1, "alpha": 1, "16-bit": 1, "palette": 1, "several frames": 1, "grey": 1,
    }  # fmt: skip
    assert (survey["smallest"], survey["largest"]) == ([9, 5], [30, 20])
    assert survey["skipped"] == [
        {"path": "b/7.png", "reason": "The file is empty (0 bytes). Copy it again from where it came."}
    ]


def test_what_an_import_has_taken_can_no_longer_be_sent_again(desk: _Desk) -> None:
    upload = desk.ask("POST", "/api/uploads")["id"]

    def send(name: str, seed: int, status: int = 204) -> None:
        desk.ask("PUT", f"/api/uploads/{upload}/files", status, data={"path": name}, files={"file": ("x", png(seed))})

    for n in (1, 2):
        send(f"plate/{n}.png", n)
    # One of the two is left out, so that the upload stays.
    entry = desk.bring_in(desk.read("upload", upload, name="in"), part={"per_class": 1, "seed": 3})
    assert (entry["report"]["added"], entry["report"]["left_out"]) == (1, 1)
    (picture,) = desk.ask("GET", f"/api/projects/{desk.project}/pictures")["pictures"]
    # Whichever came in, it was taken over from under its path.
    for n in (1, 2):
        send(f"plate/{n}.png", 10 + n, 409)
    stored = desk.ask("GET", f"/api/originals/{picture['sha256']}")
    assert hashlib.sha256(stored).hexdigest() == picture["sha256"]


def test_the_rest_of_a_random_part_can_be_brought_in_later(desk: _Desk) -> None:
    members = {f"{c}/{n}.png": png(100 * k + n) for k, c in enumerate(("plate", "rime")) for n in range(20)}
    entry = desk.upload(members)
    part = {"per_class": 7, "seed": 3}
    assert desk.plan(entry, part=part)["left_out"] == 26
    done = desk.bring_in(entry, part=part)
    assert (done["report"]["added"], done["report"]["left_out"]) == (14, 26)
    assert desk.counts() == {"plate": 7, "rime": 7}
    again = desk.ask("POST", f"/api/imports/{entry['id']}/rest", 202)
    desk.world.run_waiting()
    again = desk.ask("GET", f"/api/imports/{again['id']}")
    assert again["survey"]["known"] == 14
    assert desk.bring_in(again)["report"]["added"] == 26
    assert desk.counts() == {"plate": 20, "rime": 20}
    desk.ask("POST", f"/api/imports/{entry['id']}/rest", 409)


def test_every_file_and_what_became_of_it(desk: _Desk) -> None:
    members = {**_FIELD, "winter/rime/broken.png": png(9)[:140]}
    entry = desk.bring_in(desk.upload(members))
    rows = list(csv.DictReader(io.StringIO(desk.ask("GET", f"/api/imports/{entry['id']}/files.csv").decode())))
    assert {row["path"].removeprefix("winter/"): row["fate"] for row in rows} == {
        "plate/1.png": "new", "plate/2.png": "new", "Plates/3.png": "new", "rime/4.png": "new",
        "rime/5.png": "repeated", "readme.txt": "skipped", "rime/broken.png": "skipped",
    }  # fmt: skip


def test_dropped_on_a_row_pictures_are_proposed_to_be_of_its_class(desk: _Desk) -> None:
    entry = desk.upload({"a.png": png(1), "deep/b.png": png(2)}, class_name="plate")
    assert (entry["choice"]["read_as"], entry["choice"]["class_name"]) == ("one_class", "plate")
    desk.ask("POST", f"/api/imports/{entry['id']}/bring-in", 202, json=entry["choice"])
    desk.world.run_waiting()
    assert desk.counts() == {"plate": 2}


def test_a_table_names_sets_groups_and_notes(desk: _Desk) -> None:
    table = "file,class,set,series,note\n1.png,plate,train,A,faint\n2.png,rime,test,B,\n"
    entry = desk.upload({"p/1.png": png(1), "p/2.png": png(2), "p/log.csv": table.encode("utf-8-sig")})
    assert entry["survey"]["readings"][0]["choice"]["read_as"] == "table"
    plan = desk.plan(entry)
    assert (plan["groups"], plan["noted"]) == (2, 1)
    desk.bring_in(entry)
    pictures = desk.ask("GET", f"/api/projects/{desk.project}/pictures")["pictures"]
    assert {picture["name"]: picture["note"] for picture in pictures} == {"1.png": "faint", "2.png": ""}
    detail = desk.ask("GET", f"/api/projects/{desk.project}/pictures/{pictures[0]['id']}")
    assert (detail["appearances"][0]["set_name"], detail["appearances"][0]["group_key"]) == ("training", "A")


def test_wrong_choices_are_refused_where_they_are_made(desk: _Desk) -> None:
    entry = desk.upload(_FIELD)
    for changes, words in (
        ({"read_as": "pattern", "pattern": "{klass}"}, "no placeholder"),
        ({"read_as": "table", "table": "gone.csv"}, "no table"),
        ({"read_as": "one_class"}, "has no name"),
    ):
        for path in ("plan", "bring-in"):
            answer = desk.client.post(f"/api/imports/{entry['id']}/{path}", json=desk.choice(entry, **changes))
            assert answer.status_code == 422
            assert words in answer.json()["detail"]
    assert desk.ask("GET", f"/api/imports/{entry['id']}")["state"] == "planned"


def test_a_source_without_pictures_says_what_it_saw(desk: _Desk) -> None:
    entry = desk.upload({"docs/a.pdf": b"1", "docs/deep/b.xls": b"2", ".hidden": b"3"})
    survey = entry["survey"]
    assert (survey["files"], survey["pictures"]) == (3, 0)
    assert survey["folders"] == ["", "docs", "docs/deep"]
    assert set(survey["reasons"]) == {
        "not a picture file (.pdf)",
        "not a picture file (.xls)",
        "a hidden or system file",
    }
    desk.ask("POST", f"/api/imports/{entry['id']}/bring-in", 422, json=desk.choice(entry))
    desk.ask("DELETE", f"/api/imports/{entry['id']}", 204)
    desk.ask("GET", f"/api/imports/{entry['id']}", 404)
    assert not list(desk.world.context.folder.uploads.iterdir())
    assert not list(desk.world.context.folder.readings.iterdir())


def test_two_windows_cannot_decide_twice(desk: _Desk) -> None:
    entry = desk.upload(_FIELD)
    desk.ask("POST", f"/api/imports/{entry['id']}/bring-in", 202, json=desk.choice(entry))
    desk.ask("POST", f"/api/imports/{entry['id']}/bring-in", 409, json=desk.choice(entry))
    desk.ask("DELETE", f"/api/imports/{entry['id']}", 409)
    desk.world.run_waiting()
    assert desk.counts() == {"plate": 2, "Plates": 1, "rime": 1}


def test_the_same_import_twice_at_once_doubles_nothing(desk: _Desk) -> None:
    members = {f"{c}/{n}.png": png(100 * k + n) for k, c in enumerate(("plate", "rime")) for n in range(60)}
    entries = [desk.upload(members), desk.upload(members)]
    for entry in entries:
        desk.ask("POST", f"/api/imports/{entry['id']}/bring-in", 202, json=desk.choice(entry))
    waiting = [job["id"] for job in desk.ask("GET", "/api/jobs") if job["state"] == "waiting"]
    threads = [threading.Thread(target=desk.world.run, args=(job,)) for job in waiting]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert [desk.world.job(job).error for job in waiting] == [None, None]
    assert desk.counts() == {"plate": 60, "rime": 60}
    reports = [desk.ask("GET", f"/api/imports/{entry['id']}")["report"] for entry in entries]
    assert sum(report["added"] for report in reports) == 120


def test_an_import_is_taken_back_as_one_step(desk: _Desk) -> None:
    desk.bring_in(desk.upload({"plate/old.png": png(50)}))
    entry = desk.bring_in(desk.upload(_FIELD))
    pictures = desk.ask("GET", f"/api/projects/{desk.project}/pictures")["pictures"]
    kept = next(picture for picture in pictures if picture["name"] == "4.png")
    plate = next(
        row["id"] for row in desk.ask("GET", f"/api/projects/{desk.project}/classes") if row["name"] == "plate"
    )
    label = {"picture_ids": [kept["id"]], "class_id": plate}
    desk.ask("POST", f"/api/projects/{desk.project}/labels", json=label, headers={"X-Window": "other"})
    undone = desk.ask("POST", f"/api/projects/{desk.project}/undo")
    assert (undone["taken_back"], undone["kept"]) == (3, 1)  # what another window worked on since stays
    assert desk.counts() == {"plate": 2}  # classes that came with it went with it
    assert desk.ask("GET", f"/api/projects/{desk.project}/bin")["count"] == 3
    desk.ask("POST", f"/api/imports/{entry['id']}/undo", 409)

    again = desk.bring_in(desk.upload(_FIELD))
    assert again["report"]["added"] == 3  # out of the bin, not doubled
    # The one that stayed keeps the label it was given; its class of then is proposed again and stays empty.
    assert desk.counts() == {"plate": 4, "Plates": 1, "rime": 0}
    assert desk.ask("GET", f"/api/projects/{desk.project}/bin")["count"] == 0


def test_a_label_that_was_taken_back_does_not_keep_a_picture(desk: _Desk) -> None:
    desk.bring_in(desk.upload(_FIELD))
    picture = desk.ask("GET", f"/api/projects/{desk.project}/pictures")["pictures"][0]
    desk.ask("POST", f"/api/projects/{desk.project}/labels", json={"picture_ids": [picture["id"]], "class_id": None})
    desk.ask("POST", f"/api/projects/{desk.project}/undo")
    undone = desk.ask("POST", f"/api/projects/{desk.project}/undo")
    assert (undone["taken_back"], undone["kept"]) == (4, 0)
    assert desk.counts() == {}


def test_a_damaged_source_fails_with_words_and_can_be_forgotten(desk: _Desk) -> None:
    entry = desk.upload({"in.zip": zipped(_FIELD)[:300]})
    assert entry["state"] == "reading"
    assert "cut short" in desk.job()["error"]
    desk.ask("POST", f"/api/imports/{entry['id']}/plan", 409, json={})
    desk.ask("DELETE", f"/api/imports/{entry['id']}", 204)


def test_folders_of_the_server_are_read_where_they_are(world: World, tmp_path: Path) -> None:
    root = tmp_path / "allowed"
    for name, data in {**_FIELD, "winter.zip": zipped(_FIELD)}.items():
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_bytes(data)
    (tmp_path / "secret").mkdir()
    (root / "way out").symlink_to(tmp_path / "secret")
    with _with_settings(world, import_roots=str(root)) as desk:
        assert desk.ask("GET", "/api/sources")["server_folders"] is True
        assert desk.ask("GET", "/api/server-folders")["folders"] == [str(root)]
        here = desk.ask("GET", f"/api/server-folders?path={root}")
        assert (here["folders"], here["archives"]) == (["way out", "winter"], ["winter.zip"])
        for path in (tmp_path, tmp_path / "secret", root / "way out", root / ".." / "secret", "/etc"):
            desk.ask("GET", "/api/server-folders", 422, params={"path": str(path)})
            body = {"kind": "folder", "location": str(path)}
            desk.ask("POST", f"/api/projects/{desk.project}/imports", 422, json=body)
        desk.ask("GET", "/api/server-folders", 404, params={"path": str(root / "gone")})
        desk.bring_in(desk.read("folder", str(root / "winter")))
        assert sum(desk.counts().values()) == 4
        report = desk.bring_in(desk.read("folder", str(root / "winter.zip")))["report"]
        assert (report["added"], report["known"]) == (0, 4)
        # What was put there since comes in by reading the folder again, as it was read before.
        (root / "winter" / "plate" / "later.png").write_bytes(png(4321))
        first = desk.ask("GET", f"/api/projects/{desk.project}/imports")[-1]["id"]
        begun = desk.ask("POST", f"/api/imports/{first}/again", 202)
        desk.world.run_waiting()
        again = desk.ask("GET", f"/api/imports/{begun['id']}")
        assert again["source_name"] == "winter"
        assert again["choice"] == desk.ask("GET", f"/api/imports/{first}")["choice"] is not None
        report = desk.bring_in(again)["report"]
        assert (report["added"], report["known"]) == (1, 4)
        assert (root / "winter" / "plate" / "1.png").exists()
        assert (root / "winter.zip").exists()


def test_without_the_setting_nothing_of_the_server_is_read(desk: _Desk) -> None:
    assert desk.ask("GET", "/api/sources") == {"server_folders": False, "bucket": None}
    desk.ask("GET", "/api/server-folders", 422, params={"path": "/"})
    desk.ask("POST", f"/api/projects/{desk.project}/imports", 422, json={"kind": "bucket", "location": "field"})


@pytest.mark.long
def test_a_bucket_is_fetched_over_many_pages(world: World, tmp_path: Path) -> None:
    bucket = tmp_path / "buckets" / "field"
    for n in range(620):
        target = bucket / "winter" / ("plate" if n % 2 else "rime") / f"{n} é&.png"
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(png(n))
    (bucket / "other").mkdir()
    (bucket / "other" / "x.png").write_bytes(png(999))
    with (
        served(StandIn(folder=tmp_path / "buckets", key="ridge")) as url,
        _with_settings(world, bucket_url=url, bucket_key="ridge", bucket_secret="s") as desk,
    ):
        entry = desk.read("bucket", "s3://field/winter/")
        assert entry["survey"]["pictures"] == 620
        desk.bring_in(entry)
        assert desk.counts() == {"plate": 310, "rime": 310}


@pytest.mark.parametrize(
    ("faults", "location", "words"),
    [
        ({"key": "another"}, "field", "does not know the key"),
        ({}, "nowhere", "no such bucket"),
        ({}, "field/summer", "empty there"),
        ({"cut": True}, "field", "of s3://field|did not answer|sent"),
        ({"nonsense": True}, "field", "did not answer|refused"),
        ({"pause_s": 2.5}, "field", "did not answer"),
    ],
)
def test_a_bucket_that_fails_says_how_and_stores_nothing(
    world: World, tmp_path: Path, faults: dict[str, Any], location: str, words: str
) -> None:
    target = tmp_path / "buckets" / "field" / "plate"
    target.mkdir(parents=True)
    (target / "1.png").write_bytes(png(1))
    with (
        served(StandIn(folder=tmp_path / "buckets", **faults)) as url,
        _with_settings(world, bucket_url=url, bucket_key="ridge", bucket_secret="s", bucket_limit_s=1) as desk,
    ):
        entry = desk.read("bucket", location)
        assert entry["state"] == "reading"
        job = desk.job()
        assert job["state"] == "failed"
        assert any(word in job["error"] for word in words.split("|")), job["error"]
        assert not list(desk.world.context.folder.uploads.iterdir())


def test_a_bucket_that_is_not_there_at_all(world: World) -> None:
    with _with_settings(
        world, bucket_url="http://127.0.0.1:9", bucket_key="k", bucket_secret="s", bucket_limit_s=1
    ) as desk:
        assert desk.read("bucket", "field")["state"] == "reading"
        assert "did not answer" in desk.job()["error"]


def test_names_that_are_not_utf_8_come_in_readable(desk: _Desk, world: World) -> None:
    upload = world.upload({"plate/1.png": png(1)})
    odd = os.fsencode(world.context.folder.uploads / upload) + b"/\xe9toile"
    os.mkdir(odd)  # noqa: PTH102 - pathlib has no names of bytes
    Path(os.fsdecode(odd + b"/\xff.png")).write_bytes(png(2))
    desk.bring_in(desk.read("upload", upload, name="odd"))
    assert desk.counts() == {"plate": 1, "étoile": 1}


def test_a_project_in_the_bin_shows_no_imports(desk: _Desk) -> None:
    entry = desk.upload(_FIELD)
    desk.ask("DELETE", f"/api/projects/{desk.project}", 204)
    desk.ask("GET", f"/api/imports/{entry['id']}", 404)


def test_a_stopped_import_can_go_on(desk: _Desk, world: World) -> None:
    entry = desk.upload({f"plate/{n}.png": png(n) for n in range(30)} | {"rime/x.png": png(90)})
    desk.ask("POST", f"/api/imports/{entry['id']}/bring-in", 202, json=desk.choice(entry))
    job = desk.job()["id"]
    with world.context.database.session() as session:
        session.execute(update(Job).where(Job.id == job).values(state="running", stop_asked=True, owner="dead"))
    assert world.run(job).state == "stopped"
    again = desk.ask("GET", f"/api/imports/{entry['id']}")
    assert again["state"] == "planned"
    assert desk.bring_in(again)["state"] == "done"
    assert desk.counts() == {"plate": 30, "rime": 1}
