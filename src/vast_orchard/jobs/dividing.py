"""Makes splits of a project's labelled pictures: records in, the core's rule, records out."""

from collections.abc import Mapping
from dataclasses import asdict

from sqlalchemy.orm import Session

from vast_orchard.core.sets.split import DEFAULT_SHARES, Shares, complete_sets, stratified_split
from vast_orchard.errors import SplitError
from vast_orchard.store.pictures import labelled_pictures
from vast_orchard.store.splits import create_split, folder_sets, newest_split_id
from vast_orchard.store.values import SplitValue
from vast_orchard.types import SetName

__all__ = ["divide", "split_for_training"]

METHODS = ("random", "folders")


def divide(session: Session, project_id: int, method: str, shares: Mapping[str, float], seed: int) -> SplitValue:
    """Divide all labelled pictures.

    Parameters
    ----------
    method : {"random", "folders"}
        By a seeded, stratified draw, or as the folders gave the sets (what they lack is drawn from training).
    shares : mapping of str to float
        Of `training`, `validation` and `test`, 0 to 1.

    Raises
    ------
    SplitError
        Nothing to divide, or no sets came with the folders.
    """
    if method not in METHODS:
        raise SplitError(f"There is no way to divide named {method!r}.", f"Choose one of {', '.join(METHODS)}.")
    wanted = Shares(**shares)
    pictures = labelled_pictures(session, project_id)
    identities = [picture.sha256 for picture in pictures]
    labels = [str(picture.class_id) for picture in pictures]
    if method == "folders":
        came = folder_sets(session, project_id)
        given = [came.get(picture.id) for picture in pictures]
        chosen = complete_sets(identities, labels, given, wanted, seed)
    else:
        chosen = stratified_split(identities, labels, wanted, seed)
    members: dict[int, SetName] = {
        picture.id: name for picture, name in zip(pictures, chosen, strict=True) if name is not None
    }
    return create_split(session, project_id, method=method, shares=shares, seed=seed, members=members)


def split_for_training(session: Session, project_id: int, split_id: int | None, seed: int) -> int:
    """The split asked for, else the newest, else a new one by the defaults, so that *Train* works at once.

    Sets that came with the folders are used when there are any.
    """
    chosen = split_id or newest_split_id(session, project_id)
    if chosen:
        return chosen
    came = folder_sets(session, project_id).values()
    method = "folders" if SetName.TRAINING in came else "random"
    return divide(session, project_id, method, asdict(DEFAULT_SHARES), seed).id
