"""Varied copies of training pictures, drawn from seed, epoch and each picture's identity only."""

from functools import lru_cache

import numpy as np
from scipy.special import ndtri

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.ops._vectors import LANES
from vast_orchard.core.pictures._vary_kernels import PLAN, draw_uniforms, vary_pictures
from vast_orchard.core.pictures.operations import KINDS, Family
from vast_orchard.core.pictures.standardise import AT_ONCE
from vast_orchard.core.pictures.variation import Operation, Variation, check_colour
from vast_orchard.core.team import Team

__all__ = ["draws", "vary"]

# ITU-T T.871: red, green, blue to luminance and two chrominances.
_TO_CHROMA = np.array(
    [[0.299, 0.587, 0.114], [-0.168736, -0.331264, 0.5], [0.5, -0.418688, -0.081312]],
)
_FROM_CHROMA = np.linalg.inv(_TO_CHROMA)
# The longer side of a covering rectangle is at most twice the shorter one.
_LONGEST_BLOCK = 2.0
# Draws for a picture as a whole; the codes of operations begin with 1.
_WHOLE = 0
# Squares of a grid across a picture, from and to.
_SQUARES = (3, 7)


def draws(
    identities: Array, kinds: list[str], seed: int, epoch: int, repeats: Array | None = None
) -> dict[str, FloatArray]:
    """Eight uniform numbers in [0, 1) for each picture and kind of operation, by name of the kind.

    They come from a counter-based generator keyed by the picture (Salmon et al. 2011), so they depend neither on which
    others stand in its batch nor on which other operations are switched on.

    Parameters
    ----------
    identities : ndarray, shape (N,), uint64
    kinds : list of str
    seed, epoch : int
        0 to 2**32 − 1.
    repeats : ndarray, shape (N,), optional
        How often a picture was shown in this epoch before.
    """
    out = _uniforms(identities, [KINDS[kind].code for kind in kinds], seed, epoch, repeats)
    return {kind: out[:, place] for place, kind in enumerate(kinds)}


def _uniforms(identities: Array, codes: list[int], seed: int, epoch: int, repeats: Array | None) -> FloatArray:
    out = np.empty((len(identities), len(codes), 8))
    before = np.zeros(len(identities), np.int64) if repeats is None else np.asarray(repeats, np.int64)
    keys = np.ascontiguousarray(identities, np.uint64)
    draw_uniforms(keys, np.array(codes, np.int64), seed, epoch, before, out)
    return out


@lru_cache(maxsize=1)
def _normal_table() -> Array:
    """The standard normal at the middle of each of 4096 equal shares, scaled to deviation 1."""
    table = ndtri((np.arange(4096) + 0.5) / 4096)
    return (table / table.std()).astype(np.float32)


class _Chances:
    """What happens to each picture of a batch, and how far."""

    def __init__(self, variation: Variation, found: dict[str, FloatArray], whole: FloatArray) -> None:
        self._variation, self._found, self._count = variation, found, len(whole)
        self._touched = whole[:, 0] < variation.drawn_chance
        spread = variation.drawn_spread if variation.drawn else 0.0
        self._strengths = np.clip(variation.strength + spread * (2 * whole[:, 1] - 1), 0, 2) if spread else None
        self._plain = [entry for entry in variation.operations if KINDS[entry.kind].family is not Family.MIXING]
        self.operations = {entry.kind: entry for entry in self._plain}
        self._happens = self._drawn() if variation.drawn else self._by_probability()

    def _by_probability(self) -> dict[str, Array]:
        return {entry.kind: self._found[entry.kind][:, 0] < entry.probability for entry in self._plain}

    def _drawn(self) -> dict[str, Array]:
        first = np.stack([self._found[entry.kind][:, 0] for entry in self._plain], axis=1)
        ranks = first.argsort(axis=1, kind="stable").argsort(axis=1)
        return {
            entry.kind: (ranks[:, place] < self._variation.drawn) & self._touched
            for place, entry in enumerate(self._plain)
        }

    def happens(self, kind: str) -> Array:
        """Whether to each picture, (N,) bool."""
        return self._happens.get(kind, np.zeros(self._count, bool))

    def value(self, kind: str, draw: int = 1) -> FloatArray:
        """How far, (N,); where it does not happen, the value that changes nothing."""
        entry, neutral = self.operations.get(kind), KINDS[kind].neutral
        if entry is None:
            return np.full(self._count, neutral)
        return np.where(self._happens[kind], self._reach(entry, self._found[kind][:, draw]), neutral)

    def _reach(self, entry: Operation, share: FloatArray) -> FloatArray:
        low: float | FloatArray
        high: float | FloatArray
        if self._strengths is None:
            low, high = self._variation.range_of(entry)
        else:
            low, high = self._variation.ranges_at(entry, self._strengths)
        if KINDS[entry.kind].by_ratio:
            return low * (high / low) ** share
        return low + (high - low) * share

    def uniform(self, kind: str, draw: int) -> FloatArray:
        """A plain number in [0, 1) of an operation that is switched on, (N,)."""
        return self._found[kind][:, draw]


def _matrices(chances: _Chances, height: int, width: int) -> tuple[Array, Array]:
    """From places in the result to places in the picture, (N, 3, 3), and which kind of way each is.

    The picture is mirrored and turned by quarters, then tilted, sheared, turned, zoomed, shifted and at last cropped;
    read from the result backwards that is one matrix.
    """
    count = len(chances.happens("mirror"))

    def empty() -> FloatArray:
        return np.tile(np.eye(3), (count, 1, 1))

    whole = empty()
    kinds = chances.operations
    if "mirror" in kinds or "flip" in kinds:
        whole[:, 0, 0] = np.where(chances.happens("mirror"), -1, 1)
        whole[:, 1, 1] = np.where(chances.happens("flip"), -1, 1)
    if "quarter-turn" in kinds:
        quarters = 1 + np.minimum((chances.uniform("quarter-turn", 1) * 3).astype(int), 2)
        quarters = np.where(chances.happens("quarter-turn"), quarters, 0)
        whole = whole @ _turns(np.array([1.0, 0.0, -1.0, 0.0])[quarters], np.array([0.0, 1.0, 0.0, -1.0])[quarters])
    if "perspective" in kinds:
        tilted = empty()
        # One side grows by the share, the other shrinks: the divisor is 1 in the middle, 1 ± share at the edges.
        tilted[:, 2, 0] = chances.value("perspective", 1) / (width / 2)
        tilted[:, 2, 1] = chances.value("perspective", 2) / (height / 2)
        whole = whole @ tilted
    if "shear" in kinds:
        slanted = empty()
        slanted[:, 0, 1] = np.tan(np.radians(chances.value("shear")))
        whole = whole @ slanted
    if "turn" in kinds:
        angle = np.radians(chances.value("turn"))
        whole = whole @ _turns(np.cos(angle), np.sin(angle))
    if "zoom" in kinds or "shift" in kinds:
        moved = empty()
        moved[:, 0, 0] = moved[:, 1, 1] = 1 / chances.value("zoom")
        moved[:, 0, 2] = -chances.value("shift", 1) * width
        moved[:, 1, 2] = -chances.value("shift", 2) * height
        whole = whole @ moved
    if "crop" in kinds:
        part = empty()
        side = np.sqrt(chances.value("crop"))
        part[:, 0, 0] = part[:, 1, 1] = side
        part[:, 0, 2] = (chances.uniform("crop", 2) - 0.5) * (1 - side) * (width - 1)
        part[:, 1, 2] = (chances.uniform("crop", 3) - 0.5) * (1 - side) * (height - 1)
        whole = whole @ part
    way = np.where(whole[:, 2, :2].any(axis=1), 2, np.where((whole == np.eye(3)).all(axis=(1, 2)), 0, 1))
    return whole, way


def _turns(cosine: FloatArray, sine: FloatArray) -> FloatArray:
    turned = np.tile(np.eye(3), (len(cosine), 1, 1))
    turned[:, 0, 0] = turned[:, 1, 1] = cosine
    turned[:, 0, 1], turned[:, 1, 0] = sine, -sine
    return turned


def _colours(chances: _Chances) -> FloatArray:
    """Brightness, saturation, hue and grey as one matrix on red, green and blue, (N, 3, 3)."""
    count = len(chances.happens("brightness"))
    colours = np.tile(np.eye(3), (count, 1, 1))
    if not chances.operations.keys().isdisjoint(("saturation", "hue", "grey")):
        strength = np.where(chances.happens("grey"), 0.0, chances.value("saturation"))
        angle = np.radians(chances.value("hue"))
        chroma = np.tile(np.eye(3), (count, 1, 1))
        chroma[:, 1, 1] = chroma[:, 2, 2] = strength * np.cos(angle)
        chroma[:, 2, 1], chroma[:, 1, 2] = strength * np.sin(angle), -strength * np.sin(angle)
        untouched = (strength == 1) & (angle == 0)
        colours = np.where(untouched[:, None, None], colours, _FROM_CHROMA @ chroma @ _TO_CHROMA)
    return np.asarray(colours * chances.value("brightness")[:, None, None])


def _blocks(chances: _Chances, height: int, width: int) -> Array:
    if "block" not in chances.operations:
        return np.zeros((len(chances.happens("block")), 4), np.int32)
    area = chances.value("block")
    longer = _LONGEST_BLOCK ** (2 * chances.uniform("block", 2) - 1)
    down = np.minimum(np.rint(height * np.sqrt(area * longer)), height)
    across = np.minimum(np.rint(width * np.sqrt(area / longer)), width)
    top = np.floor(chances.uniform("block", 3) * (height - down + 1))
    left = np.floor(chances.uniform("block", 4) * (width - across + 1))
    return np.where(chances.happens("block")[:, None], np.stack([top, left, down, across], axis=1), 0)


def _grids(chances: _Chances, height: int, width: int) -> Array:
    if "block-grid" not in chances.operations:
        return np.zeros((len(chances.happens("block-grid")), 6))
    least, most = _SQUARES
    squares = least + np.minimum((chances.uniform("block-grid", 2) * (most - least + 1)).astype(int), most - least)
    part = np.sqrt(chances.value("block-grid"))
    columns = []
    for side, draw in ((height, 3), (width, 4)):
        period = side / squares
        columns += [period, period * part, chances.uniform("block-grid", draw) * period]
    return np.where(chances.happens("block-grid")[:, None], np.stack(columns, axis=1), 0)


def _plan(
    shape: tuple[int, ...], identities: Array, variation: Variation, seed: int, epoch: int, repeats: Array | None
) -> Array:
    _, height, width, _ = shape
    kinds = [entry.kind for entry in variation.operations if KINDS[entry.kind].family is not Family.MIXING]
    whole = _uniforms(identities, [_WHOLE], seed, epoch, repeats)[:, 0]
    chances = _Chances(variation, draws(identities, kinds, seed, epoch, repeats), whole)
    plan = np.zeros(len(identities), PLAN)
    matrices, plan["way"] = _matrices(chances, height, width)
    plan["matrix"] = matrices.reshape(-1, 9)
    plan["colour"] = _colours(chances).reshape(-1, 9)
    plan["contrast"], plan["gamma"] = chances.value("contrast"), chances.value("gamma")
    plan["recoloured"] = (
        (plan["colour"] != np.eye(3, dtype=np.float32).ravel()).any(axis=1)
        | (plan["contrast"] != 1)
        | (plan["gamma"] != 1)
    )
    plan["blur"], plan["sharpen"] = chances.value("blur"), chances.value("sharpen")
    plan["noise"] = 255 * chances.value("noise")
    plan["quality"] = np.where(chances.happens("jpeg"), np.rint(chances.value("jpeg")), 0)
    plan["block"], plan["grid"] = _blocks(chances, height, width), _grids(chances, height, width)
    words = np.asarray(identities, np.uint64)
    plan["key"][:, 0], plan["key"][:, 1] = words & np.uint64(0xFFFFFFFF), words >> np.uint64(32)
    # Showings within an epoch are told apart as epochs are; no training has so many of these that they could meet.
    before = np.zeros(len(words), np.int64) if repeats is None else np.asarray(repeats, np.int64)
    plan["key"][:, 2], plan["key"][:, 3] = epoch + (before << 20), seed
    return plan


def vary(
    pixels: Array,
    identities: Array,
    variation: Variation,
    seed: int,
    epoch: int,
    team: Team | None = None,
    repeats: Array | None = None,
) -> Array:
    """Varied copies of training pictures.

    All operations on geometry are one bilinear resampling with the edge mirrored outwards, all on light and colour one
    pass; blur, sharpening, noise, JPEG and covered parts follow in this order. Mixing is not done here.

    Parameters
    ----------
    pixels : ndarray, shape (N, H, W, C), uint8
        At least 2 pixels high and wide; 1 or 3 channels.
    identities : ndarray, shape (N,), uint64
        A number that stays with the picture's content.
    variation : Variation
    seed, epoch : int
    team : Team, optional
        Threads to share out the pictures.
    repeats : ndarray, shape (N,), optional
        How often each picture was shown in this epoch before; 0 by default.

    Returns
    -------
    ndarray, shape (N, H, W, C), uint8
        Each picture depends on seed, epoch, its own identity and how often it was shown, and on nothing else.

    Raises
    ------
    SettingError
        An operation on colours, and the pictures are grey.
    """
    check_colour(variation, pixels.shape[3])
    if variation.does_nothing:
        return pixels
    plan = _plan(pixels.shape, identities, variation, seed, epoch, repeats)
    shape = pixels.shape[1:]
    flat, out = np.zeros(pixels.size + LANES, np.uint8), np.empty(pixels.size, np.uint8)
    flat[: pixels.size] = pixels.reshape(-1)

    def some(first: int) -> None:
        vary_pictures(flat, shape, plan, _normal_table(), first, min(AT_ONCE, len(pixels) - first), out)

    (team or Team(1)).run(some, range(0, len(pixels), AT_ONCE))
    return out.reshape(pixels.shape)
