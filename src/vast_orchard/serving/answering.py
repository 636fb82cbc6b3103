"""A model that is ready to answer: files in, pixels, probabilities out; many requests in one batch."""

import asyncio
import time
from collections import deque
from collections.abc import Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, field

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.calibration import tempered
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.pictures.standardise import standardise
from vast_orchard.core.team import Team
from vast_orchard.errors import BusyError
from vast_orchard.formats._steps import views_of
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.picture_file import PictureLimits, part_kept, read_picture, seen_pixels

__all__ = ["Batches", "Prepared", "Seen"]


@dataclass(frozen=True, kw_only=True)
class Seen:
    """What the network sees of a picture file, and which part of it counts."""

    pixels: Array  # (H, W, C), uint8
    kept: tuple[float, float, float, float]


class Prepared:
    """A model whose network stands ready, so that a picture does not wait for it.

    Parameters
    ----------
    model : Model
    temperature : float
        By which the logits are divided.
    team : Team
    """

    def __init__(self, model: Model, temperature: float, team: Team) -> None:
        self.model, self._temperature, self._team = model, temperature, team
        self._network = FrozenNetwork(model.network(), team)

    def see(self, data: bytes, limits: PictureLimits) -> Seen:
        """Decode a picture file.

        Raises
        ------
        PictureError
        """
        before = self.model.preprocessing
        upright = read_picture(data, before.ground, limits).upright
        return Seen(pixels=seen_pixels(upright, before), kept=part_kept(upright, before))

    def probabilities(self, pixels: Array) -> FloatArray:
        """(N, classes), float32, for pixels of shape (N, H, W, C), uint8."""
        logits = [
            self._network.logits(standardise(np.ascontiguousarray(view), self.model.statistics, self._team))
            for view in views_of(pixels, self.model.preprocessing.views)
        ]
        return tempered(np.stack(logits), self._temperature)


@dataclass(kw_only=True)
class _Waiting:
    pixels: Array  # (N, H, W, C)
    answer: "asyncio.Future[FloatArray]" = field(default_factory=lambda: asyncio.get_running_loop().create_future())


class Batches:
    """Answers what comes at the same time together.

    While one batch is computed the next one gathers by itself; the first of a quiet moment waits for others a few
    milliseconds at most.

    Parameters
    ----------
    prepared : Prepared
    executor : Executor
        One thread, which computes.
    most : int
        Pictures of a batch.
    room : int
        Pictures that may wait.
    wait_s : float
        Seconds that the first waits.
    """

    def __init__(self, prepared: Prepared, executor: Executor, *, most: int, room: int, wait_s: float) -> None:
        self.prepared = prepared
        self._executor, self._most, self._room, self._wait_s = executor, most, room, wait_s
        self._waiting: deque[_Waiting] = deque()
        self._pictures = 0
        self._task: asyncio.Task[None] | None = None

    @property
    def waiting(self) -> int:
        """Pictures that wait."""
        return self._pictures

    async def probabilities(self, pixels: Array) -> FloatArray:
        """As `Prepared.probabilities`; pixels of shape (N, H, W, C), uint8.

        Raises
        ------
        BusyError
            There is no room to wait.
        """
        if self._pictures + len(pixels) > self._room:
            raise BusyError(f"{self._pictures} pictures wait already.", "Come again in a moment.")
        one = _Waiting(pixels=pixels)
        self._waiting.append(one)
        self._pictures += len(pixels)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._work())
        return await one.answer

    async def _work(self) -> None:
        began = time.monotonic()
        while self._waiting:
            if self._wait_s and self._pictures < self._most and time.monotonic() - began < self._wait_s:
                await asyncio.sleep(self._wait_s)
            batch = self._taken()
            try:
                answers = await asyncio.get_running_loop().run_in_executor(
                    self._executor, self.prepared.probabilities, np.concatenate([one.pixels for one in batch])
                )
            except Exception as error:  # noqa: BLE001, it is theirs who wait, whatever it is
                for one in batch:
                    if not one.answer.done():
                        one.answer.set_exception(error)
                continue
            self._give(batch, answers)
            began = time.monotonic() - self._wait_s  # what came meanwhile has waited

    def _taken(self) -> list[_Waiting]:
        batch = [self._waiting.popleft()]
        count = len(batch[0].pixels)
        while self._waiting and count + len(self._waiting[0].pixels) <= self._most:
            batch.append(self._waiting.popleft())
            count += len(batch[-1].pixels)
        self._pictures -= count
        return batch

    @staticmethod
    def _give(batch: Sequence[_Waiting], answers: FloatArray) -> None:
        start = 0
        for one in batch:
            end = start + len(one.pixels)
            if not one.answer.done():  # whoever asked may be gone
                one.answer.set_result(answers[start:end])
            start = end
