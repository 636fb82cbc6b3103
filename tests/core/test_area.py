"""Working areas: what is refused, what is covered to the pixel, and what stands out, by hand and over any size."""

import re

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures._area_steps import covered_rows, pixel_box, standing_out, widened
from vast_orchard.core.pictures.area import Area, area_from_json, area_to_json, area_words, box_polygon
from vast_orchard.core.pictures.found import found_part
from vast_orchard.errors import SettingError

_TRIANGLE = ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0))


@pytest.mark.parametrize(
    ("data", "said"),
    [
        ({"keep": [-0.2, 0, 1, 1]}, "reaches from -0.2 to 1 sideways"),
        ({"keep": [0, 0.5, 1, 1.5]}, "reaches from 0.5 to 1.5 down"),
        ({"keep": [float("nan"), 0, 1, 1]}, "reaches from"),
        ({"keep": [0.5, 0, 0.5, 1]}, "has no extent"),
        ({"keep": [0.8, 0, 0.2, 1]}, "has no extent"),
        ({"keep": [0.5, 0.5, 0.50001, 1]}, "has no extent"),
        ({"keep": [0, 0, 1]}, "has 3 numbers"),
        ({"keep": "all"}, "has 3 numbers"),
        ({"keep": ["a", "b", "c", "d"]}, "cannot be read"),
        ({"keep": [0, 0, 1, 1], "margin": 0.1}, "to be found as well"),
        ({"margin": -0.1}, "margin is -0.1"),
        ({"margin": 1.5}, "margin is 1.5"),
        ({"covered": [[[0, 0], [1, 1]]]}, "has 2 corners"),
        ({"covered": [[[0, 0], [1, 0], [1, 2]]]}, "covered part reaches from 0 to 2 down"),
        ({"covered": [[[0.2, 0], [0.2, 0.5], [0.2, 1]]]}, "no extent"),
        ({"covered": [[[0, 0], [1, 0], [1, 1], [0, 1]]]}, "Everything that is kept is covered"),
        ({"keep": [0, 0, 0.5, 1], "covered": [[[0, 0], [0.6, 0], [0.6, 1], [0, 1]]]}, "Everything that is kept"),
        ({"covered": [[[0, 0], [0.1, 0], [0, 0.1]]] * 51}, "51 parts"),
        ({"covered": [[[0, 0], [0.1, 0], [0, 0.1]]], "fill": [0, 0, 300]}, "covering colour"),
        ({"shown": [0, 0, 1, 1]}, "has no shown"),
    ],
)
def test_what_cannot_be_meant_is_refused_and_says_how_to_mend_it(data: dict[str, object], said: str) -> None:
    with pytest.raises(SettingError, match=re.escape(said)) as refused:
        area_from_json(data)
    assert refused.value.mend


def test_an_area_comes_back_as_it_was() -> None:
    area = Area(keep=(0.1, 0.2, 0.9, 0.8), covered=(_TRIANGLE,), fill=(1, 2, 3))
    assert area_from_json(area_to_json(area)) == area
    assert area_from_json(None) is None
    assert area_to_json(None) is None
    assert area_words(area) == "10% to 90% sideways, 20% to 80% down, 1 part covered by #010203"
    assert area_words(Area(margin=0.08)) == "what stands out, with 8% around it"
    assert area_words(None) == area_words(Area()) == "the whole picture"


def test_pixels_are_covered_by_their_centres() -> None:
    # Of four by four: the diagonal's centres lie on the edge itself, which belongs to what is left.
    mask = covered_rows([_TRIANGLE], (4, 4), (0, 0, 4, 4))
    assert mask.astype(int).tolist() == [[1, 1, 1, 0], [1, 1, 0, 0], [1, 0, 0, 0], [0, 0, 0, 0]]
    # From 0.5 on a pixel's centre is in: a box from 0.125 (half a pixel) to 0.625 covers pixels 0 and 1, not 2.
    box = covered_rows([box_polygon((0.125, 0.0, 0.625, 0.25))], (4, 4), (0, 0, 4, 4))
    assert box.astype(int).tolist() == [[1, 1, 0, 0], [0, 0, 0, 0], [0, 0, 0, 0], [0, 0, 0, 0]]
    # A star's crossed middle is outside by the even-odd rule.
    ring = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0), (0.0, 0.0), (0.25, 0.25), (0.25, 0.75), (0.75, 0.75)]
    ring += [(0.75, 0.25), (0.25, 0.25)]
    whole = covered_rows([ring], (8, 8), (0, 0, 8, 8))
    assert not whole[3, 3]
    assert whole[0].all()
    assert whole[3, 0]


@st.composite
def _covered(draw: st.DrawFn) -> tuple[list[list[tuple[float, float]]], tuple[int, int], tuple[int, int, int, int]]:
    fraction = st.integers(0, 97).map(lambda n: n / 97)
    polygon = st.lists(st.tuples(fraction, fraction), min_size=3, max_size=8)
    width, height = draw(st.integers(1, 40)), draw(st.integers(1, 40))
    left, top = draw(st.integers(0, width - 1)), draw(st.integers(0, height - 1))
    right, bottom = draw(st.integers(left + 1, width)), draw(st.integers(top + 1, height))
    return draw(st.lists(polygon, min_size=1, max_size=3)), (width, height), (left, top, right, bottom)


@given(_covered())
@example(([[(0.0, 0.0), (0.0, 0.0), (74 / 97, 37 / 97)]], (1, 30), (0, 0, 1, 8)))
def test_any_polygon_covers_what_a_ray_to_the_left_crosses_an_odd_number_of_times(
    asked: tuple[list[list[tuple[float, float]]], tuple[int, int], tuple[int, int, int, int]],
) -> None:
    polygons, (width, height), (left, top, right, bottom) = asked
    found = covered_rows(polygons, (width, height), (left, top, right, bottom))
    for row in range(top, bottom):
        for column in range(left, right):
            crossings = [_crossings(polygon, row + 0.5, width, height) for polygon in polygons]
            # On an edge itself rounding decides, for each direction of the edge by itself.
            if any(abs(x - column - 0.5) < 1e-9 for of_one in crossings for x in of_one):
                continue
            odd = [sum(x <= column + 0.5 for x in of_one) % 2 == 1 for of_one in crossings]
            assert found[row - top, column - left] == any(odd)


def _crossings(polygon: list[tuple[float, float]], y: float, width: int, height: int) -> list[float]:
    """Where the edges of a polygon cross a row."""
    found = []
    for one, other in zip(polygon, polygon[1:] + polygon[:1], strict=True):
        x0, y0, x1, y1 = one[0] * width, one[1] * height, other[0] * width, other[1] * height
        if (y0 <= y) != (y1 <= y):
            found.append(x0 + (y - y0) * ((x1 - x0) / (y1 - y0)))
    return found


@given(
    st.tuples(*[st.integers(0, 1000)] * 4).filter(lambda n: n[0] < n[2] and n[1] < n[3]),
    st.integers(1, 3000),
    st.integers(1, 3000),
)
def test_a_part_has_a_pixel_and_lies_in_the_picture_at_any_size(
    thousandths: tuple[int, int, int, int], width: int, height: int
) -> None:
    keep = [n / 1000 for n in thousandths]
    left, top, right, bottom = pixel_box(keep, width, height)
    assert 0 <= left < right <= width
    assert 0 <= top < bottom <= height
    # No side is further than half a pixel from where it was drawn, unless there would be nothing.
    if right - left > 1:
        assert abs(left - keep[0] * width) <= 0.5
        assert abs(right - keep[2] * width) <= 0.5


def _picture(ground: Array, *parts: tuple[tuple[int, int, int, int], tuple[int, int, int]]) -> Array:
    pixels = ground.copy()
    for (left, top, right, bottom), colour in parts:
        pixels[top:bottom, left:right] = colour
    return pixels


def _plain(seed: int = 1, level: int = 60) -> Array:
    """Sixty rows of eighty, slightly noisy, lighter to the right."""
    noise = np.random.default_rng(seed).normal(0, 2, (60, 80, 1))
    return np.clip(level + np.arange(80)[None, :, None] * 0.4 + noise, 0, 255).astype(np.uint8).repeat(3, axis=2)


_NOTHING_HIDDEN = np.zeros((60, 80), bool)


@pytest.mark.parametrize("colour", [(220, 220, 220), (5, 5, 5), (90, 90, 200)])
def test_what_differs_from_the_ground_is_found_on_a_lit_ground(colour: tuple[int, int, int]) -> None:
    found = standing_out(_picture(_plain(), ((20, 15, 50, 40), colour)), _NOTHING_HIDDEN)
    left, top, right, bottom = found["box"]
    # One pixel more at most: edges are smoothed.
    for side, wanted in ((left * 80, 20), (top * 60, 15), (right * 80, 50), (bottom * 60, 40)):
        assert abs(side - wanted) <= 1
    assert found["edge"] == 0
    assert found["rival"] == 0
    assert found_part(found, 0.0).why == ""


def test_a_plain_ground_has_nothing_that_stands_out() -> None:
    part = found_part(standing_out(_plain(), _NOTHING_HIDDEN), 0.1)
    assert part.box is None
    assert part.doubt == 1
    assert part.why == "nothing does: counts whole"


def test_what_is_covered_does_not_stand_out() -> None:
    pixels = _picture(_plain(), ((2, 2, 30, 30), (250, 0, 0)), ((50, 35, 60, 45), (200, 200, 200)))
    hidden = _NOTHING_HIDDEN.copy()
    hidden[:31, :31] = True
    left, top, _, _ = standing_out(pixels, hidden)["box"]
    assert abs(left * 80 - 50) <= 1
    assert abs(top * 60 - 35) <= 1


def test_a_neighbour_at_the_edge_is_no_part_of_it_and_is_doubted() -> None:
    pixels = _picture(_plain(), ((25, 15, 50, 45), (200, 200, 200)), ((70, 0, 80, 60), (230, 230, 230)))
    found = standing_out(pixels, _NOTHING_HIDDEN)
    assert found["box"][2] * 80 <= 51
    part = found_part(found, 0.0)
    assert part.doubt > 0
    # Cut off by the edge itself it is kept, and said.
    cut = found_part(standing_out(_picture(_plain(), ((40, 20, 80, 40), (200, 200, 200))), _NOTHING_HIDDEN), 0.0)
    assert cut.box is not None
    assert cut.box[2] == 1
    assert cut.why == "reaches the edge"


@given(st.integers(0, 30), st.integers(0, 20), st.integers(8, 40), st.integers(8, 30), st.integers(0, 3))
def test_a_part_is_found_where_it_lies_whichever_way_the_picture_is_turned(
    left: int, top: int, width: int, height: int, quarters: int
) -> None:
    pixels = _picture(
        _plain(level=40), ((6 + left, 6 + top, 6 + left + width // 2, 6 + top + height // 2), (240, 240, 240))
    )
    box = standing_out(pixels, _NOTHING_HIDDEN)["box"]
    turned = standing_out(np.rot90(pixels, quarters).copy(), np.rot90(_NOTHING_HIDDEN, quarters).copy())["box"]
    for _ in range(quarters):
        box = (box[1], 1 - box[2], box[3], 1 - box[0])
    assert np.allclose(turned, box, atol=1.01 / 60)


def test_a_margin_is_of_the_parts_own_sides_and_ends_at_the_picture() -> None:
    assert widened((0.4, 0.2, 0.6, 0.8), 0.1) == pytest.approx((0.38, 0.14, 0.62, 0.86))
    assert widened((0.0, 0.9, 0.5, 1.0), 0.5) == pytest.approx((0.0, 0.85, 0.75, 1.0))
