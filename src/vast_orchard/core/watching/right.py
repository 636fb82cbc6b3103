"""Lookouts for whether a network learns what it should."""

import math

import numpy as np

from vast_orchard.core.judging.intervals import wilson_interval
from vast_orchard.core.sets.epoch_order import ClassDraws
from vast_orchard.core.training.settings import ClassWeights
from vast_orchard.core.watching.findings import (
    EARLY,
    IN_A_ROW,
    NEARLY_ALL,
    Facts,
    Finding,
    History,
    Lookout,
    Question,
    Standing,
    losses,
    quiet,
    since,
)
from vast_orchard.core.watching.history import Answers
from vast_orchard.core.watching.turn import turning_epoch

__all__ = ["RIGHT"]

# What helps a class that is too rarely seen.
_SHOWN_ALIKE = {"class_draws": str(ClassDraws.BALANCED), "class_weights": str(ClassWeights.NONE)}

_GAP = 0.05
_FOR = 2  # epochs: at a high rate the loss on validation leaps now and then


def _by_heart(history: History, facts: Facts) -> Finding:
    known, accuracies = losses(history, "validation_loss"), losses(history, "validation_accuracy")
    if len(known) < len(history) or not accuracies or not facts.validation:
        return quiet() if history else EARLY
    if len(history) < max(facts.settled, _FOR):
        return EARLY
    gaps = [one - other for one, other in zip(losses(history, "training_accuracy"), accuracies, strict=True)]
    trained, validated, count = losses(history, "training_accuracy")[-1], accuracies[-1], sum(facts.validation)
    low, high = wilson_interval(round(validated * count), count)
    bound = max(_GAP, (high - low) / 2)
    turned = [turning_epoch(known[: len(known) - back]) for back in range(_FOR)]
    if None in turned or min(gaps[-_FOR:]) <= bound:
        return quiet(gaps[-1], bound)
    return Finding(
        standing=Standing.FOUND, value=gaps[-1], bound=bound, since=turned[0],
        why=f"Since epoch {turned[0]} the loss on validation rises while that of training falls: "
        f"{trained:.3f} of the training pictures are named rightly, and {validated:.3f} of the others.",
        mend="More pictures, a variation, or more smoothing; or end when validation stands still.",
        change={"end_when": "validation-loss"} if facts.varied else {"label_smoothing": 0.1, "weight_decay": 0.05},
        leads_to="" if facts.varied else "variation",
    )  # fmt: skip


def _not_even_training(history: History, facts: Facts) -> Finding:
    known = losses(history, "training_accuracy")
    if len(known) < facts.settled:
        return EARLY
    if facts.largest > NEARLY_ALL:
        return quiet()
    # Three standard errors of so many guesses.
    bound = facts.largest + 3 * math.sqrt(facts.largest * (1 - facts.largest) / sum(facts.training))
    value = max(known[-IN_A_ROW:])
    if value > bound:
        return quiet(value, bound)
    return Finding(
        standing=Standing.FOUND, value=value, bound=bound,
        since=since([e.number for e in history], [v <= bound for v in known]),
        why=f"{value:.3f} of the training pictures are named rightly; always naming the largest class comes to "
        f"{facts.largest:.3f}.",
        mend="Look whether the labels are those of these pictures; then try another rate or a larger network.",
        leads_to="rows",
    )  # fmt: skip


_ONE = 0.98
_TRULY = 0.9


def _answered(history: History) -> list[tuple[int, Answers]]:
    """Epochs that were judged, with what was answered."""
    return [(entry.number, answers) for entry in history if (answers := entry.watched.answers)]


def _one_class(history: History, facts: Facts) -> Finding:
    known = _answered(history)
    if not facts.validation or (history and not known):
        return quiet()
    if len(known) < max(IN_A_ROW, facts.settled):
        return EARLY
    shares = [_largest_answer(answers) for _, answers in known]
    place, share, true = shares[-1]
    hits = [answer >= _ONE and truly < _TRULY for _, answer, truly in shares]
    if not all(hits[-IN_A_ROW:]):
        return quiet(share, _ONE)
    name = facts.classes[place]
    return Finding(
        standing=Standing.FOUND, value=share, bound=_ONE, where=name,
        since=since([number for number, _ in known], hits),
        why=f"{share:.0%} of the answers are {name}, and {true:.0%} of the pictures.",
        mend="Show every class equally often, or let each count alike; and see that the training set has all of them.",
        change=dict(_SHOWN_ALIKE),
    )  # fmt: skip


def _largest_answer(answers: Answers) -> tuple[int, float, float]:
    """Place of the class most often answered, its share of the answers and of the pictures."""
    place = int(np.argmax(answers.named))
    count = max(1, sum(answers.count))
    return place, answers.named[place] / count, answers.count[place] / count


_FEW, _NEVER_FOR = 5, 3


def _never_named(history: History, facts: Facts) -> Finding:
    known = _answered(history)
    if not facts.validation or (history and not known):
        return quiet()
    if len(known) < max(_NEVER_FOR, facts.settled, facts.settings.epochs // 4):
        return EARLY
    missing = [
        [n for n, named in enumerate(answers.named) if not named and answers.count[n] >= _FEW] for _, answers in known
    ]
    always = set(missing[-1]).intersection(*missing[-_NEVER_FOR:])
    if not always:
        return quiet(0.0, 0.0)
    names = ", ".join(facts.classes[n] for n in sorted(always))
    hits = [bool(always & set(entry)) for entry in missing]
    return Finding(
        standing=Standing.FOUND, value=float(len(always)), bound=0.0, where=facts.classes[min(always)],
        since=since([number for number, _ in known], hits),
        why=f"Not one answer was {names} in the last {_NEVER_FOR} epochs, though validation has pictures of it.",
        mend="Show every class equally often, and look at its pictures.", leads_to="rows",
        change=dict(_SHOWN_ALIKE),
    )  # fmt: skip


# At 0.6 and in three epochs a third of healthy trainings on strokes were found fault with, while the rate was high.
_SWALLOWED, _SWALLOWED_FOR, _ENOUGH = 0.75, 5, 10


def _swallowed(history: History, facts: Facts) -> Finding:
    known = _answered(history)
    if not facts.validation or (history and not known):
        return quiet()
    if len(known) < max(_SWALLOWED_FOR, facts.settled, facts.settings.epochs // 2):
        return EARLY
    worst = [_most_taken(answers) for _, answers in known]
    share, lost, other = worst[-1]
    hits = [entry[0] >= _SWALLOWED and entry[1:] == (lost, other) for entry in worst]
    if not all(hits[-_SWALLOWED_FOR:]):
        return quiet(share, _SWALLOWED)
    taken, for_other = facts.classes[lost], facts.classes[other]
    return Finding(
        standing=Standing.FOUND, value=share, bound=_SWALLOWED, where=taken,
        since=since([number for number, _ in known], hits),
        why=f"{share:.0%} of {taken} is taken for {for_other}.",
        mend="Look whether the two are told apart in the labels, and show every class equally often.", leads_to="rows",
    )  # fmt: skip


def _most_taken(answers: Answers) -> tuple[float, int, int]:
    shares = [
        (others / count, place, other)
        for place, (count, other, others) in enumerate(zip(answers.count, answers.other, answers.others, strict=True))
        if count >= _ENOUGH
    ]
    return max(shares, default=(0.0, 0, 0))


_PERFECT, _SOON = 0.99, 200


def _at_once(history: History, facts: Facts) -> Finding:
    if not facts.validation or facts.started:
        return quiet()
    if not history:
        return EARLY
    soon = [e for e in history if e.number == 1 or e.number * facts.steps <= _SOON]
    best = max(soon, key=lambda entry: entry.figures.get("validation_accuracy", 0.0))
    value = best.figures.get("validation_accuracy", 0.0)
    if value < _PERFECT:
        return quiet(value, _PERFECT)
    return Finding(
        standing=Standing.FOUND, value=value, bound=_PERFECT, since=best.number,
        why=f"{value:.3f} of validation was named rightly after {best.number * facts.steps} steps. Either it is very "
        "easy, or something gives the class away.",
        mend="Look for copies in training and validation, and for what else differs between the classes.",
        leads_to="copies",
    )  # fmt: skip


_WIDE, _USUAL = 0.05, 0.9  # an accuracy that most come to, so that it can be said before the start


def _few_validation(history: History, facts: Facts) -> Finding:
    count, accuracies = sum(facts.validation), losses(history, "validation_accuracy")
    if not count:
        return Finding(
            standing=Standing.FOUND, since=1, bound=_WIDE, mend="Divide the pictures anew.", leads_to="divide",
            why="No picture is in validation: nothing tells how well it does.",
        )  # fmt: skip
    best = max([_USUAL, *accuracies])
    low, high = wilson_interval(round(best * count), count)
    half = (high - low) / 2
    if half <= _WIDE:
        return quiet(half, _WIDE)
    return Finding(
        standing=Standing.FOUND, value=half, bound=_WIDE, since=1,
        why=f"{count} validation pictures know an accuracy of {best:.2f} to within {low:.2f} and {high:.2f}: smaller "
        "differences between runs are chance.",
        mend="Give validation a larger share, or bring in more pictures.", leads_to="divide",
    )  # fmt: skip


_TIMES = 10.0


def _unequal(history: History, facts: Facts) -> Finding:
    counts = [(count, name) for count, name in zip(facts.training, facts.classes, strict=True) if count]
    if len(counts) < 2:
        return quiet()
    (few, rare), (many, frequent) = min(counts), max(counts)
    settings = facts.settings
    balanced = settings.class_weights is ClassWeights.BALANCED or settings.class_draws is ClassDraws.BALANCED
    if many / few <= _TIMES or balanced:
        return quiet(many / few, _TIMES)
    return Finding(
        standing=Standing.FOUND, value=many / few, bound=_TIMES, since=1, where=rare,
        why=f"{frequent} has {many} training pictures and {rare} has {few}.",
        mend="Show every class equally often.",
        change=dict(_SHOWN_ALIKE),
    )  # fmt: skip


RIGHT = (
    Lookout(id="heart", question=Question.RIGHT, words="Learnt by heart", look=_by_heart,
            measures="accuracy of training less that of validation"),
    Lookout(id="nothing", question=Question.RIGHT, words="Not even the training pictures", look=_not_even_training,
            measures="accuracy of training"),
    Lookout(id="one", question=Question.RIGHT, words="One class only", look=_one_class,
            measures="share of the class that is answered most"),
    Lookout(id="never", question=Question.RIGHT, words="A class never named", look=_never_named,
            measures="classes that are never answered"),
    Lookout(id="swallowed", question=Question.RIGHT, words="One class swallows another", look=_swallowed,
            measures="largest share of a class that is taken for one other"),
    Lookout(id="easy", question=Question.RIGHT, words="Nearly perfect at once", look=_at_once,
            measures="accuracy of validation in the first steps"),
    Lookout(id="few", question=Question.RIGHT, words="Too few validation pictures", look=_few_validation,
            measures="half the width of the accuracy's interval"),
    Lookout(id="unequal", question=Question.RIGHT, words="Unequal classes", look=_unequal,
            measures="largest class over the smallest"),
)  # fmt: skip
