"""Every place where a name from outside could meet the disk: none leads anywhere but where our own names lead."""

import ast
import io
import json
import os
import zipfile
from collections import Counter
from pathlib import Path
from typing import Any

import pytest
from starlette.testclient import TestClient

from tests.pictures import png, zipped
from tests.world import World
from vast_orchard.api.app import create_app
from vast_orchard.errors import ConflictError, InputError
from vast_orchard.store.data_folder import DataFolder
from vast_orchard.store.imports import create_import
from vast_orchard.store.schema import Import

_SOURCE = Path(__file__).parents[2] / "src" / "vast_orchard"

# Who removes what from the disk. Names from outside reach `DataFolder.remove` and `ByteStore.remove` only, which refuse
# what is not ours; everything else here removes a draft of its own, by a name that it made itself.
_REMOVERS = {
    "api/uploads.py": "the file of an upload that is sent again, below its checked path",
    "cli/bench.py": "pixels of the bench",
    "cli/bench_chaos.py": "nothing but what the bench made",
    "formats/bucket.py": "the draft of what is fetched",
    "formats/project_archive.py": "the draft of an archive",
    "formats/source_survey.py": "notes on a source, listed in their own folder",
    "jobs/training/pixel_cache.py": "a draft of pixels",
    "jobs/bringing_in/source_files.py": "an archive that was unpacked, and an empty folder of ours",
    "jobs/handing_over/taking_out.py": "the draft of a parcel",
    "store/bytes.py": "names of the store",
    "store/data_folder.py": "names of ours",
    "supervision/backup.py": "drafts, and a data folder that this restore began",
    "supervision/postgres.py": "a cluster that was never finished, and its drafts",
}
_REMOVING = {"rmtree", "unlink", "rmdir", "rm", "rm_file", "removedirs"}


def test_nobody_removes_files_but_those_who_are_listed() -> None:
    found = Counter[str]()
    for path in _SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Attribute) and node.attr in _REMOVING:
                found[path.relative_to(_SOURCE).as_posix()] += 1
    assert set(found) <= set(_REMOVERS)


_STRANGE = ("/", "/etc", "../x", "..", ".", "", "0123456789abcdef/../..", "0123456789ABCDEF", "0123456789abcde", "\0",
            "0123456789abcdef\n", "٠123456789abcdef", "a" * 5000)  # fmt: skip


@pytest.fixture
def project(world: World) -> int:
    return world.project()


@pytest.fixture
def treasure(tmp_path: Path) -> Path:
    """A folder of somebody's, with a picture in it."""
    folder = tmp_path / "treasure"
    folder.mkdir()
    (folder / "mine.png").write_bytes(png(1))
    return folder


def test_an_upload_is_named_by_its_id_and_by_nothing_else(
    client: TestClient, world: World, project: int, treasure: Path
) -> None:
    uploads = world.context.folder.uploads
    uploads.mkdir(parents=True)
    for location in (*_STRANGE, str(treasure), os.path.relpath(treasure, uploads), f"{'0' * 16}/../{treasure.name}"):
        for path, body in (
            (f"/api/projects/{project}/imports", {"kind": "upload", "location": location}),
            ("/api/projects/bring-back", {"upload_id": location, "name": "Back"}),
        ):
            answer = client.post(path, json=body)
            assert answer.status_code == 422, (location, answer.text)
    assert client.get(f"/api/projects/{project}/imports").json() == []
    assert (
        client.post(f"/api/projects/{project}/imports", json={"kind": "upload", "location": "0" * 16}).status_code
        == 404
    )
    # Nor by a link that stands where an upload would.
    (uploads / ("f" * 16)).symlink_to(treasure)
    assert (
        client.post(f"/api/projects/{project}/imports", json={"kind": "upload", "location": "f" * 16}).status_code
        == 404
    )
    assert client.delete(f"/api/uploads/{'f' * 16}").status_code == 404
    assert (treasure / "mine.png").exists()


def test_the_database_takes_no_path_for_an_upload_either(world: World, project: int) -> None:
    for location in ("/etc", "../x", "x"):
        with pytest.raises(ConflictError), world.context.database.session() as session:
            create_import(session, project, "in", location)


def test_an_upload_has_one_import(client: TestClient, world: World, project: int) -> None:
    other, upload = world.project("Other"), world.upload({"plate/1.png": png(1)})
    body = {"kind": "upload", "location": upload}
    first = client.post(f"/api/projects/{project}/imports", json=body)
    assert first.status_code == 202
    taken = (
        client.post(f"/api/projects/{other}/imports", json=body),
        client.post(f"/api/projects/{other}/uploads/{upload}/import", json={"source_name": "x"}),
        client.post("/api/projects/bring-back", json={"upload_id": upload, "name": "Back"}),
        client.delete(f"/api/uploads/{upload}"),
        client.put(f"/api/uploads/{upload}/files", data={"path": "a.png"}, files={"file": ("f", b"x")}),
    )
    assert [answer.status_code for answer in taken] == [409] * 5
    assert world.context.folder.upload(upload).is_dir()
    # Two that come at once meet the database.
    with pytest.raises(ConflictError, match="has this upload"), world.context.database.session() as session:
        create_import(session, other, "in", upload)


def test_closing_an_import_of_an_earlier_version_with_a_path_removes_nothing(
    client: TestClient, world: World, project: int, treasure: Path
) -> None:
    with world.context.database.session() as session:
        entry = create_import(session, project, "in", str(treasure), kind="folder")
    assert client.delete(f"/api/imports/{entry.id}").status_code == 204
    with world.context.database.session() as session:
        assert session.get(Import, entry.id) is None
    assert (treasure / "mine.png").exists()


@pytest.mark.parametrize(
    "place",
    ["/etc", "uploads", "uploads/..", "uploads/0123456789abcdef/..", "readings", "parcels/../x", "bytes", ".", "",
     "uploads/0123456789abcdef/inside", "readings/1/../../x", "readings/x", "postgres", "lock"],
)  # fmt: skip
def test_the_one_function_that_removes_refuses_what_bears_no_name_of_ours(tmp_path: Path, place: str) -> None:
    root = tmp_path / "data"
    folder = DataFolder(root)
    for name in ("uploads/0123456789abcdef", "readings/1", "parcels", "bytes"):
        (root / name).mkdir(parents=True)
        (root / name / "kept").touch()
    with pytest.raises(ConflictError, match="left alone"):
        folder.remove(root / place)
    assert len(list(root.rglob("kept"))) == 4


def test_what_leads_out_of_the_data_folder_by_a_link_is_left_alone(tmp_path: Path, treasure: Path) -> None:
    folder = DataFolder(tmp_path / "data")
    folder.uploads.mkdir(parents=True)
    folder.upload("0" * 16).symlink_to(treasure)
    folder.readings.symlink_to(treasure)
    (treasure / "1").mkdir()
    for place in (folder.upload("0" * 16), folder.reading(1)):
        with pytest.raises(ConflictError):
            folder.remove(place)
    assert (treasure / "mine.png").exists()
    assert (treasure / "1").exists()


def test_the_data_folder_may_be_a_link_itself(tmp_path: Path) -> None:
    (tmp_path / "far").mkdir()
    (tmp_path / "data").symlink_to(tmp_path / "far")
    folder = DataFolder(tmp_path / "data")
    upload = folder.new_upload()
    folder.remove(folder.upload(upload))
    folder.remove(folder.upload(upload))  # and once more, which does nothing
    assert list(folder.uploads.iterdir()) == []


@pytest.mark.parametrize("upload", _STRANGE)
def test_a_name_that_is_no_id_never_becomes_a_path(tmp_path: Path, upload: str) -> None:
    with pytest.raises(InputError, match="is not the id of an upload"):
        DataFolder(tmp_path).upload(upload)


@pytest.mark.parametrize(
    ("path", "status"),
    [
        ("/".join(["d"] * 990) + "/a.png", 422),
        ("a" * 256 + ".png", 422),
        ("é" * 130, 422),  # 260 bytes
        ("é" * 125 + ".png", 204),  # 254
        ("/".join(["d"] * 60) + "/a.png", 204),
        ("f", 204),
        ("f/g.png", 409),
        ("./f", 204),
        ("a\\b.png", 204),
        ("C:/x.png", 204),  # a folder of that name, below the upload
    ],
)  # fmt: skip
def test_paths_of_files_on_their_way_in(client: TestClient, world: World, path: str, status: int) -> None:
    upload = client.post("/api/uploads").json()["id"]
    url = f"/api/uploads/{upload}/files"
    assert client.put(url, data={"path": "f"}, files={"file": ("f", b"1")}).status_code == 204
    answer = client.put(url, data={"path": path}, files={"file": ("f", b"2")})
    assert answer.status_code == status, answer.text
    assert "room" not in answer.text
    place = world.context.folder.upload(upload)
    assert all(file.resolve().is_relative_to(place.resolve()) for file in place.rglob("*"))
    if status == 204:
        assert (place / path).read_bytes() == b"2"


def test_a_folder_stays_when_a_file_of_its_name_is_sent(client: TestClient, world: World) -> None:
    upload = client.post("/api/uploads").json()["id"]
    url = f"/api/uploads/{upload}/files"
    client.put(url, data={"path": "f/g.png"}, files={"file": ("f", b"1")})
    assert client.put(url, data={"path": "f"}, files={"file": ("f", b"2")}).status_code == 409
    assert (world.context.folder.upload(upload) / "f" / "g.png").read_bytes() == b"1"


@pytest.mark.parametrize("path", ["\0", "a" * 300, "a" * 5000, "/proc/self/fd/../../../etc", "~"])
def test_folders_of_the_server_with_names_that_no_system_has(world: World, treasure: Path, path: str) -> None:
    from dataclasses import replace

    settings = replace(world.context.settings, import_roots=str(treasure))
    with TestClient(create_app(settings), base_url="http://127.0.0.1:8420", headers={"X-Window": "one"}) as client:
        for asked in (path, f"{treasure}/{path}"):
            answer = client.get("/api/server-folders", params={"path": asked})
            assert answer.status_code in (404, 422), answer.text
            body = {"kind": "folder", "location": asked or "x"}
            assert client.post(f"/api/projects/{world.project(f'P{len(asked)}')}/imports", json=body).status_code in (
                404,
                422,
            )


@pytest.fixture
def page(world: World, tmp_path: Path) -> Any:
    built = tmp_path / "dist"
    (built / "assets").mkdir(parents=True)
    (built / "index.html").write_text("the page")
    (built / "assets" / "a-1.js").write_text("// script")
    (tmp_path / "secret.txt").write_text("not to be told")
    with TestClient(create_app(world.context.settings, built), base_url="http://127.0.0.1:8420") as client:
        yield client


@pytest.mark.parametrize(
    "path",
    ["/..%2fsecret.txt", "/..%2f..%2fsecret.txt", "/assets/..%2f..%2fsecret.txt", "/%2e%2e/secret.txt", "/%00",
     "/" + "a" * 300, "/" + "a/" * 500, "/%2fetc%2fpasswd", "/assets%5c..%5c..", "/index.html%00.js"],
)  # fmt: skip
def test_the_page_shows_its_own_files_and_nothing_beside_them(page: TestClient, path: str) -> None:
    answer = page.get(path)
    assert answer.status_code in (200, 404)
    assert "not to be told" not in answer.text
    if answer.status_code == 200:
        assert answer.text == "the page"


def test_built_files_are_found_and_missing_ones_are_not_the_page(page: TestClient, tmp_path: Path) -> None:
    assert page.get("/assets/a-1.js").text == "// script"
    assert "immutable" in page.get("/assets/a-1.js").headers["cache-control"]
    assert page.get("/assets/a-2.js").status_code == 404
    assert page.get("/projects/1/rows").text == "the page"
    # Built anew while it runs: what is new is found.
    (tmp_path / "dist" / "assets" / "a-2.js").write_text("// newer")
    (tmp_path / "dist" / "index.html").write_text("the newer page")
    os.utime(tmp_path / "dist" / "index.html", ns=(1, 1))
    assert page.get("/assets/a-2.js").text == "// newer"


def _archive_of(client: TestClient, world: World) -> bytes:
    """A project with a run, taken out whole."""
    project = world.project("Away")
    world.bring_in(project, {f"{c}/{n}.png": png(10 * n + len(c)) for c in ("plate", "needle") for n in range(8)})
    _, job = world.run_job(project)
    world.run(job)
    parcel = client.post(f"/api/projects/{project}/parcels", json={"kind": "project"}).json()
    world.run_waiting()
    return client.get(f"/api/parcels/{parcel['id']}/file").content


def _changed(archive: bytes, table: str, change: Any) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(archive)) as before, zipfile.ZipFile(out, "w") as after:
        for info in before.infolist():
            data = before.read(info)
            if info.filename == f"records/{table}.jsonl":
                rows = [json.loads(line) for line in data.splitlines()]
                data = b"".join(json.dumps({**row, **change}).encode() + b"\n" for row in rows)
            after.writestr(info, data)
    return out.getvalue()


def test_records_that_are_brought_back_name_no_places(client: TestClient, world: World, treasure: Path) -> None:
    archive = _archive_of(client, world)
    before = {path for path in world.context.settings.data_dir.rglob("*") if path.is_file()}
    hostile: list[tuple[str, dict[str, Any], str]] = [
        ("model", {"path": "runs/1/.."}, "no name of ours"),
        ("model", {"path": str(treasure)}, "no name of ours"),
        ("run", {"state_path": str(treasure)}, "no name of ours"),
        ("run", {"state_path": "../../../last-1.safetensors/.."}, "no name of ours"),
        ("run", {"state": "training"}, "has not ended"),
        ("picture", {"sha256": "../../../../etc/passwd"}, "lacks a picture"),
        ("snapshot_picture", {"sha256": "x" * 64}, "lacks a picture"),
        ("job", {"state": "waiting"}, "has not ended"),
    ]
    for number, (table, change, words) in enumerate(hostile):
        upload = world.upload({"a.zip": _changed(archive, table, change)})
        job = client.post("/api/projects/bring-back", json={"upload_id": upload, "name": f"Back {number}"}).json()
        ended = world.run(job["id"])
        assert (ended.state, words in str(ended.error)) == ("failed", True), ended.error
    # An import's place means nothing here, and a run's or export's is given anew.
    upload = world.upload({"a.zip": _changed(_changed(archive, "import", {"location": str(treasure)}), "export", {})})
    job = client.post("/api/projects/bring-back", json={"upload_id": upload, "name": "Back"}).json()
    assert world.run(job["id"]).state == "done"
    with world.context.database.session() as session:
        assert str(treasure) not in {row.location for row in session.query(Import)}
    assert (treasure / "mine.png").exists()
    assert before <= {path for path in world.context.settings.data_dir.rglob("*") if path.is_file()}


@pytest.mark.parametrize(
    "name", ["/etc/x.png", "../x.png", "a/../../x.png", "C:/x.png", "C:\\x.png", "\\\\host\\x.png"]
)
def test_names_inside_archives_that_point_outside(client: TestClient, world: World, project: int, name: str) -> None:
    upload = world.upload({"in.zip": zipped({name: png(1), "plate/1.png": png(2)})})
    entry = client.post(f"/api/projects/{project}/imports", json={"kind": "upload", "location": upload}).json()
    world.run_waiting()
    job = next(job for job in client.get("/api/jobs").json() if job["subject_id"] == entry["id"])
    assert (job["state"], "points outside" in job["error"]) == ("failed", True)
    assert not world.context.folder.upload(upload).exists()
