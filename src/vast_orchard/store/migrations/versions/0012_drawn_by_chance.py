"""Variations say how often operations are drawn for a picture, and how much their strength differs between pictures."""

import json

import sqlalchemy as sa
from alembic import op

from vast_orchard.upgrades.recipe import upgrade_recipe, upgrade_variation

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    bind = op.get_bind()
    for row in bind.execute(sa.text("select id, recipe from run")).all():
        _store(bind, "run", "recipe", row.id, upgrade_recipe(row.recipe, 0))
    for row in bind.execute(sa.text("select id, value from ingredient where kind = 'variation'")).all():
        _store(bind, "ingredient", "value", row.id, upgrade_variation(row.value))


def _store(bind: sa.Connection, table: str, column: str, row: int, value: object) -> None:
    statement = sa.text(f"update {table} set {column} = cast(:value as jsonb) where id = :id")
    bind.execute(statement, {"value": json.dumps(value), "id": row})
