"""How statements reach PostgreSQL."""

from sqlalchemy import text

from tests.world import World


def test_no_statement_is_kept_to_be_planned_for_any_value(world: World) -> None:
    database = world.context.database
    for _ in range(20):
        with database.session() as session:
            session.execute(text("select id from picture where project_id = :project"), {"project": 7})
    with database.session() as session:
        kept = session.scalar(text("select count(*) from pg_prepared_statements"))
    # All twenty came by the one connection that waits in the pool, and it holds none of them.
    assert kept == 0
