"""The mark looked at every second: it changes with what is plugged, and waits for nobody."""

import os
import threading
import time

from computers import shipped
from vastcellar.devices.changes import plug_mark
from vastcellar.devices.patience import within
from vastcellar.devices.system import System


def test_the_mark_stays_while_nothing_changes_and_follows_what_does(tmp_path):
    """A disk that comes, a card that is changed in its reader, a mount: each is another mark."""
    system = shipped("card-reader", tmp_path)
    marks = [plug_mark(system)]
    assert plug_mark(system) == marks[0]
    disk = system.path("sys/block/sdz")
    disk.mkdir(parents=True)
    (disk / "size").write_text("0\n")
    marks.append(plug_mark(system))
    (disk / "size").write_text("125042688\n")
    marks.append(plug_mark(system))
    table = system.path("proc/self/mountinfo")
    table.write_text(table.read_text() + "99 1 8:1 / /media/b rw - ext4 /dev/sdz1 rw\n")
    marks.append(plug_mark(system))
    (disk / "size").unlink()
    disk.rmdir()
    marks.append(plug_mark(system))
    assert len(set(marks)) == len(marks)


def test_a_computer_without_any_tree_has_a_mark_too(tmp_path):
    """An empty folder, and this very computer, whatever it shows: no error, the same twice."""
    assert plug_mark(System(tmp_path)) == plug_mark(System(tmp_path))
    assert plug_mark(System()) == plug_mark(System())


def test_what_never_answers_is_left_and_not_asked_again():
    """A dead share: given up in time, one thread for it and no more, asked anew once it answers."""
    free = threading.Event()
    asked = []

    def dead():
        asked.append(1)
        free.wait(30)
        return 7

    begun = time.monotonic()
    assert within(0.05, "/mnt/dead", dead) is None
    assert within(0.05, "/mnt/dead", dead) is None
    assert time.monotonic() - begun < 5
    assert len(asked) == 1
    assert within(5, "/mnt/other", lambda: 3) == 3
    free.set()
    deadline = time.monotonic() + 5
    while any(each.name == "asks /mnt/dead" for each in threading.enumerate()):
        assert time.monotonic() < deadline
        time.sleep(0.01)
    assert within(5, "/mnt/dead", dead) == 7
    assert within(5, "/mnt/gone", lambda: os.statvfs("/nowhere/at/all")) is None
