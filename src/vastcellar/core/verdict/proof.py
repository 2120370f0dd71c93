"""Recorder tests as evidence: what a run did, and the conditions it did it under."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime

from vastcellar.core.parts.identity import DeviceIdentity


@dataclass(frozen=True, slots=True)
class RunConditions:
    """What a run was made under.

    Read from the machine: device, file system, free space, link speed, load, disturbances.
    Stated by the user: the parts on the way, the room, the cooling. Empty, None, 0 or nan is
    unknown.
    """

    unit_tag: str
    drive_key: str = ""
    drive_capacity_bytes: float = 0.0
    """By the record of that drive; 0 where it isn't known."""
    enclosure_key: str = ""
    host_key: str = ""
    port_key: str = ""
    cable_key: str = ""
    hub_keys: tuple[str, ...] = ()
    sharing: int = 1
    mode_key: str = ""
    link_ceiling_bytes_per_s: float = 0.0
    """Of the stated link mode."""
    link_bits_per_s: float = 0.0
    """As negotiated, read from the machine."""
    device: DeviceIdentity | None = None
    file_system: str = ""
    """As the catalog names it."""
    file_system_write_share: float | None = None
    is_encrypted: bool = False
    is_in_memory: bool = False
    is_over_network: bool = False
    is_direct: bool = True
    """Whether the host's memory had no part in it."""
    free_share: float | None = None
    """Of the device's capacity, free at the start."""
    ambient_c: float = math.nan
    cooling: str = ""
    other_cpu_share: float = 0.0
    other_tests: int = 0
    slept_s: float = 0.0
    stood_still_s: float = 0.0
    clock_set_s: float = 0.0
    is_ahead: bool = False
    """Whether it is dated later than the day on which it was looked at."""
    stated_by: str = ""
    """Where it was imported from; "" for one that was made here."""
    stated_doubt: str = ""
    """Why its own trace doesn't bear an imported run out; "" where it does."""
    unit_written_bytes: float | None = None
    """What had been written to the unit by then."""


@dataclass(frozen=True, slots=True)
class RecorderProof:
    """The outcome of one recorder test on a unit, with the conditions that decide its reach."""

    run_id: int
    measured_at: datetime
    is_simulated: bool
    is_complete: bool
    load_bytes_per_s: float
    duration_s: float
    buffer_bytes: int
    achieved_bytes_per_s: float
    slowest_second_ability_bytes_per_s: float
    frames_dropped: int
    worst_backlog_bytes: int
    conditions: RunConditions
    crest: float = math.inf
    """Worst second over the average of what was sent; infinite where the run didn't note it."""
    is_rehearsal: bool = False
    """Made on a rig in a cellar of real drives: it shows how a test goes, and proves nothing."""

    @property
    def unit_tag(self) -> str:
        """The unit that it was made on."""
        return self.conditions.unit_tag

    @property
    def is_passed(self) -> bool:
        """Whether no frame was lost."""
        return not self.frames_dropped
