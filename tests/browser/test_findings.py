"""Findings at the page: looked for, opened, settled by key and all at once, taken back, found again after an import."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.screen import Screen, open_browser
from tests.pictures import encoded, zipped
from tests.running import Running
from vast_orchard.demo.picture import photograph

pytestmark = pytest.mark.browser


def _crystals(first: int, count: int, **fault: float) -> dict[str, bytes]:
    """Members of a zip, of two classes in turn."""
    made = {}
    for n in range(first, first + count):
        name = ("plate", "stellar")[n % 2]
        image = photograph(name, np.random.default_rng(n), side=96, **({"blur": 0.5} | fault))
        made[f"{name}/{n}.png"] = encoded(image)
    return made


@pytest.fixture
def project(running: Running, request: pytest.FixtureRequest) -> int:
    return running.bring_in(request.node.name, zipped(_crystals(0, 150) | _crystals(500, 6, blur=6.0)))


@pytest.fixture
def screen(running: Running, project: int, tmp_path: Path) -> Iterator[Screen]:
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/rows")
    screen.reads("[data-testid=chosen]", "156 pictures")
    yield screen
    assert screen.complaints() == []
    browser.quit()


def _waiting(screen: Screen) -> int:
    return int(screen.one("[data-testid=to-settle]").text)


def _count(screen: Screen, name: str) -> int:
    lines = screen.all(f"[data-finding={name}] button")
    return int(lines[0].text.split("\n")[-1]) if lines else 0


def _look(screen: Screen) -> None:
    screen.press("Findings")
    screen.says("Nobody has looked yet")
    screen.press("Look for findings")
    screen.until("something is found", lambda: screen.all("[data-finding=blurred]"))


def test_what_is_blurred_is_settled_by_key_and_all_at_once_and_taken_back(screen: Screen) -> None:
    _look(screen)
    before, every = _count(screen, "blurred"), _waiting(screen)
    assert 5 <= before <= 8
    screen.press("More blurred than its class")
    screen.reads("[data-finding=blurred]", "Where the detail is gone")
    screen.reads("[data-finding=blurred]", "by chance")
    screen.until("only these are shown", lambda: len(screen.all("[role=gridcell]")) == before)
    screen.all("[role=gridcell]")[0].click()
    screen.keys("d")
    screen.until("one is settled", lambda: _count(screen, "blurred") == before - 1)
    screen.all("[role=gridcell]")[0].click()
    screen.keys("x")
    screen.until("two are", lambda: _count(screen, "blurred") == before - 2)
    screen.press("None of them is a fault")
    screen.until("all are", lambda: _count(screen, "blurred") == 0)
    screen.says("said to be no fault, for good")
    for _ in range(3):
        screen.press("Undo")
    screen.until("all wait again", lambda: (_count(screen, "blurred"), _waiting(screen)) == (before, every))


def test_a_part_of_the_histogram_shows_the_pictures_there(screen: Screen) -> None:
    _look(screen)
    screen.press("More blurred than its class")
    bars = screen.one("[data-testid=histogram]")
    screen.drag(bars, bars, by=(60, 0))
    screen.until("a range is sifted", lambda: "blur>=" in (screen.one("#sift-line").get_attribute("value") or ""))
    some = len(screen.all("[role=gridcell]"))
    low, high = screen.all("[data-finding=blurred] form input")
    for field, value in ((low, "0"), (high, "100")):
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(value)
    high.send_keys(Keys.ENTER)
    screen.reads("[data-testid=chosen]", "156 pictures")
    assert some < 156


def test_pictures_that_come_in_later_are_found_by_themselves(screen: Screen, running: Running, project: int) -> None:
    _look(screen)
    before = _count(screen, "blurred")
    running.bring_in_more(project, zipped(_crystals(700, 4, blur=6.0)))
    screen.until("the new ones are named", lambda: _count(screen, "blurred") >= before + 3)
    screen.press("More blurred than its class")
    screen.until("they are shown", lambda: len(screen.all("[role=gridcell]")) >= before + 3)


def test_the_close_up_tells_what_was_found_of_the_picture(screen: Screen) -> None:
    _look(screen)
    screen.press("More blurred than its class")
    screen.until("some are shown", lambda: screen.all("[role=gridcell]"))
    screen.double_click(screen.all("[role=gridcell]")[0])
    screen.reads("[data-testid=picture-findings]", "More blurred than its class")
