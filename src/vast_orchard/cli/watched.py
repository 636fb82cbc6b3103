"""How a training in the terminal is watched, and what its lookouts found."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.values import Examples
from vast_orchard.core.watching.findings import Facts, Standing
from vast_orchard.core.watching.history import EpochRecord
from vast_orchard.core.watching.lookouts import LOOKOUTS, look, look_own
from vast_orchard.core.watching.watch import Act, Watch, watch_from_json
from vast_orchard.errors import SettingError
from vast_orchard.types import SetName

__all__ = ["found_by_lookouts", "read_watch", "training_facts"]


def read_watch(file: Path | None, ends_on: Sequence[str]) -> Watch:
    """What the file says, and which lookouts end the training besides.

    Raises
    ------
    SettingError
        The file does not say how to watch.
    """
    try:
        stored = {} if file is None else json.loads(file.read_text())
        watch = watch_from_json(stored)
    except (OSError, ValueError, KeyError, TypeError, AttributeError) as error:
        raise SettingError(
            f"{file} does not say how to watch: {error}.", "Write it as docs/watching.md shows."
        ) from error
    return replace(watch, acts={**watch.acts, **dict.fromkeys(ends_on, Act.END)})


def training_facts(recipe: Recipe, classes: tuple[str, ...], sets: Mapping[SetName, Examples]) -> Facts:
    """What lookouts know of a training besides its epochs."""

    def counts(name: SetName) -> tuple[int, ...]:
        return tuple(np.bincount(sets[name].labels, minlength=len(classes)).tolist())

    return Facts(
        settings=recipe.settings, classes=classes, training=counts(SetName.TRAINING),
        validation=counts(SetName.VALIDATION), started=recipe.start is not None,
        varied=not recipe.variation.does_nothing,
    )  # fmt: skip


def found_by_lookouts(history: Sequence[EpochRecord], facts: Facts, watch: Watch) -> list[dict[str, Any]]:
    """What lookouts found, by the end."""
    facts = replace(facts, done=len(history) == facts.settings.epochs)
    all_of_them = [(LOOKOUTS[name].words, name, said) for name, said in look(history, facts).items()]
    all_of_them += [(own.name, own.name, look_own(own, history)) for own in watch.own]
    return [
        {"id": name, "words": words, "since": said.since, "where": said.where, "why": said.why, "mend": said.mend}
        for words, name, said in all_of_them
        if said.standing is Standing.FOUND
    ]
