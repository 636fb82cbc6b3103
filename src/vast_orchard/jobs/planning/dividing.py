"""Divides the pictures of a plan into folds: by a worker, for of a hundred thousand pictures it takes seconds."""

from dataclasses import replace

from sqlalchemy.orm import Session

from vast_orchard.at_once.dividing import split_keys
from vast_orchard.at_once.planning.order import Folds, PlanOrder, order_to_json
from vast_orchard.core.sets.grouped import check_folds, stratified_folds
from vast_orchard.errors import MissingError
from vast_orchard.store.classes import list_classes
from vast_orchard.store.plans import add_to_plan
from vast_orchard.store.snapshots import class_counts, fold_pictures
from vast_orchard.store.values import PlanValue
from vast_orchard.types import SetName

__all__ = ["check_many_enough", "divide_into_folds", "undivided"]


def undivided(order: PlanOrder) -> bool:
    """Whether it is of folds that nobody has drawn yet."""
    return order.folds is not None and not order.folds.parts


def check_many_enough(session: Session, project_id: int, snapshot_id: int, count: int) -> None:
    """See to it before a plan begins that every class has as many pictures as there are folds.

    What is kept together is looked at with the division itself.

    Raises
    ------
    SplitError
    """
    sets = class_counts(session, snapshot_id)
    labels = [
        str(class_id)
        for name in (SetName.TRAINING, SetName.VALIDATION)
        for class_id, pictures in sets.get(name.value, {}).items()
        for _ in range(pictures)
    ]
    check_folds(labels, [None] * len(labels), count, _names(session, project_id))


def divide_into_folds(session: Session, entry: PlanValue, order: PlanOrder) -> PlanOrder:
    """The order with the fold of each picture, stored; kept together as the split keeps them.

    Raises
    ------
    SplitError
        A class is in fewer groups than there are folds.
    MissingError
        The split is gone meanwhile.
    """
    if entry.snapshot_id is None or entry.split_id is None:
        raise MissingError("The split that the plan was begun with is gone.", "Plan anew.")
    folds, pictures = order.folds or Folds(), fold_pictures(session, entry.snapshot_id)
    keys = split_keys(session, entry.project_id, entry.split_id, [picture.picture_id for picture in pictures])
    labels, contents = [str(picture.class_id) for picture in pictures], [picture.sha256 for picture in pictures]
    check_folds(labels, keys, folds.count, _names(session, entry.project_id))
    parts = []
    for of_round in range(folds.rounds):
        drawn = stratified_folds(contents, labels, keys, folds.count, order.seed + of_round)
        parts.append("".join(chr(ord("0") + fold) for fold in drawn))
    order = replace(order, folds=replace(folds, parts=tuple(parts)))
    add_to_plan(session, entry.id, order_to_json(order), entry.budget)
    return order


def _names(session: Session, project_id: int) -> dict[str, str]:
    return {str(entry.id): entry.name for entry in list_classes(session, project_id)}
