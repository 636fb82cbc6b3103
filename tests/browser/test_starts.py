"""Starting from a learnt network at the page: a run of another project in two phases, and a shipped starter."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, zipped
from tests.running import Running
from tests.world import small_recipe

pytestmark = pytest.mark.browser

_LINE, _BENCH = "[data-testid=start-line]", "[data-testid=start-bench]"
_LAYERS, _EPOCHS = "[data-testid=start-layers]", "[data-testid=run-sheet] input[inputmode=decimal]"


def _pictures(*classes: str) -> bytes:
    return zipped(
        {f"{name}/{n}.png": png(60 * k + n, level=90 + 60 * k) for k, name in enumerate(classes) for n in range(20)}
    )


@pytest.fixture
def screen(running: Running, request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Screen]:
    name = request.node.name
    taught = running.bring_in(f"{name}, taught", _pictures("plate", "rime"))
    run = running.ask("POST", f"/api/projects/{taught}/runs", json={"recipe": small_recipe(epochs=1)})
    project = running.bring_in(name, _pictures("plate", "needle"))
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{taught}/runs?run={run['id']}")
    screen.reads("[data-testid=run-result]", "validation picture")
    screen.open(f"/p/{project}/runs")
    screen.reads(_LINE, "starts from nothing")
    yield screen
    assert screen.complaints() == []
    browser.quit()


def _choose(screen: Screen, words: str) -> None:
    line = screen.until(words, lambda: [x for x in screen.all(f"{_BENCH} button") if x.text.startswith(words)])
    line[0].click()


def _train(screen: Screen, epochs: int) -> None:
    screen.press("Schedule")
    field = screen.until("the fields", lambda: screen.all(_EPOCHS))[0]
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys(str(epochs))
    screen.keys(Keys.ESCAPE)
    screen.press("Train")
    screen.press("Pass over, and train carefully")
    screen.reads("[data-testid=run-words]", f"All {epochs} epochs done.")
    screen.reads("[data-testid=run-result]", "validation picture")


def test_a_run_of_another_project_is_gone_on_from_in_two_phases(screen: Screen, request: pytest.FixtureRequest) -> None:
    taught = f"{request.node.name}, taught"
    screen.one(_LINE).click()
    screen.reads(_BENCH, "Weights are drawn by chance")
    _choose(screen, f"{taught}, run 1")
    screen.reads(_LAYERS, "1 of its 2 classes are there too, and those are taken over.")
    screen.all(f"{_BENCH} input[name=learns]")[2].click()
    screen.until("two phases", lambda: len(screen.all(f"{_LAYERS} th b")) == 2)
    head = [cell.text for cell in screen.all(f"{_LAYERS} th b")]
    assert head[0].startswith("Epochs 1 to ")
    # Only the last layer learns in the first phase, all nine in the second.
    learning = [len(screen.all(f"{_LAYERS} td:nth-child({column}) [aria-label=learns]")) for column in (2, 3)]
    assert learning == [1, 9]
    screen.press("‹ Run sheet")
    screen.reads(_LINE, "8 of 9 layers, two phases")
    screen.one(_LINE).click()
    # Of fewer epochs there are fewer for what is new.
    field = screen.until("the field", lambda: screen.all(f"{_BENCH} input[inputmode=decimal]"))[0]
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("1")
    screen.press("‹ Run sheet")
    _train(screen, 3)
    assert len(screen.all("[data-testid=thawed]")) == 2
    screen.reads("[data-testid=stood-on]", f"from run 1 of {taught}, only what is new learns for 1 epoch")


def test_a_starter_is_proposed_for_few_pictures_and_trained_from(screen: Screen) -> None:
    screen.reads(_LINE, "few pictures: a starter helps")
    screen.one(_LINE).click()
    lines = screen.until(
        "the starter", lambda: [x for x in screen.all(f"{_BENCH} button") if x.text.startswith("drawings, plain 8")]
    )
    assert "proposed" in lines[0].text
    assert "times as often as from nothing" in lines[0].text
    lines[0].click()
    screen.reads(_LAYERS, "new")
    screen.press("‹ Run sheet")
    screen.reads(_LINE, "from the starter")
    _train(screen, 2)
    screen.reads("[data-testid=stood-on]", "from the starter")
