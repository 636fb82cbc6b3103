"""Who is let in: by a token, looked up again all the time, and so many pictures a minute."""

import asyncio
import time
from concurrent.futures import ThreadPoolExecutor

from vast_orchard.store.database import Database
from vast_orchard.store.serving import inner_secret, mark_used, token_of
from vast_orchard.store.values.serving import TokenValue

__all__ = ["Doorkeeper"]

# A token that was taken back lets nobody in after so long.
_BELIEVED_S = 0.2
_NOTED_EVERY_S = 60.0
_MOST_REMEMBERED = 10_000


class Doorkeeper:
    """Knows tokens for a moment, and counts what their holders ask."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self.inner = inner_secret(database.plain_url)  # of the application itself, for figures alone
        self._threads = ThreadPoolExecutor(2, "doorkeeper")
        self._known: dict[str, tuple[TokenValue | None, float]] = {}
        self._noted: dict[int, float] = {}
        self._counts: dict[int, tuple[int, int]] = {}  # minute, and pictures in it

    async def token(self, secret: str) -> TokenValue | None:
        """The token that a secret is of, if it stands."""
        now = time.monotonic()
        known = self._known.get(secret)
        if known is None or now - known[1] > _BELIEVED_S:
            if len(self._known) > _MOST_REMEMBERED:
                self._known.clear()
            found = await asyncio.get_running_loop().run_in_executor(self._threads, self._look_up, secret)
            known = self._known[secret] = found, time.monotonic()
        return known[0]

    def _look_up(self, secret: str) -> TokenValue | None:
        with self._database.session() as session:
            found = token_of(session, secret)
            now = time.monotonic()
            if found is not None and now - self._noted.get(found.id, -_NOTED_EVERY_S) >= _NOTED_EVERY_S:
                self._noted[found.id] = now
                mark_used(session, found.id)
            return found

    def seconds_to_wait(self, token: TokenValue, pictures: int) -> int:
        """Count pictures; 0 if they may be asked about, else seconds until the next minute."""
        if token.per_minute is None:
            return 0
        now = int(time.time())
        minute, count = self._counts.get(token.id, (0, 0))
        if minute != now // 60:
            minute, count = now // 60, 0
        if count + pictures > token.per_minute:
            return 60 - now % 60
        self._counts[token.id] = minute, count + pictures
        return 0

    def close(self) -> None:
        """End the threads; what they have begun is waited for, so that they leave no connection open."""
        self._threads.shutdown(cancel_futures=True)
