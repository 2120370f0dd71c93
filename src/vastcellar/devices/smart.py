"""What a drive counts about itself, as ``smartctl`` reads it where it is installed and allowed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from vastcellar.devices.system import System, one_line, whole_number

NVME_DATA_UNIT_BYTES = 512_000
"""NVM Express base specification, SMART log page: data units are thousands of 512 bytes."""
_HOTTEST_C = 200


@dataclass(frozen=True, slots=True)
class SmartSeen:
    """None where the drive, the bridge or the system doesn't tell; *why_not* says so in words."""

    written_bytes: int | None = None
    worn_share: float | None = None
    """Of the drive's own account of its endurance; it may pass 1."""
    temperature_c: float | None = None
    power_on_hours: int | None = None
    why_not: str = ""


def read_smart(system: System, name: str) -> SmartSeen:
    """Return what the disk *name* says; asks ``smartctl`` and never wakes a disk that sleeps."""
    if not system.has("smartctl"):
        return SmartSeen(why_not="smartctl is not installed")
    # -n standby: a disk at rest is not spun up for a look at it.
    asked = ("--json", "-n", "standby", "-i", "-A", "-l", "devstat", f"/dev/{name}")
    answer = system.ask("smartctl", asked, made_up_as=f"smartctl/{name}")
    return _seen(answer)


def _seen(answer: dict[str, Any]) -> SmartSeen:
    nvme = _table(answer, "nvme_smart_health_information_log")
    units = _count(nvme, "data_units_written")
    celsius = _count(_table(answer, "temperature"), "current")
    hours = _count(_table(answer, "power_on_time"), "hours")
    worn = _count(nvme, "percentage_used")
    if worn is None:
        worn = _count(_table(answer, "endurance_used"), "current_percent")
    written = units * NVME_DATA_UNIT_BYTES if units is not None else _sectors_written(answer)
    is_silent = written is None and worn is None and celsius is None and hours is None
    return SmartSeen(
        written_bytes=written,
        worn_share=worn / 100 if worn is not None else None,
        temperature_c=float(celsius) if celsius is not None and celsius < _HOTTEST_C else None,
        power_on_hours=hours,
        why_not=_why_not(answer) if is_silent else "",
    )


def _sectors_written(answer: dict[str, Any]) -> int | None:
    """ATA device statistics, page 1: logical sectors written, by the standard.

    The attribute 241 of many drives is left alone: its unit is each maker's own.
    """
    for page in _list(_table(answer, "ata_device_statistics"), "pages"):
        for row in _list(page, "table"):
            if isinstance(row, dict) and row.get("name") == "Logical Sectors Written":
                sectors = _count(row, "value")
                size = whole_number(answer.get("logical_block_size")) or 512
                return sectors * size if sectors is not None else None
    return None


def _why_not(answer: dict[str, Any]) -> str:
    told = [
        one_line(entry.get("string"))
        for entry in _list(_table(answer, "smartctl"), "messages")
        if isinstance(entry, dict)
    ]
    first = next((text for text in told if text), "")
    if "ermission denied" in first:
        return "SMART may be read by root only"
    return first or "the drive doesn't tell"


def _table(found: dict[str, Any], key: str) -> dict[str, Any]:
    inside = found.get(key)
    return inside if isinstance(inside, dict) else {}


def _list(found: object, key: str) -> list[Any]:
    inside = found.get(key) if isinstance(found, dict) else None
    return inside if isinstance(inside, list) else []


def _count(found: dict[str, Any], key: str) -> int | None:
    value = found.get(key)
    if not isinstance(value, int) or isinstance(value, bool):
        return None
    return value if 0 <= value < 2**64 else None
