"""Runs at the page: started once however long the keys are held, questioned where a rate is odd, put in any order."""

from collections.abc import Iterator
from functools import partial
from pathlib import Path
from xml.etree import ElementTree

import pytest
from PIL import Image
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, zipped
from tests.running import Running
from tests.world import small_recipe

pytestmark = pytest.mark.browser

_SHEET = "[data-testid=run-sheet]"
_STOOD = "[data-testid=stood-on]"
_FIELDS = f"{_SHEET} input[inputmode=decimal]"
_ROWS = "table[aria-label=Ledger] tbody tr"


@pytest.fixture
def screen(running: Running, request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Screen]:
    members = {
        f"{name}/{n}.png": png(60 * k + n, level=90 + 60 * k) for k, name in enumerate(("plate", "rime"))
        for n in range(20)
    }  # fmt: skip
    project = running.bring_in(request.node.name, zipped(members))
    # A first run, so that the page goes on with its short recipe.
    run = running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": small_recipe(epochs=1)})
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/runs?run={run['id']}")
    screen.reads("[data-testid=run-result]", "validation picture")
    yield screen
    assert screen.complaints() == []
    browser.quit()


def _numbers(screen: Screen) -> list[int]:
    return [int(row.text.split()[0]) for row in screen.all(_ROWS)]


def _show(screen: Screen, row: int) -> None:
    # Its number, at the left end: a notice may lie over the middle for a while.
    screen.all(f"{_ROWS} button")[row].click()


def _accuracies(screen: Screen) -> list[float]:
    return [float(row.find_elements("css selector", "td")[2].text.split()[0]) for row in screen.all(_ROWS)]


def test_keys_that_are_held_down_start_one_run(screen: Screen) -> None:
    screen.browser.execute_script(
        "for (let n = 0; n < 12; n++) window.dispatchEvent("
        "new KeyboardEvent('keydown', {key: 'Enter', ctrlKey: true, repeat: n > 1, cancelable: true}))"
    )
    # Also the second press that comes before the page has drawn the first one's state.
    screen.until("the second run", lambda: "run=" in screen.browser.current_url and 2 in _numbers(screen))
    screen.reads("[data-testid=run-words]", "All 1 epoch done.")
    assert _numbers(screen) == [2, 1]


def _rate(screen: Screen, typed: str | None = None) -> str:
    """What the Run sheet has as its rate, after something was typed there; closed again."""
    screen.press("Schedule")
    path = "//label[.='Learning rate']/following::input[1]"
    field = screen.until("the rate", lambda: screen.browser.find_elements("xpath", path))[0]
    if typed is not None:
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(typed)
    value = str(field.get_attribute("value"))
    screen.keys(Keys.ESCAPE)
    screen.until("it is closed", lambda: not screen.all(_FIELDS))
    return value


def _rule(screen: Screen, name: str) -> None:
    screen.press("Learning")
    screen.press(name)
    screen.keys(Keys.ESCAPE)
    screen.until("it is closed", lambda: not screen.all(f"{_SHEET} [role=radio]"))


def test_an_odd_rate_is_questioned_and_the_rate_follows_the_optimizer(screen: Screen) -> None:
    # The run before set a rate of its own, which stays; the one that is offered follows.
    _rule(screen, "SGD")
    assert _rate(screen) == "0.01"
    _rate(screen, "0.03")
    _rule(screen, "Adam")
    assert _rate(screen) == "0.006"
    _rule(screen, "SGD")
    assert _rate(screen) == "0.03"
    _rate(screen, "3")
    screen.press("Train")
    screen.reads("[data-testid=doubts]", "A learning rate of 3 is 100 times more than the usual 0.03.")
    assert _numbers(screen) == [1]
    screen.press("Use 0.03")
    screen.reads(_SHEET, "rate 0.03")
    screen.press("Train")
    screen.reads("[data-testid=run-words]", "All 1 epoch done.")
    screen.reads(f"{_ROWS}:first-child", "optimizer adamw → sgd")
    screen.until("two runs", lambda: _numbers(screen) == [2, 1])


def test_a_run_ends_early_by_its_condition_which_is_questioned_where_it_cannot_be(screen: Screen) -> None:
    screen.press("Schedule")
    screen.until("the fields", lambda: screen.all(_FIELDS))
    screen.type(_FIELDS, "30")
    screen.one("[aria-label='End without progress']").click()
    screen.reads("[data-testid=ending-trial]", "It would have ended none of the last 1 run early.")
    screen.type("[aria-label='Earliest end']", "29")
    screen.reads("[data-testid=ending-trial]", "Want of progress can first be told after epoch 29 of 30")
    screen.keys(Keys.ESCAPE)
    screen.until("it is closed", lambda: not screen.all(_FIELDS))
    screen.press("Train")
    screen.reads("[data-testid=doubts]", "it would change nothing")
    screen.press("Use all epochs")

    screen.press("Schedule")
    screen.one("[aria-label='End when reached']").click()
    screen.type("[aria-label='Value to reach']", "0.01")
    screen.keys(Keys.ESCAPE)
    screen.reads(_SHEET, "ends early at a validation accuracy of 0.01")
    screen.press("Train")
    screen.reads("[data-testid=run-words]", "Ended early, after 4 of 30 epochs. Validation accuracy was")
    screen.reads("[data-testid=run-words]", "0.01 was enough. Over 3 more epochs the rate then fell to zero.")
    screen.reads(f"{_ROWS}:first-child", "ended early")


def test_a_run_is_named_held_against_the_run_sheet_thrown_away_and_put_back(screen: Screen) -> None:
    screen.press("Schedule")
    screen.until("the fields", lambda: screen.all(_FIELDS))
    screen.type(_FIELDS, "2")
    screen.press("name it")
    screen.type(f"{_SHEET} input[maxlength='80']", "longer")
    screen.type(f"{_SHEET} textarea", "Does a second epoch help?")
    screen.keys(Keys.ESCAPE)
    screen.press("Train")
    screen.until("its name", lambda: screen.one("h2").text == "Run 2, longer")
    screen.reads("[data-testid=run-note]", "Does a second epoch help?")
    screen.reads("[data-testid=run-words]", "All 2 epochs done.")
    screen.reads(f"{_ROWS}:first-child", "longer")
    screen.press("name it")  # the next one has none
    screen.keys(Keys.ESCAPE)

    _show(screen, 1)
    screen.until("the first", lambda: screen.one("h2").text == "Run 1")
    screen.reads(_STOOD, "1 epoch of batches of 16")
    screen.reads(_STOOD, "now: epochs 1 → 2")
    screen.press("Take over to the Run sheet")
    screen.reads(_SHEET, "1 epoch of batches of 16")
    screen.until("nothing differs", lambda: "now:" not in screen.one(_STOOD).text)
    screen.press("Back to what was there")
    screen.reads(_STOOD, "now: epochs 1 → 2")

    screen.press("More")
    screen.press("Name and note")
    screen.type("[role=dialog] input", "the short one")
    screen.press("Keep")
    screen.until("another name", lambda: screen.one("h2").text == "Run 1, the short one")
    screen.press("More")
    screen.press("Into the bin")
    screen.reads("[role=dialog]", "what it said of the validation pictures")
    screen.one("[role=dialog] button[type=submit]").click()
    screen.until("it is gone", lambda: _numbers(screen) == [2])
    screen.reads(f"{_ROWS}:first-child", "the first")
    project = screen.browser.current_url.partition("/p/")[2].partition("/")[0]
    screen.open(f"/p/{project}/rows/bin")
    screen.reads("[aria-label='Runs in the bin']", "Run 1, the short one")
    screen.press("Put back")
    screen.says("The bin is empty")
    screen.press("Runs")
    screen.until("it is there again", lambda: _numbers(screen) == [2, 1])


def test_the_ledger_is_put_in_order_and_what_was_said_stays_readable(screen: Screen) -> None:
    screen.press("Train")
    screen.until("the second run is judged", lambda: _numbers(screen) == [2, 1] and "done" in screen.all(_ROWS)[0].text)
    screen.was_said("Run 2: Done")
    screen.reads(f"{_ROWS}:first-child", "nothing")
    screen.press("validation accuracy")
    screen.one("table[aria-label=Ledger] th[aria-sort=descending] button")
    screen.until("in order", lambda: _accuracies(screen) == sorted(_accuracies(screen), reverse=True))
    screen.press("validation accuracy")
    screen.one("table[aria-label=Ledger] th[aria-sort=ascending] button")
    screen.until("the other way", lambda: _accuracies(screen) == sorted(_accuracies(screen)))
    screen.press("run")
    screen.until("by number again", lambda: _numbers(screen) == [2, 1])
    # The run that the address names is on show, whichever page of the Ledger it is on.
    _show(screen, 1)
    screen.until("the first", lambda: screen.one("h2").text == "Run 1")
    screen.browser.refresh()
    screen.until("the first again", lambda: screen.one("h2").text == "Run 1")


def test_the_run_sheet_says_what_takes_no_part_and_opens_it(running: Running, tmp_path: Path) -> None:
    sets = (("train", 12), ("val", 4), ("test", 4))
    members = {
        f"{place}/{name}/{n}.png": png(1000 * k + 100 * len(place) + n)
        for k, name in enumerate(("plate", "rime"))
        for place, count in sets
        for n in range(count)
    }
    project = running.bring_in("No part", zipped(members | {"unlabelled/1.png": png(7001)}))
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/runs")
    screen.reads("[data-testid=run-sheet]", "as the folders came: 24 / 8 / 8")
    screen.reads("[data-testid=left-out]", "Left out: 1 unlabelled.")
    screen.press("1 unlabelled")
    screen.reads("[data-testid=chosen]", "1 picture")

    running.ask("POST", f"/api/projects/{project}/splits", json={"method": "folders"})
    ids = running.ask("GET", f"/api/projects/{project}/pictures?sift=class:plate")["pictures"]
    chosen = [picture["id"] for picture in ids[:2]]
    running.ask("POST", f"/api/projects/{project}/marks", json={"picture_ids": chosen, "flag": "excluded"})
    running.ask(
        "POST",
        f"/api/projects/{project}/labels",
        json={"picture_ids": [_unlabelled(running, project)], "class_id": ids[0]["class_id"]},
    )
    screen.press("Runs")
    screen.reads("[data-testid=left-out]", "2 excluded, 1 in no set")
    screen.press("Top up")
    screen.reads("[data-testid=left-out]", "Left out: 2 excluded.")
    screen.press("2 excluded")
    screen.reads("[data-testid=chosen]", "2 pictures")
    browser.quit()


def _unlabelled(running: Running, project: int) -> int:
    found = running.ask("GET", f"/api/projects/{project}/pictures?sift=unlabelled")["pictures"]
    return int(found[0]["id"])


def _queued(screen: Screen) -> list[str]:
    return [str(line.get_attribute("data-queued")) for line in screen.all("[data-testid=queue] li")]


def _stands_as(screen: Screen, queue: list[str]) -> bool:
    return _queued(screen) == queue


def test_runs_wait_in_an_order_that_people_give_and_go_on_after_a_stop(screen: Screen) -> None:
    # The first is long enough to be trained while the others are moved about.
    screen.press("Schedule")
    screen.until("the fields", lambda: screen.all(_FIELDS))
    screen.type(_FIELDS, "5000")
    screen.keys(Keys.ESCAPE)
    screen.until("it is closed", lambda: not screen.all(_FIELDS))
    screen.press("Train")
    screen.reads("[data-testid=run-progress]", "Epoch")
    screen.press("Schedule")
    screen.until("the fields", lambda: screen.all(_FIELDS))
    screen.type(_FIELDS, "2")
    screen.keys(Keys.ESCAPE)
    screen.until("it is closed", lambda: not screen.all(_FIELDS))
    for queue in (["2", "3"], ["2", "3", "4"]):
        screen.press("Train")
        screen.until("it waits", partial(_stands_as, screen, queue))
    screen.one("[aria-label='Earlier: Run 4']").click()
    screen.until("the other order", lambda: _queued(screen) == ["2", "4", "3"])
    screen.one("[aria-label='Hold: Run 3']").click()
    screen.reads("[data-queued='3']", "held")
    # Run 4 goes first: run 2 waits after its epoch, and goes on when run 4 is done.
    screen.one("[aria-label='Next: Run 4']").click()
    screen.reads(f"{_ROWS}:nth-child(1)", "done")
    screen.until("run 2 trains again", lambda: _queued(screen) == ["2", "3"])
    screen.reads("[data-queued='2']", "trains now")
    screen.one("[aria-label='Take out: Run 3']").click()
    screen.until("no queue is left", lambda: not screen.all("[data-testid=queue]"))
    screen.all(f"{_ROWS} button")[2].click()
    screen.reads("[data-testid=run-progress]", "Epoch")
    screen.press("Stop")
    screen.reads("[data-testid=run-words]", "Stopped by hand in epoch")
    # It goes on where it was; from the model of one that is done a new run is trained.
    screen.one("[aria-label='More for run 2']").click()
    screen.press("Go on from where it is")
    screen.reads("[data-testid=run-progress]", "Epoch")
    screen.press("Stop")
    screen.reads("[data-testid=run-words]", "Stopped by hand in epoch")
    screen.all(f"{_ROWS} button")[0].click()
    screen.one("[aria-label='More for run 4']").click()
    screen.press("Train on from its model")
    screen.reads(_SHEET, "rate 0.0033")
    screen.reads(_SHEET, "from run 4")


def test_a_lookout_ends_a_run_and_its_button_mends_the_sheet(screen: Screen, running: Running, tmp_path: Path) -> None:
    members = {f"plate/{n}.png": png(n, level=90) for n in range(60)}
    members |= {f"rime/{n}.png": png(100 + n, level=150) for n in range(5)}
    project = running.bring_in("Watched", zipped(members))
    recipe = {**small_recipe(epochs=1), "watch": {"every": 1}}
    running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": recipe})
    screen.open(f"/p/{project}/runs")
    screen.reads("[data-testid=found]", "Unequal classes since epoch 1, rime. plate has")
    screen.reads("[data-testid=run-words]", "All 1 epoch done.")
    # How the next one is watched: it ends with what is found.
    screen.press("Schedule")
    screen.press("watched, none ends it")
    unequal = screen.one("[data-kind=unequal]")
    unequal.find_element("xpath", ".//*[normalize-space(.)='ends the run' and @role='radio']").click()
    screen.press("Make one")
    screen.type("[aria-label='Its name']", "Loud")
    screen.type("[aria-label=Value]", "0")
    screen.reads("[data-testid=own-trial]", "Of the last 1 run it would have found nothing")
    screen.type("[aria-label='Epochs in a row']", "1")
    screen.reads("[data-testid=own-trial]", "it would have found something in run 1 after epoch 1 of 1")
    screen.press("Keep it")
    screen.reads("[data-testid=own-lookouts]", "validation loss above 0 for 1 epoch in a row; says it")
    screen.press("‹ Run sheet")
    screen.press("Schedule")
    screen.until("the fields", lambda: screen.all(_FIELDS))
    screen.type(_FIELDS, "30")
    screen.keys(Keys.ESCAPE)
    screen.until("it is closed", lambda: not screen.all(_FIELDS))
    screen.press("Train")
    screen.reads("[data-testid=run-words]", "The lookout “Unequal classes” ended it after epoch 1.")
    screen.until("its own", lambda: screen.all("[data-lookout=Loud][data-standing=found]"))
    screen.press("Change the Run sheet")
    screen.reads(_SHEET, "classes shown alike")
    # Its curves as files of a chosen size.
    screen.one("[aria-label='These curves as a file']").click()
    field = screen.until(
        "the width", lambda: screen.browser.find_elements("xpath", "//label[.='Width']/following::input[1]")
    )
    field[0].send_keys(Keys.CONTROL, "a")
    field[0].send_keys("400")
    screen.until("the drawing", lambda: screen.all("[role=dialog] svg[width='400']"))
    for kind in ("SVG", "PNG"):
        screen.press(kind)
    taken = [tmp_path / f"run-2-loss.{kind}" for kind in ("svg", "png")]
    screen.until("both files", lambda: all(path.exists() for path in taken))
    drawing = ElementTree.parse(taken[0]).getroot()
    assert drawing.get("width") == "400"
    with Image.open(taken[1]) as image:
        assert image.size == (800, 860) and len(image.convert("L").getcolors() or ()) > 20
    screen.keys(Keys.ESCAPE)
    # What its layers did.
    Select(screen.one("[aria-label='What is shown beside the loss']")).select_by_visible_text("What the layers do")
    screen.until("the strip", lambda: screen.all("[data-testid=layer-strip] canvas"))
    screen.one("[data-testid=layer-strip] li button").click()
    screen.until("both bands", lambda: len(screen.all("[data-testid=layer-bands] svg")) == 2)
    screen.press("‹ All layers")
    screen.until("the strip", lambda: screen.all("[data-testid=layer-strip] canvas"))


_RECORDED = (
    "const made = []; const Real = window.Notification;"
    "window.Notification = class extends Real { constructor(title, more) { super(title, more); made.push(title + ': '"
    " + more.body); } }; window.told = made;"
)


def _may_notify(screen: Screen, setting: str) -> None:
    permission = {"permission": {"name": "notifications"}, "setting": setting}
    screen.browser.execute_cdp_cmd("Browser.setPermission", permission)


def _told(screen: Screen) -> list[str]:
    return list(screen.browser.execute_script("return window.told"))


def test_the_end_is_told_outside_the_page_where_that_is_allowed(
    screen: Screen, running: Running, request: pytest.FixtureRequest
) -> None:
    wish = "[role=dialog] input[type=checkbox], [data-headlessui-state] label input"
    _may_notify(screen, "denied")
    screen.one("[data-testid=tray]").click()
    screen.one(wish).click()
    screen.says("The browser refuses notifications for this address. Allow them in its settings")
    assert not screen.one(wish).is_selected()

    _may_notify(screen, "granted")
    screen.one(wish).click()
    screen.until("it is on", lambda: screen.one(wish).is_selected())
    screen.one("[data-testid=tray]").click()
    screen.browser.execute_script(_RECORDED)
    screen.press("Train")
    told = screen.until("it is told", lambda: _told(screen))
    assert told == [f"Run 2 · {request.node.name}: Done"]
    assert screen.browser.title == "Vast Orchard"
    # A lookout that sends word is told as well, before the end.
    project = screen.browser.current_url.split("/p/")[1].split("/")[0]
    recipe = {**small_recipe(epochs=1), "watch": {"acts": {"few": "word"}}}
    running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": recipe})
    screen.until("both are told", lambda: len(_told(screen)) == 3)
    both = _told(screen)
    assert any(words.startswith("Run 3: Too few validation pictures: 6 validation pictures") for words in both), both
