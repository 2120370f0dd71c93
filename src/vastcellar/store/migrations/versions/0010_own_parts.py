"""Parts of one's own stand in the cellar too: other desks, and exports, know what a unit is."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "own_parts",
        sa.Column("section", sa.String(32), primary_key=True),
        sa.Column("key", sa.String(256), primary_key=True),
        sa.Column("data", sa.JSON(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("own_parts")
