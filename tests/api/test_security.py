"""Who is let in, with what, and how much: headers, sizes, crowds, and what a spreadsheet would run."""

import asyncio
import csv
import io
import json
import re
import threading
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import text
from starlette.testclient import TestClient
from starlette.types import Message, Receive, Scope, Send

from tests.pictures import png
from tests.world import World
from vast_orchard.api.admission import Admission, gates
from vast_orchard.api.app import create_app
from vast_orchard.api.upload_space import UploadSpace
from vast_orchard.errors import BusyError, DiskFullError
from vast_orchard.formats.csv_cells import harmless, plain
from vast_orchard.settings import Settings

_OWN = "http://127.0.0.1:8420"


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 200),
        ({"origin": _OWN, "sec-fetch-site": "same-origin"}, 200),
        ({"sec-fetch-site": "none"}, 200),
        ({"host": "[::1]:8420"}, 200),
        ({"host": "LOCALHOST:8420"}, 200),
        ({"host": "127.0.0.1:8420, evil"}, 403),
        ({"host": "127.0.0.1:8420 evil"}, 403),
        ({"host": "127.0.0.1:8420@evil.example"}, 403),
        ({"host": "evil.example@127.0.0.1:8420"}, 403),
        ({"host": "127.0.0.1:80:80"}, 403),
        ({"host": "127.0.0.2:8420"}, 403),
        ({"host": "[::1"}, 403),
        ({"host": ""}, 403),
        ({"origin": "https://127.0.0.1:8420"}, 403),
        ({"origin": "http://["}, 403),
        ({"origin": "http://127.0.0.1:8421"}, 403),
        ({"origin": "http://localhost:8420"}, 403),
        ({"origin": ""}, 403),
        ({"sec-fetch-site": "cross-site"}, 403),
        ({"sec-fetch-site": "same-site"}, 403),
        ({"sec-fetch-site": "same-site", "sec-fetch-mode": "no-cors", "sec-fetch-dest": "image"}, 403),
        ({"sec-fetch-site": "cross-site", "sec-fetch-mode": "navigate", "sec-fetch-dest": "document"}, 403),
    ],
)
def test_who_may_ask_the_api(client: TestClient, headers: dict[str, str], status: int) -> None:
    assert client.get("/api/projects", headers=headers).status_code == status


def test_two_hosts_are_none(client: TestClient) -> None:
    sent = [("host", "127.0.0.1:8420"), ("host", "evil.example")]
    assert client.get("/api/projects", headers=sent).status_code == 403


def test_a_link_from_elsewhere_opens_the_page_and_nothing_frames_it(world: World, tmp_path: Path) -> None:
    (tmp_path / "index.html").write_text("the page")
    followed = {"sec-fetch-site": "cross-site", "sec-fetch-mode": "navigate", "sec-fetch-dest": "document"}
    with TestClient(create_app(world.context.settings, tmp_path), base_url=_OWN) as page:
        answer = page.get("/projects/1/rows", headers=followed)
        assert answer.text == "the page"
        assert "frame-ancestors 'none'" in answer.headers["content-security-policy"]
        assert answer.headers["x-frame-options"] == "DENY"
        assert page.get("/", headers={**followed, "sec-fetch-dest": "iframe"}).status_code == 403
        assert page.post("/projects/1/rows", headers=followed).status_code == 403


@pytest.mark.parametrize("path", ["/api/projects", "/api/nothing", "/api/originals/" + "0" * 64, "/api/health"])
def test_every_answer_tells_browsers_what_a_page_of_ours_may_do(client: TestClient, path: str) -> None:
    headers = client.get(path).headers
    policy = dict(part.strip().split(" ", 1) for part in headers["content-security-policy"].split(";"))
    assert policy["default-src"] == "'none'"
    assert policy["script-src"] == "'self'"  # no inline script, nothing evaluated, nobody else's
    assert policy["base-uri"] == policy["frame-ancestors"] == "'none'"
    assert headers["x-content-type-options"] == "nosniff"
    assert headers["referrer-policy"] == "no-referrer"
    assert headers["cross-origin-resource-policy"] == "same-origin"


def test_refusals_have_the_headers_too(client: TestClient) -> None:
    assert client.get("/api/projects", headers={"host": "evil"}).headers["x-content-type-options"] == "nosniff"


@pytest.fixture
def narrow(world: World) -> Any:
    """The API with a megabyte for each request and for all uploads."""
    settings = replace(
        world.context.settings, body_limit_mb=1, upload_file_limit_mb=1, upload_limit_mb=1, try_limit_mb=1
    )
    with TestClient(create_app(settings), base_url=_OWN, headers={"X-Window": "one"}) as client:
        yield client


def test_a_body_is_refused_by_what_it_says_and_by_what_comes(narrow: TestClient) -> None:
    large = json.dumps({"name": "x" * 2**20}).encode()
    said = narrow.post("/api/projects", content=large, headers={"content-type": "application/json"})
    assert said.status_code == 413
    assert "more than 1 MB" in said.json()["detail"]
    read = 0

    def pieces() -> Any:
        nonlocal read
        for _ in range(400):
            read += 1
            yield b" " * 2**16

    # In pieces, without a length: read no further than it must be.
    came = narrow.post("/api/projects", content=pieces(), headers={"content-type": "application/json"})
    assert came.status_code == 413
    assert came.headers["content-type"] == "application/problem+json"
    upload = narrow.post("/api/uploads").json()["id"]
    file = narrow.put(f"/api/uploads/{upload}/files", data={"path": "a"}, files={"file": ("f", b"x" * 2**21)})
    assert file.status_code == 413


def test_uploads_are_limited_in_all_and_there_is_room_again_when_one_is_given_up(narrow: TestClient) -> None:
    def send(upload: str, name: str) -> int:
        file = {"file": ("f", b"x" * 600_000)}
        return narrow.put(f"/api/uploads/{upload}/files", data={"path": name}, files=file).status_code

    first, second = (narrow.post("/api/uploads").json()["id"] for _ in range(2))
    assert send(first, "a") == 204
    assert send(second, "a") == 422
    refused = narrow.put(f"/api/uploads/{second}/files", data={"path": "a"}, files={"file": ("f", b"x" * 600_000)})
    assert "upload_limit_mb" in refused.json()["mend"]
    assert narrow.delete(f"/api/uploads/{first}").status_code == 204
    assert send(second, "a") == 204


class _Slow:
    """An application that answers when it is told to, and counts who is inside."""

    def __init__(self) -> None:
        self.inside = self.most = 0
        self.go_on = asyncio.Event()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        self.inside += 1
        self.most = max(self.most, self.inside)
        await self.go_on.wait()
        self.inside -= 1
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})


async def _ask(app: Any, path: str, method: str = "GET") -> Message:
    sent: list[Message] = []

    async def receive() -> Message:
        return {"type": "http.request", "body": b"", "more_body": False}

    async def send(message: Message) -> None:
        sent.append(message)

    await app({"type": "http", "method": method, "path": path, "headers": []}, receive, send)
    return sent[0]


def test_a_crowd_waits_before_its_gate_and_whoever_comes_too_late_is_told_early() -> None:
    async def crowd() -> None:
        slow = _Slow()
        app, gate = Admission(slow, Settings()), gates(Settings())[-1]
        room = gate.at_once + gate.waiting
        asked = [asyncio.create_task(_ask(app, "/api/projects")) for _ in range(room)]
        await asyncio.sleep(0)
        while slow.inside < gate.at_once:
            await asyncio.sleep(0)
        too_late = await _ask(app, "/api/projects")
        assert too_late["status"] == 503
        assert (b"retry-after", b"1") in too_late["headers"]
        assert slow.most == gate.at_once
        # Health and the files of the page pass by, and so does another kind of work.
        others = [asyncio.create_task(_ask(app, path)) for path in ("/api/health", "/assets/a.js", "/api/thumbnails/a")]
        while slow.inside < gate.at_once + 3:
            await asyncio.sleep(0)
        slow.go_on.set()
        answers = await asyncio.gather(*asked, *others)
        assert {answer["status"] for answer in answers} == {200}
        assert slow.inside == 0
        # The places are free again.
        assert (await _ask(app, "/api/projects"))["status"] == 200

    asyncio.run(crowd())


def test_a_failing_request_gives_its_place_back() -> None:
    class Failing:
        async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
            raise RuntimeError

    async def fail() -> None:
        app = Admission(Failing(), Settings())
        for _ in range(3 * gates(Settings())[-1].at_once):
            with pytest.raises(RuntimeError):
                await _ask(app, "/api/projects")

    asyncio.run(fail())


@pytest.mark.parametrize(
    ("method", "path", "gate"),
    [
        ("PUT", "/api/uploads/0123456789abcdef/files", 0),
        ("POST", "/api/models/3/try", 1),
        ("POST", "/api/projects/1/sheets", 2),
        ("POST", "/api/projects/1/variation-sheet", 2),
        ("POST", "/api/projects/1/preprocessing-sheet", 2),
        ("POST", "/api/projects/1/operation-extremes", 2),
        ("POST", "/api/imports/4/plan", 2),
        ("POST", "/api/imports/4/bring-in", 2),
        ("GET", "/api/originals/" + "a" * 64, 2),
        ("GET", "/api/projects/1/field", 3),
        ("DELETE", "/api/uploads/0123456789abcdef", 3),
        ("POST", "/api/projects/1/labels", 3),
    ],
)
def test_what_takes_long_stands_before_a_gate_of_its_own(method: str, path: str, gate: int) -> None:
    kinds = list(gates(Settings()))
    first = next(
        n for n, one in enumerate(kinds) if re.fullmatch(one.methods, method) and re.fullmatch(one.paths, path)
    )
    assert first == gate
    # None lets in so much that threads or connections could run out: there are 40 of the ones, and 32 of the others.
    assert sum(one.at_once for one in kinds) <= 32


def test_many_readers_at_once_are_all_answered(client: TestClient, world: World) -> None:
    project = world.project()
    world.bring_in(project, {f"plate/{n}.png": png(n) for n in range(40)})
    statuses: list[int] = []

    def read() -> None:
        for _ in range(3):
            statuses.append(client.get(f"/api/projects/{project}/field", params={"first": 100}).status_code)

    readers = [threading.Thread(target=read) for _ in range(60)]
    for reader in readers:
        reader.start()
    for reader in readers:
        reader.join()
    assert len(statuses) == 180
    assert set(statuses) <= {200, 503}
    assert statuses.count(200) >= 10  # a slow machine sends many away


def test_when_every_connection_is_in_use_it_says_so(world: World) -> None:
    from vast_orchard.store.database import Database

    database = Database(world.context.settings.database_url)
    database.engine.pool._timeout = 0.2  # type: ignore[attr-defined]
    held = [database.engine.connect() for _ in range(8 + 24)]
    try:
        with pytest.raises(BusyError, match="Every connection"), database.session() as session:
            session.execute(text("select 1"))
    finally:
        for connection in held:
            connection.close()
        database.close()


def test_a_preview_holds_no_connection(world: World) -> None:
    """While the quick process works, the connection that found its pictures is back in the pool."""
    from vast_orchard.jobs.quick.process import QuickProcess

    seen: list[int] = []
    app = create_app(world.context.settings)
    project = world.project()
    world.bring_in(project, {f"{c}/{n}.png": png(9 * n + len(c)) for c in ("plate", "rime") for n in range(3)})
    with TestClient(app, base_url=_OWN, headers={"X-Window": "one"}) as client:
        upload = world.upload({"plate/9.png": png(99)})
        entry = client.post(f"/api/projects/{project}/imports", json={"kind": "upload", "location": upload}).json()
        world.run_waiting()
        run, job = world.run_job(project)
        world.run(job)
        parts = app.state.parts

        class Watched(QuickProcess):
            def run(self, task: str, **arguments: Any) -> Any:
                seen.append(parts.database.engine.pool.checkedout())
                return super().run(task, **arguments)

        watched = Watched(world.context.settings)
        app.state.parts = replace(parts, quick=watched)
        ids = world.picture_ids(project)
        model = client.get(f"/api/runs/{run}").json()["model"]["id"]
        recipe = client.get("/api/recipe").json()
        shown = {"preprocessing": recipe["preprocessing"], "variation": recipe["variation"]}
        asked = (
            client.post(f"/api/projects/{project}/sheets", json={"picture_ids": ids[:3], "side": 56, "columns": 3}),
            client.post(f"/api/imports/{entry['id']}/plan", json={}),
            client.get(f"/api/imports/{entry['id']}/strip", params={"contents": "0" * 64}),
            client.post(f"/api/projects/{project}/variation-sheet", json=shown),
            client.post(f"/api/projects/{project}/operation-extremes", json=shown),
            client.post(
                f"/api/projects/{project}/preprocessing-sheet", json={"preprocessing": recipe["preprocessing"]}
            ),
            client.post(f"/api/models/{model}/try", files=[("files", ("a.png", png(1)))]),
        )
        watched.close()
    assert [answer.status_code for answer in asked] == [200] * len(asked)
    assert seen == [0] * len(asked)


@pytest.mark.parametrize(
    ("cell", "written"),
    [
        ("=1+1", "'=1+1"), ("+1", "'+1"), ("-x.png", "'-x.png"), ("@a", "'@a"), ("\tx", "'\tx"), ("\rx", "'\rx"),
        ("'=1", "''=1"), ("''-", "'''-"), ("plate", "plate"), ("'plate'", "'plate'"), ("a=b", "a=b"), ("", ""),
        (-5, -5),
    ],
)  # fmt: skip
def test_cells_are_never_formulas_and_are_read_as_they_were(cell: object, written: object) -> None:
    assert harmless([cell]) == [written]
    assert plain(str(written)) == str(cell)


def test_a_collection_with_dangerous_names_comes_in_again_the_same(client: TestClient, world: World) -> None:
    project = world.project()
    names = ["=cmd|x", "-plate", "@rime", "+col"]
    members = {f"{name}/{name}{n}.png": png(10 * k + n) for k, name in enumerate(names) for n in range(2)}
    world.bring_in(project, members)
    fates = client.get("/api/imports/1/files.csv").text
    parcel = client.post(f"/api/projects/{project}/parcels", json={"kind": "collection"}).json()
    world.run_waiting()
    packed = client.get(f"/api/parcels/{parcel['id']}/file").content
    with zipfile.ZipFile(io.BytesIO(packed)) as archive:
        table = archive.read("pictures.csv").decode()
    for rows in (fates, table):
        cells = [cell for row in csv.reader(io.StringIO(rows)) for cell in row]
        assert any("=cmd|x" in cell for cell in cells)
        assert not [cell for cell in cells if cell[:1] in tuple("=+-@\t\r")]
    again = world.project("Again")
    upload = world.upload({"in.zip": packed})
    entry = client.post(f"/api/projects/{again}/imports", json={"kind": "upload", "location": upload}).json()
    world.run_waiting()
    likeliest = client.get(f"/api/imports/{entry['id']}").json()["survey"]["readings"][0]["choice"]
    assert client.post(f"/api/imports/{entry['id']}/bring-in", json=likeliest).status_code == 202
    world.run_waiting()

    def labelled(which: int) -> dict[str, str]:
        classes = {entry["id"]: entry["name"] for entry in client.get(f"/api/projects/{which}/classes").json()}
        pictures = client.get(f"/api/projects/{which}/pictures").json()["pictures"]
        return {entry["sha256"]: classes[entry["class_id"]] for entry in pictures}

    assert set(labelled(project).values()) == set(names)
    assert labelled(again) == labelled(project)


def test_an_event_stream_goes_on_from_any_id(client: TestClient) -> None:
    from vast_orchard.api.events import Hub

    known: list[int | None] = []

    class Remembering(Hub):
        async def stream(self, last_id: int | None) -> Any:
            known.append(last_id)
            return
            yield

    state = client.app.state  # type: ignore[attr-defined]
    listening, state.hub = state.hub, Remembering("")
    try:
        for sent in ("7", "²", "٣", "9" * 5000, "-1", "", "7.0"):
            assert client.get("/api/events", headers={b"Last-Event-ID": sent.encode()}).status_code == 200
    finally:
        state.hub = listening
    assert known == [7, None, None, None, None, None, None]


def test_a_full_disk_has_a_status_of_its_own(client: TestClient, world: World) -> None:
    from vast_orchard.api.dependencies import Parts

    parts: Parts = client.app.state.parts  # type: ignore[attr-defined]

    class Full(UploadSpace):
        def check(self, more: int) -> None:
            raise DiskFullError("The disk is full.", "Make room.", "/data", 5.0)

    client.app.state.parts = replace(parts, space=Full(Path(), 1))  # type: ignore[attr-defined]
    answer = client.post("/api/uploads")
    client.app.state.parts = parts  # type: ignore[attr-defined]
    assert (answer.status_code, answer.json()["title"]) == (507, "Insufficient Storage")
