"""The event stream: hears the records, resumes, and says when something was missed."""

import asyncio
import json

import psycopg
from sse_starlette import ServerSentEvent

from tests.world import World
from vast_orchard.api.events import Hub


async def _gather(hub: Hub, last_id: int | None, count: int) -> list[tuple[str, str]]:
    stream = hub.stream(last_id)
    found: list[ServerSentEvent] = []

    async def read() -> None:
        async for event in stream:
            found.append(event)
            if len(found) == count:
                return

    await asyncio.wait_for(read(), 10)
    return [(str(event.id), json.loads(str(event.data))["topic"]) for event in found]


def test_events_are_heard_and_resumed(world: World) -> None:
    async def story() -> None:
        hub = Hub(world.context.database.plain_url)
        hub.start()
        live = asyncio.create_task(_gather(hub, None, 2))
        # The first event says that listening began; only then is anything promised to be heard.
        while not hub._events:
            await asyncio.sleep(0.01)
        await asyncio.to_thread(world.project)
        assert [topic for _, topic in await live] == ["everything", "projects"]
        await asyncio.to_thread(world.project, "Second")
        while len(hub._events) < 3:
            await asyncio.sleep(0.01)
        assert await _gather(hub, 1, 2) == [("2", "projects"), ("3", "projects")]
        # An id of an earlier process, or one that is forgotten, means that anything may have been missed.
        assert await _gather(hub, 999, 1) == [("3", "everything")]
        await hub.stop()

    asyncio.run(asyncio.wait_for(story(), 60))


def test_the_stream_survives_a_lost_connection(world: World) -> None:

    async def story() -> None:
        hub = Hub(world.context.database.plain_url)
        hub.start()
        while not hub._events:
            await asyncio.sleep(0.01)

        def cut() -> None:
            with psycopg.connect(world.context.database.plain_url, autocommit=True) as connection:
                connection.execute(
                    "select pg_terminate_backend(pid) from pg_stat_activity"
                    " where datname = current_database() and pid <> pg_backend_pid() and query like 'listen%'"
                )

        await asyncio.to_thread(cut)
        assert (await _gather(hub, 1, 1))[0][1] == "everything"
        await hub.stop()

    asyncio.run(asyncio.wait_for(story(), 60))
