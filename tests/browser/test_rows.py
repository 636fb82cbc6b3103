"""Rows and Sift in a real browser: found by what is known of pictures, mended from the keyboard, taken back."""

import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, zipped
from tests.running import Running

pytestmark = pytest.mark.browser

_CLASSES = ("column", "needle", "plate")
_EACH = 6
_UNLABELLED = 10


@pytest.fixture
def project(running: Running, request: pytest.FixtureRequest) -> int:
    """Three classes of six pictures and ten unlabelled ones, in a project of the test's own."""
    members = {f"{name}/{name}-{n}.png": png(100 * k + n) for k, name in enumerate(_CLASSES) for n in range(_EACH)}
    members |= {f"unlabelled/{n:03}.png": png(900 + n) for n in range(_UNLABELLED)}
    return running.bring_in(request.node.name, zipped(members))


@pytest.fixture
def screen(running: Running, project: int, tmp_path: Path) -> Iterator[Screen]:
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/rows")
    screen.reads("[data-testid=chosen]", "28 pictures")
    screen.one("canvas[data-painted=whole]")
    yield screen
    browser.quit()


def _counts(screen: Screen) -> dict[str, int]:
    """Rows by the names in their heads, with their counts."""
    found = {}
    for head in screen.all("[data-row] [role=rowheader]"):
        words = [part for part in head.text.split("\n") if part]
        if len(words) >= 2:
            found[words[-2]] = int(words[-1].replace(",", ""))
    return found


def _until_counts(screen: Screen, **wanted: int) -> None:
    screen.until(str(wanted), lambda: {name: _counts(screen).get(name, 0) for name in wanted} == wanted)


def _sift(screen: Screen, words: str) -> None:
    screen.type("#sift-line", words)
    screen.keys(Keys.ENTER)


def _tile(screen: Screen, row: str, place: int) -> str:
    return str(screen.all(f"[data-row='{row}'] [role=gridcell]")[place].get_attribute("data-picture"))


def test_a_sift_is_completed_applied_kept_in_the_address_and_mended(
    screen: Screen, running: Running, project: int
) -> None:
    screen.keys("/")
    screen.keys("cl")
    screen.until("completions", lambda: any("class:" in x.text for x in screen.all("[role=option]")))
    screen.keys(Keys.TAB)
    screen.until("classes with counts", lambda: any(x.text.split("\n")[-1] == "6" for x in screen.all("[role=option]")))
    screen.keys("ne")
    screen.until("one is left", lambda: [x.text.split("\n")[0] for x in screen.all("[role=option]")][:1] == ["needle"])
    screen.keys(Keys.TAB)
    screen.keys(Keys.ENTER)
    screen.reads("[data-testid=chosen]", "6 pictures")
    assert _counts(screen) == {"needle": 6}
    assert parse_qs(urlsplit(screen.browser.current_url).query)["sift"] == ["class:needle"]
    screen.browser.refresh()
    screen.reads("[data-testid=chosen]", "6 pictures")

    _sift(screen, "class:needel or name:plate-1")
    screen.reads("[data-testid=sift-mistake]", "There is no class needel. Did you mean needle?")
    assert screen.one("#sift-line").get_attribute("aria-invalid") == "true"
    assert _counts(screen) == {"needle": 6}  # what was on show stays
    _sift(screen, "class:needle or name:plate-1")
    screen.reads("[data-testid=chosen]", "7 pictures")
    _sift(screen, "name:nowhere")
    screen.says("The Sift lets no picture through")
    screen.press("Show all")
    screen.reads("[data-testid=chosen]", "28 pictures")
    command = [
        sys.executable,
        "-m",
        "vast_orchard.cli",
        "sift",
        "--project",
        str(project),
        "--address",
        running.address,
    ]
    told = subprocess.run([*command, "name:plate-1 or class:none"], capture_output=True, text=True, check=True)
    assert ["plate-1.png", "plate"] in [line.split(",")[1:3] for line in told.stdout.splitlines()]
    assert len(told.stdout.splitlines()) == 1 + 1 + _UNLABELLED
    refused = subprocess.run([*command, "class:plat"], capture_output=True, text=True, check=False)
    assert (refused.returncode, refused.stderr.splitlines()[-1]) == (1, "        ^^^^")
    assert [entry for entry in screen.complaints() if "422" not in entry] == []


def test_a_page_that_one_comes_back_to_shows_what_happened_meanwhile_and_goes_on(
    screen: Screen, running: Running, project: int
) -> None:
    screen.open("/")  # another page, not another place of this one: the browser may put the first aside
    screen.one(f"a[href^='/p/{project}']")
    running.ask("POST", f"/api/projects/{project}/classes", json={"name": "bullet"})
    screen.browser.back()
    _until_counts(screen, bullet=0, needle=6)
    screen.until("bullet has a row", lambda: "bullet" in _counts(screen))
    running.ask("POST", f"/api/projects/{project}/classes", json={"name": "graupel"})
    screen.until("so has graupel", lambda: "graupel" in _counts(screen))
    assert screen.complaints() == []


def _one_chosen_of(screen: Screen, unlabelled: int) -> bool:
    chosen = screen.all("[data-row=unlabelled] [aria-selected=true]")
    return _counts(screen).get("unlabelled", 0) == unlabelled and len(chosen) == 1


def test_ten_unlabelled_pictures_from_the_keyboard_alone(screen: Screen) -> None:
    screen.one("input[type=checkbox]").click()  # move on
    screen.one("[data-testid=field]").send_keys(Keys.HOME)
    for number in range(_UNLABELLED):
        left = _UNLABELLED - number
        screen.until("one unlabelled picture is chosen", partial(_one_chosen_of, screen, left))
        if number % 3 == 2:  # for any class: letters of its name
            screen.keys("l")
            screen.one("[role=dialog] input").send_keys("pla")
            screen.until("one class fits, or a new one", lambda: len(screen.all("[role=dialog] [role=option]")) == 2)
            screen.keys(Keys.ENTER)
        else:
            screen.keys(str(number % 3 + 1))
    _until_counts(screen, unlabelled=0, column=10, needle=9, plate=9)


def test_flags_history_and_undo_after_a_restart(screen: Screen, running: Running) -> None:
    row = next(str(r.get_attribute("data-row")) for r in screen.all("[data-row]") if "needle" in r.text)
    screen.one(f"[data-picture='{_tile(screen, row, 0)}']").click()
    screen.click_with(Keys.SHIFT, screen.one(f"[data-picture='{_tile(screen, row, 2)}']"))
    screen.keys("x")
    screen.until("three are excluded", lambda: len(screen.all("[role=gridcell][aria-label*=excluded]")) == 3)
    screen.keys("u")
    screen.until("and unsure", lambda: len(screen.all("[role=gridcell][aria-label*=unsure]")) == 3)
    _sift(screen, "excluded not unsure")
    screen.says("The Sift lets no picture through")
    _sift(screen, "excluded unsure")
    screen.reads("[data-testid=chosen]", "3 pictures")

    screen.press("History")
    screen.until("the history", lambda: len(screen.all("[data-testid=history] li")) > 2)
    steps = [x.text for x in screen.all("[data-testid=history] li")]
    assert "3 pictures marked unsure" in steps[0]
    assert "3 pictures excluded" in steps[1]
    assert "this window" in steps[0]
    screen.all("[data-testid=history] li button")[1].click()
    screen.reads("[data-testid=chosen]", "3 pictures")
    assert parse_qs(urlsplit(screen.browser.current_url).query)["sift"][0].startswith("action:")

    running.stop()
    running.start_again()
    screen.browser.refresh()
    screen.reads("[data-testid=chosen]", "3 pictures")
    screen.press("Undo")
    screen.until("no longer unsure", lambda: not screen.all("[role=gridcell][aria-label*=unsure]"))
    screen.press("Undo")
    screen.until("taken in again", lambda: not screen.all("[role=gridcell][aria-label*=excluded]"))
    screen.one("[data-testid=field]").click()
    screen.keys("y", ctrl=True)
    screen.until("excluded again", lambda: len(screen.all("[role=gridcell][aria-label*=excluded]")) == 3)


def test_classes_are_merged_split_off_ordered_and_deleted(screen: Screen) -> None:
    def head(name: str) -> None:
        for button in screen.all("[role=rowheader] button"):
            if button.text == name:
                button.click()
                return
        raise AssertionError(name)

    head("column")
    screen.press("Merge into another class")
    screen.one("[role=dialog] input").send_keys("needle", Keys.ENTER)
    _until_counts(screen, needle=12, column=0)
    head("needle")
    screen.press("Choose all of the row")
    screen.reads("[data-testid=chosen]", "12 pictures chosen")
    screen.one("[data-testid=field]").send_keys("n")
    screen.type("[role=dialog] input", "rime")
    screen.keys(Keys.ENTER)
    _until_counts(screen, rime=12, needle=0)
    assert list(_counts(screen)) == ["unlabelled", "needle", "plate", "rime"]
    head("rime")
    screen.press("Earlier in the order")
    screen.until("the order", lambda: list(_counts(screen)) == ["unlabelled", "needle", "rime", "plate"])
    head("rime")
    screen.press("Delete class")
    _until_counts(screen, unlabelled=22)
    for _ in range(4):
        screen.press("Undo")
    _until_counts(screen, unlabelled=10, column=6, needle=6, plate=6)
    assert screen.complaints() == []


def test_rows_by_other_keys_and_the_warning_of_unequal_classes(screen: Screen) -> None:
    Select(screen.one("select")).select_by_visible_text("nothing")
    screen.until("one row", lambda: _counts(screen) == {"all": 28})
    Select(screen.one("select")).select_by_visible_text("file format")
    screen.until("formats", lambda: _counts(screen) == {"PNG": 28})
    Select(screen.one("select")).select_by_visible_text("class")
    _until_counts(screen, plate=6)
    assert "Classes unequal" not in screen.text()
    _sift(screen, "class:plate not name:plate-0.png")
    screen.reads("[data-testid=chosen]", "5 pictures")
    screen.one("[data-testid=field]").send_keys(Keys.CONTROL, "a")
    screen.reads("[data-testid=chosen]", "5 pictures chosen")
    screen.one("[data-testid=field]").send_keys("1")
    screen.says("The Sift lets no picture through")
    screen.press("Show all")
    screen.says("Classes unequal, 1 : 11")
    screen.one("canvas[data-painted=whole]")


def test_a_connection_that_is_lost_in_mid_action_comes_back_to_what_was_done(screen: Screen, running: Running) -> None:
    screen.one("[data-row=unlabelled] [role=gridcell]").click()
    screen.until("the focus", lambda: screen.all("[data-row=unlabelled] [aria-selected=true]"))
    api = running.children()["serve"]
    os.kill(api, signal.SIGSTOP)
    screen.keys("1")  # the request is on its way, and nobody answers
    os.kill(api, signal.SIGKILL)
    screen.says("The application does not answer. It may be restarting; try again in a moment.")
    screen.until("the API is back", running.answers)
    _until_counts(screen, unlabelled=10, column=6)
    screen.one("[data-testid=field]").send_keys("1")
    _until_counts(screen, unlabelled=9, column=7)
    screen.press("Undo")
    _until_counts(screen, unlabelled=10, column=6)
