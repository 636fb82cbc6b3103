"""What a plan is to do, complete in itself, as a value and as it is stored."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from vast_orchard.core.network.description import description_from_json, description_to_json
from vast_orchard.core.pictures.variation import variation_from_json
from vast_orchard.core.planning.halving import rungs_of
from vast_orchard.core.planning.knobs import Space, knob_to_json, space_from_json
from vast_orchard.core.planning.trial_recipe import Named, NamedStart, check_space, trial_recipe
from vast_orchard.core.training.recipe import Recipe, recipe_from_json, recipe_to_json
from vast_orchard.core.training.settings import EndFigure, Keep
from vast_orchard.core.training.start import Start
from vast_orchard.errors import SettingError
from vast_orchard.store.schema import GroupKind

__all__ = [
    "FIGURES",
    "Dropping",
    "Folds",
    "PlanOrder",
    "check_order",
    "order_from_json",
    "order_to_json",
    "runs_of_order",
]

# By which figure trials are compared, and whether more of it is better.
FIGURES: Mapping[str, bool] = {"validation_accuracy": True, "validation_macro_f1": True, "validation_loss": False}
_MOST_COPIES, _MOST_ROUNDS = 50, 20


@dataclass(frozen=True, kw_only=True)
class Dropping:
    """How trials are dropped early."""

    factor: int = 3  # one of so many goes on
    least: int = 3  # epochs of the first rung, about
    waits: bool = False  # rungs are judged as a whole: the same winner on any number of workers


@dataclass(frozen=True, kw_only=True)
class Folds:
    """Into how many parts the pictures are divided, and how often."""

    count: int = 5
    rounds: int = 1
    # Of each round the part of each picture, in the order of the snapshot's training and validation pictures by
    # content, as letters from "0" on.
    parts: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class PlanOrder:
    """What is to be done."""

    kind: GroupKind
    question: str
    recipe: Recipe  # its network open
    split_id: int | None = None  # None: the newest, or one by the defaults
    by: str = "validation_loss"  # of `FIGURES`; it is moved less by luck than an accuracy (README, "Plans")
    seed: int = 1  # of the draws of trials or of folds
    space: Space | None = None  # of a search
    way: str = ""  # of a search, see `core.planning.ways`
    trials: int = 0  # that were asked for
    dropping: Dropping | None = None
    minutes: float = 0.0  # of training, after which no trial begins; 0: no limit
    folds: Folds | None = None
    values: tuple[dict[str, Any], ...] = ()  # of each trial, once they are drawn
    go_on: bool = False  # to final training, when the plan has ended
    named: Named = field(default_factory=Named)

    @property
    def rungs(self) -> tuple[int, ...]:
        """Epochs after which trials rest, the whole budget last."""
        epochs = self.recipe.settings.epochs
        return rungs_of(epochs, self.dropping.least, self.dropping.factor) if self.dropping else (epochs,)

    @property
    def start_digests(self) -> tuple[str, ...]:
        """Which weights its trials start from, by their digests."""
        starts = [entry.start for entry in self.named.starts.values()]
        return tuple(sorted({start.digest for start in (self.recipe.start, *starts) if start is not None}))

    def score(self, figures: Mapping[str, float]) -> float | None:
        """What trials are compared by, the higher the better; None where nothing was validated."""
        value = figures.get(self.by)
        return None if value is None else value if FIGURES[self.by] else -value

    def recipe_of(self, trial: int) -> Recipe:
        """What a trial trains, from 1 on."""
        return trial_recipe(self.recipe, self.values[trial - 1], self.named) if self.space else self._alike(trial)

    def _alike(self, trial: int) -> Recipe:
        if self.kind is GroupKind.COPIES:
            seed = self.recipe.settings.seed + trial - 1
            return replace(self.recipe, settings=replace(self.recipe.settings, seed=seed))
        return self.recipe


def runs_of_order(order: PlanOrder) -> int:
    """How many runs a plan comes to."""
    if order.folds is not None:
        return order.folds.count * order.folds.rounds
    return len(order.values) or order.trials


def check_order(order: PlanOrder) -> None:
    """See to it that the plan can be carried out, before anything trains.

    Raises
    ------
    SettingError, DescriptionError
    """
    if order.by not in FIGURES:
        raise SettingError(f"Trials cannot be compared by {order.by!r}.", f"Choose one of {', '.join(FIGURES)}.")
    if order.minutes < 0:
        raise SettingError(f"{order.minutes:g} minutes are no time.", "Give minutes above 0, or 0 for no limit.")
    match order.kind:
        case GroupKind.TRIALS:
            if order.space is None:
                raise SettingError("Nothing is varied.", "Give something a list or a range of values.")
            check_space(order.recipe, order.space, order.named)
            if order.dropping and "epochs" in {knob.name for knob in order.space.knobs}:
                raise SettingError(
                    "Epochs are varied, and trials are dropped by their epochs.", "Leave out one of the two."
                )
            _ = order.rungs
        case GroupKind.FOLDS:
            _check_folds(order.recipe)
            folds = order.folds or Folds()
            if not 2 <= folds.count <= 50 or not 1 <= folds.rounds <= _MOST_ROUNDS:
                raise SettingError(
                    f"{folds.count} folds, {folds.rounds} times.", f"Choose 2 to 50 folds, 1 to {_MOST_ROUNDS} times."
                )
        case GroupKind.COPIES:
            if not 2 <= order.trials <= _MOST_COPIES:
                raise SettingError(f"{order.trials} copies are asked for.", f"Choose 2 to {_MOST_COPIES}.")


def _check_folds(recipe: Recipe) -> None:
    """Refuse what would choose by the pictures that a fold is judged on.

    Raises
    ------
    SettingError
    """
    settings = recipe.settings
    figures = (settings.end_when, settings.reach)
    if settings.keep is not Keep.LAST or any(
        figure is not EndFigure.NONE and figure.value.startswith("validation") for figure in figures
    ):
        raise SettingError(
            "The epoch would be chosen by the pictures that the fold is judged on, which makes every score too good.",
            "Keep the last epoch, and let nothing end by a figure of validation.",
        )
    if recipe.start is not None and recipe.start.words and not recipe.start.words.startswith("the starter "):
        raise SettingError(
            f"{recipe.start.words} may have learnt from the very pictures that are judged.",
            "Start from a starter, or from nothing.",
        )


def order_to_json(order: PlanOrder) -> dict[str, Any]:
    """The order as plain JSON values."""
    return {
        "kind": order.kind.value,
        "question": order.question,
        "recipe": recipe_to_json(order.recipe),
        "by": order.by,
        "seed": order.seed,
        "space": [knob_to_json(knob) for knob in order.space.knobs] if order.space else [],
        "way": order.way,
        "trials": order.trials,
        "dropping": asdict(order.dropping) if order.dropping else None,
        "minutes": order.minutes,
        "folds": {**asdict(order.folds), "parts": list(order.folds.parts)} if order.folds else None,
        "values": list(order.values),
        "go_on": order.go_on,
        "networks": {name: description_to_json(value) for name, value in order.named.networks.items()},
        "variations": {name: asdict(value) for name, value in order.named.variations.items()},
        "starts": {
            name: {"start": asdict(value.start), "network": description_to_json(value.network)}
            for name, value in order.named.starts.items()
        },
        "start_digests": list(order.start_digests),  # read by `store.plans.plan_files`
    }


def order_from_json(data: Mapping[str, Any]) -> PlanOrder:
    """Read what `order_to_json` wrote."""
    folds = data["folds"]
    return PlanOrder(
        kind=GroupKind(data["kind"]),
        question=data["question"],
        recipe=recipe_from_json(data["recipe"]),
        by=data["by"],
        seed=data["seed"],
        space=space_from_json(data["space"]) if data["space"] else None,
        way=data["way"],
        trials=data["trials"],
        dropping=Dropping(**data["dropping"]) if data["dropping"] else None,
        minutes=data["minutes"],
        folds=Folds(**{**folds, "parts": tuple(folds["parts"])}) if folds else None,
        values=tuple(data["values"]),
        go_on=data["go_on"],
        named=Named(
            networks={name: description_from_json(value) for name, value in data["networks"].items()},
            variations={name: variation_from_json(value) for name, value in data["variations"].items()},
            starts={
                name: NamedStart(start=Start(**value["start"]), network=description_from_json(value["network"]))
                for name, value in data.get("starts", {}).items()
            },
        ),
    )
