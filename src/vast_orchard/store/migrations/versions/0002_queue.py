"""The queue's own tables and functions, as Procrastinate 3.10 ships them."""

from alembic import op
from procrastinate.schema import SchemaManager

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    connection = op.get_bind().connection.driver_connection
    assert connection is not None
    # Many statements without parameters: only the driver's own cursor sends them as they are.
    connection.execute(SchemaManager.get_schema())
