"""Tests that run on one disk at the same time know of each other: each announces itself."""

from __future__ import annotations

from vastcellar.bench.announcing import announce, announced, own_token

_PREFIX = "vast-cellar-test"


class RunningTest:
    """This test's announcement, for as long as it is open."""

    def __init__(self, disk_name: str) -> None:
        self._on_disk = f"{_PREFIX}/{disk_name}/"
        self._token = own_token()
        self._announced = announce(self._on_disk + self._token)

    def others(self) -> int:
        """Return how many other tests run on the same disk now."""
        return len(announced(self._on_disk) - {self._token})

    def close(self) -> None:
        """Take the announcement back."""
        self._announced.close()


def count_running_tests(disk_name: str) -> int:
    """Return how many tests run on the disk *disk_name* now."""
    return len(announced(f"{_PREFIX}/{disk_name}/"))
