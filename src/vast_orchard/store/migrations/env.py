"""Alembic's entry: migrates over the connection that `store.migrate` hands in."""

from typing import Any

from alembic import context

from vast_orchard.store.schema import Base


def _ours(name: str | None, kind: str, _parents: Any) -> bool:
    # The queue keeps its own tables in the same database.
    return not (kind == "table" and name and name.startswith("procrastinate_"))


context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata, include_name=_ours)
with context.begin_transaction():
    context.run_migrations()
