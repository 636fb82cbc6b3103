"""The state of a training as one safetensors file."""

import json
from dataclasses import asdict
from typing import Any

from safetensors.numpy import load, save

from vast_orchard.core.arrays import Array
from vast_orchard.core.training.values import EpochMetrics, TrainingState
from vast_orchard.errors import InputError
from vast_orchard.upgrades.state import STATE_GROUPS, upgrade_state

__all__ = ["read_checkpoint", "safetensors_metadata", "write_checkpoint"]


def write_checkpoint(state: TrainingState) -> bytes:
    """Network, optimizer, kept network and history."""
    groups = {"network": state.network, "optimizer": state.optimizer, "kept": state.kept}
    arrays = {f"{group}/{name}": value for group, values in groups.items() for name, value in values.items()}
    facts = {
        "epoch": state.epoch,
        "kept_epoch": state.kept_epoch,
        "history": [asdict(entry) for entry in state.history],
    }
    return bytes(save(arrays, {"state": json.dumps(facts)}))


def safetensors_metadata(data: bytes) -> dict[str, str]:
    """The metadata in a safetensors file's header (8 bytes of little-endian length, then JSON).

    Raises
    ------
    InputError
        The file is cut short or not safetensors.
    """
    try:
        length = int.from_bytes(data[:8], "little")
        header = json.loads(data[8 : 8 + length])
        return dict(header["__metadata__"])
    except (ValueError, KeyError, TypeError) as error:
        raise InputError("The stored weights cannot be read.", "The file is damaged; train again.") from error


def read_checkpoint(data: bytes) -> TrainingState:
    """Read what `write_checkpoint` of any version wrote.

    Raises
    ------
    InputError
        The file is damaged.
    """
    facts = upgrade_state(json.loads(safetensors_metadata(data)["state"]))
    groups: dict[str, dict[str, Array]] = {"network": {}, "optimizer": {}, "kept": {}}
    for name, value in load(data).items():
        group, key = name.split("/", 1)
        groups[STATE_GROUPS.get(group, group)][key] = value
    return TrainingState(
        epoch=facts["epoch"],
        kept_epoch=facts["kept_epoch"],
        history=tuple(_metrics(entry) for entry in facts["history"]),
        **groups,
    )


def _metrics(entry: dict[str, Any]) -> EpochMetrics:
    # States of earlier versions know nothing of the classes.
    return EpochMetrics(**{**entry, "recalls": tuple(entry.get("recalls", ()))})
