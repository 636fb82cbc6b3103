"""The whole way in a real browser: from a zip of pictures to an export that an independent runtime answers alike."""

import csv
import io
import json
import re
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, zipped
from tests.running import Running, until

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def running(open_folder: Path) -> Iterator[Running]:
    app = Running(open_folder / "whole-way")
    app.wait_ready()
    yield app
    app.stop()


@pytest.fixture
def screen(running: Running, tmp_path: Path) -> Iterator[Screen]:
    browser = open_browser(tmp_path)
    yield Screen(browser, running.address)
    browser.quit()


def _make_project(screen: Screen, name: str, archive: Path) -> None:
    screen.open("/")
    screen.press("New project")
    screen.type("[role=dialog] input", name)
    screen.press("Make project")
    screen.says("No pictures yet")
    screen.press("Bring in pictures")
    screen.one("input[aria-label='Archive']").send_keys(str(archive))


def _count_of(screen: Screen, row: str) -> int:
    head = screen.one(f"[data-row='{row}'] [role=rowheader]")
    return int(head.text.split()[-1].replace(",", ""))


def _row_of(screen: Screen, name: str) -> str:
    """The key of the row whose head has this name."""

    def found() -> str | None:
        for line in screen.all("[data-row]"):
            if any(name in head.text.split("\n") for head in line.find_elements(By.CSS_SELECTOR, "[role=rowheader]")):
                return line.get_attribute("data-row")
        return None

    return str(screen.until(f"a row named {name}", found))


def _tiles(screen: Screen, row: str) -> list[str]:
    return [str(tile.get_attribute("data-picture")) for tile in screen.all(f"[data-row='{row}'] [role=gridcell]")]


def test_from_pictures_to_a_verified_export(screen: Screen, crystals: Path, tmp_path: Path) -> None:
    planted = json.loads((crystals / "planted.json").read_text())
    archive = tmp_path / "ridge.zip"
    folder = crystals / "ridge-station"
    archive.write_bytes(
        zipped({str(p.relative_to(crystals)): p.read_bytes() for p in folder.rglob("*") if p.is_file()})
    )

    # Bring in: the tray follows the job, and Rows shows what the generator's list says.
    _make_project(screen, "Ridge", archive)
    screen.bring_in_what_is_planned()
    first = {entry["draw"] if entry["fault"] == "exact_copy" else entry["number"] for entry in planted["pictures"]}
    screen.reads("[data-testid=chosen]", f"{len(first)} pictures")
    unlabelled = sum(entry["fault"] == "unlabelled" for entry in planted["pictures"])
    screen.until("so many are counted", lambda: _count_of(screen, "unlabelled") == unlabelled)
    _five_sizes(screen)
    _sort(screen, unlabelled)
    _divide_and_vary(screen)
    _train(screen)
    _review(screen)
    _release(screen, folder, tmp_path)
    assert screen.complaints() == []


# How many different colours the first tile of the field shows.
_COLOURS = """
const canvas = document.querySelector('[data-testid=field] canvas');
const side = Math.round(arguments[0] * devicePixelRatio);
const data = canvas.getContext('2d').getImageData(176 * devicePixelRatio, 4 * devicePixelRatio, side, side).data;
const found = new Set();
for (let at = 0; at < data.length; at += 4) found.add((data[at] << 16) | (data[at + 1] << 8) | data[at + 2]);
return found.size;
"""


def _five_sizes(screen: Screen) -> None:
    for size in (12, 24, 104, 200, 56):
        screen.one(f"[role=radio][title='{size} pixels']").click()
        screen.until(f"tiles of {size}", partial(screen.all, f"[role=gridcell][style*='width: {size}px']"))
        screen.until("the screen is painted", partial(screen.all, "canvas[data-painted=whole]"))
        # A crystal on its plate has many colours, an empty tile has one.
        assert screen.browser.execute_script(_COLOURS, size) > 20


def _sort(screen: Screen, unlabelled: int) -> None:
    needle = _row_of(screen, "needle")
    column = _row_of(screen, "column")
    needles, columns = _count_of(screen, needle), _count_of(screen, column)

    # By key: the first class in the order is column.
    ids = _tiles(screen, "unlabelled")
    screen.one(f"[data-picture='{ids[0]}']").click()
    screen.keys("1")
    screen.until("one more column", lambda: _count_of(screen, column) == columns + 1)
    screen.keys("z", ctrl=True)
    screen.until("taken back", lambda: _count_of(screen, column) == columns)
    screen.until("so many are counted", lambda: _count_of(screen, "unlabelled") == unlabelled)

    # By dragging a range, chosen with shift, to another row.
    screen.one(f"[data-picture='{ids[0]}']").click()
    screen.click_with(Keys.SHIFT, screen.one(f"[data-picture='{ids[2]}']"))
    screen.reads("[data-testid=chosen]", "3 pictures chosen")
    screen.drag(screen.one(f"[data-picture='{ids[1]}']"), screen.one(f"[data-row='{column}'] [role=gridcell]"))
    screen.until("three more columns", lambda: _count_of(screen, column) == columns + 3)
    screen.press("Undo")
    screen.until("taken back", lambda: _count_of(screen, column) == columns)

    # The rubber band, begun beside the tiles, chooses what it touches.
    head = screen.one("[data-row=unlabelled] [role=rowheader]")
    screen.drag(head, head, by=(260, 20))
    chosen = screen.until("some are chosen", lambda: screen.all("[role=gridcell][aria-selected=true]"))
    assert 1 < len(chosen) <= unlabelled
    screen.keys(Keys.ESCAPE)

    # By letters, into a class that is new and then renamed.
    screen.press("New class")
    screen.type("[role=dialog] input", "bullet / 子弹")
    screen.press("Make class")
    bullet = _row_of(screen, "bullet / 子弹")
    screen.until("so many are counted", lambda: _count_of(screen, bullet) == 0)
    screen.one(f"[data-picture='{ids[0]}']").click()
    screen.keys("l")
    screen.type("[role=dialog] input", "子")
    screen.keys(Keys.ENTER)
    screen.until("one bullet", lambda: _count_of(screen, bullet) == 1)
    screen.one(f"[data-row='{bullet}'] [role=rowheader] button").click()
    screen.press("Name, sign, colour")
    screen.type("[role=dialog] input", "rosette")
    screen.press("Change class")
    assert _row_of(screen, "rosette") == bullet
    screen.one("[data-testid=field]").click()
    for _ in range(2):
        screen.press("Undo")
    screen.until("all are unlabelled again", lambda: _count_of(screen, "unlabelled") == unlabelled)

    # The Close-up: by double click, on to the next, and closed; the keyboard opens it too.
    screen.one("canvas[data-painted=whole]")
    screen.double_click(screen.one(f"[data-picture='{ids[0]}']"))
    name = screen.one("[role=dialog] img").get_attribute("alt")
    screen.says("Came in once")
    screen.keys(Keys.ARROW_RIGHT)
    screen.until("another picture", lambda: screen.one("[role=dialog] img").get_attribute("alt") != name)
    screen.keys(Keys.ESCAPE)
    screen.until("it is closed", lambda: not screen.all("[role=dialog]"))
    screen.one("[data-testid=field]").send_keys(Keys.ARROW_RIGHT, Keys.ENTER)
    screen.one("[role=dialog] img")
    screen.keys(Keys.ESCAPE)
    screen.until("so many are counted", lambda: _count_of(screen, needle) == needles)


def _divide_and_vary(screen: Screen) -> None:
    screen.press("Divide")
    screen.says("Not divided yet")
    screen.one("[role=dialog]").find_element(By.XPATH, ".//button[normalize-space(.)='Divide']").click()
    screen.reads("[data-testid=split-counts]", "at random with seed 1")
    # The class that was made above has no pictures and is in no set; every other is in all three.
    screen.keys(Keys.ESCAPE)
    screen.press("Runs")
    screen.one("[data-testid=run-sheet] [data-ingredient=variation]").click()

    def drawn() -> str | None:
        return screen.one("[data-testid=variation-sheet] img").get_attribute("src")

    source = drawn()
    screen.press("Draw again")
    screen.until("another preview", lambda: drawn() != source)
    screen.press("‹ Run sheet")


def _train(screen: Screen) -> None:
    screen.one("[data-ingredient=network]").click()
    Select(screen.one("[aria-label='Which network']")).select_by_value("plain 4")
    screen.reads("[data-testid=network-facts]", "parameters")
    screen.press("‹ Run sheet")
    screen.reads("[data-ingredient=network]", "plain 4")
    screen.press("Schedule")
    fields = screen.until(
        "the schedule's fields", lambda: screen.all("[data-testid=run-sheet] input[inputmode=decimal]")
    )
    fields[0].send_keys(Keys.CONTROL, "a")
    fields[0].send_keys("12")
    screen.press("Train")
    screen.press("Pass over, and train carefully")
    screen.reads("[data-testid=run-progress]", "Epoch")
    screen.says("1 under way")
    screen.until("live curves", lambda: screen.all("[data-testid=curves-loss] path"))
    screen.browser.refresh()
    screen.until("curves after a reload", lambda: screen.all("[data-testid=curves-accuracy] path"))
    screen.reads("[data-testid=run-result]", "validation picture")
    screen.says("All 12 epochs done. Epoch")
    screen.says("kept:")


def _review(screen: Screen) -> None:
    screen.press("Review")
    screen.reads("[data-testid=verdict]", "validation pictures")
    assert "the largest class alone" in screen.one("[data-testid=verdict]").text
    assert len(screen.all("[data-testid=scores] tbody tr")) == 7
    cells = [
        (cell, int(cell.text))
        for cell in screen.all("[data-testid=matrix] [role=gridcell]")
        if cell.text and len(set(str(cell.get_attribute("data-cell")).split(">"))) == 2
    ]
    assert cells, "a network of twelve quick epochs errs somewhere"
    cell, count = max(cells, key=lambda pair: pair[1])
    truth, predicted = str(cell.get_attribute("data-cell")).split(">")
    cell.click()
    screen.reads("[data-testid=outcomes-title]", f"{truth} read as {predicted}")

    def said() -> list[str]:
        return [str(tile.get_attribute("aria-label")) for tile in screen.all("[data-testid=field] [role=gridcell]")]

    screen.until("exactly the cell's pictures", lambda: len(said()) == count)
    losses = [float(re.findall(r"loss (\S+)", words)[0]) for words in said()]
    assert losses == sorted(losses, reverse=True)
    assert all(f"{truth}, validation, read as {predicted}" in words for words in said())

    # One keystroke mends a label; the Footing says so, and Ctrl + Z takes it back.
    names = ["column", "dendrite", "graupel", "needle", "plate", "sectored", "stellar"]
    screen.one("[data-testid=field] [role=gridcell]").click()
    screen.keys(str(names.index(predicted) + 1))
    screen.reads("[data-testid=footing]", "1 label changed since")
    screen.until("the tile says so", lambda: f"{predicted}, validation, read as {predicted}" in said()[0])
    screen.keys("z", ctrl=True)
    screen.until("mended back", lambda: "changed since" not in screen.one("[data-testid=footing]").text)
    # Both directions by one double click, a whole line by its name.
    screen.double_click(screen.one(f"[data-cell='{truth}>{predicted}']"))
    screen.reads("[data-testid=outcomes-title]", f"{predicted} read as {truth}")
    screen.one(f"button[aria-label='All that are {truth}']").click()
    screen.reads("[data-testid=outcomes-title]", f"all that are {truth}")
    screen.press("across")
    screen.reads("[data-testid=matrix]", "predicted ↓")
    screen.one(f"[data-cell='{truth}>{predicted}']").click()
    screen.reads("[data-testid=outcomes-title]", f"{truth} read as {predicted}")
    screen.press("down")
    screen.press("as a file")
    screen.reads("[role=dialog]", "Confusion matrix as a file")
    screen.one("[role=dialog] a[href*='matrix.csv']")
    screen.keys(Keys.ESCAPE)
    screen.until("it is closed", lambda: not screen.all("[role=dialog]"))
    screen.one("[data-testid=field] [role=gridcell]").click()
    # The Close-up tells what the run said; the same pictures can be worked on in Rows.
    screen.one("[data-testid=field]").send_keys(Keys.ENTER)
    screen.reads("[data-testid=said]", f"Run 1, validation: {predicted}")
    screen.keys("w")
    screen.one("[data-testid=heatmap]")
    screen.reads("[data-testid=heat-words]", predicted)
    Select(screen.one("select[aria-label='By what']")).select_by_visible_text("covering parts of it")
    screen.reads("[data-testid=heat-words]", "likely")
    Select(screen.one("select[aria-label='For which class']")).select_by_visible_text(truth)
    screen.reads("[data-testid=heat-words]", truth)
    screen.keys(Keys.ESCAPE)
    screen.until("it is closed", lambda: not screen.all("[role=dialog]"))
    screen.press("In Rows")
    screen.reads("[data-testid=chosen]", f"{count} picture")
    _sift_at_the_terminal(screen, truth, predicted, count)
    screen.browser.back()
    screen.reads("[data-testid=outcomes-title]", f"{truth} read as {predicted}")

    # The test set on demand, counted.
    screen.press("Look at the test set")
    screen.reads("[data-testid=verdict]", "test pictures")
    screen.says("looked at 1 time")
    screen.press("Back to validation")
    screen.reads("[data-testid=verdict]", "validation pictures")
    screen.says("(1 so far)")

    _how_sure(screen)

    # In Rows the Sift shows validation too, and the test set only under a look of its own.
    def judged() -> int:
        found = re.match(r"([\d,]+) picture", screen.one("[data-testid=chosen]").text)
        return int(found[1].replace(",", "")) if found else 0

    screen.press("Rows")
    pictures = screen.until("all pictures", judged)
    screen.type("#sift-line", "judged")
    screen.keys(Keys.ENTER)
    screen.one("[data-testid=field]")
    validation = screen.until("the judged ones", lambda: 0 < judged() < pictures and judged())
    screen.press("Look at the test set too (1 so far)")
    screen.says("with the test set, looked at 2 times")
    screen.until("test pictures too", lambda: judged() > validation)
    screen.browser.refresh()
    screen.button("Look at the test set too (2 so far)")
    screen.until("validation alone again", lambda: judged() == validation)
    screen.press("Review")
    screen.reads("[data-testid=verdict]", "validation pictures")


def _how_sure(screen: Screen) -> None:
    """Intervals and calibration, and from there the threshold that goes along with the model."""
    screen.press("How sure")
    screen.reads("[data-testid=figures]", "weighted precision")
    assert len(screen.all("[data-testid=class-figures] tbody tr")) == 7
    screen.reads("[data-testid=calibration]", "by the other four")
    screen.reads("[data-testid=unsure]", "never says")
    answered = screen.one("[data-testid=answered]").text
    screen.one("input[aria-label='Unsure below']").send_keys(Keys.HOME)
    screen.until("all are answered", lambda: "answers 100 %" in screen.one("[data-testid=answered]").text != answered)
    screen.one("input[aria-label='Unsure below']").send_keys(Keys.END)
    screen.until("hardly any is", lambda: "answers 100 %" not in screen.one("[data-testid=answered]").text)
    screen.one("select[aria-label='Share of the answers that shall be right']").send_keys("0.9")
    screen.one("button[aria-label='Use the thresholds by class']").click()
    screen.reads("[data-testid=unsure]", "This model says")
    screen.one("[data-testid=unsure] button").click()
    screen.reads("[data-testid=unsure]", "never says")
    screen.one("input[aria-label='Unsure below']").send_keys(Keys.HOME)
    screen.press("Unsure below 0")
    screen.reads("[data-testid=unsure]", "below 0")
    # Training on demand: where most wrong labels are.
    screen.press("Training")
    screen.press("Judge run 1")
    screen.reads("[data-testid=verdict]", "training pictures")
    screen.reads("[data-testid=answering]", "set on the validation pictures")
    screen.press("Validation")
    screen.press("Errors")
    screen.reads("[data-testid=verdict]", "validation pictures")


def _sift_at_the_terminal(screen: Screen, truth: str, predicted: str, count: int) -> None:
    """The same pictures with what the run said of them, as a table."""
    address, project = re.match(r"(http://[^/]+)/p/(\d+)/", screen.browser.current_url).groups()  # type: ignore[union-attr]
    run = parse_qs(urlsplit(screen.browser.current_url).query)["run"][0]
    sift = f"judged:validation true:{truth} predicted:{predicted}"
    command = [sys.executable, "-m", "vast_orchard.cli", "sift", sift, "--project", project, "--run", run]
    done = subprocess.run([*command, "--address", address], capture_output=True, text=True, check=True)
    rows = list(csv.DictReader(io.StringIO(done.stdout)))
    assert len(rows) == count
    assert {(row["true"], row["predicted"], row["judged_set"]) for row in rows} == {(truth, predicted, "validation")}
    assert all(float(row["p"]) > float(row["runner_up_p"]) for row in rows)


def _release(screen: Screen, folder: Path, downloads: Path) -> None:
    screen.press("Release")
    pictures = sorted((folder / "unlabelled").iterdir())[:3]
    screen.one("input[aria-label='Pictures to try']").send_keys("\n".join(map(str, pictures)))
    screen.reads("[data-testid=tried-words]", "3 pictures answered")
    dropped = sorted((folder / "plate").rglob("*.jpg"))[0]
    screen.drop(screen.one("[aria-label='Try pictures']"), dropped)
    screen.says(dropped.name)
    screen.reads("[data-testid=answer]", "; next ")
    assert len(screen.all("ul[aria-label='Tried pictures'] button")) == 4
    screen.all("ul[aria-label='Tried pictures'] button")[1].click()
    screen.says(pictures[0].name)
    rows = screen.one("[data-testid=probabilities]").text
    for name in ("needle", "column", "plate", "sectored", "stellar", "dendrite", "graupel"):
        assert name in rows
    # Above every probability, no class is named as the answer.
    screen.browser.execute_script(
        "const r = document.querySelector('input[type=range]');"
        "Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(r, 0.99);"
        "r.dispatchEvent(new Event('input', { bubbles: true }));"
    )
    sure = float(str(screen.one("[data-testid=probabilities] [data-p]").get_attribute("data-p")))
    screen.until(
        "no class is named below the threshold",
        lambda: screen.one("[data-testid=answer]").text.startswith("unsure") == (sure < 0.99),
    )
    assert screen.one("label input[type=checkbox]").is_selected()  # calibrated, since a threshold was set
    screen.press("Make the pack")
    screen.reads("[data-testid=proof]", "picture files")
    screen.press("Download")
    # The browser makes the file first and fills it then.
    pack = until("the download", lambda: next(filter(zipfile.is_zipfile, downloads.glob("ridge-run-*.zip")), None))
    unpacked = downloads / "unpacked"
    with zipfile.ZipFile(pack) as archive:
        archive.extractall(unpacked)
    done = subprocess.run(
        [sys.executable, "-I", str(unpacked / "predict.py"), str(pictures[0]), "--json"],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    said = json.loads(done.stdout)
    answer = said["probabilities"]
    assert said["unsure"] is False
    assert json.loads((unpacked / "model.json").read_text())["unsure_below"] == [0.0] * 7
    # The page rounds to three digits; the pack's own proof compared all of them.
    shown = dict(_probabilities_on_show(screen))
    assert shown.keys() == answer.keys()
    for name, p in answer.items():
        assert abs(shown[name] - p) < 0.0006
    assert json.loads((unpacked / "proof.json").read_text())["max_abs_difference"] <= 1e-4


def _probabilities_on_show(screen: Screen) -> list[tuple[str, float]]:
    rows = screen.all("[data-testid=probabilities] [data-p]")
    return [(str(row.get_attribute("data-class")), float(str(row.get_attribute("data-p")))) for row in rows]


def test_a_folder_and_two_windows_on_one_project(screen: Screen, running: Running, tmp_path: Path) -> None:
    for k, name in enumerate(("ice", "rime")):
        (tmp_path / "winter" / name).mkdir(parents=True)
        for n in range(4):
            (tmp_path / "winter" / name / f"{n}.png").write_bytes(png(n + 10 * k))
    screen.open("/")
    screen.press("New project")
    screen.type("[role=dialog] input", "Two windows")
    screen.press("Make project")
    screen.press("Bring in pictures")
    screen.one("input[aria-label='Folder']").send_keys(str(tmp_path / "winter"))
    screen.bring_in_what_is_planned()
    screen.reads("[data-testid=chosen]", "8 pictures")
    screen.until("so many are counted", lambda: _count_of(screen, _row_of(screen, "ice")) == 4)

    # Dropped on the field, a folder and a zip go the same way.
    (tmp_path / "later" / "hail").mkdir(parents=True)
    (tmp_path / "later" / "hail" / "9.png").write_bytes(png(99))
    screen.drop(screen.one("[data-testid=field]"), tmp_path / "later" / "hail")
    screen.bring_in_what_is_planned()
    screen.until("so many are counted", lambda: _count_of(screen, _row_of(screen, "hail")) == 1)
    (tmp_path / "zipped.zip").write_bytes(zipped({"hail/10.png": png(98)}))
    screen.drop(screen.one("[data-testid=field]"), tmp_path / "zipped.zip")
    screen.bring_in_what_is_planned()
    screen.reads("[data-testid=chosen]", "10 pictures")

    browser = open_browser(tmp_path)
    try:
        other = Screen(browser, running.address)
        browser.get(screen.browser.current_url)
        ice, rime = _row_of(other, "ice"), _row_of(other, "rime")
        other.until("so many are counted", lambda: _count_of(other, ice) == 4)
        # What one window does, the other shows by itself.
        screen.one(f"[data-row='{ice}'] [role=gridcell]").click()
        screen.keys("2")
        other.until("the other window sees it", lambda: (_count_of(other, ice), _count_of(other, rime)) == (3, 5))
        # It cannot take back what it did not do.
        other.press("Undo")
        other.reads("[role=alert]", "nothing to take back in this window")
        screen.press("Undo")
        other.until("taken back in both", lambda: (_count_of(other, ice), _count_of(other, rime)) == (4, 4))
    finally:
        browser.quit()


def test_a_hand_made_zip_with_a_wrapper_a_stray_file_and_a_broken_picture(screen: Screen, tmp_path: Path) -> None:
    members = {
        f"my winter/{name}/{n}.png": png(n + 40 * k, level=60 + 120 * k)
        for k, name in enumerate(("ice", "Schnee 雪"))
        for n in range(12)
    }
    members |= {"my winter/diary.txt": b"cold", "my winter/ice/broken.png": png(5)[:120]}
    archive = tmp_path / "winter.zip"
    archive.write_bytes(zipped(members))
    _make_project(screen, "By hand", archive)
    screen.bring_in_what_is_planned()
    screen.reads("[data-testid=chosen]", "24 pictures")
    screen.until("so many are counted", lambda: _count_of(screen, _row_of(screen, "ice")) == 12)
    screen.until("so many are counted", lambda: _count_of(screen, _row_of(screen, "Schnee 雪")) == 12)

    screen.press("Bring in pictures")
    screen.reads(
        "[data-testid=import-report]", "26 files read: 24 new pictures, 0 here already, 0 repeated within it, 2 skipped"
    )
    screen.says("Seen through: my winter")
    screen.press("What was skipped, and why")
    screen.says("my winter/diary.txt")
    screen.says("not a picture file (.txt)")
    screen.says("The picture is damaged")

    # The same zip again adds nothing.
    screen.one("input[aria-label='Archive']").send_keys(str(archive))
    screen.bring_in_what_is_planned()
    screen.was_said("Bring in winter.zip: Done")
    screen.press("Bring in pictures")
    screen.reads("[data-testid=import-report]", "0 new pictures, 24 here already")
    screen.keys(Keys.ESCAPE)

    # One click trains, after four questions that only a person can answer.
    screen.press("Runs")
    screen.press("Train")
    screen.says("Four questions about these pictures")
    answers = screen.all("[data-testid=first-questions] [role=radio]")
    next(answer for answer in answers if answer.text == "sideways").click()
    screen.press("Train with these answers")
    screen.reads("[data-ingredient=variation]", "mirror")
    screen.until("live curves", lambda: screen.all("[data-testid=curves-loss] path"))
    screen.says(" is kept.")
    # What was kept until then is the model.
    screen.press("Stop")
    screen.reads("[data-testid=run-result]", "validation picture")
    screen.press("Review")
    screen.reads("[data-testid=verdict]", "validation pictures")


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("nothing.zip", zipped({}), "The archive is empty"),
        ("false.zip", b"this is no zip", "is not a zip archive"),
        ("escape.zip", zipped({"../x.png": png(1)}), "points outside of it"),
        ("texts.zip", zipped({"a/b.txt": b"x"}), "No picture was found in texts.zip"),
    ],
)
def test_what_cannot_be_brought_in_says_so_on_the_page(
    screen: Screen, tmp_path: Path, name: str, data: bytes, words: str
) -> None:
    archive = tmp_path / name
    archive.write_bytes(data)
    _make_project(screen, f"Bad {name}", archive)
    screen.says(words)
    screen.says("No pictures yet")
