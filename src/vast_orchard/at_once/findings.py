"""Findings as lines for the page, in the order of what they cost: number, what each does to a result, what to do."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.catalogue import default_recipe, recipe_of
from vast_orchard.at_once.planning.order import Folds, PlanOrder
from vast_orchard.core.findings.kinds import HARD
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import Keep
from vast_orchard.store.classes import list_classes
from vast_orchard.store.copies import copies_known
from vast_orchard.store.findings import finding_counts, finding_report
from vast_orchard.store.schema import FindingKind, GroupKind
from vast_orchard.store.splits import divided_copies, newest_split_id

__all__ = ["ASKED_FOLDS", "ASKED_NETWORK", "asking_recipe", "finding_lines", "finding_titles", "folds_to_ask"]

# A small network that is soon trained: with 14 epochs its folds have most wrong labels among the first (README,
# "Findings").
ASKED_NETWORK = "plain 5"
_EPOCHS, _SIDE, ASKED_FOLDS = 14, 48, 5
# A class so many times as large as another, or of so few pictures, is worth a word.
_UNEQUAL, _FEW = 10.0, 20

# Title, what it does to a result, what to do.
_WORDS: dict[str, tuple[str, str, str]] = {
    "label": (
        "Probably another class",
        "It teaches the wrong thing, and in validation or test it makes a right answer count as wrong.",
        "Take the proposal (Y), or say that the label is right (D).",
    ),
    "alone": (
        "Alone in its class",
        "One picture that is unlike all others is learnt by heart, or belongs elsewhere.",
        "Look whether it belongs there: label it, exclude it (X), or say that it does (D).",
    ),
    "dark": (
        "Darker than its class",
        "What cannot be seen teaches nothing, and is answered by chance.",
        "Exclude it (X), or say that it is fine (D) if such pictures will come.",
    ),
    "blurred": (
        "More blurred than its class",
        "Where the detail is gone that tells classes apart, a network learns to guess.",
        "Exclude it (X), or say that it is fine (D) if such pictures will come.",
    ),
    "cut-off": (
        "Goes on beyond its rim",
        "Half of a thing may look like another class.",
        "Exclude it (X), give it a working area (A), or say that it is fine (D).",
    ),
    "flat": (
        "Less contrast than its class",
        "Shapes that hardly stand out are learnt last and answered worst.",
        "Exclude it (X), or say that it is fine (D).",
    ),
    "noisy": (
        "Noisier than its class",
        "Noise hides fine detail, and a network with many weights learns it.",
        "Exclude it (X), or say that it is fine (D).",
    ),
    "bright": (
        "Brighter than its class",
        "Where the light is burnt out, no detail is left.",
        "Exclude it (X), or say that it is fine (D).",
    ),
    "tiny": (
        "Smaller than its class",
        "Enlarged to the network's input it is as good as blurred.",
        "Exclude it (X), or say that it is fine (D).",
    ),
    "odd-shape": (
        "Another shape than its class",
        "Pulled or cut to the network's square it looks unlike the others.",
        "Choose another fit, exclude it (X), or say that it is fine (D).",
    ),
}


def finding_titles() -> dict[str, str]:
    """What each kind of finding of pictures is called."""
    return {name: title for name, (title, _, _) in _WORDS.items()}


def finding_lines(session: Session, project_id: int) -> dict[str, Any]:
    """Everything that turned up when somebody looked last, as it stands now; without lines if nobody has."""
    found = finding_report(session, project_id)
    if found is None:
        return {"looked_at": None, "pictures": 0, "answers": None, "lines": []}
    report, counts = found.report, finding_counts(session, project_id)
    by_picture = {name: _of_pictures(name, own, report.get(name, {})) for name, own in counts.items()}
    hidden = set(found.dismissed)
    lines = [
        by_picture["label"],
        *_telltale(session, project_id, report.get("telltale", []), hidden),
        *_apart(report.get("apart", []), hidden),
        *_elsewhere(session, project_id),
        *(by_picture[kind.value] for kind in FindingKind if kind.value in HARD),
        by_picture["alone"],
        *_classes(session, project_id, hidden),
    ]
    return {
        "looked_at": found.looked_at,
        "pictures": report.get("pictures", 0),
        "answers": report.get("label", {}).get("by"),
        "lines": lines,
    }


def _line(name: str, title: str, effect: str, mend: str, count: int, **more: Any) -> dict[str, Any]:
    plain = {
        "expected": None, "dismissed": 0, "sift": None, "measure": None, "of_pictures": False, "detail": "",
        "hidden": False,
    }  # fmt: skip
    return {"name": name, "title": title, "effect": effect, "mend": mend, "count": count, **plain, **more}


def _of_pictures(name: str, counts: tuple[int, int], report: dict[str, Any]) -> dict[str, Any]:
    waiting, dismissed = counts
    return _line(
        name, *_WORDS[name], waiting,
        expected=report.get("expected", 0.0), dismissed=dismissed, sift=f"finding:{name}", of_pictures=True,
        measure=HARD[name].measure if name in HARD else None,
        detail=f"Compared by {_compared_by(report['by'])}." if name == "alone" and report.get("by") else "",
    )  # fmt: skip


def _compared_by(told: str) -> str:
    return f"the last features of {told}" if told.startswith("run ") else "what a tile of 24 pixels looks like"


def _telltale(
    session: Session, project_id: int, found: Sequence[dict[str, Any]], hidden: set[str]
) -> list[dict[str, Any]]:
    names = {entry.id: entry.name for entry in list_classes(session, project_id)}
    lines = []
    for one in found:
        most, name = one["most"], f"tells:{one['fact']}"
        detail = f"Alone it gives {one['share']:.0%} of what is to be known of a class; chance seldom gives as much (p "
        detail += "< 0.001)." if one["chance"] < 0.001 else f"= {one['chance']:.3f})."
        if most:
            told = names.get(most["class_id"], "a class that is gone")
            detail += f" Of {most['in_part']} with {most['part']}, {most['of_class']} are {told}."
        lines.append(
            _line(
                name,
                f"The {one['fact']} gives the class away",
                "A network may learn it in place of what is shown, and fail where pictures come otherwise.",
                "Bring in all classes alike: the same camera, format, size and days for each.",
                1, detail=detail, sift=_sift_of(one["fact"], most), hidden=name in hidden,
            )
        )  # fmt: skip
    return lines


def _sift_of(fact: str, most: dict[str, Any] | None) -> str | None:
    if not most:
        return None
    part = most["part"]
    match fact:
        case "file format":
            return f'format:"{part}"'
        case "pixel mode":
            return f'mode:"{part}"'
        case "source":
            return f'source:"{part}"' if part and part != "others" else None
        case "day brought in":
            return f"came:{part}" if part != "others" else None
    return None


def _apart(found: Sequence[dict[str, Any]], hidden: set[str]) -> list[dict[str, Any]]:
    lines = []
    for one in found:
        name = f"apart:{one['set']}"
        facts = ", ".join(f"{fact['fact']} ({fact['area']:.2f})" for fact in one["facts"] if fact["area"] > 0.5)
        lines.append(
            _line(
                name,
                f"The {one['set']} set is not like training",
                "Its score says how the network does on other pictures than it was taught by.",
                "Divide anew, at random and by class, or keep it so if the difference is meant.",
                1,
                detail=f"By facts alone the two are told apart in {one['area']:.0%} of pairs, 50 % by chance: {facts}.",
                sift=f"set:{one['set']}", hidden=name in hidden,
            )
        )  # fmt: skip
    return lines


def _elsewhere(session: Session, project_id: int) -> list[dict[str, Any]]:
    """What is found by others, and settled where it lives."""
    known, split_id = copies_known(session, project_id), newest_split_id(session, project_id)
    parted = len(divided_copies(session, project_id, split_id)) if split_id else 0
    return [
        _line(
            "two-labels", "Two labels", "One of the two is wrong, and both are learnt.", "Settle which one is right.",
            known.differing + known.repeated_differing, sift="two-labels or differing-copies",
        ),
        _line(
            "parted-copies", "Copies across sets", "What was learnt is asked: validation and test look too good.",
            "Gather copies in Divide, or settle them.", parted, sift="parted-copies",
        ),
    ]  # fmt: skip


def _classes(session: Session, project_id: int, hidden: set[str]) -> list[dict[str, Any]]:
    entries = [entry for entry in list_classes(session, project_id) if entry.count]
    lines = []
    tiny = [entry for entry in entries if entry.count < _FEW]
    if tiny:
        lines.append(
            _line(
                "tiny-classes", "Classes of few pictures",
                "Hardly anything is learnt of them, and no score means much.",
                f"Bring in more, at least {_FEW} each, or leave them out.", len(tiny),
                detail=", ".join(f"{entry.name}: {entry.count}" for entry in tiny), hidden="tiny-classes" in hidden,
            )
        )  # fmt: skip
    if len(entries) > 1:
        least, most = min(entries, key=lambda x: x.count), max(entries, key=lambda x: x.count)
        ratio = most.count / least.count
        if ratio > _UNEQUAL:
            lines.append(
                _line(
                    "unequal", "Unequal classes", "Large classes are answered more often than they are right.",
                    "Bring in more of the small ones, or weigh classes in the Run sheet.", 1,
                    detail=f"{most.name} has {ratio:.0f} times as many pictures as {least.name} ({most.count} and "
                    f"{least.count}); {_UNEQUAL:g} times is still usual.", hidden="unequal" in hidden,
                )
            )  # fmt: skip
    return lines


def asking_recipe(pictures: int) -> Recipe:
    """What folds are trained by that are asked about labels."""
    recipe = recipe_of({**default_recipe(pictures), "network": ASKED_NETWORK})
    return replace(
        recipe,
        preprocessing=replace(recipe.preprocessing, size=_SIDE),
        settings=replace(recipe.settings, epochs=_EPOCHS, keep=Keep.LAST),
    )


def folds_to_ask(session: Session, project_id: int) -> PlanOrder:
    """Folds of a small network, whose answers tell which labels are contradicted."""
    pictures = sum(entry.count for entry in list_classes(session, project_id))
    return PlanOrder(
        kind=GroupKind.FOLDS,
        question="Which labels are contradicted",
        recipe=asking_recipe(pictures),
        folds=Folds(count=ASKED_FOLDS),
    )
