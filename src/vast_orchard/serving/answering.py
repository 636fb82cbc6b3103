"""A model that is ready to answer: files in, pixels, probabilities out; many requests in one batch."""

import asyncio
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
from vast_orchard.errors import BusyError, PictureError
from vast_orchard.formats._steps import views_of
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.picture_file import PictureLimits, part_kept, read_picture, seen_pixels

__all__ = ["Answered", "Batches", "Prepared"]


@dataclass(kw_only=True)
class Answered:
    """What became of one picture."""

    pixels: Array | None = None  # (H, W, C), uint8, as the network sees it
    kept: tuple[float, ...] = ()  # which part of a file counts
    probabilities: FloatArray | None = None  # (classes,), float32
    wrong: PictureError | None = None  # why it cannot be read


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

    def see(self, data: bytes, limits: PictureLimits) -> Answered:
        """Decode a picture file, or say what is wrong with it."""
        before = self.model.preprocessing
        try:
            upright = read_picture(data, before.ground, limits).upright
            return Answered(pixels=seen_pixels(upright, before), kept=part_kept(upright, before))
        except PictureError as error:
            return Answered(wrong=error)

    def see_all(self, files: Sequence[bytes], limits: PictureLimits) -> list[Answered]:
        """Decode picture files side by side."""
        seen = [Answered() for _ in files]

        def decode(place: int) -> None:
            seen[place] = self.see(files[place], limits)

        self._team.run(decode, range(len(files)))
        return seen

    def probabilities(self, pixels: Array) -> FloatArray:
        """(N, classes), float32, for pixels of shape (N, H, W, C), uint8."""
        logits = [
            self._network.logits(standardise(np.ascontiguousarray(view), self.model.statistics, self._team))
            for view in views_of(pixels, self.model.preprocessing.views)
        ]
        return tempered(np.stack(logits), self._temperature)


@dataclass(kw_only=True)
class _Waiting:
    """What one request asks about: picture files, or pixels (N, H, W, C)."""

    files: Sequence[bytes] = ()
    pixels: Array | None = None
    answer: "asyncio.Future[list[Answered]]" = field(default_factory=lambda: asyncio.get_running_loop().create_future())

    @property
    def count(self) -> int:
        """Of pictures."""
        return len(self.files) if self.pixels is None else len(self.pixels)


class Batches:
    """Answers what comes at the same time together.

    While one batch is computed the next one gathers by itself; the first of a quiet moment waits for others a few
    milliseconds at most.

    Parameters
    ----------
    prepared : Prepared
    executor : Executor
        One thread, which computes.
    limits : PictureLimits
    most : int
        Pictures of a batch.
    room : int
        Pictures that may wait.
    wait_s : float
        Seconds that the first waits.
    """

    def __init__(
        self, prepared: Prepared, executor: Executor, limits: PictureLimits, *, most: int, room: int, wait_s: float
    ) -> None:
        self.prepared = prepared
        self._executor, self._limits = executor, limits
        self._most, self._room, self._wait_s = most, room, wait_s
        self._gathered: deque[_Waiting] = deque()
        self._pictures = 0
        self._task: asyncio.Task[None] | None = None

    @property
    def waiting(self) -> int:
        """Pictures that wait."""
        return self._pictures

    async def of_files(self, files: Sequence[bytes]) -> "list[Answered]":
        """What is answered about picture files, each by itself.

        Raises
        ------
        BusyError
            There is no room to wait.
        """
        return await self._asked(_Waiting(files=files))

    async def of_pixels(self, pixels: Array) -> FloatArray:
        """Probabilities (N, classes), float32, for pixels of shape (N, H, W, C), uint8; raises as `of_files`."""
        answers = await self._asked(_Waiting(pixels=pixels))
        return np.stack([one.probabilities for one in answers if one.probabilities is not None])

    async def _asked(self, one: _Waiting) -> "list[Answered]":
        if self._pictures + one.count > self._room:
            raise BusyError(f"{self._pictures} pictures wait already.", "Come again in a moment.")
        self._gathered.append(one)
        self._pictures += one.count
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._work())
        return await one.answer

    async def _work(self) -> None:
        if self._wait_s and self._pictures < self._most:
            await asyncio.sleep(self._wait_s)
        while self._gathered:
            batch = self._taken()
            try:
                answers = await asyncio.get_running_loop().run_in_executor(self._executor, self._computed, batch)
            except Exception as error:  # noqa: BLE001, it is theirs who wait, whatever it is
                for one in batch:
                    if not one.answer.done():
                        one.answer.set_exception(error)
                continue
            for one, answer in zip(batch, answers, strict=True):
                if not one.answer.done():  # whoever asked may be gone
                    one.answer.set_result(answer)

    def _taken(self) -> list[_Waiting]:
        batch = [self._gathered.popleft()]
        count = batch[0].count
        while self._gathered and count + self._gathered[0].count <= self._most:
            batch.append(self._gathered.popleft())
            count += batch[-1].count
        self._pictures -= count
        return batch

    def _computed(self, batch: Sequence[_Waiting]) -> "list[list[Answered]]":
        """Decoded side by side, and answered together."""
        files = [data for one in batch for data in one.files]
        seen = iter(self.prepared.see_all(files, self._limits))
        answers: list[list[Answered]] = []
        for one in batch:
            if one.pixels is not None:
                answers.append([Answered(pixels=pixels) for pixels in one.pixels])
            else:
                answers.append([next(seen) for _ in one.files])
        readable = [answered for answer in answers for answered in answer if answered.pixels is not None]
        if readable:
            stacked = np.stack([answered.pixels for answered in readable if answered.pixels is not None])
            for answered, probabilities in zip(readable, self.prepared.probabilities(stacked), strict=True):
                answered.probabilities = probabilities
        return answers
