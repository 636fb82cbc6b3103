"""A picture is decoded once for a preprocessing, whatever asks for it; nothing half written is ever read."""

import os
import threading
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.area import Area
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.jobs.training.picture_pixels import PicturePixels, over_limit

BEFORE = Preprocessing(size=8)


def _picture(number: int) -> Array:
    return np.full(BEFORE.input_shape, number, np.uint8)


class _Decoder:
    """Counts what is decoded."""

    def __init__(self, numbers: list[int]) -> None:
        self.numbers, self.counts = numbers, Counter[int]()

    def __call__(self, place: int) -> Array:
        self.counts[self.numbers[place]] += 1
        return _picture(self.numbers[place])


def _ask(cache: Path, numbers: list[int], decode: Callable[[int], Array] | None = None) -> tuple[Array, int]:
    store = PicturePixels(cache, BEFORE)
    into = np.zeros((len(numbers), *BEFORE.input_shape), np.uint8)
    names = [store.name_of(f"{number:064d}", None) for number in numbers]
    decoded = store.fill(names, decode or _Decoder(numbers), into, lambda: None)
    assert [int(one[0, 0, 0]) for one in into] == numbers
    return into, decoded


def test_what_other_sets_hold_is_not_decoded_again(tmp_path: Path) -> None:
    assert _ask(tmp_path, [1, 2, 3])[1] == 3
    assert _ask(tmp_path, [3, 1])[1] == 0
    # More than are written together at once, in another order, and one of them twice.
    many = [*range(150, 2, -1), 3, 7]
    assert _ask(tmp_path, many)[1] == len(many) - 2  # 3 is there, and asked for twice
    assert _ask(tmp_path, many)[1] == 0


def test_another_preprocessing_and_another_area_are_other_pixels(tmp_path: Path) -> None:
    _ask(tmp_path, [1])
    other = PicturePixels(tmp_path, Preprocessing(size=8, colour="grey"))
    whole, part = other.name_of("1" * 64, None), other.name_of("1" * 64, Area(keep=(0, 0, 0.5, 0.5)))
    assert whole != part
    into = np.zeros((2, 8, 8, 1), np.uint8)
    assert other.fill([whole, part], lambda place: np.full((8, 8, 1), place + 5, np.uint8), into, lambda: None) == 2
    assert [int(one[0, 0, 0]) for one in into] == [5, 6]


@pytest.mark.parametrize("left", ["pixels", "names"])
def test_what_someone_who_died_left_half_is_written_over(tmp_path: Path, left: str) -> None:
    _ask(tmp_path, [1, 2])
    [folder] = tmp_path.glob("pictures-*")
    with (folder / left).open("ab") as opened:
        opened.write(b"\7" * 20)  # neither a whole picture nor a whole name
    assert _ask(tmp_path, [1, 2, 3, 4])[1] == 2
    assert _ask(tmp_path, [4, 3, 2, 1])[1] == 0


def test_workers_that_fill_at_once_never_mix_their_pictures_up(tmp_path: Path) -> None:
    sets = [list(range(n, n + 100)) for n in (1, 40, 80, 120)]
    threads = [threading.Thread(target=_ask, args=(tmp_path, [number % 250 for number in own])) for own in sets]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    everything = sorted({number % 250 for own in sets for number in own})
    assert _ask(tmp_path, everything)[1] == 0


def test_a_failure_keeps_what_was_decoded_before_it(tmp_path: Path) -> None:
    numbers = list(range(1, 131))

    def breaks(place: int) -> Array:
        if place == 100:
            raise KeyboardInterrupt
        return _picture(numbers[place])

    with pytest.raises(KeyboardInterrupt):
        _ask(tmp_path, numbers, breaks)
    assert _ask(tmp_path, numbers)[1] == 130 - 64


def test_the_least_used_go_when_there_are_too_many(tmp_path: Path) -> None:
    folders: list[Path] = []
    for age, colour in enumerate(("rgb", "grey")):
        before = Preprocessing(size=8, colour=colour)
        store, into = PicturePixels(tmp_path, before), np.zeros((1, *before.input_shape), np.uint8)
        store.fill([store.name_of("1" * 64, None)], into.__getitem__, into, lambda: None)
        [folder] = set(tmp_path.glob("pictures-*")) - set(folders)
        os.utime(folder / "names", (age, age))
        folders.append(folder)
    assert over_limit(tmp_path, 10_000) == []
    assert over_limit(tmp_path, 200) == [folders[0]]
    assert over_limit(tmp_path, 0) == [folders[1], folders[0]]


def test_pixels_that_are_thrown_away_while_they_are_filled_are_made_again(tmp_path: Path) -> None:
    def thrown(place: int) -> Array:
        [folder] = tmp_path.glob("pictures-*")
        for file in folder.iterdir():
            file.unlink()
        folder.rmdir()
        return _picture(place + 1)

    _ask(tmp_path, [1], thrown)
    assert _ask(tmp_path, [1])[1] == 1
