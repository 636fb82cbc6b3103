"""A collection divided into sets in a terminal, where no split is stored."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass

from vast_orchard.core.sets.grouped import grouped_split
from vast_orchard.core.sets.split import complete_sets, proposed_shares, stratified_split
from vast_orchard.core.training.values import Examples
from vast_orchard.errors import SplitError
from vast_orchard.formats.collection import Collection, labelled_examples
from vast_orchard.types import SetName

__all__ = ["Divided", "contents", "divide"]


@dataclass(frozen=True, kw_only=True)
class Divided:
    """The labelled pictures of a collection by set."""

    classes: tuple[str, ...]
    sets: dict[SetName, Examples]
    places: dict[SetName, list[int]]  # of each set's pictures in the collection


def divide(collection: Collection, seed: int, keys: Sequence[Hashable] = ()) -> Divided:
    """Keep the sets that came with the pictures, and draw what did not come.

    Parameters
    ----------
    collection : Collection
    seed : int
    keys : sequence of hashable
        What keeps each picture of the collection together with others; where sets came, those hold nevertheless.

    Raises
    ------
    SplitError
        There are no two classes.
    """
    labelled = [place for place, picture in enumerate(collection.pictures) if picture.class_name]
    names = [str(collection.pictures[place].class_name) for place in labelled]
    identities = [collection.pictures[place].sha256 for place in labelled]
    given = [collection.pictures[place].set_name for place in labelled]
    classes = tuple(sorted(set(names), key=str.casefold))
    if len(classes) < 2:
        raise SplitError(
            f"There {'is only the class ' + classes[0] if classes else 'are no classes'}.",
            "Put the pictures of at least two classes into a folder each.",
        )
    if SetName.TRAINING in given:
        chosen = complete_sets(identities, names, given, proposed_shares(len(labelled)), seed)
    elif keys:
        kept = [keys[place] for place in labelled]
        chosen = grouped_split(identities, names, kept, proposed_shares(len(labelled)), seed)
    else:
        chosen = stratified_split(identities, names, proposed_shares(len(labelled)), seed)
    places: dict[SetName, list[int]] = {name: [] for name in SetName}
    for place, set_name in zip(labelled, chosen, strict=True):
        if set_name:
            places[set_name].append(place)
    sets = {}
    for set_name, members in places.items():
        pictures = [collection.pictures[place] for place in members]
        sets[set_name] = labelled_examples(
            collection.pixels[members],
            [picture.sha256 for picture in pictures],
            [picture.class_name for picture in pictures],
            classes,
        )
    return Divided(classes=classes, sets=sets, places=places)


def contents(collection: Collection, places: Sequence[int]) -> list[str]:
    """SHA-256 of pictures of a collection by their places."""
    return [collection.pictures[place].sha256 for place in places]
