"""Several models that answer as one: the mean of their answers, with a gain that is told without looking twice."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network.description import resolved
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.network.together import Member, answering_together
from vast_orchard.core.ops.softmax import softmax
from vast_orchard.core.pictures.standardise import ChannelStatistics, standardise
from vast_orchard.core.planning.combining import combine_answers, disagreement, fitted_weights
from vast_orchard.core.training.loop import predict
from vast_orchard.errors import DescriptionError, ShapeError

_ALIKE = ChannelStatistics(mean=(100.0, 90.0, 80.0), deviation=(50.0, 60.0, 70.0))
_OTHER = ChannelStatistics(mean=(120.0, 70.0, 127.5), deviation=(40.0, 90.0, 127.5))


def _member(
    name: str, seed: int, statistics: ChannelStatistics, size: int = 16, order: tuple[int, ...] = (0, 1, 2)
) -> Member:
    network = Network(resolved(ready_network(name), (size, size, 3), 3), seed)
    # So that it says something: untrained networks answer all alike.
    state = {key: value * 2 if key.endswith("weights") else value for key, value in network.state().items()}
    return Member(description=network.description, weights=state, statistics=statistics, order=order)


def _own(member: Member, pixels: Array) -> FloatArray:
    network = Network(member.description)
    network.load(member.weights)
    return predict(network, pixels, member.statistics)


@pytest.mark.parametrize("statistics", [_ALIKE, _OTHER], ids=["alike", "standardised otherwise"])
@pytest.mark.parametrize("shares", [(0.5, 0.5), (0.8, 0.2), (1.0, 0.0)])
def test_together_they_answer_the_mean_of_their_answers(
    statistics: ChannelStatistics, shares: tuple[float, float]
) -> None:
    members = [_member("plain 4", 1, _ALIKE), _member("residual 8", 2, statistics)]
    pixels = np.random.default_rng(3).integers(0, 256, (20, 16, 16, 3), dtype=np.uint8)
    description, weights = answering_together(members, shares, 3)
    network = Network(description)
    network.load(weights)
    wanted = sum(share * _own(member, pixels) for share, member in zip(shares, members, strict=True))
    np.testing.assert_allclose(predict(network, pixels, members[0].statistics), wanted, atol=2e-6)
    # Its gradients reach every member, for heatmaps.
    network.forward(standardise(pixels[:2], _ALIKE), np.random.default_rng(1))


def test_a_member_that_has_the_classes_in_another_order_is_asked_by_their_names() -> None:
    members = [_member("plain 4", 1, _ALIKE), _member("plain 4", 2, _ALIKE, order=(2, 0, 1))]
    pixels = np.random.default_rng(3).integers(0, 256, (6, 16, 16, 3), dtype=np.uint8)
    description, weights = answering_together(members, (0.5, 0.5), 3)
    network = Network(description)
    network.load(weights)
    wanted = (_own(members[0], pixels) + _own(members[1], pixels)[:, [2, 0, 1]]) / 2
    np.testing.assert_allclose(predict(network, pixels, _ALIKE), wanted, atol=2e-6)


def test_members_of_other_shapes_and_too_few_are_refused() -> None:
    one = _member("plain 4", 1, _ALIKE)
    with pytest.raises(DescriptionError, match="1 models"):
        answering_together([one], [1.0], 3)
    with pytest.raises(DescriptionError, match="different shapes"):
        answering_together([one, _member("plain 4", 1, _ALIKE, 24)], [0.5, 0.5], 3)


def _answers(count: int, good: tuple[float, ...], seed: int) -> tuple[FloatArray, Array]:
    """Members that err apart from each other; the larger the number, the better."""
    random = np.random.default_rng(seed)
    labels = random.integers(0, 4, count)
    told = []
    for strength in good:
        logits = random.normal(0, 1, (count, 4))
        logits[np.arange(count), labels] += strength
        told.append(softmax(logits))
    return np.stack(told), labels


@given(seed=st.integers(0, 50), count=st.integers(2, 60))
def test_fitted_weights_are_shares_that_no_other_shares_are_likelier_than(seed: int, count: int) -> None:
    answers, labels = _answers(count, (2.0, 1.0, 0.2), seed)

    def likelihood(weights: FloatArray) -> float:
        mixed = np.tensordot(weights, answers, axes=1)[np.arange(count), labels]
        return float(np.log(mixed).sum())

    weights = fitted_weights(answers, labels)
    assert weights.min() >= 0
    assert abs(weights.sum() - 1) < 1e-9
    for other in np.random.default_rng(seed).dirichlet([0.5] * 3, 40):
        assert likelihood(weights) >= likelihood(other) - 1e-4 * count


def test_members_that_err_apart_gain_and_one_that_knows_nothing_gets_no_weight() -> None:
    answers, labels = _answers(3000, (2.0, 2.0, 2.0), 1)
    told = combine_answers(answers, labels, [None] * 3000, fitted=False)
    assert told.weights == (1 / 3,) * 3
    assert told.gain > 0.03
    assert told.loss_gain > 0
    assert told.interval[0] > 0
    assert told.chance < 0.001
    answers, labels = _answers(3000, (3.0, 0.0), 2)
    told = combine_answers(answers, labels, [None] * 3000, fitted=True)
    assert told.weights[1] < 0.1
    assert told.best == 0


def test_the_gain_of_fitted_weights_is_told_by_pictures_that_they_were_not_fitted_on() -> None:
    # Many members that know nothing: weights that fit thirty pictures find one that is right by luck.
    random = np.random.default_rng(4)
    gains = []
    for _ in range(40):
        labels = random.integers(0, 2, 30)
        answers = softmax(random.normal(0, 2, (12 * 30, 2))).reshape(12, 30, 2)
        told = combine_answers(answers, labels, list(range(30)), fitted=True)
        seen = np.tensordot(np.array(told.weights), answers, axes=1)[np.arange(30), labels]
        gains.append((float(-np.log(seen).mean()), told.loss))
    fitted, honest = np.mean(gains, axis=0)
    assert fitted < np.log(2) < honest


def test_what_belongs_together_is_never_between_fitting_and_judging() -> None:
    # Each group has one picture twice over: a division through them would let weights learn the answers.
    answers, labels = _answers(100, (1.0, 1.0), 5)
    doubled, twice = np.concatenate([answers, answers], axis=1), np.concatenate([labels, labels])
    keys = list(range(100)) * 2
    told = combine_answers(doubled, twice, keys, fitted=True)
    again = combine_answers(doubled, twice, keys, fitted=True)
    assert told == again
    with pytest.raises(ShapeError):
        combine_answers(answers[:1], labels, keys, fitted=False)


def test_disagreement_is_none_where_all_say_the_same_and_most_where_each_is_sure_of_another() -> None:
    same = np.array([[[0.7, 0.3]], [[0.7, 0.3]]])
    apart = np.array([[[1.0, 0.0]], [[0.0, 1.0]]])
    assert disagreement(same)[0] == pytest.approx(0)
    assert disagreement(apart)[0] == pytest.approx(np.log(2), abs=1e-6)
