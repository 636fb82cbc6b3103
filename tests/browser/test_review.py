"""Review beside another run: the verdict, what differs, and the pictures that turned."""

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, zipped
from tests.running import Running, until
from tests.world import small_recipe

pytestmark = pytest.mark.browser


@pytest.fixture
def screen(running: Running, tmp_path: Path) -> Iterator[Screen]:
    browser = open_browser(tmp_path)
    try:
        yield Screen(browser, running.address)
    finally:
        browser.quit()


def test_two_runs_are_compared_and_what_turned_is_shown_in_rows(screen: Screen, running: Running) -> None:
    members = {
        f"{name}/{n}.png": png(80 * k + n, level=110 + 40 * k)
        for k, name in enumerate(("plate", "rime"))
        for n in range(60)
    }
    project = running.bring_in("Two roads", zipped(members))
    ids = []
    for epochs in (1, 12):
        asked = {"recipe": small_recipe(epochs=epochs)}
        run = running.ask("POST", f"/api/projects/{project}/runs", json=asked)["id"]
        until("it is judged", lambda run=run: running.ask("GET", f"/api/runs/{run}")["validation"])  # type: ignore[misc]
        ids.append(run)
    screen.open(f"/p/{project}/review?run={ids[1]}")
    screen.press("Compare")
    screen.says("Choose a run to hold run 2 against")
    Select(screen.one("select[aria-label='Another run to compare with']")).select_by_value(str(ids[0]))
    screen.one("[data-testid=pair]")
    screen.reads("[data-testid=differences]", "epochs")
    found = running.ask("GET", f"/api/projects/{project}/comparison", params={"run": ids})
    pair = found["pair"]
    turned = f"{pair['gained']} now right, {pair['lost']} now wrong"
    screen.reads("[data-testid=pair]", turned if pair["gained"] or pair["lost"] else "Both are right and wrong")
    assert len(screen.all("[data-testid=compared-scores] tbody tr")) == 2
    assert len(screen.all("[data-testid=compared-curves] path[stroke-width='2']")) == 1
    # The address holds it: a reload shows the same.
    screen.browser.refresh()
    screen.one("[data-testid=pair]")
    Select(screen.one("select[aria-label='What it costs']")).select_by_visible_text("time of training")
    screen.press("Now right")
    screen.until("the Sift says so", lambda: screen.one("#sift-line").get_attribute("value") == "mended:1 order:-loss")
    screen.reads("[data-testid=chosen]", f"{pair['gained']} picture")
    assert screen.complaints() == []


def test_a_report_reads_from_the_disk(screen: Screen, running: Running, tmp_path: Path) -> None:
    members = {f"{name}/{n}.png": png(80 * k + n, level=110 + 40 * k)
               for k, name in enumerate(("plate", "rime")) for n in range(20)}  # fmt: skip
    project = running.bring_in("For the file", zipped(members))
    run = running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": small_recipe(epochs=1)})["id"]
    until("it is judged", lambda: running.ask("GET", f"/api/runs/{run}")["validation"])
    target = tmp_path / "report.html"
    command = [sys.executable, "-m", "vast_orchard.cli", "report", str(run), "--out", str(target)]
    subprocess.run([*command, "--address", running.address], check=True, capture_output=True)
    screen.open(f"/p/{project}/release?run={run}")
    link = screen.one("a[href$='report.html']")
    assert link.text == "Report"
    screen.browser.get(target.as_uri())
    screen.says("For the file, run 1")
    for heading in ("In short", "Pictures", "Curves", "Scores on validation", "Confusion matrix", "Calibration"):
        screen.says(heading)
    assert all(
        screen.browser.execute_script("return arguments[0].naturalWidth", image) > 0 for image in screen.all("img")
    )
    # On A4 nothing is cut off at the right.
    size = {"paperWidth": 8.27, "paperHeight": 11.69, "preferCSSPageSize": True}
    printed = screen.browser.execute_cdp_cmd("Page.printToPDF", size)["data"]
    assert len(printed) > 10_000
    wide = "return document.documentElement.scrollWidth <= document.documentElement.clientWidth"
    assert screen.browser.execute_script(wide)


def test_mended_trained_again_and_what_that_did(screen: Screen, running: Running) -> None:
    members = {f"{name}/{n}.png": png(80 * k + n, level=110 + 40 * k)
               for k, name in enumerate(("plate", "rime")) for n in range(40)}  # fmt: skip
    project = running.bring_in("The loop", zipped(members))
    run = running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": small_recipe(epochs=2)})
    until("it is judged", lambda: running.ask("GET", f"/api/runs/{run['id']}")["validation"])
    screen.open(f"/p/{project}/review?run={run['id']}")
    # A right one is mended too, so that it does not hang on what the run errs on.
    screen.one("[data-testid=matrix] [data-cell='plate>plate'], [data-testid=matrix] [data-cell='rime>plate']").click()
    screen.one("[data-testid=field] [role=gridcell]").click()
    screen.keys("2")
    screen.press("Train again")
    screen.was_said("trains on today’s labels")
    again = until(
        "the second is judged",
        lambda: next(
            (
                entry
                for entry in running.ask("GET", f"/api/projects/{project}/runs")["runs"]
                if entry["number"] == 2 and entry["validation"]
            ),
            None,
        ),
    )
    assert again["note"].startswith("After 1 label mended since run 1")
    assert again["recipe"]["settings"] == run["recipe"]["settings"]
    screen.open(f"/p/{project}/review?run={again['id']}&view=compare&with={run['id']}")
    screen.reads("[data-testid=mending]", "Labels mended between the runs: 1 in validation.")
    screen.reads("[data-testid=mending]", "the labels alone")
    screen.reads("[data-testid=mending]", "that were not mended")
    screen.reads("[data-testid=mending] table", "plate → rime")
    assert screen.complaints() == []


def _trained(running: Running, name: str, more: dict[str, bytes] | None = None) -> tuple[int, int]:
    """A project of two classes with some unlabelled pictures, and its judged run."""
    members = {f"{label}/{n}.png": png(80 * k + n, level=100 + 60 * k)
               for k, label in enumerate(("plate", "rime")) for n in range(30)}  # fmt: skip
    project = running.bring_in(name, zipped({**members, **(more or {})}))
    run = running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": small_recipe(epochs=4)})["id"]
    until("it is judged", lambda: running.ask("GET", f"/api/runs/{run}")["validation"])
    return project, run


def test_unlabelled_pictures_are_answered_and_labelled_by_key(screen: Screen, running: Running) -> None:
    bare = {f"unlabelled/{n}.png": png(900 + n, level=100 + 60 * (n % 2)) for n in range(6)}
    project, run = _trained(running, "Nobody knows", bare)
    screen.open(f"/p/{project}/review?run={run}")
    screen.press("Unlabelled")
    screen.says("6 pictures. What it says of them stands here")
    screen.press("Judge run 1")
    screen.reads("[data-testid=outcomes-title]", "6 unlabelled pictures and what the model proposes")
    tiles = "[data-testid=field] [role=gridcell]"
    screen.until("all are there", lambda: len(screen.all(tiles)) == 6)
    screen.all(tiles)[0].click()
    chosen = f"{tiles}[aria-selected=true]"
    first = screen.one(chosen).get_attribute("data-picture")
    screen.keys("1")
    # The next one follows by itself.
    screen.until("the next is chosen", lambda: screen.one(chosen).get_attribute("data-picture") != first)
    screen.keys("2")
    screen.says("of the 2 labelled since bear the label")
    screen.reads("[data-testid=outcomes-title]", "4 unlabelled pictures")
    # One is taken as it is proposed, the others at once from a certainty on, and all of these are taken back.
    screen.all(tiles)[0].click()
    screen.keys("y")
    screen.reads("[data-testid=outcomes-title]", "3 unlabelled pictures")
    slider = screen.one("[aria-label='Least certainty, percent']")
    slider.send_keys(Keys.HOME)
    screen.press("All 3")
    screen.says("unlabelled any more")
    screen.was_said("3 pictures labelled as run 1 proposes")
    screen.open(f"/p/{project}/rows?sift=accepted:1")
    screen.reads("[data-testid=chosen]", "4 pictures")
    screen.press("Undo")
    screen.reads("[data-testid=chosen]", "1 picture")
    # What has a label now is scored when it is asked again.
    screen.open(f"/p/{project}/review?run={run}&set=outside")
    screen.press("Judge run 1")
    screen.reads("[data-testid=verdict]", "on 3 pictures in no set")
    assert screen.complaints() == []


def test_labels_of_today_are_a_switch_away(screen: Screen, running: Running) -> None:
    project, run = _trained(running, "Then and today")
    screen.open(f"/p/{project}/review?run={run}")
    screen.reads("[data-testid=labels-differ]", "labels as they were")
    screen.one("[data-testid=in-short]")
    then = screen.one("[data-testid=verdict]").text
    screen.one("[data-testid=matrix] [data-cell='plate>plate'], [data-testid=matrix] [data-cell='plate>rime']").click()
    tiles = "[data-testid=field] [role=gridcell]"
    screen.one(tiles).click()
    first = screen.one(f"{tiles}[aria-selected=true]").get_attribute("data-picture")
    screen.keys("x")
    # Excluded by one key, it stays where it is, and the next one follows.
    screen.until(
        "the next is chosen",
        lambda: screen.one(f"{tiles}[aria-selected=true]").get_attribute("data-picture") != first,
    )
    screen.reads("[data-testid=labels-differ]", "1 taken out or unlabelled since")
    assert screen.one("[data-testid=verdict]").text == then
    screen.press("of today")
    count = running.ask("GET", f"/api/runs/{run}")["counts"]["validation"]
    screen.reads("[data-testid=verdict]", f"on {count - 1} validation pictures")
    screen.one("[data-testid=matrix] [data-cell='plate>plate'], [data-testid=matrix] [data-cell='plate>rime']").click()
    screen.one(tiles).click()
    screen.keys("z", ctrl=True)
    screen.reads("[data-testid=verdict]", f"on {count} validation pictures")
    assert screen.complaints() == []


def test_where_it_looks_on_tiles_and_what_lies_nearest(screen: Screen, running: Running) -> None:
    project, run = _trained(running, "Where and what")
    screen.open(f"/p/{project}/rows?run={run}&sift=judged&tile=104")
    screen.one("[data-testid=field] [role=gridcell]").click()
    screen.keys("w")
    screen.one("[data-testid=field-heat]")
    screen.one("canvas[data-heat=whole]")
    Select(screen.one("[data-testid=field-heat] select")).select_by_visible_text("its label")
    screen.one("canvas[data-heat=whole]")
    screen.one("[data-testid=field]").click()
    screen.keys("w")
    screen.one("canvas[data-heat=none]")
    screen.keys("\ue007")
    screen.press("Read them")
    screen.until("six are shown", lambda: len(screen.all("[data-testid=nearest] img")) == 6)
    assert "Learnt as " in (screen.one("[data-testid=nearest] button").get_attribute("aria-label") or "")
    enlarged = screen.one("[data-testid=enlarged]")
    assert enlarged.get_attribute("data-times") == "1.00"
    screen.keys("++")
    screen.one("[data-testid=enlarged][data-times='2.25']")
    # One of the nearest opens in its place, whole again.
    screen.one("[data-testid=nearest] button").click()
    screen.one("[data-testid=enlarged][data-times='1.00']")
    assert screen.complaints() == []


@pytest.mark.long
def test_runs_are_compared_on_test_when_the_looks_are_counted(screen: Screen, running: Running) -> None:
    project, run = _trained(running, "Two looks")
    other = running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": small_recipe(epochs=1)})["id"]
    until("it is judged", lambda: running.ask("GET", f"/api/runs/{other}")["validation"])
    screen.open(f"/p/{project}/review?run={run}")
    # The picker shows both with their places.
    screen.one("[data-testid=model-picker]").click()
    screen.until("both stand there", lambda: len(screen.all("[role=option]")) == 2)
    screen.keys("\ue00c")
    screen.open(f"/p/{project}/review?run={run}&view=compare&with={other}")
    screen.press("Compare on the test set")
    screen.says("2 looks counted")
    count = running.ask("GET", f"/api/runs/{run}")["counts"]["test"]
    screen.reads("[data-testid=compared-scores]", f"/{count},")
    assert [entry["looks"] for entry in running.ask("GET", f"/api/projects/{project}/models")] == [1, 1]
    screen.press("Back to validation")
    screen.one("[data-testid=compared-scores]")
    assert screen.complaints() == []
