"""What a network comes to line by line, what is wrong in it and its repair, and what is doubtful."""

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.blocks import (
    AttentionBlock,
    ConvBlock,
    Head,
    Part,
    Repeat,
    ResidualBlock,
    SeparableBlock,
)
from vast_orchard.core.network.checking import Checked, check
from vast_orchard.core.network.description import NetworkDescription, description_from_json, description_to_json
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.network.repairs import repaired
from vast_orchard.errors import DescriptionError


def _check(*parts: Part, side: int = 32, pictures: int = 0, classes: int = 3) -> Checked:
    described = NetworkDescription(name="test", layers=parts)
    return check(described, (side, side, 3), classes, batch_size=16, pictures=pictures)


def _mended(parts: tuple[Part, ...], most: int = 6) -> tuple[NetworkDescription, list[str]]:
    """Presses every repair that is offered until nothing is wrong; what was said on the way."""
    said: list[str] = []
    described = NetworkDescription(name="test", layers=parts)
    for _ in range(most):
        wrong = check(described, (32, 32, 3), 3, batch_size=16, pictures=0).wrong
        if wrong is None:
            return described, said
        assert wrong.repair is not None and wrong.line is not None, wrong
        said.append(wrong.repair.words)
        layers = repaired(described.layers, wrong.line, wrong.repair)
        assert layers is not None
        described = NetworkDescription(name="test", layers=layers)
    raise AssertionError(said)


def test_every_line_is_told_with_what_it_comes_to() -> None:
    found = _check(
        ConvBlock(channels=8), Repeat(times=2, layers=(d.MaxPool(), ResidualBlock(channels=16))), Head(), pictures=5000
    )
    assert found.wrong is None and found.doubts == ()
    assert [(line.line, line.kind, line.shape) for line in found.lines] == [
        ((0,), "conv_block", (32, 32, 8)),
        ((1, 0), "max_pool", (8, 8, 8 * 2)),  # the second time it pools what the block gave
        ((1, 1), "residual_block", (8, 8, 16)),
        ((2,), "head", (3,)),
    ]
    # By hand: 3·3·3·8 and batch norm; 3·3·8·16, 3·3·16·16, 8·16 and three norms, then two 3·3·16·16 and two; 16·3 + 3.
    wanted = [216 + 16, 0, (1152 + 2304 + 128 + 96) + (2304 * 2 + 64), 51]
    assert [line.parameters for line in found.lines] == wanted
    assert found.parameters == sum(wanted)
    assert found.lines[0].multiply_adds == 32 * 32 * (216 + 8)
    # 3 pixels; pooling 4; two convolutions at half size 12; pooling 14; two at a quarter 30.
    assert found.receptive_field == 30
    assert found.memory_bytes > found.file_bytes > 4 * found.parameters


@pytest.mark.parametrize("name", READY_NETWORKS)
def test_nothing_is_doubtful_in_ready_networks(name: str) -> None:
    found = check(ready_network(name), (48, 48, 3), 7, batch_size=32, pictures=2000)
    assert found.wrong is None
    assert found.doubts == ()


@pytest.mark.parametrize(
    ("parts", "repairs"),
    [
        ((), ["End with a head"]),
        ((d.Conv(channels=4),), ["End with a head"]),
        ((d.Flatten(),), ["End with a dense layer, one output a class"]),
        ((d.Conv(channels=4), d.Dense()), ["Put the mean over each map before it"]),
        ((d.Flatten(), d.Dense(outputs=9)), ["Set outputs to 0"]),
        ((d.Conv(channels=4, kernel=9), Head()), ["Set kernel to 7"]),
        ((d.Conv(channels=4, edge="wrap"), Head()), ["Set edge to keep"]),
        ((d.Conv(channels=4, groups=2), Head()), ["Set groups to 1"]),
        ((*[d.MaxPool()] * 6, Head()), ["Take it out"]),
        ((*[d.Conv(channels=4, kernel=7, edge="cut")] * 6, Head()), ["Set edge to keep"]),
        ((d.Flatten(), d.Conv(channels=4), d.Dense()), ["Take it out"]),
        ((d.ReLU(inputs=("later",)), d.Conv(channels=4, id="later"), Head()), ["Feed it by the line before"]),
        ((d.ReLU(id="x"), d.ReLU(id="x"), Head()), ["Give it a new name"]),
        ((d.Conv(channels=4, id="x y"), Head()), ["Give it a new name"]),
        ((d.Conv(channels=4, id="a"), d.Conv(channels=4, inputs=("input",)), Head()), ["Take it out"]),
        ((d.Conv(channels=4), d.Add(), Head()), ["Take it out"]),
        (
            (d.Conv(channels=4, id="a"), d.Conv(channels=4, id="b"), Head(inputs=("a", "b"))),
            ["Put them side by side first"],
        ),
        (
            (d.Conv(channels=4, id="a"), d.Conv(channels=6, stride=2, id="b"), d.Add(inputs=("b", "a")), Head()),
            ["Bring it to 16×16×6 by a 1×1 convolution"],
        ),
        ((Repeat(times=2, layers=(ConvBlock(channels=4, activation="step"),)), Head()), ["Set activation to relu"]),
        # Within a stretch, whose lines go by other names once it is written out.
        (
            (
                Repeat(
                    layers=(
                        d.Conv(channels=4, id="a"),
                        d.Conv(channels=6, inputs=("a",), id="b"),
                        d.Conv(channels=8, inputs=("a",), id="c"),
                        d.Add(inputs=("a", "b", "c")),
                    )
                ),
                Head(),
            ),
            ["Bring it to 32×32×4 by a 1×1 convolution"] * 2,
        ),
        (
            (
                Repeat(layers=(d.Conv(channels=4, id="a"), d.Conv(channels=4, id="b"), d.ReLU(inputs=("a", "b")))),
                Head(),
            ),
            ["Put them side by side first"],
        ),
        ((d.Dropout(share=1.5), ConvBlock(channels=0), Head()), ["Set share to 0.5", "Set channels to 1"]),
    ],
)
def test_what_is_wrong_is_mended_by_its_repair(parts: tuple[Part, ...], repairs: list[str]) -> None:
    described, said = _mended(parts)
    assert said == repairs
    # What was mended can be written down and read again.
    assert description_from_json(description_to_json(described)) == described


def test_lines_before_a_mistake_are_told() -> None:
    found = _check(ConvBlock(channels=4), d.MaxPool(kernel=2), d.Dense(), Head())
    assert found.wrong is not None and found.wrong.line == (2,)
    assert [line.shape for line in found.lines] == [(32, 32, 4), (16, 16, 4)]
    assert found.parameters == 0


@pytest.mark.parametrize(
    ("parts", "settings_", "what", "line"),
    [
        ((ConvBlock(channels=4), d.Conv(channels=4, edge="cut"), Head()), {}, "The edge is cut: 32×32 become 30×30", 1),
        ((ConvBlock(channels=4), d.MaxPool(), Head()), {"side": 33}, "The last 1 of 33 rows", 1),
        ((ConvBlock(channels=4), Head()), {}, "A value of the last maps sees 3 of 32", None),
        ((d.Conv(channels=8, stride=4), d.ReLU(), d.Flatten(), d.Dense(outputs=64), d.Dense()), {}, "99% of all", 3),
        ((ConvBlock(channels=64), Head()), {"pictures": 1}, "2,051 parameters for each of 1", None),
        ((d.Conv(channels=4), d.Conv(channels=4), Head()), {}, "Nothing stands between", 1),
        ((d.Flatten(), d.Dense(outputs=4), d.Dense()), {}, "Nothing stands between", 2),
        ((d.Conv(channels=4), d.Dropout(), d.BatchNorm(), Head()), {}, "just before this normalisation", 2),
        ((ConvBlock(channels=4), Head(dropout=0.8)), {}, "80% of the values are dropped", 1),
        ((*[d.Dropout(share=0.5)] * 2, ConvBlock(channels=4), Head()), {}, "leave 20% of the values", None),
        ((ConvBlock(channels=4), Head()), {}, "Maps of 32×32 are thrown together", 1),
    ],
)
def test_what_is_doubtful_is_said_with_its_reason(
    parts: tuple[Part, ...], settings_: dict[str, Any], what: str, line: int | None
) -> None:
    found = _check(*parts, **settings_)
    assert found.wrong is None
    (doubt,) = [doubt for doubt in found.doubts if what in doubt.what]
    assert doubt.line == (None if line is None else (line,))
    assert doubt.why
    if doubt.repair is not None and doubt.line is not None:
        described = NetworkDescription(name="test", layers=parts)
        layers = repaired(described.layers, doubt.line, doubt.repair)
        assert layers is not None
        again = _check(*layers, **settings_)
        assert again.wrong is None and doubt.what not in [other.what for other in again.doubts]


def test_what_is_meant_so_is_not_doubted() -> None:
    found = _check(
        d.Conv(channels=8, id="stem"), d.DepthwiseConv(), d.Conv(channels=8, kernel=1, id="b"),
        d.Conv(channels=8, kernel=1, inputs=("stem",), id="short"), d.Add(inputs=("b", "short")), d.ReLU(),
        SeparableBlock(channels=8, stride=4), AttentionBlock(), ResidualBlock(channels=8), Head(),
    )  # fmt: skip
    assert not [doubt for doubt in found.doubts if "Nothing stands" in doubt.what]


_part = st.one_of(
    st.builds(ConvBlock, channels=st.integers(0, 9), kernel=st.integers(0, 8), stride=st.integers(1, 3)),
    st.builds(ResidualBlock, channels=st.integers(1, 9), stride=st.integers(1, 3)),
    st.builds(AttentionBlock, reduction=st.integers(0, 9)),
    st.builds(d.Add, inputs=st.lists(st.sampled_from(["input", "a", "conv_block_1"]), max_size=3).map(tuple)),
    st.builds(d.Multiply, inputs=st.lists(st.sampled_from(["input", "a"]), max_size=2).map(tuple)),
    st.sampled_from([d.Conv(channels=3, id="a"), d.Dense(outputs=3), d.Flatten(), d.MaxPool(), d.Pad(), Head()]),
)


@given(parts=st.lists(st.one_of(_part, st.builds(Repeat, layers=st.lists(_part, max_size=3).map(tuple))), max_size=7))
@settings(max_examples=150)
def test_whatever_is_written_is_answered_in_words(parts: list[Part]) -> None:
    found = _check(*parts)
    if found.wrong is None:
        assert found.lines[-1].shape == (3,) and found.parameters == sum(line.parameters for line in found.lines)
        return
    assert found.wrong.what and found.wrong.mend
    if found.wrong.repair is not None and found.wrong.line is not None:
        described = NetworkDescription(name="test", layers=tuple(parts))
        assert repaired(described.layers, found.wrong.line, found.wrong.repair) != described.layers


def test_a_network_for_other_pictures_is_refused_in_words() -> None:
    described = NetworkDescription(name="small", input_shape=(16, 16, 1), layers=(Head(),))
    found = check(described, (32, 32, 3), 3, batch_size=4, pictures=0)
    assert found.wrong is not None and "made for pictures of 16×16×1" in found.wrong.what
    with pytest.raises(DescriptionError):
        NetworkDescription(name="x", layers=(ConvBlock(channels=4, convolutions=7),)).flat  # noqa: B018
