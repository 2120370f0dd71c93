"""A clip's ends: the same however they are read, another for whatever differs in them."""

import random
from pathlib import Path

import pytest

from vastcellar.bench.copying.ends import END_BYTES, Ends, ends_buffer, ends_of_name
from vastcellar.bench.held_folder import HeldFolder


def whole(content, step):
    """Take *content* in as it goes by, *step* bytes at a time."""
    ends = Ends(len(content))
    for at in range(0, len(content), step):
        ends.take(memoryview(content[at : at + step]), at)
    return ends.hexdigest()


@pytest.mark.parametrize(
    "size", [0, 1, 4096, END_BYTES - 1, END_BYTES, END_BYTES + 1, 2 * END_BYTES, 3 * END_BYTES + 7]
)
def test_going_by_and_read_from_the_drive_they_are_one(tmp_path, size):
    """In blocks of any length, and by two reads past the memory."""
    content = random.Random(size).randbytes(size)
    (tmp_path / "clip").write_bytes(content)
    with HeldFolder.open(Path(tmp_path)) as folder:
        read = ends_of_name(folder, "clip", size, ends_buffer())
        assert ends_of_name(folder, "clip", size + 1, ends_buffer()) == ""
    assert read == whole(content, 4096) == whole(content, 100_000) == whole(content, size or 1)


def test_a_bit_in_either_end_makes_another_and_one_between_doesn_t():
    """That is what they are for, and how far they reach."""
    content = bytearray(random.Random(1).randbytes(3 * END_BYTES))
    known = whole(bytes(content), 4096)
    for at, is_same in ((0, False), (END_BYTES - 1, False), (END_BYTES + 5, True), (-1, False)):
        content[at] ^= 1
        assert (whole(bytes(content), 4096) == known) is is_same
        content[at] ^= 1
