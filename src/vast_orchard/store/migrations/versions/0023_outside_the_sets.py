"""Models are asked about pictures in no set too; an answer knows its next class and its calibrated probability."""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"


def upgrade() -> None:
    op.alter_column("prediction", "true_class", nullable=True)
    op.alter_column("prediction", "loss", nullable=True)
    op.drop_constraint(op.f("ck_judgement_set_name"), "judgement", type_="check")
    op.create_check_constraint(
        op.f("ck_judgement_set_name"),
        "judgement",
        "set_name in ('training', 'validation', 'test', 'outside', 'unlabelled')",
    )
    op.add_column("prediction", sa.Column("runner_up", sa.Integer()))
    op.add_column("prediction", sa.Column("calibrated", sa.REAL()))
    op.execute(
        "update prediction set runner_up = (model.classes -> ((select place from unnest(prediction.probabilities)"
        " with ordinality as said (p, place) order by p desc, place offset 1 limit 1)::int - 1) ->> 'id')::int"
        " from model where model.id = prediction.model_id"
    )
    # Of an answer by several views the mean of the calibrated ones is no longer known: it is left open.
    op.execute(
        "update prediction set calibrated = power(greatest(prediction.p, 1e-30)::float8, 1 / model.temperature) /"
        " (select sum(power(greatest(said.p, 1e-30)::float8, 1 / model.temperature))"
        "  from unnest(prediction.probabilities) as said (p))"
        " from model where model.id = prediction.model_id and model.temperature is not null"
        " and coalesce(model.preprocessing ->> 'views', 'one') = 'one'"
    )
