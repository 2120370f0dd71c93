"""Units' own write models, fitted to their runs."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "calibrations",
        sa.Column("unit_tag", sa.String(64), sa.ForeignKey("units.tag"), primary_key=True),
        sa.Column("drive_key", sa.String(128), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("is_simulated", sa.Boolean(), nullable=False),
        sa.Column("run_ids", sa.JSON(), nullable=False),
        sa.Column("fit", sa.JSON(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("calibrations")
