"""The list of projects in a real browser: sought, put in order, put away, with what came of each."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, zipped
from tests.running import Running

pytestmark = pytest.mark.browser


@pytest.fixture
def screen(running: Running, tmp_path: Path) -> Iterator[Screen]:
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    yield screen
    assert screen.complaints() == []
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
