"""Trying many pictures at the page: a folder whose folders name classes, by answer, counted, and as a table."""

import csv
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlsplit

import pytest
from selenium.webdriver.support.select import Select
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from tests.browser.screen import Screen, open_browser
from tests.buckets import served_app
from tests.pictures import png, zipped
from tests.running import Running, until
from tests.world import small_recipe

pytestmark = pytest.mark.browser

_CLASSES = ("plate", "rime")


def _picture(kind: int, number: int) -> bytes:
    return png(5000 * kind + number, level=70 + 110 * kind)


@pytest.fixture
def screen(running: Running, tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Screen]:
    members = {f"{name}/{n}.png": _picture(k, n) for k, name in enumerate(_CLASSES) for n in range(30)}
    project = running.bring_in(request.node.name, zipped(members))
    for epochs in (1, 6):
        recipe = small_recipe(epochs=epochs)
        running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": recipe})
    both = f"/api/projects/{project}/runs"
    until("both are judged", lambda: all(run["validation"] for run in running.ask("GET", both)["runs"]))
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/release")
    screen.one("input[name=form]")
    yield screen
    assert screen.complaints() == []
    browser.quit()


def test_a_folder_of_two_hundred_is_answered_counted_and_saved(screen: Screen, tmp_path: Path) -> None:
    folder = tmp_path / "new"
    for k, name in enumerate(_CLASSES):
        for n in range(100):
            target = folder / name.capitalize() / f"{n}.png"
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(_picture(k, 1000 + n))
    (folder / "Plate" / "cut.png").write_bytes(_picture(0, 1)[:80])
    (folder / "notes.txt").write_text("none of it")
    screen.drop(screen.one("section[aria-label='Try pictures']"), folder)
    screen.reads("[data-testid=tried-words]", "201 pictures answered")
    screen.reads("[data-testid=tried-words]", "1 cannot be read")
    # Two levels of grey that are far apart: nearly all are right, and the figure says on how many and how surely.
    screen.reads("[data-testid=tried-right]", "of 200 pictures whose folder or name says a class")
    right = screen.one("[data-testid=tried-right]").text
    assert float(right.split()[0]) > 0.9
    screen.press("Table as CSV")
    table = tmp_path / "run-2-tried.csv"
    until("the table is there", table.exists)
    rows = list(csv.DictReader(table.read_text().splitlines()))
    assert len(rows) == 201
    known = [row for row in rows if row["true"] and row["answer"]]
    share = sum(row["true"] == row["answer"] for row in known) / len(known)
    assert f"{share:.3f}" == right.split()[0]
    assert [row["file"] for row in rows if row["error"]] == ["new/Plate/cut.png"]

    # One of them, and back to all.
    screen.all("[data-testid=tried-many] li button")[0].click()
    screen.reads("[data-testid=answer]", "next")
    screen.press("All 201")
    screen.one("[data-testid=tried-many]")
    screen.press("Clear")
    screen.says("Drop pictures here")
    screen.was_said("1 of 202 files are no pictures")


def test_a_zip_and_a_web_address_are_answered_or_told_why_not(screen: Screen, running: Running, tmp_path: Path) -> None:
    area = "section[aria-label='Try pictures']"
    packed, dull = tmp_path / "station.zip", tmp_path / "dull.zip"
    packed.write_bytes(zipped({f"{name}/{n}.png": _picture(k, 2000 + n) for k, name in enumerate(_CLASSES)
                               for n in range(20)}))  # fmt: skip
    dull.write_bytes(zipped({"notes.txt": b"none of it"}))
    screen.drop(screen.one(area), packed)
    screen.reads("[data-testid=tried-words]", "40 pictures answered")
    screen.reads("[data-testid=tried-right]", "of 40 pictures whose folder or name says a class")
    screen.drop(screen.one(area), dull)
    screen.was_said("No picture lies in dull.zip.")
    screen.one("[data-testid=tried-many]")

    async def picture(_request: Request) -> Response:
        return Response(_picture(1, 3000), media_type="image/png")

    with served_app(Starlette(routes=[Route("/ridge/rime.png", picture)])) as address:
        screen.press("From elsewhere")
        screen.press("A web address")
        screen.type("[role=dialog] input", f"{address.replace('127.0.0.1', 'localhost')}/ridge/rime.png")
        screen.press("Try it")
        screen.reads("[role=dialog] [role=alert]", "not a public address")
        (refused,) = screen.complaints()
        assert "422" in refused
        screen.type("[role=dialog] input", f"{address}/ridge/rime.png")
        screen.press("Try it")
        screen.one("[aria-label='Tried pictures'] [title='rime.png']")
        screen.reads("[data-testid=answer]", "rime")
        # Where it looks, by its key, and not any more.
        screen.keys("w")
        screen.one("[aria-label='Try pictures'] [data-testid=heatmap]")
        screen.reads("[data-testid=heat-words]", "rime")
        screen.keys("w")
        screen.until("no heat lies over it", lambda: not screen.all("[data-testid=heatmap]"))
        # What the other model says of it stands beside.
        Select(screen.one("section[aria-label='Try pictures'] select")).select_by_index(1)
        screen.reads("[data-testid=beside]", "Run 1: ")
        assert screen.one("[data-testid=answer]").text not in screen.one("[data-testid=beside]").text
        bars = screen.all("[data-testid=beside] [data-p]")
        shown = {bar.get_attribute("data-class"): float(bar.get_attribute("data-p") or "") for bar in bars}
        project = urlsplit(screen.browser.current_url).path.split("/")[2]
        first = running.ask("GET", f"/api/projects/{project}/runs")["runs"][-1]["model"]
        files = {"files": ("rime.png", _picture(1, 3000))}
        (said,) = running.ask("POST", f"/api/models/{first['id']}/try", files=files)
        names = [entry["name"] for entry in first["classes"]]
        assert shown == pytest.approx(dict(zip(names, said["probabilities"], strict=True)), abs=0.0006)
        # And as a text that is pasted anywhere.
        screen.browser.execute_script(
            "const data = new DataTransfer(); data.setData('text/plain', arguments[0]);"
            "window.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data }))",
            f"{address}/ridge/rime.png",
        )
        screen.press("All 42")
        screen.reads("[data-testid=tried-words]", "42 pictures answered")


def test_the_camera_is_answered_frozen_kept_and_refused(screen: Screen) -> None:
    screen.press("Camera")
    screen.reads("[data-testid=rate]", "answers a second")
    screen.reads("[aria-label=Camera] [data-testid=answer]", "next")
    screen.press("Freeze")
    screen.until("no rate is told", lambda: not screen.all("[data-testid=rate]"))
    screen.press("Keep this")
    screen.one("[aria-label='Tried pictures'] [title='shot.png']").click()
    # It is shown in the place of the camera, which is let go.
    screen.reads("[aria-label='Try pictures']", "camera/shot.png, answered by run 2")
    screen.until("the camera is gone", lambda: not screen.all("video"))
    screen.browser.execute_script(
        "navigator.mediaDevices.getUserMedia = () => Promise.reject(new DOMException('', 'NotAllowedError'))"
    )
    screen.press("Camera")
    screen.reads("[role=alert]", "may not use the camera")


def test_pictures_of_the_project_and_a_table_of_true_classes(screen: Screen, running: Running, tmp_path: Path) -> None:
    screen.press("From elsewhere")
    screen.press("Pictures of this project")
    screen.type("[role=dialog] input", "class:rime")
    screen.press("Try them")
    # Each is held against its label; those of the test set are not among them, and that is said.
    screen.reads("[data-testid=tried-right]", "whose folder or name says a class")
    screen.was_said("test set left out")
    asked = int(screen.one("[data-testid=tried-words]").text.split()[0])
    project = urlsplit(screen.browser.current_url).path.split("/")[2]
    run = running.ask("GET", f"/api/projects/{project}/runs")["runs"][0]
    pictures = running.ask("GET", f"/api/projects/{project}/pictures?sift=class:rime&split={run['split_id']}")[
        "pictures"
    ]
    assert asked == sum(picture["set_name"] != "test" for picture in pictures) < 30
    screen.press("Clear")

    # Files whose names say nothing, and beside them a table that does; one of them contradicts the model.
    lines = ["file;what"]
    for n in range(6):
        (tmp_path / f"{n}.png").write_bytes(_picture(n % 2, 4000 + n))
        lines.append(f"{n}.png;{_CLASSES[n % 2] if n else 'rime'}")
    (tmp_path / "what.csv").write_text("\n".join(lines))
    screen.drop(screen.one("section[aria-label='Try pictures']"), *(tmp_path / f"{n}.png" for n in range(6)))
    screen.reads("[data-testid=tried-words]", "6 pictures answered")
    assert not screen.all("[data-testid=tried-right]")
    screen.drop(screen.one("section[aria-label='Try pictures']"), tmp_path / "what.csv")
    screen.reads("[data-testid=tried-right]", "0.833 right")
    screen.was_said("what.csv says the class of 6 pictures.")


def test_what_was_tried_is_kept_if_wanted_and_comes_into_the_project(screen: Screen, tmp_path: Path) -> None:
    area, picture = "section[aria-label='Try pictures']", tmp_path / "odd.png"
    picture.write_bytes(_picture(1, 5000))
    screen.drop(screen.one(area), picture)
    screen.reads("[data-testid=answer]", "rime")
    screen.press("History")
    screen.says("What is tried is forgotten with this page.")
    screen.one("section[aria-label=History] input[type=checkbox]").click()
    screen.press("Try")
    for _ in range(2):
        screen.press("Choose pictures")
        screen.one("input[aria-label='Pictures to try']").send_keys(str(picture))
        screen.until("it is answered", lambda: not screen.all("[role=status] [role=progressbar]"))
    screen.press("History")
    screen.reads("[aria-label='Tried before']", "asked 2 times")
    # It is there when the page is opened again, and is held against what it truly is.
    screen.browser.refresh()
    screen.reads("[aria-label='Tried before']", "odd.png")
    Select(screen.one("[aria-label='What odd.png truly is']")).select_by_visible_text("plate")
    screen.reads("[data-testid=history-right]", "0.000 right of 1")
    screen.press("Forget 1")
    screen.says("Nothing is kept")
    screen.press("Take it back")
    screen.reads("[data-testid=history-right]", "0.000 right of 1")
    screen.press("Bring 1 picture into the project")
    screen.bring_in_what_is_planned()
    screen.says("1 picture brought in since")
