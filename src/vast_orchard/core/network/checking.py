"""What a network comes to before it is trained: line by line, what is wrong and how it is mended, and what is doubtful.

Nothing is compiled and nothing is allocated for it, so that it answers while a person writes.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from vast_orchard.core.network.blocks import Part, Repeat, part_kind
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.doubts import Doubt, doubts_of
from vast_orchard.core.network.expansion import Line
from vast_orchard.core.network.layout import memory_for_training
from vast_orchard.core.network.plan import LayerPlan, NetworkPlan, check_end, planned_layers
from vast_orchard.core.network.repairs import Repair
from vast_orchard.errors import DescriptionError

__all__ = ["Checked", "LinePlan", "Wrong", "check"]

_FLOAT_BYTES = 4
# What an exported file holds for each layer beside its numbers; measured on ready networks and blocks, 237 to 274.
_LAYER_BYTES = 245


@dataclass(frozen=True, kw_only=True)
class LinePlan:
    """What one line of the list comes to; a repeated stretch has a line for each of its own."""

    line: Line
    kind: str
    shape: tuple[int, ...]  # what comes out of it, the last time if it is repeated
    parameters: int  # of all times together
    multiply_adds: int
    receptive_field: int
    layers: tuple[LayerPlan, ...]  # that it is computed by


@dataclass(frozen=True, kw_only=True)
class Wrong:
    """The first thing because of which the network does not hold together."""

    line: Line | None  # None: it is about all of it
    what: str
    mend: str
    repair: Repair | None


@dataclass(frozen=True, kw_only=True)
class Checked:
    """A network for certain pictures and so many classes; sums are 0 while something is wrong."""

    lines: tuple[LinePlan, ...]  # as far as the network holds together
    wrong: Wrong | None
    doubts: tuple[Doubt, ...] = ()
    parameters: int = 0
    multiply_adds: int = 0
    receptive_field: int = 0  # side in pixels of what a value sees, where the maps end
    memory_bytes: int = 0  # of a training step
    memory_fixed_bytes: int = 0  # of that, whatever the batch
    file_bytes: int = 0  # of an export, about


def check(
    description: NetworkDescription,
    input_shape: tuple[int, int, int],
    classes: int,
    *,
    batch_size: int,
    pictures: int,
) -> Checked:
    """What a network comes to.

    Parameters
    ----------
    description : NetworkDescription
        Open or resolved.
    input_shape : tuple of int
        Height, width and channels of what it sees.
    classes : int
    batch_size : int
        For the memory of a training step.
    pictures : int
        That it is to learn from; 0 if there are none yet.
    """
    made: list[LayerPlan] = []
    try:
        whole = resolved(description, input_shape, classes)
        for entry in planned_layers(whole):
            made.append(entry)  # one by one, to have what came before a mistake
        check_end(whole, made, classes)
    except DescriptionError as error:
        repair = error.repair if isinstance(error.repair, Repair) else None
        wrong = Wrong(line=error.line, what=error.what, mend=error.mend, repair=repair)
        return Checked(lines=_by_line(description, made), wrong=wrong)
    planned = NetworkPlan(layers=tuple(made))
    maps = [entry for entry in made if len(entry.shape) == 3 and entry.shape[:2] != (1, 1)]
    return Checked(
        lines=_by_line(description, made),
        wrong=None,
        doubts=doubts_of(whole, planned, pictures),
        parameters=planned.parameters,
        multiply_adds=planned.multiply_adds,
        receptive_field=maps[-1].receptive_field if maps else 1,
        memory_bytes=memory_for_training(whole, batch_size),
        memory_fixed_bytes=memory_for_training(whole, 0),
        file_bytes=(planned.parameters + _statistics(made)) * _FLOAT_BYTES + _LAYER_BYTES * len(made),
    )


def _statistics(layers: Sequence[LayerPlan]) -> int:
    """Numbers that are measured and not trained: a mean and a variance for the gain and shift of each channel."""
    return sum(entry.parameters for entry in layers if entry.kind == "batch_norm")


def _part_at(parts: Sequence[Part], line: Line) -> Part:
    part = parts[line[0]]
    return _part_at(part.layers, line[1:]) if isinstance(part, Repeat) and len(line) > 1 else part


def _by_line(description: NetworkDescription, layers: Sequence[LayerPlan]) -> tuple[LinePlan, ...]:
    found: dict[Line, list[LayerPlan]] = {}
    for entry in layers:
        found.setdefault(entry.line, []).append(entry)
    return tuple(
        LinePlan(
            line=line,
            kind=part_kind(_part_at(description.layers, line)),
            shape=entries[-1].shape,
            parameters=sum(entry.parameters for entry in entries),
            multiply_adds=sum(entry.multiply_adds for entry in entries),
            receptive_field=entries[-1].receptive_field,
            layers=tuple(entries),
        )
        for line, entries in sorted(found.items())
    )
