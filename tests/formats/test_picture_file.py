"""Picture files of every kind, whole and broken."""

import io
import zlib

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from tests.pictures import encoded, png
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.errors import PictureError, SettingError
from vast_orchard.formats.picture_file import (
    PictureLimits,
    glance,
    network_pixels,
    read_picture,
    reduced,
    thumbnail,
    tile,
)

_QUARTERS = Image.fromarray(
    np.array([[[255, 0, 0], [0, 255, 0]], [[0, 0, 255], [255, 255, 255]]], np.uint8).repeat(20, 0).repeat(20, 1)
)


def _corner(image: Image.Image) -> tuple[int, ...]:
    found = image.getpixel((3, 3))
    assert isinstance(found, tuple)
    return tuple(int(value) for value in found)


@pytest.mark.parametrize("kind", ["PNG", "BMP", "GIF", "TIFF", "WEBP", "JPEG"])
def test_every_format_is_read(kind: str) -> None:
    options = {"lossless": True} if kind == "WEBP" else {"quality": 100, "subsampling": 0} if kind == "JPEG" else {}
    picture = read_picture(encoded(_QUARTERS, kind, **options))
    assert (picture.width, picture.height, picture.format) == (40, 40, kind)
    assert np.abs(np.array(_corner(picture.upright)) - [255, 0, 0]).max() <= 6  # JPEG's rounding


@pytest.mark.parametrize(
    ("turn", "corner"), [(1, (255, 0, 0)), (3, (255, 255, 255)), (6, (0, 0, 255)), (8, (0, 255, 0))]
)
def test_exif_turning_is_applied(turn: int, corner: tuple[int, ...]) -> None:
    exif = Image.Exif()
    exif[0x0112] = turn
    assert _corner(read_picture(encoded(_QUARTERS, "PNG", exif=exif)).upright) == corner


def test_turning_exchanges_the_sides() -> None:
    exif = Image.Exif()
    exif[0x0112] = 6
    picture = read_picture(encoded(Image.new("RGB", (30, 10)), "PNG", exif=exif))
    assert (picture.width, picture.height) == (10, 30)


def test_alpha_lies_on_the_ground() -> None:
    clear = Image.new("RGBA", (8, 8), (255, 0, 0, 0))
    assert _corner(read_picture(encoded(clear), ground=(10, 20, 30)).upright) == (10, 20, 30)
    half = Image.new("LA", (8, 8), (200, 128))
    assert _corner(read_picture(encoded(half)).upright)[0] == pytest.approx(100, abs=1)
    palette = Image.new("P", (8, 8), 0)
    palette.putpalette([9, 9, 9, 0, 255, 0])
    assert _corner(read_picture(encoded(palette, transparency=0), ground=(1, 2, 3)).upright) == (1, 2, 3)


def test_sixteen_bits_are_scaled_and_not_cut() -> None:
    values = np.array([[0, 257 * 100], [257 * 200, 65535]], np.uint16).repeat(8, 0).repeat(8, 1)
    upright = read_picture(encoded(Image.fromarray(values))).upright
    assert [upright.getpixel((x, y)) for x, y in ((0, 0), (15, 0), (0, 15), (15, 15))] == [
        (level,) * 3 for level in (0, 100, 200, 255)
    ]


def test_cmyk_and_one_bit_become_rgb() -> None:
    cmyk = Image.new("CMYK", (8, 8), (0, 255, 255, 0))
    assert _corner(read_picture(encoded(cmyk, "JPEG", quality=100)).upright)[0] > 200
    assert _corner(read_picture(encoded(Image.new("1", (8, 8), 1))).upright) == (255, 255, 255)


def test_of_an_animation_the_first_frame_counts() -> None:
    frames = [Image.new("RGB", (10, 10), colour) for colour in ("red", "blue", "green")]
    picture = read_picture(encoded(frames[0], "GIF", save_all=True, append_images=frames[1:]))
    assert picture.frames == 3
    assert _corner(picture.upright) == (255, 0, 0)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", r"empty \(0 bytes\)"),
        (b"Plates cleaned at noon.", "not a picture in a known format"),
        (png(1)[:200], "damaged"),
        (encoded(_QUARTERS, "JPEG")[:300], "damaged"),
        (encoded(Image.new("RGB", (8, 8)), "PPM"), "not a picture in a known format"),
    ],
)
def test_what_cannot_be_read_says_why_and_what_to_do(data: bytes, words: str) -> None:
    with pytest.raises(PictureError, match=words) as caught:
        read_picture(data)
    assert caught.value.mend


def test_an_enormous_picture_is_refused_before_it_is_decoded() -> None:
    bomb = encoded(Image.new("1", (20_000, 20_000)))
    # Of its head alone, which is all that there is of it: decoding would find it damaged.
    for data in (bomb, bomb[:200]):
        with pytest.raises(PictureError, match=r"20000×20000 pixels.*50 megapixels"):
            read_picture(data)
    with pytest.raises(PictureError, match="limit is 0 MB"):
        read_picture(png(1), limits=PictureLimits(megabytes=0))


_WHOLE = {kind: encoded(_QUARTERS, kind) for kind in ("PNG", "JPEG", "GIF", "TIFF", "WEBP", "BMP")}


@given(kind=st.sampled_from(sorted(_WHOLE)), data=st.data())
@settings(max_examples=400, suppress_health_check=[HealthCheck.too_slow])
def test_whatever_is_flipped_is_read_or_refused(kind: str, data: st.DataObject) -> None:
    broken = bytearray(_WHOLE[kind])
    for _ in range(data.draw(st.integers(1, 6))):
        broken[data.draw(st.integers(0, len(broken) - 1))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(1, len(broken)))
    try:
        picture = read_picture(bytes(broken[:cut]), limits=PictureLimits(megapixels=1))
    except PictureError:
        return
    assert picture.upright.mode == "RGB"
    assert picture.upright.size == (picture.width, picture.height)


def test_network_pixels_have_the_promised_shape() -> None:
    assert network_pixels(png(1), Preprocessing(size=24)).shape == (24, 24, 3)
    grey = network_pixels(encoded(_QUARTERS), Preprocessing(size=16, colour="grey"))
    assert grey.shape == (16, 16, 1)
    # ITU-R 601 luma of pure red is 76.
    assert grey[2, 2, 0] == 76
    with pytest.raises(SettingError, match="input size is 4"):
        Preprocessing(size=4)


def test_thumbnails_are_small_jpegs() -> None:
    with Image.open(io.BytesIO(thumbnail(reduced(read_picture(png(1, (600, 300))).upright)))) as image:
        assert image.format == "JPEG"
        assert image.size == (208, 104)


def test_what_telephones_write_is_read() -> None:
    # Such files turn themselves; a turn that their EXIF tag names as well must not be done twice.
    pixels = np.zeros((32, 64, 3), np.uint8)
    pixels[:, 32:] = 200
    exif = Image.Exif()
    exif[0x0112] = 6
    picture = read_picture(encoded(Image.fromarray(pixels), "HEIF", quality=100, exif=exif))
    assert (picture.format, picture.width, picture.height) == ("HEIF", 64, 32)
    upright = np.asarray(picture.upright)
    assert upright[:, :24].mean() < 20
    assert upright[:, 40:].mean() > 180


def _samples() -> dict[str, bytes]:
    """One small picture in each format and in the modes that decoders treat apart."""
    random = np.random.default_rng(0)
    colour = Image.fromarray(random.integers(0, 256, (24, 20, 3), dtype=np.uint8))
    made = {}
    for name, kind, image in (
        ("jpeg", "JPEG", colour), ("cmyk", "JPEG", colour.convert("CMYK")), ("png", "PNG", colour),
        ("alpha", "PNG", colour.convert("RGBA")), ("palette", "PNG", colour.convert("P")), ("webp", "WEBP", colour),
        ("bmp", "BMP", colour), ("tiff", "TIFF", colour), ("gif", "GIF", colour.convert("P")), ("heic", "HEIF", colour),
        ("deep", "PNG", Image.fromarray(random.integers(0, 65536, (24, 20), dtype=np.uint16))),
    ):  # fmt: skip
        buffer = io.BytesIO()
        image.save(buffer, kind)
        made[name] = buffer.getvalue()
    return made


_DAMAGED = 200


def _refused_too(data: bytes) -> None:
    """What cannot be read is refused by a glance, or left to be decoded; it is never taken for decoded."""
    try:
        assert glance(data, PictureLimits(megapixels=4)).small is None
    except PictureError as error:
        assert error.mend


@pytest.mark.parametrize("name", _samples())
def test_every_damaged_file_is_read_or_refused_in_words(name: str) -> None:
    # Eleven samples, 200 damages each: flipped, missing, doubled and foreign bytes.
    whole, random = _samples()[name], np.random.default_rng(zlib.crc32(name.encode()))
    refused = 0
    for _ in range(_DAMAGED):
        data = bytearray(whole)
        for _ in range(int(random.integers(1, 6))):
            at, kind = int(random.integers(0, max(1, len(data)))), int(random.integers(0, 4))
            if kind == 0 and data:
                data[at] ^= int(random.integers(1, 256))
            elif kind == 1:
                del data[at:]
            elif kind == 2:
                data[at:at] = data[at : at + int(random.integers(1, 64))]
            else:
                data[at : at + 4] = random.bytes(4)
        try:
            picture = read_picture(bytes(data), limits=PictureLimits(megapixels=4))
        except PictureError as error:
            refused += 1
            assert error.mend
            _refused_too(bytes(data))
        else:
            # A size that only the damage made up is bounded by the limit.
            assert picture.width * picture.height <= 4_000_000
            assert picture.upright.mode == "RGB"
    assert refused > _DAMAGED // 4
    # Only PNG carries checksums throughout; elsewhere some damage is just other pixels.
    assert refused < _DAMAGED or name in ("png", "alpha", "palette", "deep")


def _jpeg(size: tuple[int, int], mode: str = "RGB", turned: int | None = None) -> bytes:
    image, buffer = Image.new(mode, size), io.BytesIO()
    exif = image.getexif()
    if turned:
        exif[0x0112] = turned
    image.save(buffer, "JPEG", exif=exif)
    return buffer.getvalue()


def _turned_behind_its_pixels() -> bytes:
    """A PNG whose EXIF tag stands after what it turns, as its standard allows."""
    plain, exif = png(1, (40, 30)), Image.Exif()
    exif[0x0112] = 6
    tag = b"eXIf" + exif.tobytes().removeprefix(b"Exif\0\0")
    chunk = (len(tag) - 4).to_bytes(4, "big") + tag + zlib.crc32(tag).to_bytes(4, "big")
    return plain[:-12] + chunk + plain[-12:]  # before the last twelve bytes, which end the file


def _moving() -> bytes:
    frames = [Image.new("RGB", (20, 20), colour) for colour in ("red", "blue")]
    return encoded(frames[0], "PNG", save_all=True, append_images=frames[1:])


@pytest.mark.parametrize(
    ("data", "own"),
    [
        (_jpeg((208, 90)), True),
        (_jpeg((96, 96), "L"), True),
        (png(1, (96, 96)), True),
        (encoded(Image.new("L", (40, 30)), "PNG"), True),
        (_jpeg((209, 90)), False),
        (_jpeg((96, 96), "CMYK"), False),
        (_jpeg((96, 64), turned=6), False),
        (_turned_behind_its_pixels(), False),
        (_jpeg((96, 96)) + bytes(70_000), False),
        (png(1, (200, 200)), False),
        (encoded(Image.new("RGBA", (40, 30)), "PNG"), False),
        (encoded(Image.new("P", (40, 30)), "PNG"), False),
        (encoded(Image.fromarray(np.zeros((30, 40), np.uint16)), "PNG"), False),
        (_moving(), False),
        (encoded(Image.new("RGB", (40, 30)), "BMP"), False),
    ],
    ids=[
        "small", "grey", "PNG", "grey PNG", "large", "CMYK", "turned", "turned at its end", "heavy", "heavy PNG",
        "alpha", "palette", "16-bit", "moving", "BMP",
    ],
)  # fmt: skip
def test_a_small_file_that_browsers_show_as_it_is_is_its_own_thumbnail(data: bytes, own: bool) -> None:
    seen = glance(data)
    assert (seen.small is not None) is own
    if seen.small:
        picture = read_picture(data)
        assert (seen.width, seen.height, seen.small.mode) == (picture.width, picture.height, picture.mode)
        assert seen.small.tile == tile(picture.upright)


def test_of_a_small_picture_a_glance_sees_all_of_its_damage_of_a_large_one_that_of_its_head() -> None:
    with pytest.raises(PictureError, match="damaged"):
        glance(_jpeg((96, 96))[:-200])
    assert glance(_jpeg((900, 600))[:-200]).small is None
    with pytest.raises(PictureError, match="not a picture"):
        glance(_jpeg((900, 600))[5:])


def test_a_tile_is_the_middle_square() -> None:
    wide = Image.new("RGB", (96, 24), (255, 0, 0))
    wide.paste((10, 20, 30), (36, 0, 60, 24))
    assert tile(wide) == bytes((10, 20, 30)) * 24 * 24


@pytest.mark.parametrize(
    ("turn", "corner"), [(1, (255, 0, 0)), (3, (255, 255, 255)), (6, (0, 0, 255)), (8, (0, 255, 0))]
)
def test_a_large_photograph_is_turned_although_it_is_reduced_while_it_is_read(
    turn: int, corner: tuple[int, ...]
) -> None:
    exif = Image.Exif()
    exif[0x0112] = turn
    large = _QUARTERS.resize((2400, 1600), Image.Resampling.NEAREST)
    picture = read_picture(encoded(large, "JPEG", quality=95, subsampling=0, exif=exif), reduced_to=416)
    lies = turn >= 5
    assert (picture.width, picture.height) == ((1600, 2400) if lies else (2400, 1600))
    assert picture.upright.size < (picture.width, picture.height)  # it was reduced
    assert (picture.upright.width < picture.upright.height) == lies
    assert np.abs(np.array(_corner(picture.upright)) - corner).max() <= 6


@pytest.mark.parametrize(
    ("values", "expected"),
    [
        ([0.0, 0.5, 1.0], [0, 128, 255]),  # 0 to 1
        ([0.0, 100.0, 255.0], [0, 100, 255]),  # 0 to 255
        ([0.0, 0.5, 200.0], [0, 0, 200]),  # one value above 1 says which of both it is
        ([-3.0, 0.25, 0.75], [0, 64, 191]),
        ([300.0, 20.4, 20.6], [255, 20, 21]),
    ],
)
def test_floating_point_pictures_reach_from_0_to_1_or_to_255(values: list[float], expected: list[int]) -> None:
    image = Image.fromarray(np.array([values], np.float32))
    upright = read_picture(encoded(image, "TIFF")).upright
    assert [upright.getpixel((n, 0)) for n in range(3)] == [(value,) * 3 for value in expected]
