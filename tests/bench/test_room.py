"""Copies tell each other what room they need, in other processes too."""

import subprocess
import sys

from vastcellar.bench.copying.room import RoomTaken, room_taken

HERE = "test-file-system"
CHILD = f"""
import sys
from vastcellar.bench.copying.room import RoomTaken
room = RoomTaken()
room.tell({{"{HERE}": 5000}})
print("told", flush=True)
sys.stdin.read()
"""


def test_what_is_still_needed_shrinks_and_goes_with_its_copy():
    """Renewed it is the newer figure; other file systems have none; closed it is gone."""
    with RoomTaken() as room:
        room.tell({HERE: 1000, "another": 7})
        room.tell({HERE: 400})
        assert room_taken(HERE) == 400 and room_taken("another") == 7
        assert room_taken("test-file") == 0
        assert room_taken(HERE, before=room.token) == 0
        with RoomTaken() as second:
            second.tell({HERE: 10})
            assert room_taken(HERE, before=second.token) == 400
            assert room_taken(HERE) == 410
    assert room_taken(HERE) == 0


def test_another_process_counts_until_it_is_killed():
    """A copy that is killed keeps no room."""
    with subprocess.Popen(
        [sys.executable, "-c", CHILD], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    ) as child:
        child.stdout.readline()
        assert room_taken(HERE) == 5000
        child.kill()
        child.wait()
    assert room_taken(HERE) == 0
