"""Starting from a learnt network: what is taken over, what learns, in which phases, and that the rest stays."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from tests.core.test_training import _assert_same, _bars
from tests.reference import numeric_gradient
from tests.tolerances import GRADIENT
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.blocks import ConvBlock, Head, Part, ResidualBlock
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.layout import memory_for_training
from vast_orchard.core.network.learning import Learning, learning_of, remembered_values
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.ops.softmax import soft_targets, softmax_cross_entropy
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics, channel_statistics
from vast_orchard.core.pictures.variation import NO_VARIATION, Variation, operation
from vast_orchard.core.team import Team
from vast_orchard.core.training import frozen_part
from vast_orchard.core.training.begin import Training, begin
from vast_orchard.core.training.loop import predict
from vast_orchard.core.training.phases import Origin
from vast_orchard.core.training.recipe import Recipe, recipe_from_json, recipe_to_json
from vast_orchard.core.training.settings import OptimizerName, Schedule, TrainingSettings
from vast_orchard.core.training.start import Learns, Start
from vast_orchard.core.training.values import EpochResult, Examples, TrainingState
from vast_orchard.errors import DescriptionError, MemoryShortError, OrchardError, SettingError

_LAYERS: tuple[Part, ...] = (
    ConvBlock(id="one", channels=8),
    d.MaxPool(),
    d.Dropout(id="drop", share=0.3),
    ResidualBlock(id="two", channels=16),
    Head(id="head", dropout=0.2),
)
_NETWORK = NetworkDescription(name="small", layers=_LAYERS)
_SIZE = Preprocessing(size=12)
_GREY = Preprocessing(colour="grey")
_NAMES = ("lying", "standing")
_VARIED = Variation(operations=(operation("mirror"), operation("brightness")))


def _description(classes: int = 2) -> NetworkDescription:
    found = resolved(_NETWORK, _SIZE.input_shape, classes)
    return replace(found, layers=found.flat)


def _origin(classes: tuple[str, ...] = ("a", "b", "c"), seed: int = 9) -> Origin:
    """Weights that nobody taught, which does for what is promised here; statistics that no pictures have."""
    network = Network(_description(len(classes)), seed)
    random = np.random.default_rng(seed)
    for numbers in network.numbers:
        for name, value in numbers.statistics.items():
            value[:] = (
                random.uniform(0.5, 1.5, value.shape) if name == "variance" else random.normal(0, 0.3, len(value))
            )
    weights = {name: value.astype(np.float16) for name, value in network.state().items()}
    known = ChannelStatistics(mean=(90.0, 91.0, 92.0), deviation=(50.0, 51.0, 52.0))
    return Origin(weights=weights, classes=classes, preprocessing=_SIZE, statistics=known)


def _recipe(start: Start | None, variation: Variation = NO_VARIATION, **settings: Any) -> Recipe:
    chosen = {"epochs": 4, "batch_size": 16, "learning_rate": 0.01, "seed": 5, **settings}
    return Recipe(
        network=_NETWORK, preprocessing=_SIZE, variation=variation, settings=TrainingSettings(**chosen), start=start
    )


def _start(learns: Learns, **facts: Any) -> Start:
    return Start(words="a model", digest="0" * 64, learns=learns, **facts)


def _begin(
    recipe: Recipe, state: TrainingState | None = None, threads: int = 1, origin: Origin | None = None
) -> Training:
    training, validation = _bars(72, 1, 12), _bars(24, 2, 12)
    return begin(
        recipe, 2, training, validation, state,
        team=Team(threads), origin=origin or _origin(), names=_NAMES,
    )  # fmt: skip


def _to_end(training: Training, until: int = 99) -> TrainingState:
    last = None
    for result in training.results:
        if isinstance(result, EpochResult):
            last = result.state
            if result.metrics.number == until:
                break
    assert last is not None
    return last


def _head() -> set[str]:
    entry = plan(_description()).layers[-1]
    return {f"{entry.id}.weights", f"{entry.id}.bias"}


def test_only_what_is_new_learns_and_everything_else_keeps_its_bits() -> None:
    training = _begin(_recipe(_start(Learns.NEW), _VARIED))
    assert training.taken is not None
    assert dict(training.taken.left) == {plan(_description()).layers[-1].id: "Its outputs are other classes there."}
    origin, state = _origin(), _to_end(training)
    for name, value in state.network.items():
        if name in _head():
            continue
        np.testing.assert_array_equal(value, origin.weights[name].astype(np.float32), err_msg=name)
    first = Network(_description(), 5).state()
    for name in _head():
        assert not np.array_equal(state.network[name], first[name])


def test_a_frozen_part_has_no_gradients_and_is_not_gone_through_backwards() -> None:
    training = _begin(_recipe(_start(Learns.NEW)))
    next(training.results)
    assert set(training.network.gradients) == _head()
    layout = training.network._layout
    assert {stage.place for stage in layout.stages} == set(range(layout.input + 1, len(training.network.names) + 1))
    assert layout.input >= len(training.network.names) - 2  # all but the head's dropout and dense layer
    assert layout.gradients == {}  # the only layer that learns asks nothing of what is before it


def test_answers_of_the_frozen_part_are_remembered_and_change_no_bit(monkeypatch: pytest.MonkeyPatch) -> None:
    shown: list[int] = []
    values = frozen_part.FrozenPart.values

    def watched(self: frozen_part.FrozenPart, pixels: Any) -> Any:
        shown.append(len(pixels))
        return values(self, pixels)

    monkeypatch.setattr(frozen_part.FrozenPart, "values", watched)
    recipe = _recipe(_start(Learns.NEW))
    once = _to_end(_begin(recipe))
    assert sum(shown) == 72 + 24
    shown.clear()
    monkeypatch.setattr(frozen_part, "remembered_values", lambda description, cut: 0)
    again = _to_end(_begin(recipe))
    assert sum(shown) == 4 * (72 + 24)
    _assert_same(once.network, again.network)
    assert once.history == again.history


def test_a_part_that_gives_more_numbers_than_a_picture_has_is_not_remembered() -> None:
    described = _description()
    ids = [entry.id for entry in plan(described).layers]
    # 12×12 pixels of 3 channels are 432 numbers; the pooled maps of 6×6 and 8 channels are 288, those before 1152.
    assert remembered_values(described, ids.index("max_pool_1") + 1) == 288
    assert remembered_values(described, ids.index("max_pool_1")) == 0
    assert remembered_values(described, 0) == 0


def test_what_is_remembered_counts_as_memory_before_the_start() -> None:
    recipe, room = _recipe(_start(Learns.NEW)), memory_for_training(_description(), 16)
    sets = _bars(72, 1, 12), _bars(24, 2, 12)
    held = 4 * (72 + 24) * 16  # the means of 16 maps, as single precision
    begin(recipe, 2, *sets, memory_bytes=room + held, origin=_origin(), names=_NAMES)
    with pytest.raises(MemoryShortError):
        begin(recipe, 2, *sets, memory_bytes=room + held - 1, origin=_origin(), names=_NAMES)


@pytest.mark.parametrize("until", [1, 2, 3])
def test_it_goes_on_in_either_phase_and_on_any_threads_with_the_same_weights(until: int) -> None:
    start = _start(Learns.NEW_THEN_ALL, new_epochs=2, rate_factor=0.3)
    recipe = _recipe(start, _VARIED)
    whole = _to_end(_begin(recipe))
    half = _to_end(_begin(recipe), until)
    rest = _to_end(_begin(recipe, half, threads=2))
    _assert_same(whole.network, rest.network)
    _assert_same(whole.optimizer, rest.optimizer)
    _assert_same(whole.kept, rest.kept)
    assert whole.history == rest.history


def test_each_phase_has_its_own_course_and_moments_begin_at_zero() -> None:
    training = _begin(_recipe(_start(Learns.NEW_THEN_ALL, new_epochs=2), warm_up=0.0, epochs=5))
    assert [(phase.first, phase.last) for phase in training.phases] == [(1, 2), (3, 5)]
    rates, steps = [], []
    for result in training.results:
        if isinstance(result, EpochResult):
            rates.append(result.metrics.figures["learning_rate"])
            steps.append(int(result.state.optimizer["steps"][0]))
            moved = {name.partition(".")[2] for name in result.state.optimizer if name != "steps"}
            wanted = _head() if result.metrics.number <= 2 else set(training.network.parameters)
            assert moved == wanted
    # Half a cosine over 10 steps, then over 15, at the last step of each epoch; by hand.
    last = [(4, 10), (9, 10), (4, 15), (9, 15), (14, 15)]
    np.testing.assert_allclose(rates, [0.005 * (1 + np.cos(np.pi * n / of)) for n, of in last])
    assert steps == [5, 10, 5, 10, 15]


def test_norms_that_were_taken_over_keep_their_statistics_unless_switched() -> None:
    def statistics(start: Start) -> dict[str, bool]:
        state, origin = _to_end(_begin(_recipe(start))), _origin()
        return {
            name: np.array_equal(value, origin.weights[name].astype(np.float32))
            for name, value in state.network.items()
            if name.endswith((".mean", ".variance"))
        }

    assert all(statistics(_start(Learns.ALL)).values())
    assert all(statistics(_start(Learns.NEW_THEN_ALL, new_epochs=1)).values())
    assert not any(statistics(_start(Learns.ALL, moving_statistics=True)).values())


def test_what_comes_after_a_layer_learns_and_nothing_before_it() -> None:
    described = _description()
    layer = next(entry.id for entry in plan(described).layers if entry.kind == "max_pool")
    place = [entry.id for entry in plan(described).layers].index(layer)
    before = {entry.id for entry in plan(described).layers[: place + 1]}
    # Frozen norms stay steady even where those that learn move.
    state = _to_end(_begin(_recipe(_start(Learns.AFTER, frozen_to=layer, moving_statistics=True))))
    origin = _origin()
    for name, value in state.network.items():
        same = name not in _head() and np.array_equal(value, origin.weights[name].astype(np.float32))
        assert same == (name.partition(".")[0] in before), name


def test_the_rate_of_what_was_taken_over_is_multiplied() -> None:
    def moved(factor: float) -> dict[str, float]:
        recipe = _recipe(
            _start(Learns.ALL, rate_factor=factor),
            optimizer=OptimizerName.SGD, momentum=0.0, schedule=Schedule.CONSTANT, warm_up=0.0, learning_rate=1e-3,
        )  # fmt: skip
        training = _begin(recipe)
        before = {name: value.copy() for name, value in training.network.parameters.items()}
        next(training.results)
        after = training.network.parameters
        return {name: float(np.abs(after[name] - value).sum()) for name, value in before.items()}

    plain, slow = moved(1.0), moved(0.25)
    for name, far in plain.items():
        assert slow[name] == pytest.approx(far * (1.0 if name in _head() else 0.25), rel=1e-2), name


def test_gradients_hold_with_steady_norms_and_frozen_layers_among_those_that_learn() -> None:
    described = _description()
    entries = [entry for entry in plan(described).layers if entry.parameters]
    learning = {entry.id for place, entry in enumerate(entries) if place % 3 != 1}
    steady = {entry.id for entry in entries if entry.kind == "batch_norm"}
    network = Network(described, 3, np.float64)
    random = np.random.default_rng(4)
    for numbers in network.numbers:
        for value in numbers.statistics.values():
            value[:] = random.uniform(0.4, 1.6, value.shape)
    network.let_learn(learning_of(described, learning, steady))
    x, targets = random.normal(size=(5, 12, 12, 3)), soft_targets(np.array([0, 1, 1, 0, 1]), 2)

    def loss() -> float:
        rows, _ = softmax_cross_entropy(network.forward(x, np.random.default_rng(1)), targets)
        return float(rows.mean())

    _, gradient = softmax_cross_entropy(network.forward(x, np.random.default_rng(1)), targets)
    network.backward(gradient)
    found = {name: value.copy() for name, value in network.gradients.items()}
    assert {name.partition(".")[0] for name in found} == learning
    for name, value in network.learning_parameters.items():
        flat = value.reshape(-1)[:6]
        np.testing.assert_allclose(
            found[name].reshape(-1)[:6], numeric_gradient(loss, flat), atol=GRADIENT, err_msg=name
        )


def test_the_frozen_part_ends_where_one_value_leads_on() -> None:
    described = _description()
    entries = plan(described).layers
    numbered = [entry for entry in entries if entry.parameters]
    parted = 0
    for first in range(1, len(numbered)):
        learning = learning_of(described, {entry.id for entry in numbered[first:]}, set())
        cut = learning.cut
        assert cut < numbered[first].place
        crossing = {source for entry in entries[cut:] for source in entry.sources if source <= cut}
        assert crossing == {cut}
        whole, network = FrozenNetwork, Network(described, 2)
        x = np.random.default_rng(first).normal(size=(9, 12, 12, 3)).astype(np.float32)
        if cut:
            halves = whole(network, after=cut).logits(whole(network, until=cut).values(x))
            np.testing.assert_array_equal(halves, whole(network).logits(x))
            parted += 1
    assert parted >= 3


def test_outputs_are_taken_over_by_the_names_of_their_classes() -> None:
    origin, head = _origin(("standing", "other", "lying")), plan(_description()).layers[-1].id
    training = _begin(_recipe(_start(Learns.ALL)), origin=origin)
    weights = training.network.parameters[f"{head}.weights"]
    np.testing.assert_array_equal(weights, origin.weights[f"{head}.weights"].astype(np.float32)[:, [2, 0]])
    assert training.taken is not None
    assert head in training.taken.taken
    shared = _begin(_recipe(_start(Learns.NEW)), origin=_origin(("standing", "other")))
    assert shared.taken is not None
    assert dict(shared.taken.left) == {head: "1 of its 2 classes are there too, and those are taken over."}


def test_statistics_are_those_of_the_model_unless_others_are_asked_for() -> None:
    assert _begin(_recipe(_start(Learns.ALL))).statistics == _origin().statistics
    recipe = _recipe(_start(Learns.ALL, new_statistics=True))
    assert _begin(recipe).statistics == channel_statistics(_bars(72, 1, 12).pixels)
    other = replace(recipe, preprocessing=replace(_SIZE, scale="unit"))
    assert _begin(other).statistics == ChannelStatistics(mean=(0.0,) * 3, deviation=(255.0,) * 3)


def test_what_is_learnt_answers_afterwards_as_it_was_validated() -> None:
    training = _begin(_recipe(_start(Learns.NEW_THEN_ALL, new_epochs=2), _VARIED))
    state = _to_end(training)
    training.network.load(state.kept)
    unseen: Examples = _bars(24, 2, 12)
    right = predict(training.network, unseen.pixels, training.statistics).argmax(axis=1) == unseen.labels
    assert right.mean() == state.history[state.kept_epoch - 1].figures["validation_accuracy"]


def test_a_recipe_keeps_what_it_starts_from_and_says_nothing_where_it_does_not() -> None:
    recipe = _recipe(_start(Learns.NEW_THEN_ALL, new_epochs=2, rate_factor=0.5))
    assert recipe_from_json(recipe_to_json(recipe)) == recipe
    assert "start" not in recipe_to_json(_recipe(None))


@pytest.mark.parametrize(
    ("learns", "facts", "names", "words"),
    [
        (Learns.NEW, {}, _NAMES, "nothing new is left to learn"),
        (Learns.NEW_THEN_ALL, {"new_epochs": 1}, _NAMES, "nothing new is left to learn"),
        (Learns.NEW_THEN_ALL, {"new_epochs": 4}, ("a", "b"), "leaves none for everything"),
        (Learns.AFTER, {"frozen_to": "nowhere"}, ("a", "b"), "no layer 'nowhere'"),
    ],
)
def test_a_training_that_cannot_be_is_refused(
    learns: Learns, facts: dict[str, Any], names: tuple[str, ...], words: str
) -> None:
    with pytest.raises(SettingError, match=words):
        _begin(_recipe(_start(learns, **facts)), origin=_origin(names))


def test_nothing_is_left_after_the_last_layer() -> None:
    head = plan(_description()).layers[-1].id
    with pytest.raises(DescriptionError, match="nothing left to learn"):
        _begin(_recipe(_start(Learns.AFTER, frozen_to=head)), origin=_origin(_NAMES))
    with pytest.raises(SettingError, match="would stay as drawn by chance"):
        _begin(_recipe(_start(Learns.AFTER, frozen_to=head)))


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: _start(Learns.NEW_THEN_ALL), "has 0 epochs"),
        (lambda: _start(Learns.ALL, rate_factor=0.0), "cannot be 0 times"),
        (lambda: _start("some"), "What learns cannot be 'some'"),  # type: ignore[arg-type]
        (
            lambda: _begin(_recipe(_start(Learns.ALL)), origin=replace(_origin(), preprocessing=_GREY)),
            "has learnt on grey pictures",
        ),
        (
            lambda: _begin(replace(_recipe(_start(Learns.ALL)), preprocessing=replace(_SIZE, scale="signed"))),
            "statistics are for pictures scaled by",
        ),
        (lambda: _begin(_recipe(_start(Learns.ALL)), origin=replace(_origin(), weights={})), "No layer .* fits"),
        (lambda: begin(_recipe(_start(Learns.ALL)), 2, _bars(9, 1, 12), None), "a model is not there"),
    ],
)
def test_what_makes_no_sense_says_how_to_mend_it(make: Any, words: str) -> None:
    with pytest.raises(OrchardError, match=words) as caught:
        make()
    assert caught.value.mend


def test_from_nothing_everything_learns() -> None:
    training = begin(_recipe(None), 2, _bars(9, 1, 12), None)
    assert training.taken is None
    assert training.phases[0].learning == Learning(
        learns=frozenset(entry.place for entry in plan(_description()).layers if entry.parameters), steady=frozenset()
    )
