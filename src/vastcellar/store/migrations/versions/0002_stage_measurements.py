"""Stages measured on a host."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "stage_measurements",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("host_key", sa.String(128), nullable=False),
        sa.Column("port_key", sa.String(64), nullable=False),
        sa.Column("stage_key", sa.String(32), nullable=False),
        sa.Column("part_key", sa.String(128), nullable=False),
        sa.Column("mode_key", sa.String(64), nullable=False),
        sa.Column("bytes_per_s", sa.Double(), nullable=False),
        sa.Column("measured_at", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("stage_measurements")
