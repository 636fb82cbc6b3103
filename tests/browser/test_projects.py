"""The list of projects in a real browser: sought, put in order, put away, with what came of each."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, zipped
from tests.running import Running

pytestmark = pytest.mark.browser


@pytest.fixture
def screen(running: Running, tmp_path: Path) -> Iterator[Screen]:
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    yield screen
    browser.quit()


def test_projects_are_sought_put_in_order_and_put_away(screen: Screen, running: Running) -> None:
    running.bring_in("Glacier 2", zipped({"plate/1.png": png(1), "rime/2.png": png(2)}))
    running.ask("POST", "/api/projects", json={"name": "Glacier 10"})
    screen.open("/")

    def names(kind: str) -> list[str]:
        lines = screen.all(f"ul[aria-label='{kind}'] li a > span:first-child > span:first-child")
        return [line.text for line in lines if line.text]

    screen.type("input[type=search]", "glacier")
    screen.until("the newest first", lambda: names("Projects") == ["Glacier 10", "Glacier 2"])
    screen.press("name")
    screen.until("numbers by size", lambda: names("Projects") == ["Glacier 2", "Glacier 10"])
    screen.until("its pictures", lambda: len(screen.all("ul[aria-label=Projects] li img")) == 2)
    screen.says("no result yet")
    screen.one("[aria-label='More for Glacier 2']").click()
    screen.press("Put away")
    screen.until("it stands apart", lambda: (names("Projects"), names("Put away")) == (["Glacier 10"], ["Glacier 2"]))
    screen.browser.refresh()
    screen.press("Put away: ")
    screen.until("it still does", lambda: "Glacier 2" in names("Put away"))
    screen.one("[aria-label='More for Glacier 2']").click()
    screen.press("Take back into the list")
    screen.until("it is among the others", lambda: "Glacier 2" in names("Projects"))
    screen.type("input[type=search]", "no such thing")
    screen.says("No project’s name holds “no such thing”.")
    assert screen.complaints() == []  # below the browser itself complains that the answer is 404

    screen.open("/p/999/rows")
    screen.says("There is no project 999.")
    screen.press("Open the list of projects")
    screen.until("the list", lambda: "Glacier 2" in names("Projects"))


def test_a_project_is_described_duplicated_and_begun_with_made_up_pictures(screen: Screen, running: Running) -> None:
    running.bring_in("Valley", zipped({"plate/1.png": png(1), "rime/2.png": png(2), "rime/3.png": png(3)}))
    screen.open("/")
    screen.one("[aria-label='More for Valley']").click()
    screen.press("Name and description")
    screen.type("[role=dialog] textarea", "From below the ridge")
    screen.press("Keep")
    screen.says("From below the ridge")
    screen.one("[aria-label='More for Valley']").click()
    screen.press("Duplicate")
    screen.type("[role=dialog] input", "Valley, cleaned")
    screen.one("[role=dialog] button[type=submit]").click()

    def line(name: str) -> str:
        found = [entry.text for entry in screen.all("ul[aria-label=Projects] li")]
        return next((text for text in found if text.startswith(f"{name}\n")), "")

    screen.until("its pictures", lambda: "3 pictures, 2 classes" in line("Valley, cleaned"))
    assert "From below the ridge" in line("Valley, cleaned")

    screen.press("New project")
    screen.type("[role=dialog] input", "Trial")
    screen.press("with made-up snow crystals")
    screen.press("350")
    screen.one("[role=dialog] input[type=checkbox]").click()
    screen.press("Make project")
    screen.says("Draw made-up snow crystals")
    screen.until("they are there", lambda: screen.all("[data-testid=chosen]"))
    screen.until("all classes", lambda: all(name in screen.text() for name in ("needle", "graupel", "unlabelled")))


@pytest.mark.long
def test_from_an_empty_project_to_a_first_result_the_page_says_what_is_next(screen: Screen, tmp_path: Path) -> None:
    """As somebody who follows nothing but the line under the places."""
    footing = "[data-testid=footing]"
    plain = {f"{n}.png": png(n, level=90) for n in range(20)}
    labelled = {f"rime/{n}.png": png(100 + n, level=150) for n in range(20)}
    (tmp_path / "one.zip").write_bytes(zipped(plain))
    (tmp_path / "two.zip").write_bytes(zipped(labelled))

    def follow(said: str, action: str) -> None:
        screen.reads(footing, said)
        screen.one(f"{footing} a").click()
        screen.until(f"{action} was followed", lambda: said not in screen.one(footing).text or action in screen.text())

    screen.open("/")
    screen.press("New project")
    screen.type("[role=dialog] input", "First steps")
    screen.press("Make project")
    follow("No pictures yet.", "Choose a folder")
    screen.one("input[aria-label='Archive']").send_keys(str(tmp_path / "one.zip"))
    screen.reads(footing, "Look through the classes, then bring them in.")
    screen.press("Bring in ")
    screen.see_the_pictures()
    follow("No picture has a class yet", "unlabelled")
    screen.reads("[data-testid=chosen]", "20 pictures")
    screen.one("[role=gridcell]").click()
    screen.keys("a", ctrl=True)
    screen.keys("l")
    screen.type("[role=dialog] input", "plate")
    screen.keys(Keys.ENTER)
    screen.reads(footing, "All labelled pictures are of one class")
    screen.press("Bring in pictures")
    screen.one("input[aria-label='Archive']").send_keys(str(tmp_path / "two.zip"))
    screen.bring_in_what_is_planned()
    follow("40 pictures in 2 classes are here", "Train")
    screen.reads(footing, "Press Train.")
    screen.press("Train")
    screen.press("Pass over, and train carefully")
    # The lines are drawn, without a point, before there is one.
    screen.reads("[data-testid=curves-loss]", "epoch 1")
    screen.press("Stop")
    screen.reads(footing, "validation picture")
    assert "Press" not in screen.one(footing).text
