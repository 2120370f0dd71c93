"""A card and a folder to copy it into."""

import os
import random

import pytest

from services.roll.copied_folders import MB


@pytest.fixture
def card(tmp_path):
    """A card with clips large and small, an empty file, a sparse one, and awkward names."""
    made = tmp_path / "card"
    (made / "DCIM" / "100").mkdir(parents=True)
    (made / "empty folder").mkdir()
    draw = random.Random(7)
    for name, size in (("DCIM/100/C0001.MP4", 9 * MB + 17), ("DCIM/100/C0002.MP4", 5 * MB),
                       ("DCIM/100/C0001.XML", 3001), ("nothing", 0),
                       ("DCIM/grüße\n\\ clip.mov", 70_000)):  # fmt: skip
        (made / name).write_bytes(draw.randbytes(size))
    with (made / "sparse.raw").open("wb") as file:
        file.truncate(40 * MB)
        file.seek(20 * MB + 5120)
        file.write(b"in the middle of nothing")
    with (made / "comb.raw").open("wb") as file:  # more pieces than blocks go round
        file.truncate(2 * MB)
        for at in range(0, 2 * MB, 16384):
            file.seek(at)
            file.write(b"tooth")
    os.utime(made / "DCIM/100/C0001.MP4", ns=(10**18, 10**18 + 123_456_000))
    (made / "DCIM/100/C0002.MP4").chmod(0o440)
    return made


@pytest.fixture
def target(tmp_path):
    """An empty folder to copy into."""
    (tmp_path / "target").mkdir()
    return tmp_path / "target"
