"""Takes the pictures of docs/screenshots from a running application with a trained demo project.

Usage: .venv/bin/python bench/screenshots.py ADDRESS [PROJECT]      for example http://127.0.0.1:8420 1

Starts a run for the picture of one under way, and stops it again.
"""

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import httpx2
from selenium import webdriver
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select, WebDriverWait

from vast_orchard.demo.write import PICTURES_FOLDER, write_collection

# Graphs as other programs write them are sketched by what the tests have for that.
sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.formats.graphs import Sketch

_TARGET = Path(__file__).parents[1] / "docs" / "screenshots"
_FLAGS = ("--headless", "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run")


def _browser() -> webdriver.Chrome:
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in (*_FLAGS, "--hide-scrollbars", f"--user-data-dir={tempfile.mkdtemp()}"):
        options.add_argument(flag)
    browser = webdriver.Chrome(options=options, service=webdriver.ChromeService("/usr/bin/chromedriver"))
    size = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)  # type: ignore[no-untyped-call]
    return browser


class _Camera:
    def __init__(self, address: str, project: str) -> None:
        self.browser = _browser()
        self.address, self.project = address, project

    def go(self, place: str) -> None:
        self.browser.get(f"{self.address}/p/{self.project}/{place}")

    def wait(self, css: str) -> None:
        WebDriverWait(self.browser, 60).until(lambda b: b.find_elements(By.CSS_SELECTOR, css))

    def press(self, words: str) -> None:
        path = f"//*[self::button or self::a][starts-with(normalize-space(.), '{words}')]"
        WebDriverWait(self.browser, 60).until(lambda b: b.find_elements(By.XPATH, path))
        self.browser.find_elements(By.XPATH, path)[0].click()

    def take(self, name: str) -> None:
        WebDriverWait(self.browser, 60).until(
            # Pictures below the edge, or in what is folded, are fetched when somebody goes there.
            lambda b: b.execute_script(
                "return [...document.images].every(i => i.complete || i.closest('details:not([open])')"
                " || i.getBoundingClientRect().top > innerHeight)"
            )
        )
        time.sleep(0.7)
        self.browser.save_screenshot(str(_TARGET / f"{name}.png"))


def _rows(camera: _Camera) -> None:
    camera.go("rows")
    camera.wait("canvas[data-painted=whole]")
    camera.take("rows")


def _findings(camera: _Camera) -> None:
    """Labels that the folds contradict which `_plans` has left."""
    ask = f"{camera.address}/api/projects/{camera.project}/findings"
    httpx2.post(f"{ask}/look").raise_for_status()
    while not httpx2.get(ask).json()["answers"]:
        time.sleep(1)
    camera.go("rows?group=finding&sift=finding:any+order:-finding&tile=104")
    camera.wait("[data-finding=label]")
    camera.browser.find_element(By.CSS_SELECTOR, "[data-finding=label] button").click()
    time.sleep(2)
    camera.wait("canvas[data-painted=whole]")
    camera.take("findings")


def _bringing_in(camera: _Camera) -> None:
    """In a project of its own: the plan of a drawn collection."""
    home, ask = camera.project, camera.address + "/api/projects"
    made = httpx2.post(ask, json={"name": "Ridge, second winter"}, headers={"X-Window": "camera"}).json()["id"]
    camera.project = str(made)
    with tempfile.TemporaryDirectory() as place:
        write_collection(Path(place) / "crystals", 700, 5)
        folder = Path(place) / "crystals" / PICTURES_FOLDER
        camera.go("rows/bring-in")
        camera.wait("input[aria-label=Folder]")
        camera.browser.find_element(By.CSS_SELECTOR, "input[aria-label=Folder]").send_keys(str(folder))
        camera.wait("[data-testid=plan] li img")
        time.sleep(7)
        camera.take("plan")
    httpx2.delete(f"{ask}/{made}", headers={"X-Window": "camera"})
    camera.project = home


def _runs(camera: _Camera) -> None:
    """One under way with its lookouts and layers while two wait."""
    api, window = f"{camera.address}/api", {"X-Window": "camera"}
    runs = f"{api}/projects/{camera.project}/runs"
    recipe = httpx2.get(runs, params={"number": 1}).json()["runs"][0]["recipe"]
    recipe.pop("start", None)

    def start(watch: dict[str, object], **settings: float) -> int:
        body = {"recipe": {**recipe, "settings": recipe["settings"] | settings, "watch": watch}}
        return int(httpx2.post(runs, json=body, headers=window).raise_for_status().json()["id"])

    def wait_for(run: int, epochs: int) -> None:
        while httpx2.get(f"{api}/runs/{run}").json()["epochs_done"] < epochs:
            time.sleep(0.5)

    started = [start({}), start({}, seed=2), start({}, seed=3)]
    wait_for(started[0], 12)
    _run(camera, started[0])
    beside = camera.browser.find_element(By.CSS_SELECTOR, "[aria-label='What is shown beside the loss']")
    Select(beside).select_by_visible_text("What the layers do")
    camera.wait("[data-testid=layer-strip] canvas")
    camera.take("runs")
    for job in httpx2.get(f"{api}/jobs").json():
        if job["kind"] == "train" and job["state"] in ("waiting", "running"):
            httpx2.post(f"{api}/jobs/{job['id']}/stop", headers=window)


def _run(camera: _Camera, run: int) -> None:
    camera.go(f"runs?run={run}")
    for css in ("[data-testid=curves-loss] path", "[data-testid=run-sheet] img", "[data-testid=lookouts] li"):
        camera.wait(css)


def _ingredients(camera: _Camera) -> None:
    camera.go("runs?part=variation")
    camera.wait("[data-testid=variation-sheet] img")
    camera.press("Start from questions")
    for words in ("both ways", "any"):
        camera.browser.find_element(By.XPATH, f"//*[@role='radio'][normalize-space(.)='{words}']").click()
    camera.press("Use these answers")
    camera.press("Start from questions")
    time.sleep(2)
    camera.take("variation")
    _network(camera)


def _network(camera: _Camera) -> None:
    layers = [
        {"kind": "conv_block", "channels": 24, "convolutions": 2},
        *({"kind": "residual_block", "channels": 24 * n, "stride": 2 if n > 1 else 1} for n in (1, 2)),
        {
            "kind": "repeat",
            "times": 2,
            "layers": [{"kind": "residual_block", "channels": 48}, {"kind": "attention_block"}],
        },
        {"kind": "residual_block", "channels": 96, "stride": 2},
        {"kind": "max_pool"},
        {"kind": "head", "dropout": 0.3},
    ]
    body = {"name": "Residual", "value": {"layers": layers}}
    httpx2.post(
        f"{camera.address}/api/projects/{camera.project}/ingredients/network", json=body, headers={"X-Window": "camera"}
    ).raise_for_status()
    camera.go("runs?part=network")
    camera.wait("[data-testid=network-drawing] rect")
    chosen = camera.browser.find_element(By.CSS_SELECTOR, "[aria-label='Which network']")
    Select(chosen).select_by_value("Residual, version 1")
    camera.wait("[data-line='3.0']")
    camera.browser.find_element(By.CSS_SELECTOR, "[data-line='4'] .font-semibold").click()
    camera.take("network")


def _judged(camera: _Camera) -> None:
    """Has the newest model asked about its training pictures, so that the nearest of them are known."""
    project = f"{camera.address}/api/projects/{camera.project}"
    model = f"{camera.address}/api/models/{httpx2.get(f'{project}/models').json()[0]['id']}"
    httpx2.post(f"{model}/judgements", json={"set": "training"}).raise_for_status()
    while not any(entry["set"] == "training" for entry in httpx2.get(f"{model}/judgements").json()):
        time.sleep(1)


def _review(camera: _Camera) -> None:
    _judged(camera)
    camera.go("review")
    camera.wait("canvas[data-painted=whole]")
    camera.wait("[data-testid=in-short]")
    camera.take("review")
    ActionChains(camera.browser).double_click(
        camera.browser.find_elements(By.CSS_SELECTOR, "[data-testid=field] [role=gridcell]")[1]
    ).perform()
    camera.wait("[role=dialog] img")
    ActionChains(camera.browser).send_keys("w").perform()
    camera.wait("[data-testid=heatmap]")
    camera.wait("[data-testid=nearest] img")
    camera.take("heatmap")
    camera.go("review?view=sure")
    camera.wait("[data-testid=answering]")
    camera.take("how-sure")


def _compare(camera: _Camera) -> None:
    """Of the first run, and one of a smaller network and fewer epochs."""
    url = f"{camera.address}/api/projects/{camera.project}/runs"
    recipe = httpx2.get(f"{camera.address}/api/recipe?pictures=1000").json()
    recipe["settings"]["epochs"] = 12
    body = {"recipe": {**recipe, "network": "plain 5"}}
    made = httpx2.post(url, json=body, headers={"X-Window": "camera"})
    made.raise_for_status()
    run = made.json()["id"]
    while not httpx2.get(f"{camera.address}/api/runs/{run}").json()["validation"]:
        time.sleep(1)
    camera.go(f"review?run={run}&view=compare&with=1")
    camera.wait("[data-testid=pair]")
    time.sleep(7)  # until the notice that the run has ended is gone
    camera.take("compare")


def _area(camera: _Camera) -> None:
    """Finds without setting anything."""
    camera.browser.execute_script("localStorage.setItem('vast-orchard-theme', 'dark')")
    camera.go("rows/area")
    camera.wait("[data-testid=area-tile] img")
    camera.browser.find_element(By.CSS_SELECTOR, "[aria-label^='What stands out from']").click()
    WebDriverWait(camera.browser, 60).until(
        lambda b: "pictures looked at" in b.find_element(By.CSS_SELECTOR, "[data-testid=found-words]").text
    )
    camera.take("area-found")
    camera.browser.execute_script("localStorage.removeItem('vast-orchard-theme')")


def _release(camera: _Camera) -> None:
    pictures = httpx2.get(f"{camera.address}/api/projects/{camera.project}/pictures", timeout=30).json()["pictures"]
    with tempfile.TemporaryDirectory() as place:
        paths = []
        for picture in [entry for entry in pictures if entry["class_id"] is None][:9]:
            paths.append(Path(place) / picture["name"])
            paths[-1].write_bytes(httpx2.get(f"{camera.address}/api/originals/{picture['sha256']}").content)
        camera.go("release")
        camera.wait("input[aria-label='Pictures to try']")
        chooser = camera.browser.find_element(By.CSS_SELECTOR, "input[aria-label='Pictures to try']")
        chooser.send_keys("\n".join(map(str, paths)))
        camera.wait("[data-testid=tried-many]")
        camera.browser.find_element(By.CSS_SELECTOR, "[data-testid=tried-many] li button").click()
        camera.press("Make the pack")
        camera.wait("[data-testid=proof]")
        camera.wait("[data-testid=answer]")
        time.sleep(7)  # until the notice that the job has ended is gone
        camera.take("release")


def _one_page(camera: _Camera) -> None:
    """The newest model as a page, opened from the disk, and asked about pictures that nobody has labelled."""
    api, window = f"{camera.address}/api", {"X-Window": "camera"}
    model = httpx2.get(f"{api}/projects/{camera.project}/models").json()[0]["id"]
    made = httpx2.post(f"{api}/models/{model}/exports", json={"form": "page"}, headers=window).json()["id"]
    while (entry := httpx2.get(f"{api}/models/{model}/exports").json()[0])["state"] != "done":
        assert entry["id"] == made and entry["state"] != "failed", entry["error"]
        time.sleep(1)
    pictures = httpx2.get(f"{api}/projects/{camera.project}/pictures", timeout=30).json()["pictures"]
    with tempfile.TemporaryDirectory() as place:
        page = Path(place) / "model.html"
        page.write_bytes(httpx2.get(f"{api}/exports/{made}/file", timeout=60).content)
        paths = []
        for picture in [entry for entry in pictures if entry["class_id"] is None][:12]:
            paths.append(Path(place) / picture["name"])
            paths[-1].write_bytes(httpx2.get(f"{api}/originals/{picture['sha256']}").content)
        camera.browser.get(page.as_uri())
        camera.wait("[data-testid=files]")
        camera.browser.find_element(By.CSS_SELECTOR, "[data-testid=files]").send_keys("\n".join(map(str, paths)))
        camera.wait("main li:nth-child(12)")
        camera.take("one-page")


def _serving(camera: _Camera) -> None:
    """The newest model in use, asked a few times by two who may."""
    api, window = f"{camera.address}/api", {"X-Window": "camera"}
    if not httpx2.get(f"{api}/serving").json()["models"]:
        model = httpx2.get(f"{api}/projects/{camera.project}/models").json()[0]["id"]
        offer = httpx2.post(f"{api}/models/{model}/offers", json={"name": "Ridge station"}, headers=window).json()
        httpx2.patch(f"{api}/offers/{offer['id']}", json={"state": "in_use"}, headers=window)
    while not (served := httpx2.get(f"{api}/serving").json())["answers"]:
        time.sleep(0.5)
    for token in httpx2.get(f"{api}/tokens").json():
        httpx2.delete(f"{api}/tokens/{token['id']}", headers=window)
    httpx2.post(f"{api}/tokens", json={"name": "Valley post", "per_minute": 600}, headers=window)
    secret = httpx2.post(f"{api}/tokens", json={"name": "Night watch"}, headers=window).json()["secret"]
    asked = f"{served['address']}/models/{served['models'][0]['slug']}/predict"
    headers = {"Authorization": f"Bearer {secret}", "Content-Type": "image/jpeg"}
    for picture in httpx2.get(f"{api}/projects/{camera.project}/pictures", timeout=30).json()["pictures"][::20]:
        content = httpx2.get(f"{api}/originals/{picture['sha256']}").content
        httpx2.post(asked, content=content, headers=headers, timeout=30)
    camera.go("release?view=served")
    camera.wait("[data-testid=use]")
    camera.take("serving")


def _network_file(camera: _Camera) -> None:
    """A network that the demo's classes fit, as another program would write it; looked at and not brought in."""
    sketch = Sketch(("N", 3, 32, 32), seed=4)
    channels = 3
    for made in (16, 32, 64):
        sketch.conv(made, channels, pads=[1, 1, 1, 1])
        sketch.norm(made)
        sketch.put("Relu")
        sketch.put("MaxPool", kernel_shape=[2, 2], strides=[2, 2])
        channels = made
    sketch.put("Flatten")
    sketch.dense(7, 64 * 16)
    with tempfile.TemporaryDirectory() as place:
        file = Path(place) / "valley.onnx"
        file.write_bytes(sketch.bytes())
        camera.go("runs?part=file")
        camera.wait("input[aria-label='A network file']")
        camera.browser.find_element(By.CSS_SELECTOR, "input[aria-label='A network file']").send_keys(str(file))
        camera.wait("[data-testid=network-file-compared]")
        camera.take("network-file")


def _plans(camera: _Camera) -> None:
    """Those that are there; made, if there are none, which takes a quarter of an hour."""
    project = f"{camera.address}/api/projects/{camera.project}"
    camera.go("runs?part=plan")
    camera.wait("[data-testid=plan-cost] svg")
    camera.take("planning")
    for kind, name, css in (
        ("trials", "search", "[data-testid=strips] li"),
        ("folds", "folds", "[data-testid=fold-matrix]"),
    ):
        known = [plan for plan in httpx2.get(f"{project}/plans").json() if plan["kind"] == kind]
        if not known:
            camera.go("runs?part=plan")
            camera.wait("[data-testid=plan-cost]")
            if kind == "folds":
                camera.browser.find_element(By.XPATH, "//*[@role='radio'][.='How sure']").click()
            camera.press("Begin")
            camera.wait("[data-testid=plan]")
            known = [plan for plan in httpx2.get(f"{project}/plans").json() if plan["kind"] == kind]
        plan = f"{camera.address}/api/plans/{known[0]['id']}"
        while not httpx2.get(plan).json()["found"]:
            time.sleep(2)
        camera.go(f"runs?plan={known[0]['id']}")
        camera.wait(css)
        time.sleep(1)
        camera.take(name)


def main() -> None:
    """Take every picture."""
    camera = _Camera(sys.argv[1].rstrip("/"), sys.argv[2] if len(sys.argv) > 2 else "1")
    _TARGET.mkdir(parents=True, exist_ok=True)
    steps: tuple[Callable[[_Camera], None], ...] = (
        _rows, _area, _bringing_in, _review, _release, _one_page,
        _serving, _network_file, _runs, _ingredients, _compare, _plans, _findings,
    )  # fmt: skip
    try:
        for step in steps:
            step(camera)
    finally:
        camera.browser.quit()


if __name__ == "__main__":
    main()
