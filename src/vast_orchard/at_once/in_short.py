"""A judged set in a few sentences: what is confused, where errors are, and what would help most next."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vast_orchard.at_once.slicing import find_slices
from vast_orchard.core.judging.in_short import by_heart, confused_pair, too_sure, weak_class
from vast_orchard.core.judging.intervals import wilson_interval
from vast_orchard.errors import MissingError
from vast_orchard.store.models import judgement_of
from vast_orchard.store.predictions import sure_answers
from vast_orchard.store.sift.words import quoted
from vast_orchard.store.snapshots import class_counts
from vast_orchard.store.values import ModelValue

__all__ = ["in_short"]

# An answer above it is a sure one.
_SURE_ANSWER = 0.95


def in_short(session: Session, model: ModelValue, set_name: str) -> list[dict[str, Any]]:
    """Sentences with their numbers, each with the Sift of the pictures that it is about, if it is about some.

    Raises
    ------
    MissingError
        The set was not judged.
    """
    scores = judgement_of(session, model.id, set_name)
    if scores is None or "confusion" not in scores:
        raise MissingError("There are no scores of this set.", "Judge it first.")
    names = [entry["name"] for entry in model.classes]
    confusion = np.array(scores["confusion"], np.int64)
    if scores["right"] == scores["count"]:
        highest = 1 - wilson_interval(scores["right"], scores["count"])[0]
        return [
            _sentence("confuses", f"No error on {scores['count']} pictures: the rate is below {highest:.3f}, 95 %.")
        ]
    told = [_confuses(confusion, names, set_name), _where(session, model, set_name)]
    return [*told, *_next(session, model, set_name, scores, confusion, names)]


def _sentence(about: str, words: str, sift: str | None = None, p: float | None = None, more: int = 0) -> dict[str, Any]:
    return {"about": about, "words": words, "sift": sift, "p": p, "more": more}


def _errors(count: int) -> str:
    return f"{count} error{'' if count == 1 else 's'}"


def _confuses(confusion: np.ndarray, names: list[str], set_name: str) -> dict[str, Any]:
    errors = int(confusion.sum() - np.trace(confusion))
    found = confused_pair(confusion)
    if found is None:
        if len(names) == 2:
            words = f"{names[0]} is read as {names[1]} {confusion[0, 1]} times, the other way {confusion[1, 0]} times."
        else:
            words = f"No two classes are confused more than chance explains ({_errors(errors)})."
        return _sentence("confuses", words)
    one, two = names[found.first], names[found.second]
    there = confusion[found.first, found.second]
    sift = (
        f"judged:{set_name} ((true:{quoted(one)} predicted:{quoted(two)}) or"
        f" (true:{quoted(two)} predicted:{quoted(one)})) order:-loss"
    )
    words = (
        f"Confused most: {one} and {two}, {found.errors} of {_errors(found.of)}, {there} of them {one} read as {two}."
    )
    return _sentence("confuses", words, sift, found.p)


def _where(session: Session, model: ModelValue, set_name: str) -> dict[str, Any]:
    slices = find_slices(session, model, set_name)
    if not slices:
        return _sentence("where", "No fact of the pictures goes with errors more than chance explains.")
    first = slices[0]
    counts = f"{first['wrong']} of {first['count']}"
    words = f"Errors are {first['times']:.1f} times as frequent {first['words']} ({counts})."
    return _sentence("where", words, f"{first['sift']} wrong order:-loss", first["p"], more=len(slices) - 1)


def _next(
    session: Session,
    model: ModelValue,
    set_name: str,
    scores: Mapping[str, Any],
    confusion: np.ndarray,
    names: list[str],
) -> list[dict[str, Any]]:
    """What would help most, the cheapest to do first."""
    found = [_labels_first(session, model, set_name), _more_of_one(session, model, set_name, confusion, names)]
    told = [entry for entry in found if entry is not None]
    if set_name == "training":
        words = "Look at the labels of these errors: a network seldom gets wrong what it has learnt."
        return told or [_sentence("next", words, "judged:training wrong order:-loss")]
    if not model.has_weights:
        return told or [_sentence("next", "Nothing stands out: the plan's final training learns from all of these.")]
    learnt = judgement_of(session, model.id, "training")
    if learnt is None:
        words = "Judge the training set: that tells whether more pictures or a larger network helps."
        return told or [_sentence("next", words)]
    by_hearts = _learnt_by_heart(scores, learnt)
    if by_hearts is not None:
        return [*told, by_hearts]
    words = (
        f"On the {learnt['count']} that it learnt from it is not better than chance explains ({learnt['accuracy']:.3f}"
        " right): a larger network or a longer training is worth a try."
    )
    return told or [_sentence("next", words)]


def _labels_first(session: Session, model: ModelValue, set_name: str) -> dict[str, Any] | None:
    answers = sure_answers(session, model.id, set_name, _SURE_ANSWER)
    p = too_sure(answers.wrong, answers.count, answers.expected)
    if p is None:
        return None
    words = (
        f"Look at labels first: {answers.wrong} of {answers.count} answers above {_SURE_ANSWER} are wrong, where"
        f" {answers.expected:.1f} would be expected."
    )
    return _sentence("next", words, f"judged:{set_name} wrong order:-p", p)


def _more_of_one(
    session: Session, model: ModelValue, set_name: str, confusion: np.ndarray, names: list[str]
) -> dict[str, Any] | None:
    weak = weak_class(confusion)
    if weak is None:
        return None
    name, class_id = names[weak.place], model.classes[weak.place]["id"]
    words = (
        f"More pictures of {name}: {weak.right} of {weak.count} right, of the others {weak.others_right} of"
        f" {weak.others_count}"
    )
    if model.has_weights:
        learnt = class_counts(session, model.snapshot_id or 0).get("training", {}).get(class_id, 0)
        words += f"; it learnt from {learnt}"
    words += "."
    return _sentence("next", words, f"judged:{set_name} true:{quoted(name)} wrong order:-loss", weak.p)


def _learnt_by_heart(scores: Mapping[str, Any], learnt: Mapping[str, Any]) -> dict[str, Any] | None:
    p = by_heart(learnt["count"] - learnt["right"], learnt["count"], scores["count"] - scores["right"], scores["count"])
    if p is None:
        return None
    words = (
        f"More pictures or a stronger variation: {learnt['accuracy']:.3f} of the {learnt['count']} that it learnt"
        f" from are right, of these {scores['accuracy']:.3f}."
    )
    return _sentence("next", words, p=p)
