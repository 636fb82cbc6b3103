"""Whole networks: gradients, threads, folding, and state that goes out and in."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.reference import numeric_gradient
from tests.tolerances import FOLDING, GRADIENT
from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.ops.softmax import softmax_cross_entropy
from vast_orchard.core.team import Team
from vast_orchard.core.training.optimizers import Adam
from vast_orchard.errors import SettingError, ShapeError


def _described(*layers: d.Layer, shape: tuple[int, int, int] = (8, 8, 2)) -> NetworkDescription:
    return NetworkDescription(name="test", input_shape=shape, layers=layers)


_LIST = _described(
    d.Conv(channels=3), d.BatchNorm(), d.ReLU(), d.MaxPool(), d.Conv(channels=4, kernel=2, edge="cut"),
    d.Dropout(share=0.3), d.GlobalAveragePool(), d.Dense(outputs=3),
)  # fmt: skip
_GATED = _described(
    d.Conv(channels=4, kernel=3), d.HardSwish(id="maps"), d.GlobalAveragePool(keep_sides=True), d.Conv(channels=2),
    d.ClippedReLU(limit=0.4), d.Conv(channels=4, kernel=1), d.HardSigmoid(id="weight"),
    d.Multiply(inputs=("maps", "weight"), id="weighed"), d.Multiply(inputs=("weighed", "maps"), id="square"),
    d.Pad(top=0, bottom=1, left=2, right=3), d.Conv(channels=3, edge="cut", stride=2), d.Flatten(), d.Dense(outputs=3),
)  # fmt: skip
# Every kind of layer, joined in every way: values read twice, the same input twice, gradients of several readers.
_GRAPH = _described(
    d.Conv(channels=4), d.LeakyReLU(slope=0.1), d.BatchNorm(id="trunk"),
    d.Conv(channels=4, stride=2), d.SiLU(id="deep"),
    d.Conv(channels=4, stride=2, kernel=1, inputs=("trunk",), id="short"),
    d.Add(inputs=("deep", "short")), d.Tanh(id="sum"),
    d.DepthwiseConv(dilation=2), d.BatchNorm(), d.Sigmoid(id="gate"),
    d.Concat(inputs=("sum", "gate", "sum")), d.AveragePool(kernel=3, stride=2, edge="keep"),
    d.ChannelDropout(share=0.4), d.MaxPool(kernel=2, stride=1, edge="keep"), d.Conv(channels=6, groups=2, bias=False),
    d.Flatten(), d.Dense(outputs=5), d.BatchNorm(), d.ReLU(), d.Dense(outputs=3),
)  # fmt: skip


# Two answers mixed as one, as several models together are; and shares over the channels of each pixel.
_MIXED = _described(
    d.Conv(channels=3, id="maps"), d.Softmax(id="shared"), d.GlobalAveragePool(), d.Dense(outputs=3), d.Softmax(id="a"),
    d.GlobalAveragePool(inputs=("maps",)), d.Dense(outputs=3), d.Softmax(id="b"), d.Concat(inputs=("a", "b")),
    d.Dense(outputs=3), d.Sigmoid(), d.Log(),
)  # fmt: skip


@pytest.mark.parametrize("described", [_LIST, _GRAPH, _GATED, _MIXED], ids=["list", "graph", "gated", "mixed"])
def test_a_whole_network_has_the_right_gradients(described: NetworkDescription) -> None:
    network = Network(described, seed=3, dtype=np.float64)
    x, targets = np.random.default_rng(0).standard_normal((3, 8, 8, 2)), np.eye(3)[[0, 2, 1]]

    def loss() -> float:
        # The same seed draws the same dropout each time.
        logits = network.forward(x, np.random.default_rng(5))
        return float(softmax_cross_entropy(logits, targets)[0].mean())

    logits = network.forward(x, np.random.default_rng(5))
    network.backward(softmax_cross_entropy(logits, targets)[1])
    gradients = {name: value.copy() for name, value in network.gradients.items()}
    assert gradients.keys() == network.parameters.keys()
    for name, value in network.parameters.items():
        np.testing.assert_allclose(gradients[name], numeric_gradient(loss, value), atol=GRADIENT, err_msg=name)


def _trained(described: NetworkDescription, threads: int, steps: int = 4, batch: int = 37) -> Network:
    """A few steps on batches that do not divide evenly, the last one smaller."""
    network, optimizer = Network(described, seed=1, team=Team(threads)), Adam()
    random = np.random.default_rng(2)
    for step in range(steps):
        count = batch if step < steps - 1 else 5
        x = random.standard_normal((count, *described.input_shape)).astype(np.float32)
        targets = np.eye(3, dtype=np.float32)[random.integers(0, 3, count)]
        logits = network.forward(x, np.random.default_rng([7, step]))
        network.backward(softmax_cross_entropy(logits, targets)[1])
        optimizer.step(network.parameters, network.gradients, 0.01)
    return network


def _assert_same(one: dict[str, FloatArray], two: dict[str, FloatArray]) -> None:
    assert one.keys() == two.keys()
    for name, value in one.items():
        np.testing.assert_array_equal(value, two[name], err_msg=name)


@pytest.mark.parametrize("described", [_LIST, _GRAPH], ids=["list", "graph"])
@pytest.mark.parametrize("threads", [2, 3])
def test_the_number_of_threads_changes_no_bit(described: NetworkDescription, threads: int) -> None:
    _assert_same(_trained(described, 1).state(), _trained(described, threads).state())


@pytest.mark.parametrize("described", [_LIST, _GRAPH], ids=["list", "graph"])
def test_folding_batch_norm_changes_next_to_nothing(described: NetworkDescription) -> None:
    network = _trained(described, 1)
    x = np.random.default_rng(9).standard_normal((20, 8, 8, 2)).astype(np.float32)
    folded, apart = (FrozenNetwork(network, fold=fold).probabilities(x) for fold in (True, False))
    np.testing.assert_allclose(folded, apart, atol=FOLDING)
    # Not by computing the same: running statistics are in use, so the network is not at its start.
    assert np.abs(network.state()["batch_norm_1.mean" if described is _LIST else "trunk.mean"]).max() > 1e-3


@given(count=st.integers(1, 70), threads=st.integers(1, 3), seed=st.integers(0, 99))
@settings(max_examples=15)
def test_an_answer_does_not_depend_on_the_batch_or_the_threads(count: int, threads: int, seed: int) -> None:
    network = Network(_GRAPH, seed)
    x = np.random.default_rng(seed).standard_normal((count, 8, 8, 2)).astype(np.float32)
    whole = FrozenNetwork(network, Team(threads)).logits(x)
    alone = FrozenNetwork(network)
    for n in (0, count // 2, count - 1):
        np.testing.assert_array_equal(alone.logits(x[n : n + 1])[0], whole[n])


def test_a_frozen_network_keeps_its_weights() -> None:
    network = Network(_LIST, 1)
    x = np.ones((1, 8, 8, 2), np.float32)
    frozen = FrozenNetwork(network)
    before = frozen.logits(x)
    network.parameters["dense_1.weights"][:] = 0
    np.testing.assert_array_equal(frozen.logits(x), before)
    assert not FrozenNetwork(network).logits(x).any()


@pytest.mark.parametrize("classes", [2, 3, 11])
@pytest.mark.parametrize("name", READY_NETWORKS)
def test_ready_networks_end_with_one_value_a_class(name: str, classes: int) -> None:
    network = Network(resolved(ready_network(name), (32, 32, 1), classes))
    probabilities = FrozenNetwork(network).probabilities(np.zeros((2, 32, 32, 1), np.float32))
    assert probabilities.shape == (2, classes)
    np.testing.assert_allclose(probabilities.sum(axis=1), 1, atol=1e-6)  # float32 rounding of a sum of few numbers


@pytest.mark.parametrize(
    ("rule", "deviation"),
    [("he", (2 / 900) ** 0.5), ("lecun", (1 / 900) ** 0.5), ("glorot", (2 / (900 + 1800)) ** 0.5)],
)
def test_first_weights_have_the_spread_of_their_rule(rule: str, deviation: float) -> None:
    network = Network(_described(d.Conv(channels=200, start=rule), shape=(4, 4, 100)), seed=0)
    weights = network.parameters["conv_1.weights"]
    # 180,000 draws: the deviation is known to about one part in 600.
    assert weights.std() == pytest.approx(deviation, rel=0.01)
    assert abs(weights.mean()) < 0.01 * deviation
    bounded = np.abs(weights).max() < 1.74 * deviation  # a uniform rule reaches √3 deviations, a normal one more
    assert bounded == (rule == "glorot")


def test_dropout_works_in_training_only_and_alike_for_any_threads() -> None:
    described = _described(d.Dropout(share=0.5), d.Flatten())
    x = np.ones((64, 8, 8, 2), np.float32)
    network = Network(described)
    drawn = network.forward(x, np.random.default_rng(1))
    assert set(np.unique(drawn)) == {0.0, 2.0}
    assert 0.45 < (drawn == 0).mean() < 0.55
    np.testing.assert_array_equal(Network(described, team=Team(3)).forward(x, np.random.default_rng(1)), drawn)
    assert not np.array_equal(network.forward(x, np.random.default_rng(2)), drawn)
    np.testing.assert_array_equal(FrozenNetwork(network).logits(x), 1)


def test_spatial_dropout_takes_whole_channels() -> None:
    network = Network(_described(d.ChannelDropout(share=0.5), d.Flatten(), shape=(4, 4, 8)))
    drawn = network.forward(np.ones((16, 4, 4, 8), np.float32), np.random.default_rng(1)).reshape(16, 16, 8)
    assert (drawn == drawn[:, :1]).all()
    assert set(np.unique(drawn)) == {0.0, 2.0}


def test_state_goes_out_and_in_unchanged_and_only_where_it_fits() -> None:
    one, two = (Network(resolved(ready_network("plain 4"), (16, 16, 3), 3), seed=seed) for seed in (1, 2))
    x = np.random.default_rng(0).standard_normal((2, 16, 16, 3)).astype(np.float32)
    assert not np.array_equal(FrozenNetwork(one).logits(x), FrozenNetwork(two).logits(x))
    two.load(one.state())
    np.testing.assert_array_equal(FrozenNetwork(one).logits(x), FrozenNetwork(two).logits(x))
    other = Network(resolved(ready_network("plain 4"), (16, 16, 3), 4))
    with pytest.raises(ShapeError, match="belong to another network"):
        other.load(one.state())


@pytest.mark.parametrize("frozen", [True, False])
def test_pictures_that_do_not_fit_are_refused(frozen: bool) -> None:
    network = Network(resolved(ready_network("plain 4"), (16, 16, 3), 3))

    def answer(x: FloatArray) -> FloatArray:
        return FrozenNetwork(network).logits(x) if frozen else network.forward(x, np.random.default_rng(0))

    with pytest.raises(ShapeError, match=r"\(8, 8, 3\).*expects \(16, 16, 3\)"):
        answer(np.zeros((1, 8, 8, 3), np.float32))
    with pytest.raises(ShapeError, match="is empty"):
        answer(np.zeros((0, 16, 16, 3), np.float32))
    with pytest.raises(ShapeError, match="floating-point"):
        answer(np.zeros((1, 16, 16, 3), np.uint8))


@pytest.mark.parametrize("threads", [1, 3])
def test_a_team_does_every_piece_once_and_hands_on_errors(threads: int) -> None:
    team = Team(threads)
    done: list[int] = []
    team.run(done.append, range(100))
    assert sorted(done) == list(range(100))

    def fail(piece: int) -> None:
        if piece == 7:
            raise ValueError("seven")

    with pytest.raises(ValueError, match="seven"):
        team.run(fail, range(20))
    team.run(done.append, [100])
    assert done[-1] == 100
    team.close()
    with pytest.raises(SettingError, match="0 threads"):
        Team(0)
