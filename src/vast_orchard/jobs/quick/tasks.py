"""What the quick process can do: sheets of thumbnails, previews, trying pictures, heatmaps, whole pictures."""

import io
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict
from functools import lru_cache, partial
from typing import Any

import numpy as np
import structlog
from PIL import Image

from vast_orchard.at_once.starting_points import StartPlace, read_start
from vast_orchard.core.arrays import Array
from vast_orchard.core.judging.calibration import tempered
from vast_orchard.core.judging.fold_scores import fold_difference
from vast_orchard.core.pictures.area import Area, area_from_json, area_to_json
from vast_orchard.core.planning.knobs import space_from_json
from vast_orchard.core.planning.ways import Way, draw_trials
from vast_orchard.core.training.recipe import recipe_from_json, recipe_to_json
from vast_orchard.core.warm_up import warm_up
from vast_orchard.errors import OrchardError
from vast_orchard.formats.feature_file import read_features
from vast_orchard.formats.model_file import Model, read_model, read_sent_model
from vast_orchard.formats.picture_file import PictureLimits, part_kept, read_picture, seen_pixels
from vast_orchard.jobs.context import WorkContext, open_context
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.jobs.pace import find_pace
from vast_orchard.jobs.quick.agreement import answers_again
from vast_orchard.jobs.quick.finding import found_areas
from vast_orchard.jobs.quick.looking import heatmap, nearest_learnt
from vast_orchard.jobs.quick.network_files import look_at_network_file
from vast_orchard.jobs.quick.plans import Plans
from vast_orchard.jobs.quick.sheets import draw_sheet
from vast_orchard.jobs.quick.trying import bucket_to_try, classes_from_table
from vast_orchard.jobs.quick.varied import Varied
from vast_orchard.jobs.start_plan import model_facts, start_plan
from vast_orchard.settings import Settings
from vast_orchard.store.bytes import ByteStore

__all__ = ["TASKS", "set_up"]

_log = structlog.get_logger()


class _Place:
    """What `set_up` leaves for the tasks of this process."""

    context: WorkContext
    settings: Settings
    store: ByteStore
    plans: Plans
    varied: Varied


def set_up(settings: Settings) -> None:
    """Remember where the bytes are."""
    context = open_context(settings)
    _Place.context, _Place.settings, _Place.store = context, settings, context.store
    _Place.plans, _Place.varied = Plans(context), Varied(context)


def _stands() -> bool:
    return True


def _ready() -> bool:
    # Kernels are loaded now, so that the first preview and the first picture to try do not wait for them.
    if not make_ready(lambda words: _log.info(words, action="engine_compiling")):
        warm_up()
    find_pace(make_team(_Place.settings))
    return True


def _png(image: Image.Image) -> bytes:
    buffer = io.BytesIO()
    image.save(buffer, "PNG", compress_level=1)
    return buffer.getvalue()


def _sheet(**arguments: Any) -> bytes:
    return draw_sheet(_Place.context, **arguments)


def _whole(sha256: str) -> bytes:
    """A whole picture, upright, as PNG: for formats that browsers do not show."""
    return _png(read_picture(_Place.store.read(ByteStore.picture_path(sha256)), limits=_limits()).upright)


def _limits() -> PictureLimits:
    return PictureLimits(
        megapixels=_Place.settings.picture_limit_megapixels, megabytes=_Place.settings.picture_limit_mb
    )


def _varied(task: str) -> Callable[..., dict[str, Any]]:
    return lambda **arguments: getattr(_Place.varied, task)(**arguments)


def _found_areas(**arguments: Any) -> list[dict[str, Any]]:
    return found_areas(_Place.store, **arguments)


@lru_cache(maxsize=4)
def _model(path: str) -> Model:
    return read_model(_Place.store.read(path))


def _answer(model_path: str, files: Sequence[tuple[str, bytes]], temperature: float) -> list[dict[str, Any]]:
    """For each file its name and either the probabilities by class or what is wrong with it."""
    model, began = _model(model_path), time.perf_counter()
    answers: list[dict[str, Any]] = []
    read: list[tuple[dict[str, Any], Array]] = []
    for name, data in files:
        answer: dict[str, Any] = {
            "name": name, "error": None, "probabilities": [], "calibrated": [], "kept": None, "seconds": None,
        }  # fmt: skip
        answers.append(answer)
        try:
            upright = read_picture(data, model.preprocessing.ground, _limits()).upright
            pixels = seen_pixels(upright, model.preprocessing)
            answer["kept"] = list(part_kept(upright, model.preprocessing))
        except OrchardError as error:
            answer["error"] = str(error)
            continue
        read.append((answer, pixels))
    if not read:
        return answers
    # All at once: for each picture by itself the network would be made ready anew.
    logits = model.logits(np.stack([pixels for _, pixels in read]), make_team(_Place.settings))
    plain, calibrated = (tempered(logits, by).tolist() for by in (1.0, temperature))
    seconds = (time.perf_counter() - began) / len(read)
    for place, (answer, _) in enumerate(read):
        answer |= {"probabilities": plain[place], "calibrated": calibrated[place], "seconds": seconds}
    return answers


def _heatmap(model_path: str, sha256: str, area: dict[str, Any] | None, **asked: Any) -> dict[str, Any]:
    data = _Place.store.read(ByteStore.picture_path(sha256))
    return _looked(_model(model_path), data, area_from_json(area), **asked)


def _tried_heatmap(model_path: str, data: bytes, **asked: Any) -> dict[str, Any]:
    """Of a file that is not stored: what counts of it goes by the model."""
    model = _model(model_path)
    return _looked(model, data, model.preprocessing.area, **asked)


def _looked(model: Model, data: bytes, area: Area | None, **asked: Any) -> dict[str, Any]:
    team = make_team(_Place.settings)
    answer = partial(model.probabilities, team=team)
    return heatmap(model, data, area=area, limits=_limits(), answer=answer, **asked)


def _answers_again(model_path: str, **asked: Any) -> list[list[float]]:
    return answers_again(_Place.store, _model(model_path), team=make_team(_Place.settings), **asked)


@lru_cache(maxsize=1)
def _features(path: str) -> tuple[Array, Array]:
    return read_features(_Place.store.read(path))


def _nearest(model_path: str, features_path: str, sha256: str, **asked: Any) -> list[tuple[int, float]]:
    data = _Place.store.read(ByteStore.picture_path(sha256))
    known = _features(features_path)
    return nearest_learnt(_model(model_path), known, data, team=make_team(_Place.settings), **asked)


def _tried_nearest(model_path: str, features_path: str, data: bytes, **asked: Any) -> list[tuple[int, float]]:
    """To a file that is not stored: what counts of it goes by the model."""
    model = _model(model_path)
    area = area_to_json(model.preprocessing.area)
    return nearest_learnt(
        model, _features(features_path), data, picture_id=None, area=area, limits=_limits(),
        team=make_team(_Place.settings), **asked,
    )  # fmt: skip


def _start(
    place: StartPlace,
    recipe: dict[str, Any],
    classes: Sequence[str],
    training: int,
    validation: int,
    pace: float | None,
) -> dict[str, Any]:
    """A model to start from, and what a training would make of it; its own network, where the recipe names none."""
    model = _start_model(place)
    facts = model_facts(model)
    start = {"words": place.words, "digest": facts["digest"], **recipe["start"]}
    network = recipe.get("network", facts["network"]["name"])
    if network == facts["network"]["name"]:
        network = facts["network"]
    if recipe["preprocessing"].get("scale", "deviation") != model.preprocessing.scale:
        start["new_statistics"] = True  # the others mean nothing then, which the plan says
    asked = recipe_from_json({**recipe, "network": network, "start": start})
    planned = start_plan(asked, model, classes, training=training, validation=validation, pace=pace)
    return {**facts, **planned, "words": place.words, "recipe": recipe_to_json(asked)}


def _start_model(place: StartPlace) -> Model:
    data = read_start(_Place.store, place)
    return read_sent_model(place.words, data) if place.file else read_model(data)


def _start_facts(place: StartPlace) -> dict[str, Any]:
    return {**model_facts(_start_model(place)), "words": place.words}


def _bucket_to_try(**asked: Any) -> bytes:
    return bucket_to_try(_Place.settings, **asked)


def _network_file(**asked: Any) -> dict[str, Any]:
    return look_at_network_file(_Place.store, make_team(_Place.settings), **asked)


def _plan(**arguments: Any) -> dict[str, Any]:
    return _Place.plans.plan(**arguments)


def _strip(**arguments: Any) -> bytes:
    return _Place.plans.strip(**arguments)


def _draw_trials(space: list[dict[str, Any]], way: str, count: int, seed: int) -> list[dict[str, Any]]:
    """Values of the trials of a search."""
    return draw_trials(space_from_json(space), Way(way), count, seed)


def _fold_difference(first: list[float], second: list[float], share: float) -> dict[str, Any]:
    """By how much the second set-up is better over the same folds."""
    return asdict(fold_difference(np.array(first), np.array(second), share))


TASKS: dict[str, Callable[..., Any]] = {
    "plan": _plan,
    "strip": _strip,
    "start": _start,
    "start_facts": _start_facts,
    "ready": _ready,
    "stands": _stands,
    "sheet": _sheet,
    "whole": _whole,
    **{task: _varied(task) for task in ("variation_sheet", "operation_extremes", "preprocessing_sheet", "steps_sheet")},
    "found_areas": _found_areas,
    "answer": _answer,
    "answers_again": _answers_again,
    "heatmap": _heatmap,
    "tried_heatmap": _tried_heatmap,
    "nearest": _nearest,
    "tried_nearest": _tried_nearest,
    "network_file": _network_file,
    "bucket_to_try": _bucket_to_try,
    "classes_from_table": classes_from_table,
    "draw_trials": _draw_trials,
    "fold_difference": _fold_difference,
}
