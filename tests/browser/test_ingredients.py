"""Sets and variations at the page: divided by series, a leak found and mended, moved by hand, varied by questions."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.screen import Screen, open_browser
from tests.pictures import encoded, zipped
from tests.running import Running
from vast_orchard.demo.picture import photograph

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def archive() -> bytes:
    """Two classes of twenty pictures in series of four; ten of them once more in another format."""
    members = {}
    for k, name in enumerate(("plate", "needle")):
        for n in range(20):
            image = photograph(name, np.random.default_rng(100 * k + n), side=64)
            members[f"{name}/s{n // 4}_{n}.png"] = encoded(image)
            if n < 5:
                members[f"{name}/again{n}_{n}.bmp"] = encoded(image, "BMP")
    return zipped(members)


@pytest.fixture
def screen(running: Running, archive: bytes, request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Screen]:
    project = running.bring_in(request.node.name, archive)
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/rows")
    screen.reads("[data-testid=chosen]", "50 pictures")
    yield screen
    # A refused division is told on the page; the browser notes the answer as well.
    assert [entry for entry in screen.complaints() if "status of 422" not in entry] == []
    browser.quit()


def _sheet(screen: Screen) -> None:
    screen.press("Divide")
    screen.reads("[data-testid=weight]", "an accuracy of 0.90 means")


def _divide(screen: Screen) -> None:
    sheet = screen.one("[role=dialog]")
    sheet.find_element(By.XPATH, ".//button[starts-with(normalize-space(.), 'Divide')]").click()


def _choose(screen: Screen, words: str) -> None:
    found = screen.one("body").find_element(By.XPATH, f"//*[@role='radio'][normalize-space(.)='{words}']")
    found.click()


def test_a_leak_is_found_and_mended(screen: Screen) -> None:
    # The search for copies runs after the import.
    screen.button("Copies 10")
    _sheet(screen)
    screen.one("[role=dialog]").find_element(By.XPATH, ".//label[contains(., 'Copies stay in one set')]").click()
    _divide(screen)
    screen.reads("[data-testid=checks]", "of copies")
    screen.reads("[data-testid=checks]", "stand in different sets")
    screen.reads("[data-testid=checks]", "validation pictures, ")
    screen.reads("[data-testid=checks]", "means between")
    screen.press("See them")
    screen.until("the sheet is away", lambda: not screen.all("[role=dialog]"))
    screen.until("the address names them", lambda: "parted-copies" in screen.browser.current_url)

    def tiles_of_rows() -> list[int]:
        return [len(row.find_elements(By.CSS_SELECTOR, "[role=gridcell]")) for row in screen.all("[data-row]")]

    screen.until("nothing but pairs", lambda: set(tiles_of_rows()) == {2})
    _sheet(screen)
    screen.press("Put each group into one set")
    screen.until("no leak", lambda: "of copies" not in screen.one("[data-testid=checks]").text)


def test_series_stay_together_and_pictures_are_moved_by_hand(screen: Screen, running: Running) -> None:
    _sheet(screen)
    _choose(screen, "name")
    field = screen.one("[aria-label='Pattern of the file name']")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("{group}-{number}")
    _divide(screen)
    screen.says("fits none of 50 names")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("{group}_{number}")
    _divide(screen)
    screen.reads("[data-testid=split-counts]", "kept together by {group}_{number}")
    # Five series in each class have the same names, and copies of some stand outside: five groups in all.
    screen.reads("[data-testid=split-counts]", "in 5 groups")
    screen.press("Folds")
    # One of the five groups is the test set.
    screen.reads("[data-testid=folds]", "5 folds are asked for, and there are")
    screen.type("[data-testid=folds] input", "3")
    screen.reads("[data-testid=folds]", "fold 3")
    screen.keys(Keys.ESCAPE)
    screen.until("the sheet is away", lambda: not screen.all("[role=dialog]"))

    # In rows by set a picture is dragged into another, and taken back.
    Select(screen.one("select")).select_by_value("set")
    screen.one("[data-row='set-test']")

    def count(name: str) -> int:
        return int(screen.one(f"[data-row='set-{name}'] [role=rowheader]").text.split("\n")[1].replace(",", ""))

    # Those of the split that was just made, and no longer those of the one before.
    project = screen.browser.current_url.split("/p/")[1].split("/")[0]
    made = running.ask("GET", f"/api/projects/{project}/splits")[0]["counts"].values()
    before = {name: sum(sets.get(name, 0) for sets in made) for name in ("training", "validation", "test")}
    screen.until("its counts", lambda: {name: count(name) for name in before} == before)
    tile = screen.one("[data-row='set-training'] [role=gridcell]")
    screen.drag(tile, screen.one("[data-row='set-validation'] [role=rowheader]"))
    screen.until("it moved", lambda: count("validation") == before["validation"] + 1)
    screen.keys("z", ctrl=True)
    screen.until("it is back", lambda: count("validation") == before["validation"])
    screen.was_said("1 picture moved to validation")
    # By key, too.
    screen.one("[data-row='set-training'] [role=gridcell]").click()
    screen.keys("s")
    screen.one("[role=dialog]").find_element(By.XPATH, ".//button[.='Test']").click()
    screen.until("it is in the test set", lambda: count("test") == before["test"] + 1)


def test_a_variation_grows_from_the_questions(screen: Screen) -> None:
    screen.press("Runs")
    screen.one("[data-ingredient=variation]").click()
    screen.one("[data-testid=variation-sheet] img")
    screen.press("Start from questions")
    for words in ("both ways", "any"):
        _choose(screen, words)
    screen.press("Use these answers")
    screen.reads("[data-testid=variation-bench]", "±180 degrees")
    screen.says("mirror, flip, turn, shift, zoom, brightness, contrast; strength 1.5.")

    def source() -> str | None:
        return screen.one("[data-testid=variation-sheet] img").get_attribute("src")

    drawn = source()
    screen.press("Draw again")
    screen.until("another sheet", lambda: source() != drawn)
    slider = screen.one("[data-testid=strength]")
    slider.send_keys(Keys.HOME)
    screen.says("none.")
    slider.send_keys(Keys.END)
    screen.says("strength 2")

    # Mixed labels stand under the tiles as shares.
    screen.one("[role=switch][aria-label=blend]").click()
    screen.until("a share", lambda: " + 0." in screen.one("[data-testid=variation-sheet]").text)
    _choose(screen, "each operation alone")
    screen.reads("[data-testid=extremes-sheet]", "low end")
    screen.press("Keep by name")
    screen.type("[role=dialog] input", "Free")
    screen.one("[role=dialog]").find_element(By.XPATH, ".//button[.='Keep']").click()
    screen.reads("[data-testid=named-version]", "Free, version 1")
    _choose(screen, "beside another")
    screen.says("Beside it")

    # The preprocessing has a place of its own; grey pictures have no colour to vary.
    screen.press("‹ Run sheet")
    screen.one("[data-ingredient=preprocessing]").click()
    screen.one("[data-testid=preprocessing-sheet] img")
    _choose(screen, "grey")
    _choose(screen, "border")
    screen.press("‹ Run sheet")
    screen.reads("[data-testid=run-sheet]", "grey, whole, with a border")
    screen.one("[data-ingredient=variation]").click()
    assert screen.one("[role=switch][aria-label=hue]").get_attribute("disabled") is not None


def test_unequal_classes_lead_to_what_can_be_done_about_them(screen: Screen, running: Running) -> None:
    members = {
        f"{name}/{n}.png": encoded(photograph(name, np.random.default_rng(1000 * k + n), side=32))
        for k, (name, count) in enumerate({"plate": 12, "needle": 2}.items())
        for n in range(count)
    }
    project = running.bring_in("Unequal", zipped(members))
    screen.open(f"/p/{project}/rows")
    screen.press("Classes unequal, 1 : 6.0")
    screen.reads("[data-testid=imbalance]", "plate has 6.0 times as many pictures as needle; each is shown once.")
    _choose(screen, "shown alike")
    # Fourteen pictures an epoch: seven of each class, so that one of two needles comes three and a half times.
    screen.reads("[data-testid=imbalance]", "An epoch shows each needle 3.5 times and each plate 0.6 times")
