"""Clips: a clip made here gives its own rate back; what isn't a clip is a sentence."""

import shutil
from dataclasses import replace
from fractions import Fraction

import av
import numpy as np
import pytest

from clips import HEIGHT, WIDTH, make_clip
from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.evidence import Evidence
from vastcellar.core.shoot.needs import camera_need
from vastcellar.services.shoot.clips import measure_clips, with_measured
from vastcellar.store.clip_files import read_clip, read_header


def test_a_clip_gives_its_own_rate_back(tmp_path):
    """A clip's rate by second is the rate that it was encoded at."""
    path = tmp_path / "A 001 ü.mov"
    by_second = make_clip(path)
    clip = read_clip(path)
    assert (clip.width_px, clip.height_px, clip.frames_per_s) == (WIDTH, HEIGHT, Fraction(25))
    assert clip.duration_s == pytest.approx(6, rel=1e-3)
    assert clip.average_bytes_per_s == pytest.approx(path.stat().st_size / 6, rel=0.01)
    assert clip.worst_second_bytes == pytest.approx(by_second.max(), rel=0.01)
    assert clip.worst_second_bytes > 2 * clip.average_bytes_per_s


def test_a_folder_of_clips_becomes_the_proved_rate_of_its_format(tmp_path, slipway):
    """A folder of clips gives the proved rate over all of them."""
    make_clip(tmp_path / "1.mov", busy=range(0))
    make_clip(tmp_path / "2.mov", busy=range(6))
    (tmp_path / "notes.txt").write_text("not a clip")
    measured = measure_clips(tmp_path)
    size = sum(p.stat().st_size for p in tmp_path.glob("*.mov"))
    assert measured.clips == 2
    assert measured.average_bytes_per_s == pytest.approx(size / 12, rel=0.01)
    assert measured.easiest_bytes_per_s < measured.average_bytes_per_s
    assert measured.hardest_bytes_per_s > measured.average_bytes_per_s

    recording = replace(slipway.camera("A").recording, width_px=WIDTH, height_px=HEIGHT)
    camera = with_measured(replace(slipway.camera("A"), recording=recording, second=None), measured)
    need = camera_need(camera)
    assert need.evidence is Evidence.PROVED
    assert need.average_bytes_per_s == pytest.approx(size / 12, rel=0.01)
    assert need.peak_bytes_per_s == measured.worst_second_bytes_per_s
    # Another format is not answered for by these clips.
    faster = replace(camera, recording=replace(recording, frames_per_s=Fraction(50)))
    assert camera_need(faster).evidence is Evidence.COMPUTED
    with pytest.raises(BadValueError, match="320 x 180 at 25, camera A is set to 6144 x 3456"):
        with_measured(slipway.camera("A"), measured)


def test_slow_motion_is_counted_in_the_time_of_recording(tmp_path, slipway):
    """240 frames shot in a second play for 9.6 s: the medium saw them in one."""
    path = tmp_path / "slow.mov"
    make_clip(path, busy=range(6))
    recording = replace(slipway.camera("D").recording, width_px=WIDTH, height_px=HEIGHT)
    camera = with_measured(replace(slipway.camera("D"), recording=recording), measure_clips(path))
    rate = camera_need(camera).average_bytes_per_s
    assert rate == pytest.approx(path.stat().st_size / 6 * 9.6, rel=0.01)


def test_clips_of_different_pictures_are_not_mixed(tmp_path):
    """Clips of two frame sizes are not averaged."""
    make_clip(tmp_path / "1.mov", seconds=1)
    make_clip(tmp_path / "2.mov", seconds=1, height=240)
    with pytest.raises(BadValueError, match=r"1\.mov shows 320 x 180 at 25, 2\.mov shows 320 x 24"):
        measure_clips(tmp_path)


def test_what_is_no_clip_is_a_sentence(tmp_path):
    """Half a clip, a text, sound alone and an empty folder are told apart."""
    whole = tmp_path / "whole.mov"
    make_clip(whole, seconds=2)
    broken = tmp_path / "broken.mov"
    broken.write_bytes(whole.read_bytes()[: whole.stat().st_size // 2])
    text = tmp_path / "text.mov"
    text.write_text("no clip at all")
    sound = tmp_path / "sound.wav"
    with av.open(str(sound), "w") as container:
        stream = container.add_stream("pcm_s16le", rate=48000, layout="mono")
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 4800), dtype=np.int16), layout="mono")
        frame.sample_rate = 48000
        container.mux(stream.encode(frame))
    empty = tmp_path / "empty"
    empty.mkdir()
    for place, says in (
        (tmp_path / "missing.mov", "can't be read"),
        (broken, "can't be read as a clip"),
        (text, "can't be read as a clip"),
        (sound, "has no picture"),
        (empty, "no clip in this folder"),
    ):
        with pytest.raises(BadFileError, match=says):
            measure_clips(place)
    shutil.rmtree(empty)


def test_a_codec_is_called_as_its_standard_calls_it(tmp_path):
    """By the library's number, not by the name that somebody sells it under."""
    path = tmp_path / "clip.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("mpeg2video", rate=25)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        for _ in range(5):
            frame = av.VideoFrame.from_ndarray(np.zeros((180, 320, 3), np.uint8), format="rgb24")
            container.mux(stream.encode(frame))
        container.mux(stream.encode())
    header = read_header(path, "clip.mp4")
    assert (header.codec, header.width_px, header.frames_per_s) == ("MPEG-2", 320, 25)


def bare(size_code):
    """Three heads of bare H.263 pictures, as any bytes may happen to hold them."""
    bits = "0" * 16 + "100000" + "0" * 8 + "10" + "000" + f"{size_code:03b}" + "0" * 5 + "1" * 5
    return (int(bits, 2).to_bytes(5, "big") + b"\x11" * 3000) * 3


@pytest.mark.parametrize(
    "content", [b"", b"\0" * 300, b"not a clip at all", bare(7), bare(3), b"\x11" * 999 + bare(3)]
)
def test_what_is_no_clip_has_no_header(tmp_path, content):
    """Empty, of nothing, of text, what passes for a bare stream; a folder, a missing file."""
    (tmp_path / "x.mov").write_bytes(content)
    assert read_header(tmp_path / "x.mov", "x") is None
    assert read_header(tmp_path, "x") is None
    assert read_header(tmp_path / "gone.mov", "x") is None
