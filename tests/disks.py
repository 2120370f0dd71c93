"""Real disks of a test's own: loop mounts, where that is allowed."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from vastcellar.devices.behind import Behind


def quietly(*command: str) -> subprocess.CompletedProcess[str]:
    """Run *command*; raises where it fails."""
    return subprocess.run(command, capture_output=True, check=True, text=True)


def turn_read_only(disk: Path) -> None:
    """Do what the kernel does after an error on the disk: open writers get EROFS, too."""
    loop = quietly("findmnt", "-no", "SOURCE", str(disk)).stdout.strip()
    Path("/sys/fs/ext4", Path(loop).name, "trigger_fs_error").write_text("test")


def let_loops_be_drives(monkeypatch: pytest.MonkeyPatch) -> None:
    """Let each loop device stand for a drive of its own, as the images all lie on one here."""

    def as_drive(_self: object, place: Path, _number: str) -> Behind:
        return Behind(drives=frozenset({place.name}))

    monkeypatch.setattr("vastcellar.devices.behind._Follower._loop", as_drive)


@contextmanager
def loop_disk(
    folder: Path, name: str, size_bytes: int = 192 * 2**20, system: str = "ext4"
) -> Iterator[Path]:
    """Yield the mount point of a small disk; the test is skipped where that isn't allowed."""
    image, mount_point = folder / f"{name}.img", folder / name
    mount_point.mkdir()
    if os.geteuid() != 0:
        pytest.skip("mounting a disk needs root")
    with image.open("wb") as handle:
        handle.truncate(size_bytes)
    try:
        if system == "ext4":
            quietly("mkfs.ext4", "-q", str(image))
            quietly("mount", "-o", "loop,errors=remount-ro", str(image), str(mount_point))
        else:
            quietly(f"mkfs.{system}", str(image))
            try:
                quietly("mount", "-t", system, "-o", "loop", str(image), str(mount_point))
            except subprocess.CalledProcessError:  # not in this kernel: as a program, then
                loop = quietly("losetup", "--find", "--show", str(image)).stdout.strip()
                quietly(f"mount.{system}-fuse", loop, str(mount_point))
    except (OSError, subprocess.CalledProcessError) as error:
        pytest.skip(f"no loop mounts here: {error}")
    try:
        yield mount_point
    finally:
        subprocess.run(["umount", "-l", str(mount_point)], capture_output=True, check=False)
        loops = subprocess.run(["losetup", "-j", str(image)], capture_output=True, text=True,
                               check=False).stdout  # fmt: skip
        for line in loops.splitlines():  # a mount by a program lets its loop device be
            subprocess.run(["losetup", "-d", line.split(":")[0]], check=False)
