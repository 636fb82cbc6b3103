"""Trainings that were broken on purpose, each named by the right lookout at the right layer."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from statistics import median
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import scale_statistics
from vast_orchard.core.sets.epoch_order import ClassDraws
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.phases import Origin
from vast_orchard.core.training.recipe import Recipe, recipe_from_json, recipe_to_json
from vast_orchard.core.training.settings import Schedule, TrainingSettings
from vast_orchard.core.training.start import Start
from vast_orchard.core.training.values import EpochResult, Examples, StepResult
from vast_orchard.core.watching.figures import BANDS, LayerFigures
from vast_orchard.core.watching.findings import Facts, Finding, Standing
from vast_orchard.core.watching.history import (
    EpochRecord,
    Watched,
    answers_of,
    watched_from_json,
    watched_to_json,
)
from vast_orchard.core.watching.lookouts import check_watch, ends, look, look_own
from vast_orchard.core.watching.recording import LayerRecorder
from vast_orchard.core.watching.rows import watched_layers
from vast_orchard.core.watching.step_line import StepLine, few_points
from vast_orchard.core.watching.turn import turning_epoch
from vast_orchard.core.watching.watch import Act, OwnLookout, Sign, Watch, watch_from_json, watch_to_json
from vast_orchard.errors import SettingError
from vast_orchard.made_up.sets import MADE_UP_SETS, draw_set

_CLASSES = MADE_UP_SETS["crystals"].classes
_SETTINGS = TrainingSettings(epochs=30)


def _plain(activation: type[d.ReLU] | type[d.Tanh] = d.ReLU) -> NetworkDescription:
    """Without batch norm, so that nothing makes up for what is broken."""
    return NetworkDescription(
        name="plain",
        layers=(
            d.Conv(channels=8, id="one"), activation(), d.MaxPool(), d.Conv(channels=16, id="two"), activation(),
            d.MaxPool(), d.Conv(channels=32, id="three"), activation(), d.GlobalAveragePool(), d.Dense(id="out"),
        ),
    )  # fmt: skip


@pytest.fixture(scope="module")
def training() -> Examples:
    return draw_set("crystals", 320, 41)


@pytest.fixture(scope="module")
def validation() -> Examples:
    return draw_set("crystals", 300, 42)


def _facts(settings: TrainingSettings, training: Examples, validation: Examples, classes: int = len(_CLASSES)) -> Facts:
    count = [tuple(np.bincount(part.labels, minlength=classes).tolist()) for part in (training, validation)]
    return Facts(settings=settings, classes=tuple(_CLASSES), training=count[0], validation=count[1])


def _watched(
    network: NetworkDescription,
    settings: TrainingSettings,
    training: Examples,
    validation: Examples,
    breaks: Callable[[Network], None] = lambda network: None,
) -> tuple[list[EpochRecord], Facts]:
    """As far as a broken training has to be named: three epochs, or those of the first hundred steps."""
    facts = _facts(settings, training, validation)
    running = begin(Recipe(network=network, settings=settings), len(_CLASSES), training, validation)
    breaks(running.network)
    return _history(running.results, facts.settled), facts


def _history(results: Iterator[StepResult | EpochResult], epochs: int) -> list[EpochRecord]:
    history: list[EpochRecord] = []
    for result in results:
        if isinstance(result, EpochResult):
            metrics = result.metrics
            history.append(EpochRecord(number=metrics.number, figures=metrics.figures, watched=result.watched))
            if len(history) == epochs:
                break
    return history


def _found(history: Sequence[EpochRecord], facts: Facts) -> dict[str, Finding]:
    return {name: said for name, said in look(history, facts).items() if said.standing is Standing.FOUND}


def _zero(network: Network) -> None:
    for name, value in network.parameters.items():
        if name.endswith(".weights"):
            value[...] = 0


def _asleep(network: Network) -> None:
    network.parameters["two.bias"][...] = -10


def _loud(network: Network) -> None:
    """As if its inputs were a hundred times what they are."""
    network.parameters["one.weights"][...] *= 100


def _shuffled(examples: Examples) -> Examples:
    return replace(examples, labels=np.random.default_rng(3).permutation(examples.labels))


def _one_label(examples: Examples) -> Examples:
    return replace(examples, labels=np.zeros_like(examples.labels))


def _same(examples: Examples) -> Examples:
    return examples


@pytest.mark.parametrize(
    ("network", "settings", "breaks", "labels", "lookout", "where"),
    [
        (ready_network("plain 5"), {"learning_rate": 6.0}, None, _same, "rate", ""),
        (ready_network("plain 5"), {}, _zero, _same, "unmoved", "conv_block_1_conv_1"),
        (_plain(), {}, _asleep, _same, "asleep", "two"),
        (_plain(d.Tanh), {}, _loud, _same, "pinned", "one"),
        (ready_network("plain 5"), {}, None, _shuffled, "nothing", ""),
        (ready_network("plain 5"), {}, None, _one_label, "one", _CLASSES[0]),
    ],
    ids=["rate times a thousand", "weights zero", "asleep", "pinned", "labels shuffled", "one class"],
)
def test_a_broken_training_is_named_in_time(
    training: Examples,
    validation: Examples,
    network: NetworkDescription,
    settings: dict[str, Any],
    breaks: Callable[[Network], None] | None,
    labels: Callable[[Examples], Examples],
    lookout: str,
    where: str,
) -> None:
    history, facts = _watched(
        network, replace(_SETTINGS, **settings), labels(training), validation, breaks or (lambda network: None)
    )
    found = _found(history, facts)
    assert lookout in found, sorted(found)
    assert found[lookout].where == where
    assert found[lookout].why and found[lookout].mend
    assert 1 <= (found[lookout].since or 0) <= len(history)


def test_a_frozen_stack_is_named_at_its_first_layer(training: Examples, validation: Examples) -> None:
    """What was taken over moves at a rate that is a hundred million times too low; the new last layer learns."""
    learnt = Network(resolved(_plain(), (48, 48, 3), len(_CLASSES)), seed=5)
    origin = Origin(
        weights=learnt.state(), classes=tuple(f"other {name}" for name in _CLASSES), preprocessing=Preprocessing(),
        statistics=scale_statistics(training.pixels, Preprocessing().scale),
    )  # fmt: skip
    start = Start(words="a model", digest="", rate_factor=1e-8)
    recipe = Recipe(network=_plain(), settings=_SETTINGS, start=start)
    results = begin(recipe, len(_CLASSES), training, validation, origin=origin, names=_CLASSES).results
    facts = replace(_facts(_SETTINGS, training, validation), started=True)
    found = _found(_history(results, facts.settled), facts)["unmoved"]
    assert found.where == "one" and "one, two, three" in found.why


def test_sixty_pictures_are_learnt_by_heart_and_the_turn_is_marked() -> None:
    settings = TrainingSettings(
        epochs=100, schedule=Schedule.CONSTANT, learning_rate=5e-4, warm_up=0.05, label_smoothing=0, weight_decay=0
    )
    few, some, classes = draw_set("strokes", 60, 43), draw_set("strokes", 140, 42), MADE_UP_SETS["strokes"].classes
    running = begin(Recipe(network=ready_network("plain 5"), settings=settings), len(classes), few, some)
    history = _history(running.results, settings.epochs)
    facts = replace(_facts(settings, few, some, len(classes)), classes=tuple(classes))
    found = _found(history, facts)["heart"]
    losses = [entry.figures["validation_loss"] for entry in history]
    medians = [median(losses[first : first + 5]) for first in range(len(losses) - 4)]
    assert abs((found.since or 0) - (medians.index(min(medians)) + 3)) <= 2


def test_a_healthy_training_is_quiet(training: Examples, validation: Examples) -> None:
    history, facts = _watched(ready_network("plain 5"), _SETTINGS, training, validation)
    for place in range(len(history)):
        assert not _found(history[: place + 1], facts)
    said = look(history, facts)
    assert {name for name, entry in said.items() if entry.standing is Standing.EARLY} <= {
        "unfinished", "never", "swallowed"
    }  # fmt: skip
    assert all(entry.bound is not None for name, entry in said.items() if name in ("rate", "asleep", "few", "nothing"))


# From what is recorded alone: histories made by hand.


def _record(number: int, answers: np.ndarray[Any, Any] | None = None, **figures: float) -> EpochRecord:
    usual = {
        "training_loss": 1.0 / number, "training_accuracy": 1 - 0.5 / number, "validation_loss": 1.0 / number,
        "validation_accuracy": 1 - 0.5 / number, "learning_rate": 0.006,
    }  # fmt: skip
    watched = Watched() if answers is None else Watched(answers=answers_of(answers))
    return EpochRecord(number=number, figures=usual | figures, watched=watched)


def _made(settings: TrainingSettings | None = None, **facts: Any) -> Facts:
    usual: dict[str, Any] = {
        "settings": settings or TrainingSettings(epochs=20), "classes": ("plate", "rime", "needle"),
        "training": (500, 500, 500), "validation": (100, 100, 100),
    }  # fmt: skip
    return Facts(**usual | facts)


def test_what_was_learnt_by_heart_is_told_with_the_epoch_that_turned() -> None:
    losses = [0.4 + abs(number - 7) / 10 for number in range(1, 16)]
    history = [
        _record(number, validation_loss=loss, training_accuracy=0.99, validation_accuracy=0.8)
        for number, loss in enumerate(losses, 1)
    ]
    found = _found(history, _made())["heart"]
    # Medians of five are lowest around the sixth to the eighth epoch.
    assert found.since == 6
    assert "0.990" in found.why and "0.800" in found.why
    assert found.leads_to == "variation"
    alike = [replace(entry, figures={**entry.figures, "validation_accuracy": 0.985}) for entry in history]
    assert "heart" not in _found(alike, _made())


def test_a_turn_needs_five_epochs_and_more_than_noise() -> None:
    valley = [0.4 + abs(number - 7) / 10 for number in range(1, 14)]
    assert turning_epoch(valley[:12]) is None
    assert turning_epoch(valley) == 6
    assert turning_epoch([1, 0.8, 0.6, 0.5, 0.5, 0.5, 0.5, 0.5, 2, 0.5, 0.5, 0.5, 0.5]) is None
    assert turning_epoch([0.5, 0.9, 0.5, 0.1, 0.5, 0.9, 0.52, 0.1, 0.52, 0.9, 0.52, 0.1, 0.52, 0.9]) is None


def test_classes_that_are_never_named_or_swallowed_are_named() -> None:
    never = np.array([[90, 10, 0], [10, 90, 0], [45, 55, 0]])
    history = [_record(number, never) for number in range(1, 12)]
    found = _found(history, _made())
    assert found["never"].where == "needle"
    assert "swallowed" not in found
    swallowed = np.array([[90, 10, 0], [10, 90, 0], [5, 80, 15]])
    found = _found([_record(number, swallowed) for number in range(1, 12)], _made())
    assert found["swallowed"].where == "needle" and "rime" in found["swallowed"].why
    assert "never" not in found


@pytest.mark.parametrize(
    ("facts", "lookout", "where"),
    [
        ({"training": (1000, 500, 40)}, "unequal", "needle"),
        ({"validation": (10, 10, 10)}, "few", ""),
        ({"validation": (0, 0, 0)}, "few", ""),
    ],
)
def test_what_is_known_before_the_first_epoch_is_said_then(facts: dict[str, Any], lookout: str, where: str) -> None:
    found = _found([], _made(**facts))
    assert set(found) == {lookout}
    assert found[lookout].where == where
    assert not _found([], _made())
    balanced = TrainingSettings(class_draws=ClassDraws.BALANCED)
    assert "unequal" not in _found([], _made(balanced, training=(1000, 500, 40)))


def test_nearly_perfect_at_once_and_ended_too_soon() -> None:
    found = _found([_record(1, validation_accuracy=0.997)], _made())
    assert found["easy"].leads_to == "copies"
    assert not _found([_record(1, validation_accuracy=0.9)], _made())
    falling = [_record(number, validation_loss=2 - number / 20) for number in range(1, 21)]
    assert _found(falling, _made(done=True))["unfinished"].change == {"epochs": 40}
    assert "unfinished" not in _found(falling, _made())
    level = [_record(number, validation_loss=1 / min(number, 10)) for number in range(1, 21)]
    assert "unfinished" not in _found(level, _made(done=True))


def test_a_loss_that_left_the_numbers_is_running_away() -> None:
    said = _found([_record(1)], _made(TrainingSettings(learning_rate=5), lost="The loss became infinite."))["away"]
    assert said.change == {"learning_rate": 0.006} and "infinite" in said.why
    ran = [_record(1, training_loss=0.5), _record(2, training_loss=0.4), _record(3, training_loss=3.0)]
    assert _found(ran, _made())["away"].since == 3


def _layers(**updates: float) -> Watched:
    return Watched(
        layers=tuple(LayerFigures(layer=name, weight=0.1, gradient=0.1, update=u) for name, u in updates.items())
    )


_SHARES = st.floats(0, 1)
_SIZES = st.floats(0, 1e6) | st.just(0.0) | st.floats(0, 1e-9)
_FIGURES = st.fixed_dictionaries(
    {
        "training_loss": _SIZES, "training_accuracy": _SHARES, "validation_loss": _SIZES,
        "validation_accuracy": _SHARES, "learning_rate": st.floats(0, 10),
    }
)  # fmt: skip
_ANY_LAYER = st.builds(
    LayerFigures, layer=st.sampled_from(["a", "b"]), weight=st.none() | _SIZES, gradient=st.none() | _SIZES,
    update=st.none() | _SIZES, asleep=st.none() | _SHARES, pinned=st.none() | _SHARES,
)  # fmt: skip
_ANY_ANSWERS = st.lists(st.integers(0, 50), min_size=9, max_size=9).map(
    lambda cells: answers_of(np.array(cells).reshape(3, 3))
)
_ANY_WATCHED = st.builds(
    Watched, losses=st.lists(_SIZES, max_size=3).map(tuple), layers=st.lists(_ANY_LAYER, max_size=3).map(tuple),
    answers=st.none() | _ANY_ANSWERS,
)  # fmt: skip


@settings(max_examples=50)
@given(st.lists(st.tuples(_FIGURES, _ANY_WATCHED), max_size=8), st.integers(1, 20), st.booleans())
def test_whatever_happens_every_lookout_says_something_sensible(
    epochs: list[tuple[dict[str, float], Watched]], planned: int, done: bool
) -> None:
    history = [EpochRecord(number=n, figures=figures, watched=said) for n, (figures, said) in enumerate(epochs, 1)]
    for name, said in look(history, _made(TrainingSettings(epochs=planned), done=done)).items():
        if said.standing is Standing.FOUND:
            assert 1 <= (said.since or 0) <= max(1, len(history)), name
            assert said.why and said.mend
        else:
            assert not said.why and said.since is None
        assert said.value is None or np.isfinite(said.value), name


def test_layers_out_of_step_are_told_with_the_slowest() -> None:
    history = [replace(_record(number), watched=_layers(a=1e-6, b=1e-2)) for number in range(1, 5)]
    said = _found(history, _made())["apart"]
    assert said.where == "a" and said.value == pytest.approx(1e4) and said.since == 1
    assert "apart" not in _found([replace(entry, watched=_layers(a=1e-4, b=1e-2)) for entry in history], _made())


def test_a_lookout_of_ones_own_waits_for_so_many_epochs() -> None:
    own = OwnLookout(name="slow", figure="update", sign=Sign.BELOW, value=1e-3, epochs=2)
    history = [
        replace(_record(n), watched=_layers(a=a, b=1e-2)) for n, a in enumerate((1e-2, 1e-4, 1e-2, 1e-4, 1e-4), 1)
    ]
    standing = [look_own(own, history[:n]).standing for n in range(6)]
    assert standing == ["early", "early", "quiet", "quiet", "quiet", "found"]
    said = look_own(own, history)
    assert (said.where, said.since) == ("a", 4)
    assert look_own(replace(own, layer="b"), history).standing is Standing.QUIET
    assert look_own(OwnLookout(name="f", figure="validation_loss", value=0.9), history[:1]).standing is Standing.FOUND


def test_only_what_should_end_a_training_ends_it() -> None:
    own = OwnLookout(name="mine", figure="training_loss", value=0.2, act=Act.END)
    history, facts = [_record(1)], _made(training=(1000, 500, 40))
    assert ends(history, facts, Watch()) is None
    assert ends(history, facts, Watch(acts={"unequal": Act.WORD})) is None
    found = ends(history, facts, Watch(acts={"unequal": Act.END}, own=(own,)))
    assert found is not None and found.id == "unequal"
    found = ends(history, facts, Watch(own=(own,)))
    assert found is not None and found.id == "mine"


# What is recorded.


def test_recording_changes_no_bit_and_is_the_same_after_a_pause(training: Examples, validation: Examples) -> None:
    settings = TrainingSettings(epochs=3)

    def run(watch: Watch, until: int = 3, state: Any = None) -> list[EpochResult]:
        recipe = Recipe(network=ready_network("plain 4"), settings=settings, watch=watch)
        results = begin(recipe, len(_CLASSES), training, validation, state).results
        found = []
        for result in results:
            if isinstance(result, EpochResult):
                found.append(result)
                if result.metrics.number == until:
                    break
        return found

    on, off = run(Watch(every=7)), run(Watch(every=0))
    assert all(np.array_equal(on[-1].state.network[name], value) for name, value in off[-1].state.network.items())
    assert not off[0].watched.layers and len(off[0].watched.losses) == 20
    again = run(Watch(every=7), state=on[0].state)
    assert [entry.watched for entry in again] == [entry.watched for entry in on[1:]]


def test_figures_of_a_layer_are_those_of_its_values(training: Examples) -> None:
    """Against plain NumPy over the same step."""
    network = Network(
        NetworkDescription(
            name="n", input_shape=(8, 8, 3),
            layers=(d.Conv(channels=4, id="c"), d.ReLU(), d.GlobalAveragePool(), d.Dense(outputs=2, id="out")),
        ),
        seed=3,
    )  # fmt: skip
    network.parameters["c.bias"][:2] = -100
    recorder = LayerRecorder(network, Watch(every=1), steps=1)
    x = np.random.default_rng(1).normal(size=(6, 8, 8, 3)).astype(np.float32)
    network.forward(x, np.random.default_rng(0))
    network.backward(np.ones((6, 2), np.float32))
    recorder.before()
    before = network.parameters["c.weights"].copy()
    network.parameters["c.weights"] -= 0.01 * network.gradients["c.weights"]
    recorder.after()
    conv, out = recorder.take()
    values: FloatArray = network.values_by_place()[2]
    moved = network.parameters["c.weights"]
    assert conv.mean == pytest.approx(float(values.mean()), rel=1e-5)
    assert conv.deviation == pytest.approx(float(values.std()), rel=1e-5)
    assert conv.zeros == pytest.approx(float((values == 0).mean()))
    assert conv.asleep == 0.5
    assert conv.pinned is None and out.asleep is None
    assert conv.weight == pytest.approx(float(np.sqrt(np.mean(moved**2))), rel=1e-5)
    assert conv.update == pytest.approx(float(np.linalg.norm(moved - before) / np.linalg.norm(moved)), rel=1e-4)
    assert conv.gradient == pytest.approx(float(np.sqrt(np.mean(network.gradients["c.weights"] ** 2))), rel=1e-5)
    assert conv.weight_bands == pytest.approx(np.quantile(moved, BANDS).tolist(), rel=1e-5)
    assert len(conv.bands) == len(BANDS) and list(conv.bands) == sorted(conv.bands)
    assert recorder.take() == ()


def test_a_layer_is_watched_behind_its_norm_and_activation() -> None:
    rows = {entry.id: entry for entry in watched_layers(_resolved(ready_network("residual 8")))}
    assert [name for name, entry in rows.items() if entry.weights is None], "activations behind sums have rows"
    assert all(entry.rectified or entry.weights for entry in rows.values())
    tanh = watched_layers(_resolved(_plain(d.Tanh)))[0]
    assert (tanh.low, tanh.high, tanh.rectified) == (-0.99, 0.99, False)


def _resolved(description: NetworkDescription) -> NetworkDescription:
    return resolved(description, (48, 48, 3), 3)


@given(st.lists(st.floats(0.01, 10), min_size=1, max_size=300))
def test_the_line_of_steps_keeps_the_first_and_the_mean(losses: list[float]) -> None:
    line = StepLine(len(losses))
    for loss in losses:
        line.add(loss)
    points = line.points()
    few = few_points(losses)
    assert len(points) <= 40 and len(few) <= 40
    assert few[0] == pytest.approx(sum(losses[: -(-len(losses) // 40)]) / -(-len(losses) // 40), rel=1e-3)
    assert points[0] == pytest.approx(losses[0], rel=1e-3)
    assert min(losses) * 0.999 <= min(points) and max(points) <= max(losses) * 1.001


def test_what_was_watched_and_how_goes_through_json_and_back() -> None:
    watched = Watched(
        losses=(1.5, 0.25), layers=(LayerFigures(layer="one", weight=0.5, bands=(0.0, 0.5, 1.0, 1.5, 2.0)),),
        answers=answers_of(np.array([[3, 1], [0, 4]])),
    )  # fmt: skip
    assert watched_from_json(watched_to_json(watched)) == watched
    assert watched_from_json({}) == Watched()
    own = OwnLookout(name="mine", figure="zeros", layer="one", value=0.9, epochs=2, act=Act.WORD)
    watch = Watch(every=5, layers=("one",), figures=("values",), acts={"heart": Act.END}, own=(own,))
    assert watch_from_json(watch_to_json(watch)) == watch
    assert "watch" not in recipe_to_json(Recipe())
    assert recipe_from_json(recipe_to_json(Recipe(watch=watch))).watch == watch


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"every": -1}, "every -1 steps"),
        ({"figures": ("smell",)}, "no smell"),
        ({"acts": {"heart": "shout"}}, "cannot be 'shout'"),
        ({"own": ({"name": "", "figure": "zeros"},)}, "no name"),
        ({"own": ({"name": "a\x00b", "figure": "zeros"},)}, "cannot be shown"),
        ({"own": ({"name": "a", "figure": "colour"},)}, "No run has a figure 'colour'"),
        ({"own": ({"name": "a", "figure": "training_loss", "layer": "one"},)}, "layers have no such figure"),
        ({"own": ({"name": "a", "figure": "zeros", "epochs": 0},)}, "0 epochs in a row"),
        ({"own": ({"name": "a", "figure": "zeros", "value": float("nan")},)}, "which no figure can be"),
        ({"own": ({"name": "a", "figure": "zeros", "sign": "beside"},)}, "cannot be 'beside'"),
        ({"own": ({"name": "a", "figure": "zeros"}, {"name": "A", "figure": "zeros"})}, "the same name"),
    ],
)
def test_what_cannot_be_watched_is_refused_in_words(asked: dict[str, Any], words: str) -> None:
    with pytest.raises(SettingError, match=words):
        watch_from_json(asked)


@pytest.mark.parametrize(
    ("watch", "words"),
    [
        (Watch(acts={"weather": Act.END}), "no lookout weather"),
        (Watch(layers=("four",)), "no layer four"),
        (Watch(own=(OwnLookout(name="a", figure="zeros", layer="four"),)), "no layer four"),
        (Watch(own=(OwnLookout(name="a", figure="validation_loss"),)), "no picture is in validation"),
    ],
)
def test_what_a_run_does_not_have_is_not_watched(watch: Watch, words: str) -> None:
    with pytest.raises(SettingError, match=words):
        check_watch(watch, _resolved(_plain()), validated=False)
