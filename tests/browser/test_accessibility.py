"""What assistive software finds: rules of WCAG 2, levels A and AA, on every main view, light and dark."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, zipped
from tests.running import Running, until
from tests.world import small_recipe

pytestmark = pytest.mark.browser

_RULES = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
_LEVELS = ("wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa")
_FIELD = "canvas[data-painted=whole]"
# Each view by its address, what shows that it is there, and what is pressed to open what lies over it.
_BENCH = "[data-testid=start-bench]"
_VIEWS = (
    ("", "a[href*='/rows']", ""),
    ("/p/{p}/rows", _FIELD, ""),
    ("/p/{p}/rows", _FIELD, "Keys"),
    ("/p/{p}/rows", _FIELD, "Divide"),
    ("/p/{p}/rows", _FIELD, "History"),
    ("/p/{p}/rows", _FIELD, "Take out"),
    ("/p/{p}/rows", _FIELD, "New class"),
    ("/p/{p}/rows?group=copies&sift=copies", "[data-testid=copies]", ""),
    ("/p/{p}/rows?group=finding&sift=finding:any", "[data-testid=to-settle]", ""),
    ("/p/{p}/rows/area", "[data-testid=area-tile]", ""),
    ("/p/{p}/rows/area", "[data-testid=area-tile]", "what stands out"),
    ("/p/{p}/rows/bin", "section[aria-label=Bin]", ""),
    ("/p/{p}/rows/bring-in", "[aria-label=Imports] li", ""),
    ("/p/{p}/runs", "[data-testid=run-result]", "Learning"),
    ("/p/{p}/runs", "[data-testid=stood-on]", "Schedule"),
    ("/guide/training#keep", "h2[data-asked]", ""),
    ("/p/{p}/runs?part=variation", "[data-testid=variation-sheet] img", ""),
    ("/p/{p}/runs?part=preprocessing", "[data-testid=preprocessing-sheet] img", ""),
    ("/p/{p}/runs?part=network", "[data-testid=line-doubt]", ""),
    ("/p/{p}/runs?part=start", _BENCH, "Run 1"),
    ("/p/{p}/runs?part=watch", "[data-kind]", "Make one"),
    ("/p/{p}/runs?part=plan", "[data-testid=plan-cost]", ""),
    ("/p/{p}/runs?part=plans", "[data-testid=plans] li", ""),
    ("/p/{p}/runs?plan={plan}", "[data-testid=strips] li", "Add trials"),
    ("/p/{p}/runs?plan={folds}", "[data-testid=fold-matrix]", ""),
    ("/p/{p}/runs", "[data-testid=lookouts] li", "as a file"),
    ("/p/{p}/review", "[data-testid=outcomes-title]", ""),
    ("/p/{p}/review", "[data-testid=in-short]", "Run 1"),
    ("/p/{p}/review?set=unlabelled", "[data-testid=outcomes-title]", ""),
    ("/p/{p}/review?view=sure", "[data-testid=answering]", ""),
    ("/p/{p}/release", "input[name=form]", ""),
    ("/p/{p}/release?view=offers", "[data-testid=offer]", "Facts"),
)


@pytest.fixture(scope="module")
def project(running: Running) -> int:
    members = {
        f"{name}/{n}.png": png(60 * k + n, level=90 + 60 * k)
        for k, name in enumerate(("plate", "rime"))
        for n in range(20)
    }
    project = running.bring_in("Read aloud", zipped(members | {"unlabelled/1.png": png(7001)}))
    # A network of one's own, with a line that is doubtful.
    layers = [{"kind": "conv_block", "channels": 4}, {"kind": "repeat", "layers": [{"kind": "conv", "channels": 4}]}]
    own = {"name": "Own", "value": {"layers": [*layers, {"kind": "head"}]}}
    running.ask("POST", f"/api/projects/{project}/ingredients/network", json=own)
    recipe = {**small_recipe(epochs=1), "network": "Own"}
    run = running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": recipe})
    until("it is judged", lambda: running.ask("GET", f"/api/runs/{run['id']}")["validation"])
    offered = running.ask("GET", f"/api/projects/{project}/models")[0]["id"]
    running.ask("POST", f"/api/models/{offered}/offers", json={"name": "Station", "purpose": "To be read aloud"})
    model = f"/api/models/{running.ask('GET', f'/api/projects/{project}/models')[0]['id']}/judgements"
    running.ask("POST", model, json={"set": "outside"})
    running.ask("POST", f"/api/projects/{project}/findings/look")
    until("it is asked", lambda: any(entry["set"] == "unlabelled" for entry in running.ask("GET", model)))
    return project


@pytest.fixture(scope="module")
def plans(running: Running, project: int) -> dict[str, int]:
    """A search and folds that have ended."""
    recipe: Any = small_recipe(epochs=1)
    recipe["settings"]["keep"] = "last"
    rates = [{"name": "learning_rate", "low": 0.001, "high": 0.01, "by_ratio": True}]
    asked: dict[str, dict[str, Any]] = {
        "plan": {"kind": "trials", "space": rates, "trials": 3}, "folds": {"kind": "folds", "folds": {"count": 2}},
    }  # fmt: skip
    found = {}
    for name, body in asked.items():
        plan = running.ask("POST", f"/api/projects/{project}/plans", json={"question": name, "recipe": recipe, **body})
        found[name] = int(plan["id"])
    until("the plans are read", lambda: all(running.ask("GET", f"/api/plans/{own}")["found"] for own in found.values()))
    return found


@pytest.fixture
def screen(running: Running, tmp_path: Path) -> Iterator[Screen]:
    browser = open_browser(tmp_path)
    yield Screen(browser, running.address)
    browser.quit()


def _found(screen: Screen) -> list[str]:
    """What breaks a rule, with the rule and the element."""
    screen.browser.execute_script(_RULES.read_text())
    levels = ", ".join(repr(level) for level in _LEVELS)
    told: list[dict[str, Any]] = screen.browser.execute_async_script(
        f"axe.run(document, {{runOnly: [{levels}]}}).then(r => arguments[0](r.violations))"
    )
    return [
        f"{rule['id']}: {node['html'][:160]} {[check['message'] for check in node['any'] + node['all']][:1]}"
        for rule in told
        for node in rule["nodes"]
    ]


@pytest.mark.long
@pytest.mark.parametrize("theme", ["light", "dark"])
def test_no_view_breaks_a_rule(screen: Screen, project: int, plans: dict[str, int], theme: str) -> None:
    screen.open("/")
    screen.browser.execute_script("localStorage.setItem('vast-orchard-theme', arguments[0])", theme)
    broken = []
    for path, there, opened in _VIEWS:
        screen.open(path.format(p=project, **plans) or "/")
        screen.one(there)
        if opened:
            screen.press(opened)
        if there == _BENCH:
            screen.one("[data-testid=start-layers]")
        broken += [f"{path} {opened}: {found}" for found in _found(screen)]
    assert not broken, "\n".join(broken)
