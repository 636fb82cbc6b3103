"""Migrations make exactly the schema that the code describes."""

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext

from tests.world import World
from vast_orchard.store.migrate import migrate
from vast_orchard.store.schema import Base


def test_migrations_and_tables_agree(world: World) -> None:
    with world.context.database.engine.connect() as connection:
        context = MigrationContext.configure(
            connection,
            opts={"include_name": lambda name, kind, _: kind != "table" or not str(name).startswith("procrastinate")},
        )
        assert compare_metadata(context, Base.metadata) == []


def test_migrating_twice_changes_nothing(world: World) -> None:
    project = world.project()
    migrate(world.context.database)
    assert world.project("Another") > project
