"""A working area on picture files: by hand, whichever way they are stored, and the same in the shipped script."""

import io
import json
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from tests.pictures import encoded
from tests.tolerances import EXPORT
from vast_orchard.core.arrays import Array
from vast_orchard.core.network.description import resolved
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.pictures.area import Area, Box, box_polygon
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.formats.export_pack import proven_pack
from vast_orchard.formats.model_file import Model, read_model, write_model
from vast_orchard.formats.picture_file import network_pixels, part_kept, read_picture

# EXIF's values for a picture stored upright and turned by quarters, by the quarters to the left that mend it.
_ORIENTATIONS = {0: 1, 1: 8, 2: 3, 3: 6}


def _seen(pixels: Array, area: Area | None, **settings: Any) -> Array:
    return network_pixels(encoded(Image.fromarray(pixels)), Preprocessing(**settings, area=area))


def _quarters() -> Array:
    """Sixteen by sixteen: red, green, blue and white quarters."""
    pixels = np.zeros((16, 16, 3), np.uint8)
    pixels[:8, :8], pixels[:8, 8:], pixels[8:, :8], pixels[8:, 8:] = (255, 0, 0), (0, 255, 0), (0, 0, 255), (255,) * 3
    return pixels


def test_a_kept_part_is_all_that_is_seen() -> None:
    assert (_seen(_quarters(), Area(keep=(0.5, 0, 1, 0.5)), size=8) == (0, 255, 0)).all()
    # Half of each: what is kept is brought to the square like a picture of its own.
    seen = _seen(_quarters(), Area(keep=(0.25, 0, 0.75, 0.5)), size=8)
    assert (seen[:, :4] == (255, 0, 0)).all()
    assert (seen[:, 4:] == (0, 255, 0)).all()
    # Twice as wide as high, with a border: two rows of it above and below.
    lying = _seen(_quarters(), Area(keep=(0, 0, 1, 0.5)), size=8, fit="border", border=(9, 9, 9))
    assert (lying[:2] == 9).all()
    assert (lying[2:6, :3] == (255, 0, 0)).all()


def test_covered_parts_are_painted_by_the_colour_or_the_mean_of_what_is_left() -> None:
    left = (box_polygon((0, 0, 0.5, 1)),)
    painted = _seen(_quarters(), Area(covered=left, fill=(1, 2, 3)), size=16)
    assert (painted[:, :8] == (1, 2, 3)).all()
    assert (painted[:, 8:] == _quarters()[:, 8:]).all()
    # Of 64 green and 64 white pixels: (0 + 255)/2, rounded up, green 255, and the same as red.
    assert (_seen(_quarters(), Area(covered=left), size=16)[:, :8] == (128, 255, 128)).all()
    # Of what is kept of it, which is green alone.
    kept = Area(keep=(0, 0, 1, 0.5), covered=left)
    assert (_seen(_quarters(), kept, size=8) == (0, 255, 0)).all()


def test_a_large_picture_is_covered_in_strips_as_in_one() -> None:
    pixels = np.random.default_rng(1).integers(0, 256, (700, 30, 3), dtype=np.uint8)
    triangle = ((0.11, 0.103), (0.887, 0.513), (0.291, 0.953))
    seen = _seen(pixels, Area(covered=(triangle,), fill=(7, 7, 7)), size=30, fit="border")
    whole = pixels.copy()
    for row in range(700):
        for column in range(30):
            x, y = (column + 0.5) / 30, (row + 0.5) / 700
            sides = [
                (bx - ax) * (y - ay) - (by - ay) * (x - ax)
                for (ax, ay), (bx, by) in zip(triangle, triangle[1:] + triangle[:1], strict=True)
            ]
            if min(sides) > 0:
                whole[row, column] = 7
    assert (seen == _seen(whole, None, size=30, fit="border")).all()


@given(
    st.tuples(*[st.integers(0, 16)] * 4).filter(lambda n: n[0] < n[2] and n[1] < n[3]),
    st.sampled_from(sorted(_ORIENTATIONS)),
    st.integers(1, 4),
    st.integers(1, 4),
)
def test_fractions_are_of_the_turned_picture_at_any_size(
    sixteenths: tuple[int, int, int, int], quarters: int, across: int, down: int
) -> None:
    upright = np.random.default_rng(5).integers(0, 256, (16 * down, 16 * across, 3), dtype=np.uint8)
    left, top, right, bottom = sixteenths
    keep: Box = (left / 16, top / 16, right / 16, bottom / 16)
    part = upright[top * down : bottom * down, left * across : right * across]
    wanted = _seen(part, None, size=12)
    exif = Image.Exif()
    exif[0x0112] = _ORIENTATIONS[quarters]
    stored = encoded(Image.fromarray(np.rot90(upright, -quarters).copy()), "PNG", exif=exif)
    assert (network_pixels(stored, Preprocessing(size=12, area=Area(keep=keep))) == wanted).all()


def test_where_nothing_stands_out_the_whole_picture_is_kept() -> None:
    plain = encoded(Image.new("RGB", (40, 30), (90, 90, 90)))
    before = Preprocessing(size=12, area=Area(margin=0.1))
    assert part_kept(read_picture(plain).upright, before) == (0, 0, 1, 1)
    assert (network_pixels(plain, before) == 90).all()


def _pictures() -> list[tuple[str, bytes]]:
    random, files = np.random.default_rng(1), []
    for n in range(32):
        height, width = (int(side) for side in random.integers(30, 220, 2))
        pixels = np.clip(random.normal(60, 3, (height, width, 3)), 0, 255).astype(np.uint8)
        left, top = width // 5 + n % 3, height // 4
        pixels[top : top + height // 3, left : left + width // 2] = random.integers(120, 256, 3)
        exif = Image.Exif()
        exif[0x0112] = (1, 6, 3, 8)[n % 4]
        files.append((".png", encoded(Image.fromarray(pixels), "PNG", exif=exif)))
    return files


@pytest.mark.parametrize(
    "area",
    [
        Area(keep=(0.1, 0.2, 0.8, 0.75)),
        Area(covered=(((0, 0), (0.5, 0), (0, 0.4)), box_polygon((0.7, 0.7, 1, 1))), fill=(10, 200, 30)),
        Area(margin=0.08, covered=(box_polygon((0, 0.8, 0.3, 1)),)),
    ],
)
def test_the_shipped_script_sees_the_same_pixels(area: Area, tmp_path: Path) -> None:
    before = Preprocessing(size=16, fit="border", area=area)
    description = resolved(ready_network("plain 4"), before.input_shape, 3)
    model = Model(
        description=description,
        weights=Network(description, 3).state(),
        classes=("a", "b", "c"),
        preprocessing=before,
        statistics=ChannelStatistics(mean=(100.0,) * 3, deviation=(60.0,) * 3),
    )
    assert read_model(write_model(model)).preprocessing == before
    files = _pictures()
    pack, proof = proven_pack(model, files, {"run": 1})
    assert proof.max_abs_difference <= EXPORT
    with zipfile.ZipFile(io.BytesIO(pack)) as archive:
        archive.extractall(tmp_path)
    facts = json.loads((tmp_path / "model.json").read_text())
    assert facts["preprocessing"]["area"]["margin"] == area.margin
    assert facts["working_area"]
    # Byte for byte, by the script's own functions in a process that knows nothing of the application.
    paths = []
    for number, (ending, data) in enumerate(files):
        paths.append(tmp_path / f"{number}{ending}")
        paths[-1].write_bytes(data)
    program = (
        "import sys, json; sys.path.insert(0, sys.argv[1]); import predict, numpy\n"
        "before = json.load(open(sys.argv[1] + '/model.json'))['preprocessing']\n"
        "for path in sys.argv[2:]:\n"
        "    upright = predict.upright_rgb(predict.Image.open(path), tuple(before['ground']))\n"
        "    pixels = predict.to_network_size(upright, before)\n"
        "    print(predict.kept_box(upright, before['area']), pixels.tobytes().hex())\n"
    )
    done = subprocess.run(
        [sys.executable, "-I", "-c", program, str(tmp_path), *map(str, paths)],
        capture_output=True,
        text=True,
        check=True,
    )
    for line, (_, data) in zip(done.stdout.splitlines(), files, strict=True):
        assert line.rpartition(" ")[2] == network_pixels(data, before).tobytes().hex()
    # And not what it would be without an area.
    assert any(
        (network_pixels(data, before) != network_pixels(data, Preprocessing(size=16, fit="border"))).any()
        for _, data in files
    )
