"""Models on offer at the page: put on the list, in use, a version further, back, described, and asked again."""

from collections.abc import Iterator
from functools import partial
from pathlib import Path

import pytest

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, zipped
from tests.running import Running, until
from tests.world import small_recipe

pytestmark = pytest.mark.browser


def _judged(running: Running, run: int) -> object:
    return running.ask("GET", f"/api/runs/{run}")["validation"]


@pytest.fixture
def screen(running: Running, tmp_path: Path) -> Iterator[Screen]:
    members = {
        f"{name}/{n}.png": png(60 * k + n, level=90 + 60 * k)
        for k, name in enumerate(("plate", "rime"))
        for n in range(20)
    }
    project = running.bring_in("On offer", zipped(members))
    for seed in (1, 2):
        recipe = small_recipe(epochs=1, seed=seed)
        run = running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": recipe})["id"]
        until("it is judged", partial(_judged, running, run))
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    runs = running.ask("GET", f"/api/projects/{project}/runs")["runs"]
    screen.open(f"/p/{project}/release?run={runs[-1]['id']}")
    screen.one("input[name=form]")
    yield screen
    assert screen.complaints() == []
    browser.quit()


def _states(screen: Screen) -> list[str | None]:
    return [entry.get_attribute("data-state") for entry in screen.all("[data-testid=offer]")]


def test_a_model_is_put_on_offer_used_followed_and_used_again(screen: Screen) -> None:
    screen.press("On offer")
    screen.says("No model is on offer")
    screen.press("Put on offer")
    screen.type("[role=dialog] input", "Ridge station")
    screen.reads("[role=dialog]", "A new name: version 1.")
    screen.one("[role=dialog] form textarea").send_keys("Sorting at the ridge")
    screen.one("[role=dialog] button[type=submit]").click()
    screen.until("it is being tried", lambda: _states(screen) == ["tried"])
    screen.press("Put in use")
    screen.until("it is in use", lambda: _states(screen) == ["in_use"])

    # The next one under the name takes its place, and it comes back.
    screen.browser.get(screen.browser.current_url.replace("run=", "was="))
    screen.says("Hand over run 2")
    screen.press("Put on offer")
    screen.reads("[role=dialog]", "Becomes version 2 of Ridge station.")
    screen.one("[role=dialog] button[type=submit]").click()
    screen.until("both are there", lambda: _states(screen) == ["tried", "in_use"])
    screen.press("Put in use")
    screen.until("it took its place", lambda: _states(screen) == ["in_use", "put_away"])
    screen.press("Go back to version 1")
    screen.until("the former is in use", lambda: _states(screen) == ["put_away", "in_use"])

    screen.all("[data-testid=offer]")[1].find_element("xpath", ".//button[contains(., 'Facts')]").click()
    screen.reads("[data-testid=offer-facts]", "plate, rime")
    screen.reads("[data-testid=offer-facts]", "never looked at")
    screen.press("Does it still agree?")
    screen.reads("[data-testid=agreement]", "It still answers as it did on")
    screen.all("[role=dialog] textarea")[1].send_keys("Not for rain")
    screen.press("Keep")
    screen.until("it is kept", lambda: not screen.all("[role=dialog]"))
    screen.was_said("Ridge station, version 1, is described")
