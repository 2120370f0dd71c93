"""The cellar's tables: units, and the runs made on them with their conditions.

Only portable column types, so that the same models run on a database server.
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import (
    JSON,
    Date,
    DateTime,
    Double,
    ForeignKey,
    Index,
    LargeBinary,
    String,
    Text,
    UniqueConstraint,
    true,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


class Base(DeclarativeBase):
    """All tables of the cellar."""


class UnitRow(Base):
    """One thing on the shelf."""

    __tablename__ = "units"

    id: Mapped[int] = mapped_column(primary_key=True)
    """Its number: tags change, and what hangs on a unit stays with it."""
    tag: Mapped[str] = mapped_column(String(64), unique=True)
    drive_key: Mapped[str] = mapped_column(String(128))
    enclosure_key: Mapped[str] = mapped_column(String(128), default="")
    written_bytes: Mapped[float] = mapped_column(Double, default=0.0)
    used_bytes: Mapped[float] = mapped_column(Double, default=0.0)
    state: Mapped[str] = mapped_column(String(16), default="ready")
    note: Mapped[str] = mapped_column(Text, default="")
    device: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None)
    """What it is bound to: model, serial, size_bytes, file_system_uuid."""
    acceptance: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None)
    """The newest decision on its duty, with the runs that are its baseline."""
    runs: Mapped[list[RunRow]] = relationship(back_populates="unit")


class FactRow(Base):
    """What is so of the whole cellar, as whether it is a demo."""

    __tablename__ = "cellar_facts"

    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    value: Mapped[str] = mapped_column(String(256))


class RunRow(Base):
    """One test: when, on which unit, under which conditions, with what result.

    The columns are what runs are found and compared by; ``conditions`` and ``figures`` keep
    everything else as it was recorded.
    """

    __tablename__ = "runs"
    __table_args__ = (Index("ix_runs_unit_id_measured_at", "unit_id", "measured_at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    unit_id: Mapped[int] = mapped_column(ForeignKey("units.id"))
    kind: Mapped[str] = mapped_column(String(32))
    measured_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    is_simulated: Mapped[bool]
    is_complete: Mapped[bool]
    conditions: Mapped[dict[str, Any]] = mapped_column(JSON)
    figures: Mapped[dict[str, Any]] = mapped_column(JSON)
    trace_csv: Mapped[str] = mapped_column(Text)
    unit: Mapped[UnitRow] = relationship(back_populates="runs")


class CopyRow(Base):
    """A card that was copied: what became of each of its files on each destination."""

    __tablename__ = "copies"
    __table_args__ = (Index("ix_copies_made_at", "made_at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    card_name: Mapped[str] = mapped_column(Text)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    who: Mapped[str] = mapped_column(Text, default="")
    checked_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True), default=None)
    wiped_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True), default=None)
    outcome: Mapped[dict[str, Any]] = mapped_column(JSON)
    """Without its files: destinations, times, and the device that each destination lay on."""
    files: Mapped[list[list[Any]]] = mapped_column(JSON)


class ClipFramesRow(Base):
    """The first and the last picture of a clip, known by its content: copied twice, kept once."""

    __tablename__ = "clip_frames"

    digest: Mapped[str] = mapped_column(Text, primary_key=True)
    first_jpeg: Mapped[bytes] = mapped_column(LargeBinary)
    last_jpeg: Mapped[bytes] = mapped_column(LargeBinary)


class UnitPhotoRow(Base):
    """A photo of a unit, known by its content; an event of the unit's story names it."""

    __tablename__ = "unit_photos"

    digest: Mapped[str] = mapped_column(Text, primary_key=True)
    jpeg: Mapped[bytes] = mapped_column(LargeBinary)


class StageMeasurementRow(Base):
    """What a stage of a chain carried on one host."""

    __tablename__ = "stage_measurements"

    id: Mapped[int] = mapped_column(primary_key=True)
    host_key: Mapped[str] = mapped_column(String(128))
    port_key: Mapped[str] = mapped_column(String(64))
    stage_key: Mapped[str] = mapped_column(String(32))
    part_key: Mapped[str] = mapped_column(String(128))
    mode_key: Mapped[str] = mapped_column(String(64))
    bytes_per_s: Mapped[float] = mapped_column(Double)
    measured_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    is_stated: Mapped[bool] = mapped_column(default=True, server_default=true())


class CalibrationRow(Base):
    """How one unit writes by its own runs, and the fit behind it."""

    __tablename__ = "calibrations"

    unit_id: Mapped[int] = mapped_column(ForeignKey("units.id"), primary_key=True)
    drive_key: Mapped[str] = mapped_column(String(128))
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    is_simulated: Mapped[bool]
    run_ids: Mapped[list[int]] = mapped_column(JSON)
    fit: Mapped[dict[str, Any]] = mapped_column(JSON)


class UnitEventRow(Base):
    """Something that happened to a unit."""

    __tablename__ = "unit_events"
    __table_args__ = (Index("ix_unit_events_unit_id_at", "unit_id", "at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    unit_id: Mapped[int] = mapped_column(ForeignKey("units.id"))
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    kind: Mapped[str] = mapped_column(String(32))
    data: Mapped[dict[str, Any]] = mapped_column(JSON)
    note: Mapped[str] = mapped_column(Text, default="")


class JobRow(Base):
    """A job with its days, which units are booked for."""

    __tablename__ = "jobs"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(128), unique=True)
    first_day: Mapped[date] = mapped_column(Date)
    last_day: Mapped[date] = mapped_column(Date)
    shoot_file: Mapped[str] = mapped_column(Text, default="")
    note: Mapped[str] = mapped_column(Text, default="")


class BookingRow(Base):
    """A unit that goes on a job, what for, and whether it is out or back."""

    __tablename__ = "bookings"
    __table_args__ = (UniqueConstraint("job_id", "unit_id", name="uq_bookings_job_id_unit_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"))
    unit_id: Mapped[int] = mapped_column(ForeignKey("units.id"))
    needs: Mapped[list[str]] = mapped_column(JSON)
    out_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True), default=None)
    in_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True), default=None)


class OwnPartRow(Base):
    """A codec or part of one's own, as a catalog file lists it."""

    __tablename__ = "own_parts"

    section: Mapped[str] = mapped_column(String(32), primary_key=True)
    key: Mapped[str] = mapped_column(String(256), primary_key=True)
    data: Mapped[dict[str, Any]] = mapped_column(JSON)
