"""Plans at the page: a search from its planning to a winner, final training and Release; folds; pausing and adding."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.screen import Screen, open_browser
from tests.pictures import two_classes, zipped
from tests.running import Running
from tests.world import small_recipe

pytestmark = pytest.mark.browser

_TRIALS = "[data-testid=trials] tbody tr"


@pytest.fixture
def project(running: Running, request: pytest.FixtureRequest) -> int:
    return running.bring_in(request.node.name, zipped(two_classes(each=24)))


@pytest.fixture
def screen(running: Running, project: int, tmp_path: Path) -> Iterator[Screen]:
    recipe: Any = small_recipe(epochs=2)
    recipe["settings"]["keep"] = "last"
    # The Run sheet is set as the last run was.
    running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": recipe})
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/runs")
    screen.reads("[data-testid=run-result]", "validation picture")
    yield screen
    assert screen.complaints() == []
    browser.quit()


def _field(screen: Screen, label: str, value: str) -> None:
    path = f"//label[starts-with(normalize-space(.), '{label}')]/following::input[1]"
    field = screen.until(label, lambda: screen.browser.find_elements("xpath", path))[0]
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys(value)


def _choose(screen: Screen, words: str) -> None:
    path = f"//*[@role='radio'][starts-with(normalize-space(.), '{words}')]"
    screen.until(words, lambda: screen.browser.find_elements("xpath", path))[0].click()


def test_a_search_of_six_goes_from_its_plan_to_a_winner_to_final_training_to_release(screen: Screen) -> None:
    screen.press("plan several")
    screen.reads("[data-testid=plan-cost]", "24 trainings")
    # The network is no question here.
    screen.one("[data-knob=network] [aria-label='Network: leave as it is']").click()
    Select(screen.one("[data-testid=vary-also]")).select_by_value("batch_size")
    screen.type("[data-knob=batch_size] input", "8, 16")
    _field(screen, "Trials", "6")
    _field(screen, "First compared after", "1")
    screen.reads("[data-testid=plan-cost]", "6 trainings, 8 epochs")
    # A range the wrong way round is told before anything trains.
    screen.type("[aria-label='Learning rate, from']", "0.5")
    screen.reads("[role=alert]", "smaller end first")
    screen.type("[aria-label='Learning rate, from']", "0.001")
    screen.until("no alert", lambda: not screen.all("[role=alert]"))
    screen.type("[aria-label='What it is called, by which it is found again']", "Which rate")
    screen.press("Begin")
    screen.until("the plan has ended", lambda: screen.all("[data-testid=plan][data-state=ended]"))
    screen.reads("[data-testid=plan-ending]", "6 were begun, 2 trained to their end, 4 dropped early.")
    screen.reads("[data-testid=plan-best]", "chosen among 6 trials")
    screen.reads("[data-testid=plan-best]", "pictures by which it was not chosen")
    screen.reads("[data-testid=trust]", "Below 8 trials nothing is said")
    assert len(screen.all(_TRIALS)) == 6
    assert len(screen.all("[data-curve]")) == 6
    assert {entry.get_attribute("data-strip") for entry in screen.all("[data-strip]")} == {
        "learning_rate", "strength", "weight_decay", "batch_size",
    }  # fmt: skip
    # A part of a strip sifts the table, by keys as by dragging.
    strip = screen.one("[data-strip=batch_size] [role=group]")
    strip.send_keys(Keys.ARROW_RIGHT)
    screen.until("fewer trials", lambda: 0 < len(screen.all(_TRIALS)) < 6)
    assert all("16" in row.text for row in screen.all(_TRIALS))
    strip.send_keys(Keys.DELETE)
    screen.until("all trials", lambda: len(screen.all(_TRIALS)) == 6)
    # Those with the whole budget answer as one; what comes of it is a run.
    screen.press("Answer together")
    screen.one("form button[type=submit]").click()
    screen.was_said("the run stands in the Ledger then")
    # One of them becomes a run like any other.
    screen.one("[aria-label$='to Ledger']").click()
    screen.reads("[data-testid=trials]", "in the Ledger")
    screen.press("Final training")
    screen.reads("[data-testid=run-result]", "Learnt from all")
    screen.reads("[data-testid=run-words]", "no validation score can be told")
    screen.until("both are listed", lambda: "together" in screen.one("[aria-label=Ledger]").text)
    screen.press("Try it and hand it over")
    screen.one("input[name=form]")
    screen.reads("[aria-label='Hand over']", "Hand over run")


def test_folds_show_each_one_their_mean_and_the_matrix_over_all(screen: Screen, project: int) -> None:
    screen.press("Plans")
    screen.says("No plan yet")
    screen.press("Plan several runs")
    _choose(screen, "How sure")
    screen.reads("[aria-label='What is varied']", "plain 4")
    _field(screen, "Folds", "3")
    screen.reads("[data-testid=plan-cost]", "3 trainings, 6 epochs")
    screen.press("Begin")
    screen.until("the plan has ended", lambda: screen.all("[data-testid=plan][data-state=ended]"))
    screen.reads("[data-testid=folds-found]", "accuracy, 95 % between")
    screen.reads("[data-testid=fold-matrix]", "answers wrong")
    assert len(screen.all("[data-fold]")) == 3
    screen.one("[data-fold] text[role=button]").click()
    screen.reads("[data-testid=run-result]", "validation picture")
    screen.press("‹ Its plan")
    screen.one("[data-testid=fold-matrix]")
    screen.press("Review all these answers")
    screen.reads("[data-testid=verdict]", "held-out picture")
    screen.says("Each picture answered by the fold that had not learnt from it")
    screen.press("Release")
    screen.says("is what folds answered")
    screen.press("Open the plan")
    screen.press("‹ Plans")
    screen.reads("[data-testid=plans]", "How sure")


def test_a_plan_is_paused_goes_on_elsewhere_and_is_given_more(
    screen: Screen, running: Running, project: int, tmp_path: Path
) -> None:
    recipe: Any = small_recipe(epochs=400)
    body = {
        "kind": "trials", "question": "A long one", "recipe": recipe, "trials": 3,
        "space": [{"name": "learning_rate", "low": 0.001, "high": 0.01, "by_ratio": True}],
    }  # fmt: skip
    plan = running.ask("POST", f"/api/projects/{project}/plans", json=body)
    screen.open(f"/p/{project}/runs?plan={plan['id']}")
    screen.reads("[data-testid=trainers]", "A long one: trial 1")
    screen.press("Pause")
    screen.until("it is paused", lambda: screen.all("[data-testid=plan][data-state=paused]"))
    # Another window sees the same and lets it go on; this one follows.
    other = Screen(open_browser(tmp_path), running.address)
    other.open(f"/p/{project}/runs?plan={plan['id']}")
    other.press("Go on")
    screen.until("it runs", lambda: screen.all("[data-testid=plan][data-state=running]"))
    other.browser.quit()
    screen.press("Add trials")
    _field(screen, "Further trials", "2")
    screen.one("form button[type=submit]").click()
    screen.reads("[data-testid=plan-progress]", "of 5 begun")
    screen.press("Stop")
    screen.reads("[data-testid=plan-ending]", "Stopped by hand")
