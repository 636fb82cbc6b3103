"""The models that are served: looked for again and again, made ready beside those that answer, then exchanged."""

import asyncio
from collections.abc import Sequence
from concurrent.futures import Executor, ThreadPoolExecutor
from dataclasses import dataclass

import structlog

from vast_orchard.core.team import Team
from vast_orchard.errors import OrchardError
from vast_orchard.formats.model_file import read_model
from vast_orchard.formats.picture_file import PictureLimits
from vast_orchard.serving.answering import Batches, Prepared
from vast_orchard.settings import Settings
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.database import Database
from vast_orchard.store.serving import list_served
from vast_orchard.store.values.serving import ServedValue

__all__ = ["Shelf", "Standing"]

_log = structlog.get_logger()
_LOOK_EVERY_S = 0.5


@dataclass(frozen=True, kw_only=True)
class Standing:
    """A model that answers."""

    served: ServedValue
    batches: Batches


class Shelf:
    """What is served by now, by its name in addresses."""

    def __init__(self, settings: Settings, database: Database, store: ByteStore, team: Team) -> None:
        self._settings, self._database, self._store, self._team = settings, database, store, team
        self._limits = PictureLimits(megapixels=settings.picture_limit_megapixels, megabytes=settings.picture_limit_mb)
        self._standing: dict[str, Standing] = {}
        self._computing = ThreadPoolExecutor(1, "computing")
        self._aside = ThreadPoolExecutor(1, "aside")
        self.ready = False

    def find(self, slug: str) -> Standing | None:
        """The model of a name."""
        return self._standing.get(slug)

    def all(self) -> Sequence[Standing]:
        """Everything that is served."""
        return list(self._standing.values())

    async def look(self) -> None:
        """Look once: what came into use is made ready while the former version answers, and then takes its place."""
        loop = asyncio.get_running_loop()
        wanted = await loop.run_in_executor(self._aside, self._wanted)
        standing: dict[str, Standing] = {}
        for served in wanted:
            present = self._standing.get(served.slug)
            if present is not None and present.served == served:
                standing[served.slug] = present
                continue
            try:
                standing[served.slug] = await loop.run_in_executor(self._aside, self._made, served, self._computing)
            except OrchardError as error:
                # The former one goes on; it is said once a look, which is how soon it is tried again.
                _log.error("A model cannot be served.", action="not_served", model=served.slug, why=str(error))
                if present is not None:
                    standing[served.slug] = present
        self._standing = standing
        self.ready = True

    async def keep_looking(self) -> None:
        """Until it is cancelled; a database that is away for a while changes nothing."""
        while True:
            try:
                await self.look()
            except Exception as error:  # noqa: BLE001, whatever the database raises while it is started again
                _log.warning("What is served is not known just now.", action="shelf", why=str(error)[:200])
            await asyncio.sleep(_LOOK_EVERY_S)

    def _wanted(self) -> Sequence[ServedValue]:
        with self._database.session() as session:
            return list_served(session)

    def _made(self, served: ServedValue, computing: Executor) -> Standing:
        model = read_model(self._store.read(served.path))
        prepared = Prepared(model, served.temperature or 1.0, self._team)
        return Standing(
            served=served,
            batches=Batches(
                prepared, computing, self._limits, most=max(1, self._settings.serving_batch),
                room=self._settings.serving_room,
                wait_s=self._settings.serving_wait_ms / 1000,
            ),
        )  # fmt: skip

    def close(self) -> None:
        """End the threads; what they have begun is waited for, so that they leave no connection open."""
        self._computing.shutdown(cancel_futures=True)
        self._aside.shutdown(cancel_futures=True)
