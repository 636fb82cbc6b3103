"""In what runs differ: one from the one before it, or several from each other."""

from collections.abc import Mapping, Sequence
from typing import Any

from vast_orchard.upgrades.network import ready_name

__all__ = ["differences", "run_changes"]


def run_changes(
    before: Mapping[str, Any], after: Mapping[str, Any], *, other_layers: bool = False
) -> list[dict[str, Any]]:
    """Differences between what two runs were made of, by the path of each value.

    Parameters
    ----------
    before, after : mapping
        With `recipe`, `split` (a number) and `snapshot` (an id).
    other_layers : bool
        Their networks do not do the same, whatever they are called.

    Returns
    -------
    list of dict
        `what`, `before` and `after`; None stands for what is not there. Operations of a variation go by their kind.
        `pictures` is among them when the split is the same and its pictures, labels or classes are not.
    """
    one, two = _flat(before["recipe"]), _flat(after["recipe"])
    if ("start.words" in one) != ("start.words" in two):
        # Beside that it starts from something, what learns of it is no change of its own.
        one, two = (
            {key: value for key, value in flat.items() if not key.startswith("start.") or key == "start.words"}
            for flat in (one, two)
        )
    found = [
        {"what": what, "before": one.get(what), "after": two.get(what)}
        for what in dict.fromkeys([*one, *two])
        if one.get(what) != two.get(what)
    ]
    if other_layers and one["network"] == two["network"]:
        found.append({"what": "layers", "before": None, "after": None})
    if before["split"] != after["split"]:
        found.append({"what": "split", "before": before["split"], "after": after["split"]})
    elif before["snapshot"] != after["snapshot"]:
        found.append({"what": "pictures", "before": None, "after": None})
    return found


def differences(made_of: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Only what is not the same in all runs, by the path of each value.

    Parameters
    ----------
    made_of : sequence of mapping
        With `recipe`, `split` (a number), `snapshot` (an id), `counts` (pictures by set), `classes` (names)
        and `epochs` (done).

    Returns
    -------
    list of dict
        `what` and `values`, one for each run; None stands for what is not there. `pictures` are those of each set.
    """
    flat = [{**_flat(one["recipe"]), "split": one["split"]} for one in made_of]
    found = [
        {"what": what, "values": [one.get(what) for one in flat]}
        for what in dict.fromkeys(key for one in flat for key in one)
        if any(one.get(what) != flat[0].get(what) for one in flat)
    ]
    layers = [one["recipe"]["network"] for one in made_of]
    if any(one["network"] == flat[0]["network"] and layers[n] != layers[0] for n, one in enumerate(flat)):
        found.append({"what": "layers", "values": [len(network["layers"]) for network in layers]})
    # Told only where it does not follow from what was planned.
    early = any(one["epochs"] != one["recipe"]["settings"]["epochs"] for one in made_of)
    if early and any(one["epochs"] != made_of[0]["epochs"] for one in made_of):
        found.append({"what": "epochs_done", "values": [one["epochs"] for one in made_of]})
    if any(one["snapshot"] != made_of[0]["snapshot"] for one in made_of):
        found.append({"what": "pictures", "values": [one["counts"] for one in made_of]})
    if any(one["classes"] != made_of[0]["classes"] for one in made_of):
        found.append({"what": "classes", "values": [len(one["classes"]) for one in made_of]})
    return found


def _flat(recipe: Mapping[str, Any]) -> dict[str, Any]:
    variation, network = recipe["variation"], recipe["network"]
    return {
        "network": ready_name(network["name"]),
        **{f"preprocessing.{key}": value for key, value in recipe["preprocessing"].items()},
        **{f"variation.{entry['kind']}": _operation(entry) for entry in variation["operations"]},
        "variation.strength": variation["strength"],
        "variation.drawn": variation["drawn"],
        # They have a say only where some are drawn.
        "variation.drawn_chance": variation["drawn_chance"] if variation["drawn"] else None,
        "variation.drawn_spread": variation["drawn_spread"] if variation["drawn"] else None,
        **{f"settings.{key}": value for key, value in recipe["settings"].items()},
        **{f"start.{key}": value for key, value in (recipe.get("start") or {}).items() if key != "digest"},
    }


def _operation(entry: Mapping[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in entry.items() if key != "kind"}
