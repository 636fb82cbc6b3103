"""Lookouts for whether all parts of a network are at work."""

from collections.abc import Sequence

from vast_orchard.core.watching.figures import LayerFigures
from vast_orchard.core.watching.findings import (
    EARLY,
    IN_A_ROW,
    Facts,
    Finding,
    History,
    Lookout,
    Question,
    Standing,
    quiet,
    since,
)
from vast_orchard.core.watching.history import EpochRecord

__all__ = ["PARTS"]

_IDLE = 0.5  # share of units or values


def _worst(layers: Sequence[LayerFigures], figure: str) -> tuple[str, float] | None:
    found = [(entry.layer, value) for entry in layers if (value := getattr(entry, figure)) is not None]
    return max(found, key=lambda pair: pair[1]) if found else None


def _idle(history: History, facts: Facts, figure: str, what: str, mend: str) -> Finding:
    recorded = [entry for entry in history if entry.watched.layers]
    known = [(entry, pair) for entry in recorded if (pair := _worst(entry.watched.layers, figure))]
    if recorded and not known:
        return quiet()
    if len(known) < IN_A_ROW or recorded[-1].number < facts.settled:
        return EARLY
    entry, (layer, value) = known[-1]
    hits = [share >= _IDLE for _, (_, share) in known]
    if not all(hits[-IN_A_ROW:]):
        return quiet(value, _IDLE, layer)
    # Of layers that are alike the first one: what comes after may only suffer from it.
    first, share = next((e.layer, share) for e in entry.watched.layers if (share := getattr(e, figure) or 0.0) >= _IDLE)
    began = since([one.number for one, _ in known], hits)
    return Finding(
        standing=Standing.FOUND, value=share, bound=_IDLE, since=began, where=first,
        why=f"{share:.0%} of {what} in {first}, and hardly anything is learnt through them.", mend=mend,
        leads_to="network",
    )  # fmt: skip


def _asleep(history: History, facts: Facts) -> Finding:
    what, mend = "the units answer every picture with zero", "A lower rate, or batch norm before the activation."
    return _idle(history, facts, "asleep", what, mend)


def _pinned(history: History, facts: Facts) -> Finding:
    what = "the values lie at an end of the activation"
    mend = "Batch norm before the activation, or pictures scaled by their deviation."
    return _idle(history, facts, "pinned", what, mend)


_APART = 1000.0
_UNMOVED = 1e-7


def _out_of_step(history: History, facts: Facts) -> Finding:
    known = [(e.number, apart) for e in history if (apart := _apart(e))]
    if not known or history[-1].number < facts.settled:
        return EARLY
    _, (times, slowest, fastest) = known[-1]
    if times <= _APART:
        return quiet(times, _APART)
    hits = [apart[0] > _APART for _, apart in known]
    return Finding(
        standing=Standing.FOUND, value=times, bound=_APART, since=since([number for number, _ in known], hits),
        where=slowest,
        why=f"{fastest} moves {times:.0f} times as fast for its weights as {slowest}, which learns next to nothing.",
        mend="Batch norm or residual blocks let the gradient through to all layers alike.", leads_to="network",
    )  # fmt: skip


def _apart(entry: EpochRecord) -> tuple[float, str, str] | None:
    """By how much the fastest of the layers that move is faster than the slowest; the slowest, the fastest."""
    moves = [(layer.update, layer.layer) for layer in entry.watched.layers if (layer.update or 0.0) >= _UNMOVED]
    if len(moves) < 2:
        return None
    slow, fast = min(moves), max(moves)
    return (fast[0] or 0.0) / (slow[0] or 1.0), slow[1], fast[1]


def _unmoved(history: History, facts: Facts) -> Finding:
    recorded = [e for e in history if any(layer.update is not None for layer in e.watched.layers)]
    if not recorded:
        return EARLY
    entry = recorded[-1]
    least = min(layer.update for layer in entry.watched.layers if layer.update is not None)
    if entry.figures.get("learning_rate", 0.0) < 1e-3 * facts.settings.learning_rate:
        return quiet(least, _UNMOVED)
    numbers, still = [e.number for e in recorded], [bool(_still_layers(e)) for e in recorded]
    found = _still_layers(entry)
    if not found:
        return quiet(least, _UNMOVED)
    zero = [layer for layer in found if not layer.weight]
    cut_off = [layer for layer in found if layer.gradient == 0]
    told = zero or cut_off or found
    names = ", ".join(layer.layer for layer in told[:3]) + (" …" if len(told) > 3 else "")
    if zero:
        why, mend = f"All weights are zero in {names}, and stay so.", "Draw the weights anew: start from nothing."
    elif cut_off:
        why = f"No gradient reaches {names}: nothing is learnt there."
        mend = "See whether units sleep in what comes after."
    else:
        why = f"A step moves the weights of {names} by less than {_UNMOVED:g} of their length."
        mend = "Give what was taken over a higher share of the rate."
    return Finding(
        standing=Standing.FOUND, value=least, bound=_UNMOVED, since=since(numbers, still),
        where=told[0].layer, why=why, mend=mend, leads_to="network",
    )  # fmt: skip


def _still_layers(entry: EpochRecord) -> list[LayerFigures]:
    """Layers that should learn and whose weights do not move, or move by decay alone."""
    found = []
    for layer in entry.watched.layers:
        if layer.update is None:
            continue
        if layer.update < _UNMOVED or layer.weight == 0 or layer.gradient == 0:
            found.append(layer)
    return found


PARTS = (
    Lookout(id="asleep", question=Question.PARTS, words="Units that sleep", look=_asleep,
            measures="share of a layer's units that answer zero to everything"),
    Lookout(id="pinned", question=Question.PARTS, words="Values pinned at the ends", look=_pinned,
            measures="share of a layer's values at the ends of its activation"),
    Lookout(id="apart", question=Question.PARTS, words="Layers out of step", look=_out_of_step,
            measures="fastest layer over the slowest, by update over weight"),
    Lookout(id="unmoved", question=Question.PARTS, words="Weights all zero or unmoved", look=_unmoved,
            measures="smallest update over weight of a layer that learns"),
)  # fmt: skip
