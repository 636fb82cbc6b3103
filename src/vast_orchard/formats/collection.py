"""A source read whole: pictures by content, with class and set, for work without a store."""

import hashlib
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.training.values import Examples
from vast_orchard.errors import ArchiveError, OrchardError
from vast_orchard.formats.folder_tree import SkippedFile, read_folders
from vast_orchard.formats.members import Source
from vast_orchard.formats.picture_file import PICTURE_ENDINGS, network_pixels
from vast_orchard.types import SetName

__all__ = ["CollectedPicture", "Collection", "check_some", "collect", "identity_number", "labelled_examples"]


@dataclass(frozen=True, kw_only=True)
class CollectedPicture:
    """One content, under the first label it came with."""

    sha256: str
    path: str
    class_name: str | None
    set_name: SetName | None


@dataclass(frozen=True, kw_only=True)
class Collection:
    """Pictures with their pixels in the same order."""

    pictures: tuple[CollectedPicture, ...]
    pixels: Array  # (N, size, size, channels), uint8
    skipped: tuple[SkippedFile, ...]
    repeated: int  # files whose content was there already
    notes: tuple[str, ...]


def identity_number(sha256: str) -> int:
    """The first 64 bits of the content's hash: a picture's identity in the core."""
    return int(sha256[:16], 16)


def labelled_examples(
    pixels: Array, sha256s: Sequence[str], labels: Sequence[Hashable], classes: Sequence[Hashable]
) -> Examples:
    """Pictures as a training takes them.

    Parameters
    ----------
    pixels : ndarray, shape (N, size, size, channels), uint8
    sha256s : sequence of str
        Of the N contents.
    labels : sequence
        Of the N pictures, each one of `classes`.
    classes : sequence
        Names or ids, in the order of the network's outputs.
    """
    index = {name: place for place, name in enumerate(classes)}
    return Examples(
        pixels=pixels,
        labels=np.array([index[label] for label in labels], np.int64),
        identities=np.array([identity_number(sha256) for sha256 in sha256s], np.uint64),
    )


def check_some(found: int, names: int, examples: list[str]) -> None:
    """Raise `ArchiveError` unless pictures were found, saying what there was instead.

    Parameters
    ----------
    found : int
        Readable pictures.
    names : int
        Files of any kind.
    examples : list of str
        Names of a few files that were skipped.
    """
    if found:
        return
    seen = f"{names} files, such as {', '.join(examples[:3])}" if names else "no files"
    raise ArchiveError(
        f"No readable picture was found; there were {seen}.",
        f"Expected is a folder for each class with {', '.join(sorted(PICTURE_ENDINGS))} files in it.",
    )


def collect(
    source: Source, preprocessing: Preprocessing, progress: Callable[[int, int], None] | None = None
) -> Collection:
    """Read every picture of a source at the network's size.

    Raises
    ------
    ArchiveError
        There is no readable picture.
    """
    names = source.names()
    plan = read_folders(names)
    skipped, pictures, pixels = list(plan.skipped), {}, []
    for number, file in enumerate(plan.files, 1):
        try:
            data = source.read(file.path)
            sha256 = hashlib.sha256(data).hexdigest()
            if sha256 not in pictures:
                pixels.append(network_pixels(data, preprocessing))
                pictures[sha256] = CollectedPicture(
                    sha256=sha256, path=file.path, class_name=file.class_name, set_name=file.set_name
                )
        except OrchardError as error:
            skipped.append(SkippedFile(path=file.path, reason=str(error)))
        if progress:
            progress(number, len(plan.files))
    check_some(len(pictures), len(names), [PurePosixPath(entry.path).name for entry in skipped])
    read = len(plan.files) - (len(skipped) - len(plan.skipped))
    return Collection(
        pictures=tuple(pictures.values()),
        pixels=np.stack(pixels),
        skipped=tuple(skipped),
        repeated=read - len(pictures),
        notes=plan.notes,
    )
