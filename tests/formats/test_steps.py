"""From a picture to what the network sees: every way to fit, by hand; and that exports answer the same."""

import io
from dataclasses import asdict
from typing import Any

import numpy as np
import pytest
from PIL import Image

from tests.pictures import encoded
from vast_orchard.core.arrays import Array
from vast_orchard.core.network.description import resolved
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.formats._steps import views_of
from vast_orchard.formats.export_pack import proven_pack
from vast_orchard.formats.model_file import Model, read_model, write_model
from vast_orchard.formats.picture_file import network_pixels


def _lying() -> bytes:
    """Forty by twenty: a red left quarter, a blue right quarter, grey between."""
    pixels = np.full((20, 40, 3), 128, np.uint8)
    pixels[:, :10] = (255, 0, 0)
    pixels[:, 30:] = (0, 0, 255)
    return encoded(Image.fromarray(pixels))


def _seen(**settings: Any) -> Array:
    return network_pixels(_lying(), Preprocessing(size=20, **settings))


def test_the_whole_picture_is_distorted() -> None:
    seen = _seen()
    assert seen.shape == (20, 20, 3)
    assert seen[10, 1].tolist() == [255, 0, 0]
    assert seen[10, 18].tolist() == [0, 0, 255]
    assert seen[0, 10].tolist() == [128, 128, 128]


def test_the_border_keeps_proportions_and_its_colour() -> None:
    seen = _seen(fit="border", border=(0, 200, 0))
    # Half as high as wide: five rows above and below are border.
    assert (seen[:5] == (0, 200, 0)).all()
    assert (seen[15:] == (0, 200, 0)).all()
    assert seen[10, 1].tolist() == [255, 0, 0]
    grey = network_pixels(_lying(), Preprocessing(size=20, fit="border", colour="grey", border=(255, 255, 255)))
    assert grey.shape == (20, 20, 1)
    assert (grey[:5] == 255).all()


def test_the_middle_cuts_both_ends_off() -> None:
    assert (np.abs(_seen(fit="middle").astype(int) - 128) <= 1).all()


def test_views_are_those_of_the_picture() -> None:
    pixels = np.arange(2 * 9 * 3, dtype=np.uint8).reshape(2, 3, 3, 3)
    assert [view.tolist() for view in views_of(pixels, "one")] == [pixels.tolist()]
    own, mirrored = views_of(pixels, "mirrored")
    assert mirrored[1, 2, 0].tolist() == own[1, 2, 2].tolist()
    turned = views_of(pixels, "turned")
    assert len(turned) == 4
    assert turned[1][0].tolist() == np.rot90(pixels[0]).tolist()


@pytest.mark.parametrize(
    "settings",
    [
        {"fit": "border", "border": (9, 80, 7), "scale": "unit"},
        {"fit": "middle", "colour": "grey", "scale": "signed"},
        {"views": "mirrored"},
        {"views": "turned"},
    ],
)
def test_exports_do_the_same_to_files(settings: dict[str, Any]) -> None:
    before = Preprocessing(size=16, **settings)
    description = resolved(ready_network("plain 4"), before.input_shape, 3)
    model = Model(
        description=description,
        weights=Network(description, 3).state(),
        classes=("a", "b", "c"),
        preprocessing=before,
        statistics=ChannelStatistics(mean=(100.0,) * before.channels, deviation=(60.0,) * before.channels),
    )
    assert read_model(write_model(model)).preprocessing == before
    random = np.random.default_rng(1)
    pictures = []
    for n in range(32):
        shape = (int(random.integers(12, 60)), int(random.integers(12, 60)), 3)
        buffer = io.BytesIO()
        Image.fromarray(random.integers(0, 256, shape, dtype=np.uint8)).save(buffer, "PNG")
        pictures.append((f"{n}.png", buffer.getvalue()))
    # The shipped script answers in a process of its own, by an independent runtime.
    _, proof = proven_pack(model, pictures, {"run": 1})
    assert proof.pictures == 32
    assert proof.max_abs_difference < 1e-5
    if before.views != "one":
        alone = Model(**{**vars(model), "preprocessing": Preprocessing(**{**asdict(before), "views": "one"})})
        seen = np.stack([network_pixels(data, before) for _, data in pictures])
        assert np.abs(alone.probabilities(seen) - model.probabilities(seen)).max() > 1e-4
