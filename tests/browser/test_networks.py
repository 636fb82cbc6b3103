"""A network of one's own at the page: built from an empty list by keys, mended by its repair, and tried in versions."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, zipped
from tests.running import Running
from tests.world import small_recipe

pytestmark = pytest.mark.browser

_STATE = "[data-testid=network-state]"
_FACTS = "[data-testid=network-facts]"
_LINES = "[role=grid] [role=row]"
_LEDGER = "table[aria-label=Ledger] tbody tr"


@pytest.fixture
def project(running: Running, request: pytest.FixtureRequest) -> int:
    members = {
        f"{name}/{n}.png": png(60 * k + n, level=90 + 60 * k) for k, name in enumerate(("plate", "rime"))
        for n in range(20)
    }  # fmt: skip
    made = running.bring_in(request.node.name, zipped(members))
    # A first run, so that the page goes on with its short recipe.
    running.ask("POST", f"/api/projects/{made}/runs", json={"recipe": small_recipe(epochs=1)})
    return int(made)


@pytest.fixture
def screen(running: Running, project: int, tmp_path: Path) -> Iterator[Screen]:
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/runs")
    screen.reads("[data-testid=run-result]", "validation picture")
    yield screen
    browser.quit()


def _kinds(screen: Screen) -> list[str]:
    return [str(line.get_attribute("data-kind")) for line in screen.all(_LINES)]


def _versions(running: Running, project: int) -> list[int]:
    return [entry["version"] for entry in running.ask("GET", f"/api/projects/{project}/ingredients/network")]


def _at(screen: Screen, line: str) -> None:
    screen.until(
        f"the cursor at {line}",
        lambda: screen.browser.execute_script("return document.activeElement.dataset.line") == line,
    )


def _put_in(screen: Screen, letters: str, kinds: list[str], line: str) -> None:
    screen.keys(Keys.ENTER)
    screen.one("[role=combobox]")
    screen.keys(letters)
    screen.one("[role=option]")
    screen.keys(Keys.ENTER)
    screen.until(letters, lambda: _kinds(screen) == kinds)
    _at(screen, line)


def test_a_network_is_built_from_an_empty_list_by_keys_and_trained(screen: Screen) -> None:
    screen.one("[data-ingredient=network]").click()
    screen.press("New, empty")
    screen.type("[role=dialog] input", "By keys")
    screen.keys(Keys.ENTER)
    screen.says("The network has no layers.")
    screen.press("End with a head")
    screen.until("the head", lambda: _kinds(screen) == ["head"])
    screen.one("[data-line='0']").click()
    _at(screen, "0")
    # In front of the end, wherever the cursor is.
    _put_in(screen, "convbl", ["conv_block", "head"], "0")
    _put_in(screen, "max", ["conv_block", "max_pool", "head"], "1")
    _put_in(screen, "res", ["conv_block", "max_pool", "residual_block", "head"], "2")
    screen.keys("r")
    screen.until("a stretch", lambda: _kinds(screen)[2:4] == ["repeat", "residual_block"])
    _at(screen, "2")
    # 16 channels as the line before: a projection is nowhere needed. By hand: 3·3·3·16 + 32; twice two convolutions of
    # 3·3·16·16 with 32 behind each; 16·2 + 2.
    screen.reads(_FACTS, f"{464 + 2 * 2 * (2304 + 32) + 34:,}")
    screen.keys("d")
    screen.until("twice", lambda: _kinds(screen).count("repeat") == 2)
    screen.keys("z", ctrl=True)
    screen.until("once", lambda: _kinds(screen).count("repeat") == 1)
    screen.keys("y", ctrl=True)
    screen.until("twice again", lambda: _kinds(screen).count("repeat") == 2)
    screen.keys("z", ctrl=True)
    screen.until("once again", lambda: _kinds(screen).count("repeat") == 1)
    screen.reads(_STATE, "kept")
    screen.press("‹ Run sheet")
    screen.reads("[data-ingredient=network]", "By keys, version 1")
    screen.one("[data-ingredient=preprocessing]").click()
    screen.says("By keys, version 1 then takes")
    screen.press("‹ Run sheet")
    screen.reads("[data-ingredient=network]", "parameters")
    screen.keys(Keys.ENTER, ctrl=True)
    screen.until("a second run", lambda: len(screen.all(_LEDGER)) == 2)
    screen.reads(f"{_LEDGER}:first-child", "By keys, version 1")
    screen.reads("[data-testid=run-result]", "validation picture")
    assert screen.complaints() == []


def test_a_mistake_is_mended_by_its_repair_and_a_second_version_is_tried(
    screen: Screen, running: Running, project: int
) -> None:
    screen.one("[data-ingredient=network]").click()
    screen.says("A ready network stays as it is")
    screen.press("Compare")
    # By hand: 3·3·3·8 + 16, then 8→16, 16→32 and 32→64 alike, and 64·2 + 2.
    screen.reads("[data-testid=ready-table]", f"{232 + 1152 + 32 + 4608 + 64 + 18432 + 128 + 130:,}")
    assert len(screen.all("[data-testid=ready-table] tbody tr")) == 6
    screen.press("plain 5")
    screen.until("it is taken", lambda: screen.one("[aria-label='Which network']").get_attribute("value") == "plain 5")
    screen.press("Duplicate")
    screen.type("[role=dialog] input", "Mine")
    screen.keys(Keys.ENTER)
    screen.reads(_STATE, "kept")
    before = _kinds(screen)
    screen.type("[aria-label='kernel of conv_block_2']", "9")
    screen.reads("[data-testid=line-wrong]", "has kernel 9")
    screen.reads(_FACTS, "One line has a mistake")
    screen.press("Set kernel to 7")
    screen.until("it is mended", lambda: not screen.all("[data-testid=line-wrong]"))
    assert screen.one("[aria-label='kernel of conv_block_2']").get_attribute("value") == "7"
    screen.one("[data-line='2']").click()
    _at(screen, "2")
    screen.keys("o")
    screen.until("its layers", lambda: len(_kinds(screen)) == len(before) + 2)
    screen.reads(_STATE, "kept")
    screen.press("‹ Run sheet")
    screen.press("Train")
    screen.reads(f"{_LEDGER}:first-child", "Mine, version 1")

    # A run has used it, so what is changed now is a version of its own.
    screen.one("[data-ingredient=network]").click()
    screen.one("[data-line='0']").click()
    _at(screen, "0")
    _put_in(screen, "dropo", [before[0], "dropout", *_kinds(screen)[1:]], "1")
    screen.until("version 2", lambda: "Mine, version 2" in screen.one("[aria-label='Which network']").text)
    screen.reads(_STATE, "kept")
    screen.press("‹ Run sheet")
    screen.press("Train")
    screen.until("three runs", lambda: len(screen.all(_LEDGER)) == 3)
    screen.reads(f"{_LEDGER}:first-child", "Mine, version 2")
    screen.reads(f"{_LEDGER}:first-child", "network")  # what is other than in the run before

    # An older version is looked at, and nothing comes of that.
    kept = running.ask("GET", f"/api/projects/{project}/ingredients/network")
    screen.one("[data-ingredient=network]").click()
    Select(screen.one("[aria-label='Which network']")).select_by_value("Mine, version 1")
    screen.says("An older version stays as it is")
    screen.until("its list", lambda: "dropout" not in _kinds(screen))
    assert not screen.all("[role=grid] input:enabled, [role=grid] select:enabled")
    Select(screen.one("[aria-label='Which network']")).select_by_value("Mine, version 2")
    screen.until("the newest", lambda: "dropout" in _kinds(screen))
    assert _versions(running, project) == [2, 1]
    # What was changed a moment ago is kept although the page is left at once.
    screen.type("[aria-label='share of dropout_1']", "0.3")
    screen.press("Rows")
    screen.until("three versions", lambda: _versions(running, project) == [3, 2, 1])
    assert running.ask("GET", f"/api/projects/{project}/ingredients/network")[1:] == kept
    screen.press("Runs")

    # Another window changes it meanwhile: this one is told, and loses nothing of either.
    screen.one("[data-ingredient=network]").click()
    Select(screen.one("[aria-label='Which network']")).select_by_value("Mine, version 3")
    screen.reads(_STATE, "kept")
    kept = running.ask("GET", f"/api/projects/{project}/ingredients/network")[0]
    other = {"layers": kept["value"]["layers"][1:]}
    running.ask(
        "POST", f"/api/projects/{project}/ingredients/network",
        json={"name": "Mine", "value": other, "was": kept["value"]},
    )  # fmt: skip
    screen.type("[aria-label='share of dropout_1']", "0.4")
    screen.reads(_STATE, "changed in another window")
    screen.press("See what it is now")
    screen.until("theirs", lambda: _kinds(screen)[0] == "dropout")
    screen.reads(_STATE, "kept")
