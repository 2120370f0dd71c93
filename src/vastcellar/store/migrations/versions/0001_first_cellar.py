"""Units, and runs with their conditions, figures and trace."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "units",
        sa.Column("tag", sa.String(64), primary_key=True),
        sa.Column("drive_key", sa.String(128), nullable=False),
        sa.Column("enclosure_key", sa.String(128), nullable=False),
        sa.Column("written_bytes", sa.Double(), nullable=False),
        sa.Column("used_bytes", sa.Double(), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
    )
    op.create_table(
        "runs",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("unit_tag", sa.String(64), sa.ForeignKey("units.tag"), nullable=False),
        sa.Column("kind", sa.String(32), nullable=False),
        sa.Column("measured_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("is_simulated", sa.Boolean(), nullable=False),
        sa.Column("is_complete", sa.Boolean(), nullable=False),
        sa.Column("conditions", sa.JSON(), nullable=False),
        sa.Column("figures", sa.JSON(), nullable=False),
        sa.Column("trace_csv", sa.Text(), nullable=False),
    )
    op.create_index("ix_runs_unit_tag", "runs", ["unit_tag"])


def downgrade() -> None:
    op.drop_table("runs")
    op.drop_table("units")
