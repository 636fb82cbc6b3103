"""Sheets of tiles: each picture in its place, in its colours, whatever way it came in."""

import io

import numpy as np
import pytest
from PIL import Image
from sqlalchemy import text

from tests.pictures import encoded
from tests.world import World, list_pictures
from vast_orchard.core.arrays import Array
from vast_orchard.jobs.quick.sheets import draw_sheet

_COLOURS = {"green": (0, 160, 0), "red": (200, 0, 0), "white": (250, 250, 250)}


@pytest.fixture
def pictures(world: World) -> list[tuple[int, str]]:
    """Three pictures, each of one colour."""
    project = world.project()
    members = {f"{name}/{name}.png": encoded(Image.new("RGB", (64, 40), colour)) for name, colour in _COLOURS.items()}
    world.bring_in(project, members)
    with world.context.database.session() as session:
        found = {row.name: (row.id, row.sha256) for row in list_pictures(session, project)}
    return [found[f"{name}.png"] for name in _COLOURS]


def _pixels(data: bytes) -> Array:
    with Image.open(io.BytesIO(data)) as image:
        return np.asarray(image.convert("RGB"))


@pytest.mark.parametrize(("side", "off"), [(12, 0), (24, 0), (16, 0), (56, 12)])
def test_each_picture_stands_in_its_place(world: World, pictures: list[tuple[int, str]], side: int, off: int) -> None:
    gone = (10**6, "")
    sheet = _pixels(draw_sheet(world.context, [*pictures[::-1], gone], side, 2))
    assert sheet.shape == (2 * side, 2 * side, 3)
    wanted = [*list(_COLOURS.values())[::-1], (128, 128, 128)]
    for place, colour in enumerate(wanted):
        middle = sheet[place // 2 * side + side // 2, place % 2 * side + side // 2]
        assert np.abs(middle.astype(int) - colour).max() <= off, place


def test_small_tiles_are_means_of_what_is_kept(world: World, pictures: list[tuple[int, str]]) -> None:
    kept = np.random.default_rng(1).integers(0, 256, (24, 24, 3), np.uint8)
    with world.context.database.session() as session:
        session.execute(
            text("update picture_tile set pixels = :p where picture_id = :i"),
            {"p": kept.tobytes(), "i": pictures[0][0]},
        )
    drawn = _pixels(draw_sheet(world.context, pictures[:1], 12, 1))
    for y, x in ((0, 0), (5, 7), (11, 11)):
        block = kept[2 * y : 2 * y + 2, 2 * x : 2 * x + 2].reshape(4, 3).astype(float)
        assert np.abs(drawn[y, x] - block.mean(axis=0)).max() <= 1


def test_a_missing_tile_is_made_and_kept(world: World, pictures: list[tuple[int, str]]) -> None:
    red = pictures[1][0]
    with world.context.database.session() as session:
        session.execute(text("delete from picture_tile"))
        session.execute(text("update picture set brightness = null"))
    sheet = _pixels(draw_sheet(world.context, pictures, 24, 3))
    assert np.abs(sheet[12, 36].astype(int) - _COLOURS["red"]).max() <= 3  # from the thumbnail, a JPEG
    with world.context.database.session() as session:
        kept, brightness = session.execute(
            text("select length(pixels), brightness from picture join picture_tile on picture_id = id where id = :i"),
            {"i": red},
        ).one()
    assert kept == 24 * 24 * 3
    assert brightness == pytest.approx(200 / 255 / 3, abs=0.01)
