"""The starters that are shipped: small, in half precision, and taken over but for the last layer."""

from importlib.resources import files

import numpy as np
import pytest

from vast_orchard.core.network.description import resolved
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.training.phases import begin_from
from vast_orchard.errors import SettingError
from vast_orchard.formats.model_file import origin_of, read_model
from vast_orchard.made_up.sets import MADE_UP_SETS
from vast_orchard.starters.shipped import starter, starter_file, starters


def test_they_are_small_and_all_of_them_are_in_the_record() -> None:
    folder = files("vast_orchard.starters") / "shipped"
    sizes = {entry.name: len(entry.read_bytes()) for entry in folder.iterdir() if entry.name.endswith(".safetensors")}
    assert len(sizes) == len(starters()) >= 2
    assert max(sizes.values()) < 4_000_000
    assert sum(sizes.values()) < 6_000_000
    assert len({entry.network for entry in starters()}) == len(starters())


@pytest.mark.parametrize("entry", starters(), ids=lambda entry: entry.name)
def test_each_is_taken_over_by_its_network_but_for_the_last_layer(entry: object) -> None:
    known = starter(entry.name)  # type: ignore[attr-defined]
    model = read_model(starter_file(known.name))
    assert {value.dtype for value in model.weights.values()} == {np.dtype(np.float16)}
    assert all(np.isfinite(value).all() for value in model.weights.values())
    side = known.input_size
    network = Network(resolved(ready_network(known.network), (side, side, 3), 5))
    taken = begin_from(network, origin_of(model), tuple("abcde"))
    head = plan(network.description).layers[-1]
    assert [name for name, _ in taken.left] == [head.id]
    assert taken.unused == ()
    assert known.parameters == plan(network.description).parameters - head.parameters
    assert set(known.helps) <= set(MADE_UP_SETS)
    assert known.taught["minutes"] * known.taught["threads"] <= 2 * 40  # minutes of two processors


def test_there_is_no_other() -> None:
    with pytest.raises(SettingError, match="no starter named 'letters'"):
        starter("letters")
