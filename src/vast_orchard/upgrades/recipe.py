"""Recipes of earlier versions: the values of a training's ingredients as runs hold them."""

from collections.abc import Mapping
from typing import Any

from vast_orchard.upgrades.network import former_ready_network, upgrade_network

__all__ = ["RECIPE_VERSION", "upgrade_preprocessing", "upgrade_recipe", "upgrade_variation"]

RECIPE_VERSION = 4  # 1: up to 0.7, which stored no version; 2: 0.8; 3: before trainings could end early

# What version 1 took where nothing was stored, which only later versions could be told.
_SETTINGS = {
    "epochs": 25, "batch_size": 32, "learning_rate": 0.003, "seed": 1, "optimizer": "adam", "momentum": 0.9,
    "nesterov": False, "weight_decay": 0.01, "schedule": "cosine", "warm_up": 0.05, "step_epochs": 10,
    "step_factor": 0.1, "clip_norm": 0.0, "label_smoothing": 0.0, "class_weights": "none", "class_draws": "none",
}  # fmt: skip
_PREPROCESSING = {
    "size": 48, "fit": "distort", "colour": "rgb", "ground": [0, 0, 0], "border": [0, 0, 0], "scale": "deviation",
    "views": "one",
}  # fmt: skip
_DRAWING = {"drawn_chance": 1.0, "drawn_spread": 0.0}  # what version 2 always did
# What version 3 always did.
_ENDINGS = {
    "end_when": "none", "end_change": 0.001, "end_within": 8, "end_not_before": 10, "reach": "none",
    "reach_value": 0.95, "time_limit": 0.0,
}  # fmt: skip
_OPTIMIZERS = {"momentum": "sgd"}  # as 0.1 called it
_SCHEDULES = {"one-cycle": "rise-and-fall"}


def upgrade_recipe(data: Mapping[str, Any], classes: int) -> dict[str, Any]:
    """A run's recipe in today's form, complete; one that is in it already is returned as it is.

    Parameters
    ----------
    data : mapping
        As stored by any version.
    classes : int
        Of the run, for version 1, which stored a ready network's name only.
    """
    if data.get("version") == RECIPE_VERSION:
        return dict(data)
    if data.get("version") in (2, 3):
        return {
            **data,
            "version": RECIPE_VERSION,
            "variation": upgrade_variation(data["variation"]),
            "settings": {**_ENDINGS, **data["settings"]},
        }
    preprocessing = upgrade_preprocessing(data["preprocessing"])
    settings = {**_ENDINGS, **_SETTINGS, **data["settings"]}
    settings["optimizer"] = _OPTIMIZERS.get(settings["optimizer"], settings["optimizer"])
    settings["schedule"] = _SCHEDULES.get(settings["schedule"], settings["schedule"])
    settings["keep"] = "lowest-validation-loss"
    network = data["network"]
    return {
        "version": RECIPE_VERSION,
        "network": upgrade_network(network)
        if isinstance(network, Mapping)
        else former_ready_network(
            network, preprocessing["size"], 1 if preprocessing["colour"] == "grey" else 3, classes
        ),
        "preprocessing": preprocessing,
        "variation": upgrade_variation(data["variation"]),
        "settings": settings,
    }


def upgrade_preprocessing(data: Mapping[str, Any]) -> dict[str, Any]:
    """A preprocessing, complete: what versions up to 0.5 did not store was always so."""
    return {**_PREPROCESSING, **data}


def upgrade_variation(data: Mapping[str, Any]) -> dict[str, Any]:
    """A variation as operations; versions up to 0.5 stored three numbers."""
    if "operations" in data:
        return {"strength": 1.0, "drawn": 0, **_DRAWING, **data}
    turn, light = data["turn_degrees"], data["brightness"]
    operations = []
    if data["mirror"]:
        operations.append({"kind": "mirror", "probability": 0.5, "low": 0.0, "high": 0.0})
    if turn:
        operations.append({"kind": "turn", "probability": 1.0, "low": -turn, "high": turn})
    if light:
        operations.append({"kind": "brightness", "probability": 1.0, "low": max(1 - light, 0.1), "high": 1 + light})
    return {"operations": operations, "strength": 1.0, "drawn": 0, **_DRAWING}
