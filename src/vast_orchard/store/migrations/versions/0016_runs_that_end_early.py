"""Recipes say by what a training ends before all its epochs."""

import json

import sqlalchemy as sa
from alembic import op

from vast_orchard.upgrades.recipe import upgrade_recipe

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    bind = op.get_bind()
    for row in bind.execute(sa.text("select id, recipe from run")).all():
        recipe = json.dumps(upgrade_recipe(row.recipe, 0))
        bind.execute(
            sa.text("update run set recipe = cast(:recipe as jsonb) where id = :id"), {"recipe": recipe, "id": row.id}
        )
