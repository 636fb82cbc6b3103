"""Facts of training states that earlier versions stored."""

from collections.abc import Mapping
from typing import Any

__all__ = ["STATE_GROUPS", "upgrade_figures", "upgrade_state"]

# Groups of arrays by their names in versions up to 0.7.
STATE_GROUPS = {"best": "kept"}


def upgrade_figures(entry: Mapping[str, Any]) -> dict[str, Any]:
    """An epoch's figures by name; up to 0.7 they stood beside its number."""
    if "figures" in entry:
        return dict(entry)
    return {"number": entry["number"], "figures": {key: value for key, value in entry.items() if key != "number"}}


def upgrade_state(facts: Mapping[str, Any]) -> dict[str, Any]:
    """A state's facts in today's form."""
    return {
        "epoch": facts["epoch"],
        "kept_epoch": facts.get("kept_epoch", facts.get("best_epoch", 0)),
        "history": [upgrade_figures(entry) for entry in facts["history"]],
    }
