"""Looks for copies among a project's pictures: the same pixels, or nearly the same picture in another file.

From coarse to fine, each step on what the step before let through: fingerprints find neighbours, tiles of 24 pixels are
laid over each other, then pictures of 64 pixels, and what then agrees to the last digit is decoded whole.
"""

import hashlib
import io
import os
from collections.abc import Mapping, Sequence
from functools import lru_cache

import numpy as np
import structlog
from PIL import Image

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.pictures.alignment import align, concordance
from vast_orchard.core.pictures.fingerprints import LUMA, alike_pairs, fingerprints
from vast_orchard.core.team import Team
from vast_orchard.errors import OrchardError
from vast_orchard.formats.picture_file import read_picture
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.tiles import pixels_of, tiles_of
from vast_orchard.store.copies import (
    ComparedFile,
    Copies,
    add_prints,
    copies_known,
    files_to_compare,
    pictures_to_compare,
    read_prints,
    record_copies,
    undescribed,
)
from vast_orchard.store.jobs import put_away

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
# After the fine step poses are searched on from those of the tiles.
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
    while True:
        with context.database.session() as session:
            some = dict(undescribed(session, project_id, _DESCRIBED_AT_ONCE))
        if not some:
            return
        tiles = tiles_of(context, some)
        # Where no tile can be made, a grey one stands in, else it would be asked for again and again.
        blank = bytes(len(next(iter(tiles.values()), bytes(24 * 24 * 3))))
        described = fingerprints(pixels_of([tiles.get(picture, blank) for picture in some]))
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
            numbers = ",".join(place[1:-1] for _, place, _ in part)
            parts.append(np.fromstring(numbers, np.float32, sep=",").reshape(len(part), -1))
    return np.array(ids), np.concatenate(parts), np.array(fresh)


def _compare(context: WorkContext, project_id: int, progress: Progress) -> None:
    ids, prints, fresh = _read_all(context, project_id)
    progress.stage("Looking for copies", float(fresh.sum()))
    team = Team(os.cpu_count() or 1)
    found: list[Copies] = []
    seen: set[tuple[int, int]] = set()
    try:
        for queries, places in alike_pairs(prints, fresh):
            pairs = [pair for pair in map(tuple, ids[places].tolist()) if pair not in seen]
            seen.update(pairs)
            for start in range(0, len(pairs), _PAIRS_AT_ONCE):
                found += _judged(context, project_id, pairs[start : start + _PAIRS_AT_ONCE], team)
                progress.advance(0)
            progress.advance(queries)
    finally:
        team.close()
    with context.database.session() as session:
        record_copies(session, project_id, found, ids[fresh].tolist())
    _log.info("Copies were looked for.", action="copies_found", project=project_id, pairs=len(found))


def _judged(context: WorkContext, project_id: int, pairs: Sequence[tuple[int, int]], team: Team) -> list[Copies]:
    """Which of these pairs are copies."""
    wanted = sorted({picture for pair in pairs for picture in pair})
    with context.database.session() as session:
        pictures = files_to_compare(session, project_id, wanted)
    pairs = [pair for pair in pairs if pair[0] in pictures and pair[1] in pictures]
    pairs = [pair for pair in pairs if _shapes_agree(pictures[pair[0]], pictures[pair[1]])]
    tiles = tiles_of(context, {picture: entry.sha256 for picture, entry in pictures.items()})
    pairs = [pair for pair in pairs if pair[0] in tiles and pair[1] in tiles]
    first, second = (_floats(pixels_of([tiles[pair[place]] for pair in pairs])) for place in (0, 1))
    if not pairs:
        return []
    laid = align(_grey(first), _grey(second), team=team)
    agree = concordance(first, second, laid.pose, team=team)
    likely = np.flatnonzero((agree >= _COARSE) & _slight(laid.pose))
    return _judged_finely(context, pictures, [pairs[n] for n in likely], laid.pose[likely], team)


def _judged_finely(
    context: WorkContext,
    pictures: Mapping[int, ComparedFile],
    pairs: Sequence[tuple[int, int]],
    begin: FloatArray,
    team: Team,
) -> list[Copies]:
    asked = {picture for pair in pairs for picture in pair}
    small = {picture: found for picture in asked if (found := _small(context, pictures[picture].sha256)) is not None}
    kept = [n for n, pair in enumerate(pairs) if pair[0] in small and pair[1] in small]
    if not kept:
        return []
    pairs = [pairs[n] for n in kept]
    first, second = (_floats(np.stack([small[pair[place]] for pair in pairs])) for place in (0, 1))
    laid = align(_grey(first), _grey(second), begin=begin[kept], steps=_FINE_STEPS, team=team)
    agree = concordance(first, second, laid.pose, team=team)
    digest = lru_cache(maxsize=1000)(lambda picture: _digest(context, pictures[picture].sha256))
    copies = []
    for pair, value, slight in zip(pairs, agree, _slight(laid.pose), strict=True):
        one, other = pictures[pair[0]], pictures[pair[1]]
        exact = (
            value >= _PERHAPS_EXACT
            and (one.width, one.height) == (other.width, other.height)
            and digest(pair[0]) == digest(pair[1]) != ""
        )
        if exact or (value >= _FINE and slight):
            copies.append(Copies(first=pair[0], second=pair[1], exact=exact))
    return copies


def _shapes_agree(one: ComparedFile, other: ComparedFile) -> bool:
    factor = one.width * other.height / (one.height * other.width)
    return 1 / _MOST_SHAPE <= factor <= _MOST_SHAPE


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


def _small(context: WorkContext, sha256: str) -> Array | None:
    """The middle square of a picture on 64×64 pixels, from its thumbnail; None if that cannot be read."""
    try:
        with Image.open(io.BytesIO(context.store.read_thumbnail(sha256))) as image:
            upright = image.convert("RGB")
    except (OrchardError, OSError):
        return None
    side = min(upright.size)
    left, top = (upright.width - side) // 2, (upright.height - side) // 2
    square = (left, top, left + side, top + side)
    return np.asarray(upright.resize((_FINE_SIDE, _FINE_SIDE), Image.Resampling.BILINEAR, square))


def _digest(context: WorkContext, sha256: str) -> str:
    """SHA-256 of a picture's pixels, upright; empty if it cannot be read."""
    try:
        data = context.store.read(context.store.picture_path(sha256))
        return hashlib.sha256(read_picture(data, limits=context.picture_limits).upright.tobytes()).hexdigest()
    except OrchardError:
        return ""
