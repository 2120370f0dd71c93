"""Units are bound to devices; a cellar knows whether it is a demo; stated stages are marked."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "cellar_facts",
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("value", sa.String(256), nullable=False),
    )
    with op.batch_alter_table("units") as units:
        units.add_column(sa.Column("device", sa.JSON(), nullable=True))
    with op.batch_alter_table("stage_measurements") as stages:
        # Nobody noted how they came about: what isn't known to be measured is stated.
        stages.add_column(
            sa.Column("is_stated", sa.Boolean(), nullable=False, server_default=sa.true())
        )


def downgrade() -> None:
    with op.batch_alter_table("stage_measurements") as stages:
        stages.drop_column("is_stated")
    with op.batch_alter_table("units") as units:
        units.drop_column("device")
    op.drop_table("cellar_facts")
