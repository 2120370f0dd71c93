"""Letting a device go, with a disk service that stands in for the desktop's."""

import pytest

from vastcellar.core.errors import DiskError
from vastcellar.devices import unplugging


@pytest.fixture
def service(tmp_path, monkeypatch):
    """Put a script in the place of the service's tool; it writes down what it was asked."""
    asked = tmp_path / "asked"

    def say(script):
        tool = tmp_path / "bin" / "udisksctl"
        tool.parent.mkdir(exist_ok=True)
        tool.write_text(f'#!/bin/sh\necho "$@" >> "{asked}"\n{script}\n')
        tool.chmod(0o755)
        monkeypatch.setattr(unplugging, "_TOOL_PATHS", str(tool.parent))
        return asked

    return say


def test_everything_is_unmounted_before_the_power_goes(service):
    """In order: every volume, then the device; as one word each, whatever stands in a name."""
    asked = service("exit 0")
    assert unplugging.can_let_go()
    unplugging.let_go("/dev/sdb", ["/dev/sdb1", "/dev/sd b2; x"], powers_off=True)
    assert asked.read_text().splitlines() == [
        "unmount --no-user-interaction -b /dev/sdb1",
        "unmount --no-user-interaction -b /dev/sd b2; x",
        "power-off --no-user-interaction -b /dev/sdb",
    ]


def test_a_file_that_is_open_keeps_the_power_on(service):
    """What the service says is handed on, and nothing after it is asked."""
    asked = service('case "$1" in unmount) echo "Error: target is busy" >&2; exit 1;; esac')
    with pytest.raises(DiskError, match="it didn't unmount: Error: target is busy"):
        unplugging.let_go("/dev/sdb", ["/dev/sdb1", "/dev/sdb2"], powers_off=True)
    assert len(asked.read_text().splitlines()) == 1


def test_without_a_service_it_is_said(tmp_path, monkeypatch):
    """No tool: the sentence; a service that never answers: given up in time, with its sentence."""
    monkeypatch.setattr(unplugging, "_TOOL_PATHS", str(tmp_path))
    assert not unplugging.can_let_go()
    with pytest.raises(DiskError, match="no disk service"):
        unplugging.let_go("/dev/sdb", ["/dev/sdb1"], powers_off=False)


def test_a_service_that_never_answers_is_given_up(service, monkeypatch):
    """A dead bus doesn't hold anybody up for longer than a slow card may take."""
    service("exec sleep 30")
    monkeypatch.setattr(unplugging, "_FLUSH_S", 0.2)
    with pytest.raises(DiskError, match="TimeoutExpired"):
        unplugging.let_go("/dev/sdb", ["/dev/sdb1"], powers_off=False)
