"""Weights of another network: what fits is taken over, and the rest is told with its reason."""

import numpy as np

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.take_over import take_over


def _network(*layers: d.Layer, seed: int = 0) -> Network:
    return Network(NetworkDescription(name="x", input_shape=(8, 8, 1), layers=layers), seed)


def test_what_fits_is_taken_and_the_rest_is_told_why() -> None:
    other = _network(
        d.Conv(id="first", channels=4), d.BatchNorm(id="norm"), d.Conv(id="second", channels=6, bias=False),
        d.Conv(id="third", channels=6), d.GlobalAveragePool(), d.Dense(id="head", outputs=3), seed=1,
    )  # fmt: skip
    own = _network(
        d.Conv(id="first", channels=4), d.BatchNorm(id="norm"), d.Conv(id="second", channels=6),
        d.Conv(id="new", channels=6), d.GlobalAveragePool(), d.Dense(id="head", outputs=2), seed=2,
    )  # fmt: skip
    other.numbers[1].statistics["mean"][:] = 7
    before = own.state()
    told = take_over(own, other.state())
    assert told.taken == ("first", "norm")
    assert dict(told.left) == {
        "second": "The other network's layer has no bias.",
        "new": "The other network has no such layer.",
        "head": "Its weights are 6×3 there and 6×2 here.",
    }
    assert told.unused == ("third",)
    after, theirs = own.state(), other.state()
    for name, value in after.items():
        wanted = theirs if name.split(".")[0] in told.taken else before
        np.testing.assert_array_equal(value, wanted[name], err_msg=name)
