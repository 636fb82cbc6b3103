"""Looks for copies among a project's pictures: the same pixels, or nearly the same picture in another file.

From coarse to fine, each step on what the step before let through: fingerprints find neighbours, tiles of 24 pixels are
laid over each other, then pictures of 64 pixels, and what then agrees to the last digit is decoded whole.
"""

import hashlib
import io
import os
from collections.abc import Sequence

import numpy as np
import structlog
from PIL import Image

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.pictures.alignment import align, concordance
from vast_orchard.core.pictures.fingerprints import LUMA, alike_pairs, fingerprints, read_fingerprints
from vast_orchard.core.team import Team
from vast_orchard.errors import OrchardError
from vast_orchard.formats.picture_file import TILE_SIDE, read_picture
from vast_orchard.jobs.bringing_in.tiles import pixels_of, tiles_of
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.store.copies import Copies, copies_known, record_copies
from vast_orchard.store.jobs import put_away
from vast_orchard.store.prints import (
    ComparedFile,
    add_prints,
    files_to_compare,
    pictures_to_compare,
    read_prints,
    undescribed,
)

__all__ = ["find_copies"]

_log = structlog.get_logger()

_DESCRIBED_AT_ONCE = 1000
_PAIRS_AT_ONCE = 2000
_FINE_SIDE = 64
# Measured on 1,400 and on 10,000 generated crystals with a list of near copies: on tiles every copy but one in 400
# agrees better than the first number; on 64 pixels the second finds 98 of 100, and of 100 found 98 are copies.
_COARSE, _FINE = 0.955, 0.987
# What turning and cropping of a near copy may amount to: shift in half widths, zoom, turn in radians.
_MOST_SHIFT, _MOST_ZOOM, _MOST_TURN = 0.05, 0.11, 0.09
# A crop changes the shape of a picture by no more than this factor.
_MOST_SHAPE = 1.12
# Files with the same pixels agree better than this, however their thumbnails were encoded.
_PERHAPS_EXACT = 0.98
# From where the tiles ended, a few steps lead to the pose of the larger pictures.
_FINE_STEPS = 3


def find_copies(context: WorkContext, project_id: int, progress: Progress) -> None:
    """Compare every picture that is new with all others of the project, and join copies to groups.

    Raises
    ------
    StoppedError
        A person stopped it; the next time it begins where new pictures were not compared yet.
    """
    # Pictures that come in meanwhile are waited for here, because their own job is this one.
    while True:
        with context.database.session() as session:
            waiting = pictures_to_compare(session, project_id)
        if not waiting:
            break
        _describe(context, project_id, waiting, progress)
        _compare(context, project_id, progress)
    with context.database.session() as session:
        if copies_known(session, project_id).groups == 0:
            put_away(session, progress.job_id, when_done=True)


def _describe(context: WorkContext, project_id: int, waiting: int, progress: Progress) -> None:
    """Give every picture a fingerprint."""
    progress.stage("Taking fingerprints", waiting)
    # Where no tile can be made a black one stands in, else it would be asked for again and again.
    black = bytes(TILE_SIDE**2 * 3)
    while True:
        with context.database.session() as session:
            some = dict(undescribed(session, project_id, _DESCRIBED_AT_ONCE))
        if not some:
            return
        tiles = tiles_of(context, some)
        described = fingerprints(pixels_of([tiles.get(picture, black) for picture in some]))
        with context.database.session() as session:
            add_prints(session, dict(zip(some, described.tolist(), strict=True)))
        progress.advance(len(some))


def _read_all(context: WorkContext, project_id: int) -> tuple[Array, FloatArray, Array]:
    """Ids, fingerprints, and which are to be compared."""
    ids: list[int] = []
    fresh: list[bool] = []
    parts: list[FloatArray] = []
    with context.database.session() as session:
        for part in read_prints(session, project_id):
            ids += [picture for picture, _, _ in part]
            fresh += [not compared for _, _, compared in part]
            parts.append(read_fingerprints([place for _, place, _ in part]))
    return np.array(ids), np.concatenate(parts), np.array(fresh)


def _compare(context: WorkContext, project_id: int, progress: Progress) -> None:
    ids, prints, fresh = _read_all(context, project_id)
    progress.stage("Looking for copies: neighbours", float(fresh.sum()))
    neighbours = [np.empty((0, 2), np.int64)]
    for looked_at, places in alike_pairs(prints, fresh):
        neighbours.append(places)
        progress.advance(looked_at)
    pairs = ids[np.unique(np.concatenate(neighbours), axis=0)].tolist()
    progress.stage("Looking for copies: pairs", len(pairs))
    found: list[Copies] = []
    comparison = _Comparison(context, project_id)
    try:
        for start in range(0, len(pairs), _PAIRS_AT_ONCE):
            some = [(first, second) for first, second in pairs[start : start + _PAIRS_AT_ONCE]]
            found += comparison.copies_among(some)
            progress.advance(len(some))
    finally:
        comparison.close()
    with context.database.session() as session:
        record_copies(session, project_id, found, ids[fresh].tolist())
    _log.info("Copies were looked for.", action="copies_found", project=project_id, pairs=len(found))


_Pair = tuple[int, int]


class _Comparison:
    """Tells which pairs of a project's pictures are copies; what it decoded once it remembers."""

    def __init__(self, context: WorkContext, project_id: int) -> None:
        self._context, self._project_id = context, project_id
        self._team = Team(os.cpu_count() or 1)
        self._digests: dict[int, str] = {}
        self._files: dict[int, ComparedFile] = {}

    def close(self) -> None:
        """End the threads."""
        self._team.close()

    def copies_among(self, pairs: Sequence[_Pair]) -> list[Copies]:
        """Those of the pairs that are copies."""
        wanted = sorted({picture for pair in pairs for picture in pair})
        with self._context.database.session() as session:
            self._files = files_to_compare(session, self._project_id, wanted)
        tiles = tiles_of(self._context, {picture: entry.sha256 for picture, entry in self._files.items()})
        pairs = [pair for pair in pairs if pair[0] in tiles and pair[1] in tiles and self._shapes_agree(pair)]
        # Of copies by the thousand most have the same pixels: these need not be laid over each other.
        same = {pair for pair in pairs if tiles[pair[0]] == tiles[pair[1]] and self._same_pixels(pair)}
        others = [pair for pair in pairs if pair not in same]
        found = [Copies(first=first, second=second, exact=True) for first, second in same]
        if others:
            first, second = (_floats(pixels_of([tiles[pair[place]] for pair in others])) for place in (0, 1))
            pose = align(_grey(first), _grey(second), team=self._team)
            agree = concordance(first, second, pose, team=self._team)
            likely = np.flatnonzero((agree >= _COARSE) & _slight(pose))
            found += self._copies_among_likely([others[n] for n in likely], pose[likely])
        return found

    def _copies_among_likely(self, pairs: Sequence[_Pair], begin: FloatArray) -> list[Copies]:
        asked = {picture for pair in pairs for picture in pair}
        small = {picture: found for picture in asked if (found := self._small(picture)) is not None}
        kept = [n for n, pair in enumerate(pairs) if pair[0] in small and pair[1] in small]
        if not kept:
            return []
        pairs = [pairs[n] for n in kept]
        first, second = (_floats(np.stack([small[pair[place]] for pair in pairs])) for place in (0, 1))
        pose = align(_grey(first), _grey(second), begin=begin[kept], steps=_FINE_STEPS, team=self._team)
        agree = concordance(first, second, pose, team=self._team)
        copies = []
        for pair, value, slight in zip(pairs, agree, _slight(pose), strict=True):
            exact = value >= _PERHAPS_EXACT and self._same_pixels(pair)
            if exact or (value >= _FINE and slight):
                copies.append(Copies(first=pair[0], second=pair[1], exact=exact))
        return copies

    def _shapes_agree(self, pair: _Pair) -> bool:
        one, other = self._files[pair[0]], self._files[pair[1]]
        factor = one.width * other.height / (one.height * other.width)
        return 1 / _MOST_SHAPE <= factor <= _MOST_SHAPE

    def _same_pixels(self, pair: _Pair) -> bool:
        one, other = self._files[pair[0]], self._files[pair[1]]
        if (one.width, one.height) != (other.width, other.height):
            return False
        return self._digest(pair[0]) == self._digest(pair[1]) != ""

    def _digest(self, picture: int) -> str:
        """SHA-256 of a picture's pixels, upright; empty if it cannot be read."""
        if picture not in self._digests:
            store = self._context.store
            try:
                data = store.read(store.picture_path(self._files[picture].sha256))
                upright = read_picture(data, limits=self._context.picture_limits).upright
                self._digests[picture] = hashlib.sha256(upright.tobytes()).hexdigest()
            except OrchardError:
                self._digests[picture] = ""
        return self._digests[picture]

    def _small(self, picture: int) -> Array | None:
        """The middle square of a picture on 64×64 pixels, from its thumbnail; None if that cannot be read."""
        try:
            with Image.open(io.BytesIO(self._context.store.read_thumbnail(self._files[picture].sha256))) as image:
                upright = image.convert("RGB")
        except (OrchardError, OSError):
            return None
        side = min(upright.size)
        left, top = (upright.width - side) // 2, (upright.height - side) // 2
        square = (left, top, left + side, top + side)
        return np.asarray(upright.resize((_FINE_SIDE, _FINE_SIDE), Image.Resampling.BILINEAR, square))


def _slight(pose: FloatArray) -> Array:
    """Which poses are as of a near copy, not of another picture that was pulled until it fitted."""
    zoom, turn, right, down = np.abs(pose).T
    slight: Array = (zoom <= _MOST_ZOOM) & (turn <= _MOST_TURN) & (right <= _MOST_SHIFT) & (down <= _MOST_SHIFT)
    return slight


def _floats(pixels: Array) -> FloatArray:
    """(N, S, S, 3) of uint8 as (N, 3, S, S) of float32."""
    return np.ascontiguousarray(pixels.transpose(0, 3, 1, 2), np.float32)


def _grey(colour: FloatArray) -> FloatArray:
    return np.ascontiguousarray(np.tensordot(colour, LUMA, axes=(1, 0)), np.float32)
