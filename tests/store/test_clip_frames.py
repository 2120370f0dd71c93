"""First and last pictures of clips: taken, kept by content, none of what is no clip."""

import io

import av
import numpy as np
import pytest

from clips import make_clip
from vastcellar.store.clip_frames import (
    FRAME_WIDTH_PX,
    EndFrames,
    keep_frames,
    kept_frames,
    read_end_frames,
)


def brightness(jpeg):
    """Mean value of a picture, and its width."""
    with av.open(io.BytesIO(jpeg)) as container:
        frame = next(container.decode(video=0))
        return float(np.mean(frame.to_ndarray(format="gray"))), frame.width


def fading(path, codec, frames, **options):
    """Write a clip that goes from black to white."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=25, options=options)
        stream.width, stream.height, stream.pix_fmt = 640, 360, "yuv420p"
        for number in range(frames):
            value = round(255 * number / (frames - 1))
            picture = np.full((360, 640, 3), value, dtype=np.uint8)
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        container.mux(stream.encode(None))
    return path


@pytest.mark.parametrize(("codec", "options"), [("mpeg4", {"g": "12"}), ("mpeg4", {"g": "600"})])
def test_first_and_last_are_the_clips_own(tmp_path, codec, options):
    """Black and white, whatever the distance of its key frames; small, whatever its size."""
    found = read_end_frames(fading(tmp_path / "a.mp4", codec, 75, **options))
    (first, width), (last, _) = brightness(found.first_jpeg), brightness(found.last_jpeg)
    assert first < 30 and last > 225
    assert width == FRAME_WIDTH_PX


def test_a_clip_of_one_picture_has_it_twice(tmp_path):
    """First and last are the same one."""
    make_clip(tmp_path / "one.mov", seconds=1, fps=1)
    found = read_end_frames(tmp_path / "one.mov")
    assert brightness(found.first_jpeg) == brightness(found.last_jpeg)


@pytest.mark.parametrize(
    "content", [b"", b"[" * 50_000, b"\x00\x00\x00\x18ftypmp42" + b"\xff" * 900]
)
def test_what_is_no_clip_has_no_pictures(tmp_path, content):
    """Empty, brackets, a head without a body: nothing is raised."""
    (tmp_path / "a.mov").write_bytes(content)
    assert read_end_frames(tmp_path / "a.mov") is None
    assert read_end_frames(tmp_path / "gone.mov") is None


def test_a_clip_cut_off_in_the_middle_does_not_stop_the_log(tmp_path):
    """Whatever can be decoded, or nothing."""
    whole = fading(tmp_path / "a.mkv", "mpeg4", 75, g="5")
    (tmp_path / "b.mkv").write_bytes(whole.read_bytes()[: whole.stat().st_size // 2])
    found = read_end_frames(tmp_path / "b.mkv")
    assert found is None or brightness(found.first_jpeg)[0] < 30


def test_they_are_kept_by_content_and_only_once(workplace):
    """A thousand asked for at once; kept again in place of what was there."""
    cellar = workplace.cellar
    for number in range(3):
        keep_frames(cellar, f"d{number}", EndFrames(b"a", bytes([number])))
    keep_frames(cellar, "d1", EndFrames(b"n", b"m"))
    found = kept_frames(cellar, [*(f"d{number}" for number in range(1200)), ""])
    assert sorted(found) == ["d0", "d1", "d2"]
    assert found["d1"] == EndFrames(b"n", b"m")
