"""`orchard bench judging`: what Review costs with many pictures and classes, and whether heatmaps show what counts."""

import io
import json
import statistics
import time
from collections.abc import Callable
from dataclasses import asdict
from typing import Annotated, Any

import numpy as np
import typer
from PIL import Image
from sqlalchemy import text

from vast_orchard.cli.bench_browser import open_browser
from vast_orchard.cli.bench_project import empty_split, ended_run, large_project
from vast_orchard.cli.served_api import ApiClient, served_api
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.heatmaps import covered, hottest
from vast_orchard.core.judging.scores import judge
from vast_orchard.core.judging.sureness import sureness
from vast_orchard.core.network.ready import DEFAULT_NETWORK, ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.team import Team
from vast_orchard.core.training.amount import proposed_epochs
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import Keep, TrainingSettings
from vast_orchard.core.watching.watch import Watch
from vast_orchard.formats.model_file import Model
from vast_orchard.jobs.engine import make_ready
from vast_orchard.jobs.quick.looking import heatmap
from vast_orchard.made_up.sets import MADE_UP_SETS, draw_set
from vast_orchard.store.database import Database
from vast_orchard.store.models import store_judgement
from vast_orchard.types import SetName

__all__ = ["bench_judging", "learnt_model"]

# Fixed before anything was measured.
_SET, _TRAINING, _LEARNT, _LOOKED_AT = "crystals", 1000, 7001, 7002
_HEATMAPS, _OTHERS, _HOT = 100, 10, 0.2
_REPEATS = 9
_LEARNT_FROM = 200  # pictures of the training set, two of each class
_RIGHT = 0.9

# From a press to the second frame after it: by then the browser has laid out and painted what it changed.
_PRESSED = """
const [button, done] = arguments;
const began = performance.now();
button.click();
requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - began)));
"""
_COMPLETE = """
const done = arguments[0];
const look = () =>
  document.querySelector('canvas[data-painted=whole]') &&
  document.querySelectorAll('[data-testid=matrix] [role=gridcell]').length &&
  document.querySelector('[data-testid=outcomes-title]') &&
  document.querySelector('[data-testid=in-short]')
    ? done(performance.now() / 1000) : requestAnimationFrame(look);
look();
"""


def learnt_model(kind: str, network: str, count: int, seed: int) -> Model:
    """What *Train* makes of so many made-up pictures of one kind."""
    settings = TrainingSettings(epochs=proposed_epochs(count), keep=Keep.LAST)
    recipe = Recipe(network=ready_network(network), settings=settings, watch=Watch(every=0))
    classes = tuple(MADE_UP_SETS[kind].classes)
    running = begin(recipe, len(classes), draw_set(kind, count, seed), None, team=Team(2))
    for _ in running.results:
        pass
    made = running.network
    return Model(
        description=made.description, weights=made.state(), classes=classes,
        preprocessing=Preprocessing(size=made.description.input_shape[0]), statistics=running.statistics,
    )  # fmt: skip


def _heat_figures(model: Model) -> dict[str, Any]:
    """Heatmaps by either way on pictures that nothing was learnt from."""
    rng = np.random.default_rng(1)
    pictures = draw_set(_SET, _HEATMAPS, _LOOKED_AT).pixels
    files = [_png(picture) for picture in pictures]
    seconds: dict[str, list[float]] = {"gradients": [], "covering": []}
    falls: dict[str, list[tuple[float, float]]] = {"gradients": [], "covering": []}
    for way in seconds:
        for picture, data in zip(pictures, files, strict=True):
            began = time.perf_counter()
            found = heatmap(model, data, area=None, class_place=None, layer=None, way=way, answer=model.probabilities)
            seconds[way].append(time.perf_counter() - began)
            heat = np.array(found["heat"]).reshape(found["rows"], found["columns"])
            falls[way].append(_fall(model.probabilities, picture, heat, found["class_place"], rng))
    figures: dict[str, Any] = {
        "heatmap_p95_ms": round(1000 * float(np.quantile(seconds["gradients"], 0.95)), 1),
        "covering_heatmap_s": round(float(np.quantile(seconds["covering"], 0.95)), 3),
    }
    for way, prefix in (("gradients", "heatmap"), ("covering", "covering")):
        own, others = np.array(falls[way]).T
        figures[f"{prefix}_covering_share"] = round(float((own > others).mean()), 3)
        figures[f"{prefix}_drop_ratio"] = round(float(own.mean() / others.mean()), 2)
    return figures


def _fall(
    answer: Callable[[Array], FloatArray], picture: Array, heat: Array, place: int, rng: np.random.Generator
) -> tuple[float, float]:
    """How far the class falls when the hottest fifth is covered, and the same shape elsewhere, in the mean."""
    mask = hottest(heat, _HOT)
    masks = [mask]
    for _ in range(_OTHERS):
        turned = np.rot90(mask, int(rng.integers(4)))
        masks.append(np.roll(turned, rng.integers(0, mask.shape[0], 2), axis=(0, 1)))
    p = answer(np.stack([picture, *(covered(picture, other) for other in masks)]))[:, place]
    return float(p[0] - p[1]), float(p[0] - p[2:].mean())


def _png(pixels: Array) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG")
    return buffer.getvalue()


def _judged_runs(database: Database, project: int) -> tuple[int, int]:
    """Two runs that were asked about every picture, in a hundred classes; their ids."""
    with database.session() as session:
        session.execute(
            text(
                "insert into class (project_id, name, place, sign)"
                " select :p, 'kind ' || n, n, lpad((n % 100)::text, 2, '0')"
                " from generate_series(100, 199) n"
            ),
            {"p": project},
        )
        session.execute(
            text(
                "update picture set class_id = c.id from class c where c.project_id = :p and picture.project_id = :p"
                " and c.place = 100 + picture.id % 100 and c.name like 'kind %'"
            ),
            {"p": project},
        )
        split = empty_split(session, project)
        session.execute(
            text(
                "insert into split_member select :s, id, case when id <= :n + (select min(id) from picture)"
                " then 'training' else 'validation' end from picture where project_id = :p and class_id is not null"
            ),
            {"s": split, "p": project, "n": _LEARNT_FROM - 1},
        )
        runs = [_answered(session, project, split, seed) for seed in (1, 2)]
        session.execute(text("analyze"))
    return runs[0], runs[1]


def _answered(session: Any, project: int, split: int, seed: int) -> int:
    model = ended_run(session, project, split, f"{seed}" * 64)
    ids = [entry["id"] for entry in model.classes]
    members = session.execute(
        text(
            "select picture_id, class_id from snapshot_picture where snapshot_id = :s and set_name = 'validation'"
            " order by picture_id"
        ),
        {"s": model.snapshot_id},
    ).all()
    rng = np.random.default_rng(seed)
    labels = np.array([ids.index(row.class_id) for row in members])
    logits = rng.normal(size=(1, len(labels), len(ids))).astype(np.float32)
    # Whoever is not read rightly is taken for a neighbour, so that the matrix has a band and not only a diagonal.
    said = np.where(rng.random(len(labels)) < _RIGHT, labels, (labels + rng.integers(1, 4, len(labels))) % len(ids))
    logits[0, np.arange(len(labels)), said] += 6
    powers = np.exp(logits[0])
    probabilities = powers / powers.sum(axis=1, keepdims=True)
    sure = sureness(logits, labels, np.arange(len(labels)), fit=True)
    store_judgement(session, model, SetName.VALIDATION, asdict(judge(probabilities, labels)), asdict(sure))
    predicted, p = probabilities.argmax(axis=1), probabilities.max(axis=1)
    true = probabilities[np.arange(len(labels)), labels]
    session.execute(
        text(
            "insert into prediction (model_id, picture_id, set_name, true_class, predicted_class, p, loss,"
            " probabilities) values (:m, :i, 'validation', :t, :c, :p, :l, :q)"
        ),
        [
            {
                "m": model.id, "i": row.picture_id, "t": row.class_id, "c": ids[predicted[n]], "p": float(p[n]),
                "l": float(-np.log(true[n])), "q": [float(q) for q in probabilities[n]],
            }
            for n, row in enumerate(members)
        ],
    )  # fmt: skip
    return model.run_id or 0


def _page_figures(client: ApiClient, project: int, run: int, other: int) -> dict[str, Any]:
    compared = [
        1000 * client.seconds(f"/api/projects/{project}/comparison?run={other}&run={run}") for _ in range(_REPEATS)
    ]
    figures: dict[str, Any] = {
        "review_20k_s": None,
        "matrix_100_classes_ms": None,
        "compare_ms": round(statistics.median(compared), 1),
    }
    browser = open_browser()
    if browser is None:
        return figures
    try:
        completed, turned = [], []
        for _ in range(_REPEATS):
            browser.get(f"{client.address}/p/{project}/review?run={run}")
            completed.append(browser.execute_async_script(_COMPLETE))
            button = browser.find_element("xpath", "//*[@role='radio'][normalize-space(.)='likeness']")
            turned.append(browser.execute_async_script(_PRESSED, button))
        figures["review_20k_s"] = round(statistics.median(completed), 2)
        figures["matrix_100_classes_ms"] = round(statistics.median(turned), 1)
    finally:
        browser.quit()
    return figures


def bench_judging(
    as_json: AsJson = False,
    count: Annotated[int, typer.Option(help="Judged pictures.")] = 20_000,
) -> None:
    """Heatmaps: their time, and what covering the hottest fifth does. Review, a matrix of 100 classes, a comparison."""
    words = console()
    make_ready(words.print)
    words.print(f"Teaching {DEFAULT_NETWORK} on {_TRAINING:,} made-up crystals, and looking where it looks")
    found = _heat_figures(learnt_model(_SET, DEFAULT_NETWORK, _TRAINING, _LEARNT))
    with large_project(count + _LEARNT_FROM) as large:
        other, run = _judged_runs(large.database, large.id)
        with served_api(large.settings) as (client, _):
            words.print("Looking at Review")
            found |= _page_figures(client, large.id, run, other)
    if as_json:
        print(json.dumps(found))
        return
    for name, value in found.items():
        print(f"{name}: {value}")
