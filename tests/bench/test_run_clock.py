"""Time in which the test's own process stood still is noted, and none of the drive's."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time

from vastcellar.bench.running_tests import RunningTest, count_running_tests

RECORDS = """
import json, sys
from fractions import Fraction
from pathlib import Path
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.recorder_run import RecorderRun
from vastcellar.core.recording.recorder import RecorderLoad
load = RecorderLoad(4e6, Fraction(25), 64_000_000, 1.5)
run = RecorderRun(load, FolderTarget(Path(sys.argv[1]), Path(sys.argv[2])))
for snapshot in run.snapshots():
    print(snapshot.moved_bytes, flush=True)
result = run.result
print(json.dumps({"elapsed_s": result.elapsed_s, "dropped": result.frames_dropped,
                  "worst_delay_s": result.worst_delay_s,
                  "still_s": result.disturbances.stood_still_s,
                  "notes": result.disturbances.notes()}))
"""


def test_a_suspended_test_notes_it_and_charges_the_drive_with_nothing(tmp_path):
    """Ctrl+Z for three seconds in the middle of a take of a second and a half."""
    process = subprocess.Popen(
        [sys.executable, "-c", RECORDS, str(tmp_path), str(tmp_path / "notes")],
        stdout=subprocess.PIPE,
        text=True,
    )
    while int(process.stdout.readline()) == 0:
        pass
    os.kill(process.pid, signal.SIGSTOP)
    time.sleep(3)  # the suspension itself, not a wait for something
    os.kill(process.pid, signal.SIGCONT)
    told = json.loads(process.communicate()[0].splitlines()[-1])
    assert told["still_s"] > 2.5
    assert told["dropped"] == 0
    assert told["elapsed_s"] < told["still_s"] + 1.5
    assert "was suspended" in told["notes"][0]


def test_two_tests_on_one_disk_know_of_each_other_until_one_ends():
    """Each counts the others, not itself; a third on another disk is none of theirs."""
    first, second, elsewhere = RunningTest("8:1"), RunningTest("8:1"), RunningTest("8:17")
    try:
        assert (first.others(), second.others(), elsewhere.others()) == (1, 1, 0)
        assert count_running_tests("8:1") == 2
        second.close()
        assert first.others() == 0
    finally:
        for each in (first, second, elsewhere):
            each.close()
    assert count_running_tests("8:1") == 0
