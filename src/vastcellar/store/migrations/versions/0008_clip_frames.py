"""The first and the last picture of each clip that was copied, by its content."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "clip_frames",
        sa.Column("digest", sa.Text(), primary_key=True),
        sa.Column("first_jpeg", sa.LargeBinary(), nullable=False),
        sa.Column("last_jpeg", sa.LargeBinary(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("clip_frames")
