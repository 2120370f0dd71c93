"""A unit's duty decision stands in a field of its own, with its baseline, not in the note."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # What stands in notes stays there: people wrote around it.
    with op.batch_alter_table("units") as units:
        units.add_column(sa.Column("acceptance", sa.JSON(), nullable=True))


def downgrade() -> None:
    with op.batch_alter_table("units") as units:
        units.drop_column("acceptance")
