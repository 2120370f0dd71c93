"""Photos of units lie in the cellar: every desk sees them, and an export takes them along."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "unit_photos",
        sa.Column("digest", sa.Text(), primary_key=True),
        sa.Column("jpeg", sa.LargeBinary(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("unit_photos")
