"""From a network file and what a person adds to a model of the core: what was found, is asked, and is refused."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.plan import plan
from vast_orchard.core.pictures.preprocessing import FITS, Preprocessing, preprocessing_from_json
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.errors import DescriptionError, InputError, SettingError
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.network_file.lowering import Lowered, Refused, lower
from vast_orchard.formats.network_file.opening import Opened
from vast_orchard.formats.network_file.values import Affine, Value

__all__ = ["Answers", "Read", "fed_to_the_graph", "read_network"]

_SMALLEST, _LARGEST = 8, 512
# How 0 to 255 become what a network takes, where its file does not say: what is taken away, and by what it is divided.
_SCALES = {"plain": (0.0, 1.0), "unit": (0.0, 255.0), "signed": (127.5, 127.5)}


@dataclass(frozen=True, kw_only=True)
class Answers:
    """What a person says of a file that does not say it itself."""

    size: int = 0  # side in pixels; 0: as the file says
    scale: str = "unit"  # "plain", "unit", "signed", or "deviation" by the next two
    mean: tuple[float, ...] = (0.485, 0.456, 0.406)  # of values from 0 to 1, by channel
    deviation: tuple[float, ...] = (0.229, 0.224, 0.225)
    blue_first: bool = False  # channels are blue, green, red
    fit: str = "distort"
    classes: tuple[str, ...] = ()  # in the order of the outputs


@dataclass(frozen=True, kw_only=True)
class Read:
    """A network file, as far as it could be read."""

    refused: tuple[Refused, ...]
    asks: tuple[str, ...]  # of "size", "preprocessing" and "classes", what the file does not say
    channels: int
    size: int  # 0: not known
    outputs: int  # 0: not known
    names: tuple[str, ...]  # of classes, as the file or the person says them
    softmax: bool  # it gives probabilities; else numbers that a softmax is put behind
    model: Model | None  # where nothing is refused and nothing is missing


def read_network(opened: Opened, answers: Answers, name: str) -> Read:
    """Read a network file.

    Parameters
    ----------
    opened : Opened
    answers : Answers
    name : str
        Of the network.

    Raises
    ------
    InputError, SettingError
        It takes no pictures that the core knows, or what is answered cannot be.
    """
    last, sides, channels = _picture(opened)
    before = _said_preprocessing(opened, channels)
    size = (before.size if before else 0) or sides or answers.size
    asks = [] if before else ["preprocessing"]
    if not sides and not before:
        asks.append("size")
    names = _said_classes(opened)
    if not size:
        return Read(
            refused=(),
            asks=(*asks, "classes"),
            channels=channels,
            size=0,
            outputs=0,
            names=(),
            softmax=False,
            model=None,
        )
    if not _SMALLEST <= size <= _LARGEST or (sides and sides != size):
        raise InputError(
            f"The network takes pictures of {sides or size} × {sides or size} pixels.",
            f"Squares of {_SMALLEST} to {_LARGEST} pixels are read, of the size that the file says.",
        )
    lowered = lower(opened.graph, Value(id=d.INPUT, shape=(size, size, channels), last=last))
    refused, outputs = _refused(lowered)
    if outputs and (names is None or len(names) != outputs):
        asks.append("classes")
        names = None
    # What a person says wins: a class may be called otherwise here.
    given = answers.classes or names or ()
    model = None
    if not refused and len(given) == outputs:
        if len({one.strip().casefold() for one in given}) != outputs or not all(one.strip() for one in given):
            raise SettingError("Two classes have one name, or one has none.", "Give each output a name of its own.")
        before = before or _asked_preprocessing(answers, size, channels)
        standard = None if "preprocessing" not in asks else answers
        model = _model(opened, lowered, name, tuple(one.strip() for one in given), before, standard)
    return Read(
        refused=refused, asks=tuple(asks), channels=channels, size=size, outputs=outputs,
        names=tuple(given), softmax=bool(lowered.end and lowered.end.softmax), model=model,
    )  # fmt: skip


def _picture(opened: Opened) -> tuple[bool, int, int]:
    """Whether channels come last, the side of the pictures (0: open), and how many channels there are."""
    _, first, second, third = opened.graph.input.sides
    if first in (1, 3):
        last, channels, sides = False, first, (second, third)
    elif third in (1, 3):
        last, channels, sides = True, third, (first, second)
    else:
        raise InputError(
            f"The network takes values of {first} × {second} × {third}.", "Export it for pictures of 1 or 3 channels."
        )
    if sides[0] != sides[1]:
        raise InputError(f"The network takes pictures of {sides[0]} × {sides[1]}.", "Export it for squares.")
    return last, sides[0], channels


def _said_preprocessing(opened: Opened, channels: int) -> Preprocessing | None:
    said = opened.facts.get("preprocessing")
    if not isinstance(said, Mapping):
        return None
    try:
        before = preprocessing_from_json(said)
    except (SettingError, TypeError, ValueError, KeyError, AttributeError) as error:
        raise InputError(
            f"What the file says of its preprocessing cannot be read ({str(error)[:120]}).", "Take it out, or mend it."
        ) from error
    if before.channels != channels:
        raise InputError(
            f"The file says that pictures are {before.colour}, and takes {channels} channels.", "Export it anew."
        )
    return before


def _said_classes(opened: Opened) -> tuple[str, ...] | None:
    said = opened.facts.get("classes")
    if not isinstance(said, list) or not all(isinstance(name, str) and name.strip() for name in said):
        return None
    names = tuple(name.strip()[:100] for name in said)
    return names if len({name.casefold() for name in names}) == len(names) else None


def _asked_preprocessing(answers: Answers, size: int, channels: int) -> Preprocessing:
    if answers.fit not in FITS:
        raise SettingError(f"The fit is {answers.fit!r}.", f"Choose one of {', '.join(FITS)}.")
    scale = answers.scale if answers.scale in ("unit", "signed") and not answers.blue_first else "deviation"
    return Preprocessing(size=size, fit=answers.fit, colour="rgb" if channels == 3 else "grey", scale=scale)


def _refused(lowered: Lowered) -> tuple[tuple[Refused, ...], int]:
    end, refused = lowered.end, list(lowered.refused)
    if refused or end is None:
        return tuple(refused), 0
    last = lowered.layering.layers[-1]
    why = ""
    if isinstance(last, d.Sigmoid) and last.id == end.id:
        why = "gives each class a probability of its own; one answer of several classes is read"
    elif end.maps or end.channels < 2:
        why = f"gives {list(end.shape)}, not one value for each of two or more classes"
    elif last.id != end.id:
        why = "gives what is not the end of the network"
    if why:
        refused.append(Refused(operator=d.kind_of(last), node="the end", why=why))
        return tuple(refused), 0
    return (), end.channels


def _standard(affine: Affine | None, answers: Answers | None, channels: int) -> tuple[ChannelStatistics, Affine]:
    """Mean and deviation by which 0 to 255 are standardised: the person's step, then the file's own."""
    if answers is None:
        away, by = np.zeros(channels), np.ones(channels)
    elif answers.scale == "deviation":
        away, by = (np.asarray(values, np.float64)[:channels] * 255 for values in (answers.mean, answers.deviation))
        if len(away) != channels or len(by) != channels or not (by > 0).all() or not np.isfinite([*away, *by]).all():
            raise SettingError(
                f"Mean and deviation are {list(answers.mean)} and {list(answers.deviation)}.",
                f"Give {channels} of each, of values from 0 to 1, deviations above 0.",
            )
    elif answers.scale in _SCALES:
        away, by = (np.full(channels, value) for value in _SCALES[answers.scale])
    else:
        raise SettingError(f"The scale is {answers.scale!r}.", f"Choose one of {', '.join((*_SCALES, 'deviation'))}.")
    # (p − away) / by, then times and plus: as one mean and one deviation.
    own = Affine(times=1 / by, plus=-away / by)
    whole = own if affine is None else own.then(affine.times, affine.plus)
    mean, deviation = -whole.plus / whole.times, 1 / whole.times
    return ChannelStatistics(mean=tuple(map(float, mean)), deviation=tuple(map(float, deviation))), own


def _model(
    opened: Opened,
    lowered: Lowered,
    name: str,
    classes: Sequence[str],
    before: Preprocessing,
    answers: Answers | None,
) -> Model:
    layering = lowered.layering
    statistics, _ = _standard(lowered.standardised, answers, before.channels)
    weights = dict(layering.weights)
    if answers is not None and answers.blue_first and before.channels == 3:
        _turn_channels(layering.layers, weights)
        statistics = ChannelStatistics(mean=statistics.mean[::-1], deviation=statistics.deviation[::-1])
    description = NetworkDescription(name=name, input_shape=before.input_shape, layers=tuple(layering.layers))
    try:
        planned = plan(description, len(classes))
    except DescriptionError as error:
        raise InputError(f"The network does not fit the core: {error.what}", error.mend) from error
    assert planned.layers
    below = opened.facts.get("unsure_below")
    return Model(
        description=description,
        weights=weights,
        classes=tuple(classes),
        preprocessing=before,
        statistics=statistics,
        unsure_below=_limits(below, len(classes)),
    )


def _limits(said: Any, classes: int) -> tuple[float | None, ...] | None:
    if not isinstance(said, list) or len(said) != classes:
        return None
    if not all(value is None or (isinstance(value, int | float) and 0 <= value <= 1) for value in said):
        return None
    return tuple(None if value is None else float(value) for value in said)


def _turn_channels(layers: Sequence[d.Layer], weights: dict[str, Array]) -> None:
    """Let what reads the picture take red first, as the core gives it, though the file has blue first."""
    blue_first, before = {d.INPUT}, d.INPUT
    for layer in layers:
        if blue_first.intersection(layer.inputs or (before,)):
            if isinstance(layer, d.Conv) and layer.groups == 1:
                key = f"{layer.id}.weights"
                weights[key] = np.ascontiguousarray(weights[key][:, :, ::-1])
            elif isinstance(layer, d.Pad | d.MaxPool | d.AveragePool):
                blue_first.add(layer.id)
            else:
                raise InputError(
                    f"A layer of kind {d.kind_of(layer)} reads the picture, and takes blue first.",
                    "Export the network for red, green and blue.",
                )
        before = layer.id


def fed_to_the_graph(opened: Opened, read: Read, answers: Answers, pixels: Array) -> Array:
    """What the file's own graph is given for pictures as the core sees them.

    Parameters
    ----------
    pixels : ndarray, shape (N, H, W, C), uint8

    Returns
    -------
    ndarray, shape (N, C, H, W) or (N, H, W, C), as the graph takes it
    """
    last, _, channels = _picture(opened)
    values = pixels.astype(np.float64)
    if "preprocessing" in read.asks:
        values = values[..., ::-1] if answers.blue_first and channels == 3 else values
        _, own = _standard(None, answers, channels)
        values = values * own.times + own.plus
    dtype = opened.graph.input.dtype
    fed = values if last else values.transpose(0, 3, 1, 2)
    return np.ascontiguousarray(fed, dtype)
