"""What is mounted where, from the kernel's own table."""

from __future__ import annotations

import re
from dataclasses import dataclass

from vastcellar.devices.system import System, read_text

_TABLE = "proc/self/mountinfo"
_MOST_BYTES = 4 * 2**20
_ESCAPED = re.compile(r"\\([0-7]{3})")
_LEAST_FIELDS, _LEAST_TAIL = 6, 2


@dataclass(frozen=True, slots=True)
class MountLine:
    """One mounted file system."""

    mount_id: str
    """The kernel's own number of this mount: an open file says by which it was reached."""
    device_number: str
    mount_point: str
    options: str
    file_system: str
    source: str

    @property
    def is_read_only(self) -> bool:
        """Whether nothing can be written there."""
        return "ro" in self.options.split(",")


def read_mount_table(system: System) -> tuple[MountLine, ...]:
    """Return what *system* has mounted, in the order in which it was; broken lines are left out.

    Source: proc_pid_mountinfo(5): id, parent, major:minor, root, mount point, options, optional
    fields, "-", type, source, options of the file system.
    """
    text = read_text(system.path(_TABLE), _MOST_BYTES)
    return tuple(line for row in text.splitlines() if (line := _line(row)) is not None)


def _line(row: str) -> MountLine | None:
    head, found, tail = row.partition(" - ")
    fields, rest = head.split(" "), tail.split(" ")
    if not found or len(fields) < _LEAST_FIELDS or len(rest) < _LEAST_TAIL:
        return None
    own = f",{rest[2]}" if len(rest) > _LEAST_TAIL else ""
    return MountLine(
        mount_id=fields[0],
        device_number=fields[2],
        mount_point=_plain(fields[4]),
        options=f"{fields[5]}{own}",
        file_system=rest[0],
        source=_plain(rest[1]),
    )


def _plain(text: str) -> str:
    """The kernel writes blanks, tabs, line feeds and backslashes as octal numbers of bytes."""
    raw = _ESCAPED.sub(lambda found: chr(int(found[1], 8) & 0xFF), text)
    return raw
