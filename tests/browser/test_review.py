"""Review beside another run: the verdict, what differs, and the pictures that turned."""

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
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
