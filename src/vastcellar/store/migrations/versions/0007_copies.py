"""Cards that were copied stand in the cellar: what became of each file, and where it lies."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "copies",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("card_name", sa.Text(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("checked_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("wiped_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("outcome", sa.JSON(), nullable=False),
        sa.Column("files", sa.JSON(), nullable=False),
    )
    op.create_index("ix_copies_made_at", "copies", ["made_at"])


def downgrade() -> None:
    op.drop_table("copies")
