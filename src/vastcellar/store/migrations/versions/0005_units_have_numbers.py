"""Units have numbers of their own: tags change, and runs stay with their unit."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

Column = sa.Column[Any]
_UNIT = "tag, drive_key, enclosure_key, written_bytes, used_bytes, state, note, device"
_RUN = "kind, measured_at, is_simulated, is_complete, conditions, figures, trace_csv"
_FIT = "drive_key, made_at, is_simulated, run_ids, fit"


def _unit_columns(*first: Column) -> list[Column]:
    return [
        *first,
        sa.Column("drive_key", sa.String(128), nullable=False),
        sa.Column("enclosure_key", sa.String(128), nullable=False),
        sa.Column("written_bytes", sa.Double(), nullable=False),
        sa.Column("used_bytes", sa.Double(), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("device", sa.JSON(), nullable=True),
    ]


def _run_columns(unit: Column) -> list[Column]:
    return [
        sa.Column("id", sa.Integer(), primary_key=True),
        unit,
        sa.Column("kind", sa.String(32), nullable=False),
        sa.Column("measured_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("is_simulated", sa.Boolean(), nullable=False),
        sa.Column("is_complete", sa.Boolean(), nullable=False),
        sa.Column("conditions", sa.JSON(), nullable=False),
        sa.Column("figures", sa.JSON(), nullable=False),
        sa.Column("trace_csv", sa.Text(), nullable=False),
    ]


def _fit_columns(unit: Column) -> list[Column]:
    return [
        unit,
        sa.Column("drive_key", sa.String(128), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("is_simulated", sa.Boolean(), nullable=False),
        sa.Column("run_ids", sa.JSON(), nullable=False),
        sa.Column("fit", sa.JSON(), nullable=False),
    ]


def upgrade() -> None:
    op.drop_index("ix_runs_unit_tag", "runs")
    for table in ("units", "runs", "calibrations"):
        op.rename_table(table, f"old_{table}")
    op.create_table(
        "units",
        *_unit_columns(
            sa.Column("id", sa.Integer(), primary_key=True),
            sa.Column("tag", sa.String(64), nullable=False, unique=True),
        ),
    )
    op.execute(f"INSERT INTO units ({_UNIT}) SELECT {_UNIT} FROM old_units ORDER BY tag")
    own = sa.Column("unit_id", sa.Integer(), sa.ForeignKey("units.id"), nullable=False)
    op.create_table("runs", *_run_columns(own))
    op.execute(
        f"INSERT INTO runs (id, unit_id, {_RUN}) SELECT old_runs.id, units.id, {_RUN} "
        "FROM old_runs JOIN units ON units.tag = old_runs.unit_tag"
    )
    # Shelf and prediction ask for the newest of one unit: no other run need be looked at.
    op.create_index("ix_runs_unit_id_measured_at", "runs", ["unit_id", "measured_at"])
    key = sa.Column("unit_id", sa.Integer(), sa.ForeignKey("units.id"), primary_key=True)
    op.create_table("calibrations", *_fit_columns(key))
    fit = ", ".join(f"old_calibrations.{name}" for name in _FIT.split(", "))
    op.execute(
        f"INSERT INTO calibrations (unit_id, {_FIT}) SELECT units.id, {fit} "
        "FROM old_calibrations JOIN units ON units.tag = old_calibrations.unit_tag"
    )
    for table in ("calibrations", "runs", "units"):
        op.drop_table(f"old_{table}")


def downgrade() -> None:
    op.drop_index("ix_runs_unit_id_measured_at", "runs")
    for table in ("units", "runs", "calibrations"):
        op.rename_table(table, f"new_{table}")
    op.create_table("units", *_unit_columns(sa.Column("tag", sa.String(64), primary_key=True)))
    op.execute(f"INSERT INTO units ({_UNIT}) SELECT {_UNIT} FROM new_units")
    own = sa.Column("unit_tag", sa.String(64), sa.ForeignKey("units.tag"), nullable=False)
    op.create_table("runs", *_run_columns(own))
    op.execute(
        f"INSERT INTO runs (id, unit_tag, {_RUN}) SELECT new_runs.id, new_units.tag, {_RUN} "
        "FROM new_runs JOIN new_units ON new_units.id = new_runs.unit_id"
    )
    op.create_index("ix_runs_unit_tag", "runs", ["unit_tag"])
    key = sa.Column("unit_tag", sa.String(64), sa.ForeignKey("units.tag"), primary_key=True)
    op.create_table("calibrations", *_fit_columns(key))
    fit = ", ".join(f"new_calibrations.{name}" for name in _FIT.split(", "))
    op.execute(
        f"INSERT INTO calibrations (unit_tag, {_FIT}) SELECT new_units.tag, {fit} "
        "FROM new_calibrations JOIN new_units ON new_units.id = new_calibrations.unit_id"
    )
    for table in ("calibrations", "runs", "units"):
        op.drop_table(f"new_{table}")
