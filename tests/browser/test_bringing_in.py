"""Every way in and every way out, in a real browser."""

import zipfile
from collections.abc import Iterator
from pathlib import Path
from zlib import crc32

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.screen import Screen, open_browser
from tests.buckets import served
from tests.pictures import png, zipped
from tests.running import Running, until
from vast_orchard.demo.bucket import StandIn

pytestmark = pytest.mark.browser


def _write(folder: Path, members: dict[str, bytes]) -> Path:
    for name, data in members.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)
    return folder


def _classes(*names: str, count: int = 6) -> dict[str, bytes]:
    # Seeds by name, so that two classes never share a picture.
    return {f"{name}/{n}.png": png(crc32(name.encode()) % 10**6 + n) for name in names for n in range(count)}


@pytest.fixture(scope="module")
def running(open_folder: Path) -> Iterator[Running]:
    _write(open_folder / "allowed" / "winter", _classes("plate", "rime"))
    _write(open_folder / "buckets" / "field" / "2026", _classes("column", "needle"))
    with served(StandIn(folder=open_folder / "buckets", key="ridge")) as url:
        app = Running(
            open_folder / "ways", import_roots=str(open_folder / "allowed"),
            bucket_url=url, bucket_key="ridge", bucket_secret="secret",
        )  # fmt: skip
        app.wait_ready()
        yield app
        app.stop()


@pytest.fixture
def screen(running: Running, tmp_path: Path) -> Iterator[Screen]:
    browser = open_browser(tmp_path)
    yield Screen(browser, running.address)
    browser.quit()


def _project(screen: Screen, name: str) -> None:
    screen.open("/")
    screen.press("New project")
    screen.type("[role=dialog] input", name)
    screen.press("Make project")
    screen.says("No pictures yet")
    screen.press("Bring in pictures")
    screen.says("From this computer")


def _planned(screen: Screen) -> dict[str, int]:
    """Classes of the plan with their counts, as they can be read."""
    screen.until("the plan is fresh", lambda: screen.all("[data-testid=plan][aria-busy=false] li[data-class]"))
    found = {}
    for row in screen.all("[data-testid=plan] li[data-class]"):
        count = row.find_element(By.CSS_SELECTOR, "span.text-quiet").text
        found[str(row.get_attribute("data-class")) or "unlabelled"] = int(count.replace(",", ""))
    return found


def _rows(screen: Screen) -> dict[str, int]:
    heads = [head.text.split("\n") for head in screen.all("[data-row] [role=rowheader]") if head.text]
    return {words[-2]: int(words[-1]) for words in heads}


def test_names_by_a_pattern_renamed_merged_and_a_part_of_them(screen: Screen, tmp_path: Path) -> None:
    members = {
        f"all/{c}-{n:02}.png": png(40 * k + n) for k, c in enumerate(("plate", "plates", "rime")) for n in range(9)
    }
    (tmp_path / "names.zip").write_bytes(zipped(members))
    _project(screen, "By name")
    screen.one("input[aria-label='Archive']").send_keys(str(tmp_path / "names.zip"))
    screen.until("the likeliest plan", lambda: _planned(screen) == {"plate": 9, "plates": 9, "rime": 9})
    pattern = "input[spellcheck=false]"
    assert screen.one(pattern).get_attribute("value") == "{class}-{number}"

    # While it is typed, it says what it finds, or what is wrong with it and where.
    screen.type(pattern, "{class}-{numbre}")
    screen.reads("[role=alert]", "There is no placeholder {numbre}")
    assert not screen.all("button:not([disabled])[title='Ctrl + Enter']")
    screen.type(pattern, "{class}-0{number}")
    screen.reads("[aria-label='What the pattern finds']", "rime-00.png")
    screen.type(pattern, "{class}-{number}")

    field = screen.one("input[aria-label='Name of plates']")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("plate", Keys.ENTER)
    screen.until("merged", lambda: _planned(screen) == {"plate": 18, "rime": 9})
    screen.press("Put back")
    screen.until("apart again", lambda: _planned(screen) == {"plate": 9, "plates": 9, "rime": 9})
    field = screen.one("input[aria-label='Name of plates']")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("plate", Keys.ENTER)
    screen.until("merged again", lambda: _planned(screen) == {"plate": 18, "rime": 9})

    screen.all("input[name=part]")[1].click()
    part = screen.one("fieldset input[inputmode]")
    part.send_keys(Keys.CONTROL, "a")
    part.send_keys("4")
    screen.until("a part", lambda: _planned(screen) == {"plate": 4, "rime": 4})
    screen.reads("[data-testid=plan-words]", "19 left out for now")
    screen.until("it can be decided", lambda: screen.all("button:not([disabled])[title='Ctrl + Enter']"))
    screen.keys(Keys.ENTER, ctrl=True)
    screen.reads("[data-testid=import-report]", "8 new pictures")
    screen.see_the_pictures()
    screen.until("the rows", lambda: _rows(screen) == {"plate": 4, "rime": 4})

    # The rest comes later, and all that came goes at once.
    screen.press("Bring in pictures")
    screen.press("Bring in the rest")
    screen.reads("[data-testid=plan-words]", "19 new pictures, 8 here already")
    # A browser logs every refusal, and the wrong pattern was one.
    assert [words for words in screen.complaints() if "/plan - Failed to load" not in words] == []


def test_pictures_of_another_project(screen: Screen, running: Running) -> None:
    running.bring_in(
        "Far ridge", zipped({f"{c}/{n}.png": png(70 * k + n) for k, c in enumerate("ab") for n in range(3)})
    )
    _project(screen, "Taken over")
    Select(screen.one("[aria-label='Other project']")).select_by_visible_text("Far ridge")
    screen.press("Read its pictures")
    screen.until("its classes", lambda: _planned(screen) == {"a": 3, "b": 3})
    screen.bring_in_what_is_planned()
    screen.until("the rows", lambda: _rows(screen) == {"a": 3, "b": 3})
    screen.press("Bring in pictures")
    Select(screen.one("[aria-label='Other project']")).select_by_visible_text("Far ridge")
    screen.press("Take its ingredients")
    screen.was_said("Far ridge keeps nothing by name that is not here.")


def _whole(folder: Path, pattern: str) -> Path | None:
    """What was downloaded: the browser makes the file first and fills it then."""
    return next(filter(zipfile.is_zipfile, folder.glob(pattern)), None)


def test_a_class_and_a_folder_are_left_out(screen: Screen, tmp_path: Path) -> None:
    members = {
        f"{c}/{d}/{n}.png": png(100 * k + 10 * len(d) + n)
        for k, c in enumerate(("plate", "rime")) for d in ("fresh", "old") for n in range(4)
    }  # fmt: skip
    (tmp_path / "ridge.zip").write_bytes(zipped(members))
    _project(screen, "Left out")
    screen.one("input[aria-label='Archive']").send_keys(str(tmp_path / "ridge.zip"))
    screen.until("the plan", lambda: _planned(screen) == {"plate": 8, "rime": 8})
    screen.one("[aria-label='Leave out rime']").click()
    screen.until("one class", lambda: _planned(screen) == {"plate": 8, "rime": 0})
    screen.one("[data-testid=folders] summary").click()
    screen.one("[data-testid=folders] li label:has([title='plate/old']) input").click()
    screen.until("half of it", lambda: _planned(screen) == {"plate": 4, "rime": 0})
    screen.reads("[data-testid=plan-words]", "4 new pictures, 12 left out for now")
    screen.one("[aria-label='Take rime']").click()
    screen.until("it is in again", lambda: _planned(screen) == {"plate": 4, "rime": 8})
    screen.one("[aria-label='Leave out rime']").click()
    screen.until("and out", lambda: _planned(screen) == {"plate": 4, "rime": 0})
    screen.until("it can be decided", lambda: screen.all("button:not([disabled])[title='Ctrl + Enter']"))
    screen.keys(Keys.ENTER, ctrl=True)
    screen.reads("[data-testid=import-report]", "4 new pictures")
    screen.see_the_pictures()
    screen.until("the rows", lambda: _rows(screen) == {"plate": 4})


def test_a_table_beside_its_pictures(screen: Screen, tmp_path: Path) -> None:
    rows = [
        f"{n}.png,{'plate' if n % 2 else 'rime'},{'S1' if n < 5 else 'S2'},{'faint' if n == 1 else ''}"
        for n in range(10)
    ]
    table = "\n".join(["picture,kind,station,remark", *rows, "gone.png,plate,S1,"])
    folder = _write(tmp_path / "field", {**{f"{n}.png": png(n) for n in range(10)}, "log.csv": table.encode()})
    _project(screen, "By table")
    screen.drop(screen.one("section[aria-label='Bring in pictures']"), folder)
    screen.until("the table's plan", lambda: _planned(screen) == {"plate": 5, "rime": 5})
    screen.says("2 groups of pictures that belong together")
    screen.says("1 row names files that are not here, such as gone.png")
    Select(screen.all("select")[1]).select_by_visible_text("station")
    screen.until("another column", lambda: _planned(screen) == {"S1": 5, "S2": 5})
    Select(screen.all("select")[1]).select_by_visible_text("kind")
    screen.until("the first again", lambda: _planned(screen) == {"plate": 5, "rime": 5})
    screen.bring_in_what_is_planned()
    screen.until("the rows", lambda: _rows(screen) == {"plate": 5, "rime": 5})
    # The note came along, and can be written anew in the Close-up.
    # A tile is named once its facts have come.
    first = screen.until("its name", lambda: screen.all("[role=gridcell][title^='1.png']"))
    screen.double_click(first[0])
    note = screen.one("textarea[aria-label=Note]")
    assert note.get_attribute("value") == "faint"
    note.send_keys(" and small", Keys.ENTER)
    screen.keys(Keys.ESCAPE)
    screen.keys("z", ctrl=True)
    screen.was_said("Taken back: Note on 1.png")


def test_folders_of_the_server_and_a_bucket(screen: Screen) -> None:
    _project(screen, "From elsewhere")
    screen.press("Browse the server")
    screen.one("[data-testid=server-folder] li button").click()
    screen.press("winter/")
    screen.press("Read this folder")
    screen.until("the folder's plan", lambda: _planned(screen) == {"plate": 6, "rime": 6})
    screen.bring_in_what_is_planned()
    screen.press("Bring in pictures")
    screen.type("input[aria-label='Bucket and prefix']", "field/2026/")
    screen.press("Read the bucket")
    screen.until("the bucket's plan", lambda: _planned(screen) == {"column": 6, "needle": 6})
    screen.bring_in_what_is_planned()
    screen.until("all rows", lambda: _rows(screen) == {"plate": 6, "rime": 6, "column": 6, "needle": 6})
    screen.press("Bring in pictures")
    screen.type("input[aria-label='Bucket and prefix']", "summer")
    screen.press("Read the bucket")
    screen.reads("[role=alert]", "There is no such bucket")
    screen.press("Forget it")
    screen.says("From this computer")


def test_the_camera(screen: Screen) -> None:
    _project(screen, "From the camera")
    screen.press("Use the camera")
    screen.until(
        "a picture moves",
        lambda: screen.browser.execute_script("return document.querySelector('video')?.videoWidth > 0"),
    )
    screen.type("input[list='camera-classes']", "figure")
    screen.press("Take a shot")
    screen.until("one shot", lambda: len(screen.all("[data-testid=shots] img")) == 1)
    screen.browser.execute_script("document.activeElement.blur()")
    screen.keys(" ")
    screen.until("a shot by the key", lambda: len(screen.all("[data-testid=shots] img")) == 2)
    seconds = screen.one("input[inputmode=decimal]")
    seconds.send_keys(Keys.CONTROL, "a")
    seconds.send_keys("1")
    screen.press("Start the timer")
    screen.until("shots by the timer", lambda: len(screen.all("[data-testid=shots] img")) >= 4)
    screen.press("Stop the timer")
    screen.press("Read ")
    assert next(iter(_planned(screen))) == "figure"
    screen.bring_in_what_is_planned()
    screen.until("the row", lambda: _rows(screen).get("figure", 0) >= 1)


def test_nothing_found_says_where_it_looked_and_what_it_saw(screen: Screen, tmp_path: Path) -> None:
    (tmp_path / "papers.zip").write_bytes(zipped({"docs/a.pdf": b"1", "docs/old/b.xls": b"2"}))
    _project(screen, "Nothing")
    screen.one("input[aria-label='Archive']").send_keys(str(tmp_path / "papers.zip"))
    for words in ("docs, docs/old", "2 files", "not a picture file (.pdf)", "Picture files ending in .jpg"):
        screen.reads("[data-testid=nothing-found]", words)
    screen.press("Choose another source")
    screen.says("From this computer")


def test_dropped_on_a_row_deleted_and_taken_back(screen: Screen, tmp_path: Path) -> None:
    _project(screen, "Bin")
    screen.one("input[aria-label='Folder']").send_keys(str(_write(tmp_path / "w", _classes("plate", "rime"))))
    screen.bring_in_what_is_planned()
    screen.until("the rows", lambda: _rows(screen) == {"plate": 6, "rime": 6})
    more = _write(tmp_path / "more", {"x.png": png(900), "y.png": png(901)})
    screen.drop(screen.all("[role=gridcell]")[0], more / "x.png", more / "y.png")
    screen.until("proposed as plate", lambda: _planned(screen) == {"plate": 2})
    screen.bring_in_what_is_planned()
    screen.until("more plates", lambda: _rows(screen) == {"plate": 8, "rime": 6})

    screen.all("[role=gridcell]")[0].click()
    screen.click_with(Keys.SHIFT, screen.all("[role=gridcell]")[2])
    screen.keys(Keys.DELETE)
    screen.until("three less", lambda: _rows(screen) == {"plate": 5, "rime": 6})
    screen.press("Undo")
    screen.until("back", lambda: _rows(screen) == {"plate": 8, "rime": 6})
    screen.press("Undo")
    screen.until("the import is taken back", lambda: _rows(screen) == {"plate": 6, "rime": 6})
    screen.press("Bin 2")
    screen.until("two in the bin", lambda: len(screen.all("[aria-label='Pictures in the bin'] img")) == 2)
    screen.all("[aria-label='Pictures in the bin'] button")[0].click()
    screen.press("Put back 1 chosen")
    screen.until("one in the bin", lambda: len(screen.all("[aria-label='Pictures in the bin'] img")) == 1)
    screen.press("Empty the bin")
    screen.press("Remove for good")
    screen.says("The bin is empty")
    screen.press("← Rows")
    screen.until("seven plates", lambda: _rows(screen) == {"plate": 7, "rime": 6})


def test_what_is_taken_out_comes_in_again(screen: Screen, tmp_path: Path) -> None:
    _project(screen, "There and back")
    screen.one("input[aria-label='Folder']").send_keys(str(_write(tmp_path / "w", _classes("plate", "rime"))))
    screen.bring_in_what_is_planned()
    screen.press("Take out")
    screen.type("[role=dialog] label:nth-of-type(2) input", "Ridge Station")
    screen.press("Pack it")
    screen.press("Download")
    packed = Path(until("the zip is there", lambda: _whole(tmp_path, "there-and-back-pictures-*.zip")))
    until("it is whole", lambda: zipfile.is_zipfile(packed))
    assert sorted(zipfile.ZipFile(packed).namelist())[:2] == ["croissant.json", "pictures.csv"]
    screen.one("[role=dialog] [role=radio]:last-child").click()
    screen.says("One archive file")
    screen.press("Pack it")
    screen.until("both parcels", lambda: len(screen.all("[data-testid=parcel] a")) == 2)
    screen.all("[data-testid=parcel] a")[0].click()
    archive = Path(until("the archive is there", lambda: _whole(tmp_path, "*-project-*.zip")))
    until("it is whole too", lambda: zipfile.is_zipfile(archive))
    screen.reads("[data-testid=disk]", "pictures ")

    screen.open("/")
    screen.one("input[aria-label='Project archive']").send_keys(str(archive))
    screen.press("There and back (2)")
    screen.until("the rows", lambda: _rows(screen) == {"plate": 6, "rime": 6})
    _project(screen, "Again")
    screen.one("input[aria-label='Archive']").send_keys(str(packed))
    screen.until("the table's plan", lambda: _planned(screen) == {"plate": 6, "rime": 6})
    screen.says("the table pictures.csv")
    assert screen.complaints() == []
