"""Kept awake by a stand-in of the login service: held while we copy, let go whatever happens."""

import subprocess
import sys
import time

import pytest

from vastcellar.devices import awake

HOLDS = """#!/bin/sh
echo "$@" > {place}/asked
touch {place}/held
for last; do :; done
"$last"
rm {place}/held
"""


@pytest.fixture
def service(tmp_path, monkeypatch):
    """A stand-in that holds a lock as long as what it was given runs."""

    def make(text):
        tool = tmp_path / "systemd-inhibit"
        tool.write_text(text.format(place=tmp_path))
        tool.chmod(0o755)
        monkeypatch.setattr(awake, "_TOOL_PATHS", f"{tmp_path}:/usr/bin:/bin")
        return tmp_path

    return make


def until(what):
    """Wait for something that another process does."""
    for _ in range(500):
        if what():
            return True
        time.sleep(0.01)
    return False


def test_the_lock_is_held_while_we_copy_and_let_go_after(service):
    """Asked for sleep and idle, as a block, with a reason; gone when the copy is over."""
    place = service(HOLDS)
    with awake.kept_awake("a card is copied") as held:
        assert until((place / "held").exists)
        assert held.look() == ""
    assert not (place / "held").exists()
    asked = (place / "asked").read_text()
    assert "--what=sleep:idle" in asked
    assert "--mode=block" in asked
    assert "--why=a card is copied" in asked


def test_a_process_that_is_killed_leaves_no_lock(service):
    """SIGKILL in the middle: the holder reads the end of its input, and lets go by itself."""
    place = service(HOLDS)
    code = (
        "import time\nfrom vastcellar.devices import awake\n"
        f"awake._TOOL_PATHS = '{place}:/usr/bin:/bin'\n"
        "with awake.kept_awake('x'):\n    time.sleep(60)\n"
    )
    with subprocess.Popen([sys.executable, "-c", code]) as process:
        assert until((place / "held").exists)
        process.kill()
    assert until(lambda: not (place / "held").exists())


def test_a_service_that_refuses_is_said(service):
    """No session, no rights: the copy goes on, and it is told that nothing keeps it awake."""
    service("#!/bin/sh\nexit 1\n")
    with awake.kept_awake("x") as held:
        assert until(lambda: held.look() == "the login service doesn't keep it from sleeping")


def test_a_computer_without_one_is_said(tmp_path, monkeypatch):
    """Nothing is started."""
    monkeypatch.setattr(awake, "_TOOL_PATHS", str(tmp_path))
    with awake.kept_awake("x") as held:
        assert held.look() == "nothing on this computer keeps it from sleeping"
