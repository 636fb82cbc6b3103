"""The space of a search and the order in which it is tried."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.core.network.description import resolved
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.network.scaling import scaled
from vast_orchard.core.planning.knobs import Knob, Space, knob_from_json, knob_to_json, space_from_json
from vast_orchard.core.planning.trial_recipe import Named, check_space, trial_recipe
from vast_orchard.core.planning.ways import Way, draw_trials
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import OptimizerName, TrainingSettings
from vast_orchard.errors import SettingError

RATE = Knob(name="learning_rate", low=0.001, high=0.1, by_ratio=True)
BATCH = Knob(name="batch_size", values=(16, 32))
NETWORKS = Knob(name="network", values=("plain 4", "plain 5", "residual 8"))


def test_all_combinations_are_tried_once_each_with_the_last_one_fastest() -> None:
    trials = draw_trials(Space(knobs=(NETWORKS, BATCH)), Way.ALL, 1, seed=1)
    assert [(one["network"], one["batch_size"]) for one in trials] == [
        ("plain 4", 16), ("plain 4", 32), ("plain 5", 16), ("plain 5", 32), ("residual 8", 16), ("residual 8", 32),
    ]  # fmt: skip


@pytest.mark.parametrize("way", [Way.RANDOM, Way.SPREAD])
def test_more_trials_begin_with_the_same_ones_and_another_seed_gives_others(way: Way) -> None:
    space = Space(knobs=(RATE, BATCH, NETWORKS))
    few, many = draw_trials(space, way, 7, seed=3), draw_trials(space, way, 40, seed=3)
    assert many[:7] == few
    assert len({repr(one) for one in many}) == 40
    assert draw_trials(space, way, 7, seed=4) != few


def test_evenly_spread_trials_leave_no_eighth_of_a_range_out() -> None:
    # A property of the sequence: of the first 16 points two fall into every eighth.
    space = Space(knobs=(Knob(name="weight_decay", low=0, high=0.8), Knob(name="warm_up", low=0, high=0.8)))
    trials = draw_trials(space, Way.SPREAD, 16, seed=5)
    for name in ("weight_decay", "warm_up"):
        assert sorted(min(7, int(one[name] / 0.1)) for one in trials) == sorted(list(range(8)) * 2)


def test_a_small_space_holds_no_more_than_it_has() -> None:
    assert len(draw_trials(Space(knobs=(BATCH, NETWORKS)), Way.RANDOM, 30, seed=1)) == 6


def test_what_has_no_say_beside_another_value_is_left_out() -> None:
    space = Space(knobs=(Knob(name="optimizer", values=("adamw", "sgd")), Knob(name="momentum", values=(0.8, 0.9))))
    trials = draw_trials(space, Way.ALL, 1, seed=1)
    assert trials == [
        {"optimizer": "adamw"}, {"optimizer": "sgd", "momentum": 0.8}, {"optimizer": "sgd", "momentum": 0.9},
    ]  # fmt: skip


@given(low=st.floats(1e-5, 0.1), times=st.floats(1, 90), place=st.floats(0, 1, exclude_max=True))
def test_a_range_is_never_left_and_its_places_come_back(low: float, times: float, place: float) -> None:
    knob = Knob(name="learning_rate", low=low, high=low * times, by_ratio=True)
    value = knob.at(place)
    assert low * 0.999 <= value <= low * times * 1.001
    if times > 1.01:
        assert math.isclose(knob.place_of(value), place, abs_tol=0.06 / math.log10(times) + 0.001)


@pytest.mark.parametrize(
    ("knobs", "said"),
    [
        ([], "Nothing is varied"),
        ([{"name": "learning_rate", "low": 0.1, "high": 0.01}], "goes from 0.1 to 0.01"),
        ([{"name": "learning_rate", "low": 0, "high": 0.01}], "above 0"),
        ([{"name": "batch_size", "values": [16]}], "Nothing is varied"),
        ([{"name": "batch_size", "values": [16, 16]}], "twice"),
        ([{"name": "batch_size", "values": [16, 32]}, {"name": "batch_size", "values": [8, 16]}], "varied twice"),
        ([{"name": "speed", "values": [1, 2]}], "nothing called 'speed'"),
        ([{"name": "seed", "values": [1, 2]}], "better by chance only"),
        ([{"name": "optimizer"}], "no values"),
        ([{"name": "width", "low": 0, "high": 2}], "from 0.25"),
        ([{"name": "learning_rate", "low": "x"}], "no range or list"),
        ([{"nom": "learning_rate"}], "no range or list"),
    ],
)
def test_a_space_that_cannot_be_is_refused_with_its_mend(knobs: list[dict[str, object]], said: str) -> None:
    with pytest.raises(SettingError) as caught:
        space_from_json(knobs)
    assert said in str(caught.value)


def test_a_billion_combinations_are_refused() -> None:
    names = ("batch_size", "step_epochs", "end_within", "end_not_before")
    space = Space(knobs=tuple(Knob(name=name, low=1, high=200) for name in names))
    with pytest.raises(SettingError, match="1 600 000 000 combinations"):
        draw_trials(space, Way.ALL, 10, seed=1)
    assert len(draw_trials(space, Way.RANDOM, 10, seed=1)) == 10
    with pytest.raises(SettingError, match="without end of values"):
        draw_trials(Space(knobs=(RATE,)), Way.ALL, 10, seed=1)


def test_a_knob_is_the_same_from_its_stored_form() -> None:
    for knob in (RATE, BATCH, NETWORKS):
        assert knob_from_json(knob_to_json(knob)) == knob


def test_values_become_a_recipe_and_a_rate_follows_its_optimizer() -> None:
    base = Recipe(network=ready_network("plain 4"), settings=TrainingSettings(epochs=7))
    named = Named(networks={name: ready_network(name) for name in READY_NETWORKS})
    recipe = trial_recipe(base, {"optimizer": "sgd", "network": "plain 5", "size": 32, "strength": 0.5}, named)
    assert recipe.settings.optimizer is OptimizerName.SGD
    assert recipe.settings.learning_rate == 0.03
    assert recipe.settings.epochs == 7
    assert (recipe.network.name, recipe.preprocessing.size, recipe.variation.strength) == ("plain 5", 32, 0.5)
    assert trial_recipe(base, {}, named) == base


def test_a_value_that_means_nothing_is_found_before_anything_trains() -> None:
    base, named = Recipe(network=ready_network("plain 4")), Named(networks={"plain 4": ready_network("plain 4")})
    for knob in (
        Knob(name="network", values=("plain 4", "plain 99")),
        Knob(name="batch_size", values=(16, "many")),
        Knob(name="size", values=(32, "x")),
        Knob(name="width", values=(1, "x")),
        Knob(name="width", values=(1, -2)),
        Knob(name="label_smoothing", values=(0, 5)),
    ):
        with pytest.raises(SettingError):
            check_space(base, Space(knobs=(knob,)), named)


@pytest.mark.parametrize("name", READY_NETWORKS)
@pytest.mark.parametrize(("width", "depth"), [(0.5, 1.0), (2.0, 1.0), (1.0, 2.0), (0.3, 0.5), (1.7, 3.0)])
def test_a_ready_network_stays_one_when_it_is_scaled(name: str, width: float, depth: float) -> None:
    whole = resolved(scaled(ready_network(name), width, depth), (64, 64, 3), 7)
    planned = plan(whole, 7)
    before = plan(resolved(ready_network(name), (64, 64, 3), 7), 7)
    if width > 1 or (width == 1 and depth > 1 and name not in ("plain 4", "plain 5")):
        assert planned.parameters > before.parameters
    if width < 1:
        assert planned.parameters < before.parameters
    assert scaled(ready_network(name)) == ready_network(name)
