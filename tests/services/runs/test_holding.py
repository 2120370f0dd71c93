"""What a measured drive holds: cameras of the shoot, or every format that is known."""

from dataclasses import replace

import numpy as np
import pytest

from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import Verdict
from vastcellar.core.recording.replay import USUAL_CACHE_BYTES, recordable
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.trace import Trace
from vastcellar.core.units import PLAIN
from vastcellar.services.runs.holding import held_cameras, held_sentence, held_words
from vastcellar.services.shoot.shoots import new_shoot


def trace_of(*levels):
    """Return a trace of (seconds, bytes per second) one after the other, a point every 0.25 s."""
    rates = np.concatenate([np.full(round(s * 4), rate / 4) for s, rate in levels])
    written = np.concatenate([[0.0], np.cumsum(rates)])
    elapsed = np.arange(written.size) * 0.25
    return Trace(elapsed, written, np.full(written.size, np.nan))


def test_cameras_of_the_shoot_stand_with_the_greatest_need_first(slipway, catalog):
    """Each camera once, by what it needs; a fast drive loses nothing for as long as was written."""
    held = held_cameras(trace_of((600, 2000e6)), slipway, catalog)
    assert {each.camera.key for each in held} == {each.key for each in slipway.cameras}
    needs = [each.need.needed_write_bytes_per_s for each in held]
    assert needs == sorted(needs, reverse=True)
    assert not any(each.could.loses_then for each in held)
    # 1200 GB are as long as the camera takes to record as many, up to a day.
    for each in held:
        as_long = min(1200e9 / each.need.average_bytes_per_s, 24 * 3600)
        assert each.could.seconds == pytest.approx(as_long, rel=0.01)
    assert held_sentence(held, PLAIN).startswith(f"No frame lost of any of {len(held)}, up to ")


def test_without_a_shoot_every_known_format_is_asked_once(catalog):
    """Two models set alike are one line, and the presets' own names stand there."""
    held = held_cameras(trace_of((20, 400e6)), new_shoot(), catalog)
    presets = {preset.name for model in catalog.cameras.values() for preset in model.presets}
    assert {each.name for each in held} == presets
    pairs = [(each.camera.recording.name, each.need.needed_write_bytes_per_s) for each in held]
    assert len(set(pairs)) == len(pairs)


def test_a_drop_under_the_need_is_told_with_its_time(slipway, catalog):
    """100 GB at 400 MB/s and then 30: the camera loses a frame once its bytes reach that."""
    held = held_cameras(trace_of((250, 400e6), (600, 30e6)), slipway, catalog)
    for each in held:
        average = each.need.average_bytes_per_s
        if average <= 30e6:
            assert not each.could.loses_then
            continue
        assert each.could.loses_then
        filled_s = each.camera.buffer_bytes / (average - 30e6)
        assert each.could.seconds == pytest.approx(100e9 / average + filled_s, rel=0.02)
        assert held_words(each, PLAIN) == f"a frame lost after {PLAIN.duration(each.could.seconds)}"
    words = held_sentence(held, PLAIN)
    lost = [each for each in held if each.could.loses_then]
    assert f"{lost[-1].name}: a frame lost after" in words or words.startswith("None of")


def test_a_take_that_the_trace_does_not_reach_is_not_said_to_hold(slipway, catalog):
    """Ten seconds of writing say nothing of a take of an hour: not known, and no promise."""
    camera = replace(slipway.cameras[0], longest_take_s=3600.0)
    shoot = replace(slipway, cameras=(camera,))
    (only,) = held_cameras(trace_of((10, 3000e6)), shoot, catalog)
    assert only.verdict is Verdict.NOT_KNOWN
    assert held_words(only, PLAIN).endswith("no frame lost: as far as was written")
    with pytest.raises(BadValueError, match="shorter than half a second"):
        held_cameras(trace_of((0.25, 3000e6)), shoot, catalog)


def test_what_is_too_slow_from_the_start_says_so(slipway, catalog):
    """A drive of 1 MB/s holds nothing, and the sentence says that of the least camera."""
    held = held_cameras(trace_of((60, 1e6)), slipway, catalog)
    assert all(each.could.loses_then for each in held)
    assert held_sentence(held, PLAIN).startswith(f"None of {len(held)} holds: ")
    assert held_sentence((), PLAIN) == ""


def test_a_run_that_the_buffer_could_have_stood_in_for_tells_nothing(catalog):
    """1.5 GB at 277 MB/s: no format of any rate is said to hold, and it is said what would tell."""
    held = held_cameras(trace_of((1.5e9 / 277e6, 277e6)), new_shoot(), catalog)
    told = [each for each in held if not each.could.loses_then]
    assert told and all(each.could.needs_bytes > 1.5e9 for each in told)
    words = held_sentence(held, PLAIN)
    assert "No frame lost" not in words and "oo short to tell for" in words
    assert all("too short to tell" in held_words(each, PLAIN) for each in told)


def test_a_drive_slower_than_the_camera_tells_once_its_buffer_is_full(slipway):
    """B / (R - r): just before that it is too short, at that it has told."""
    camera, rate = slipway.camera("A"), 100e6
    need = camera_need(camera)
    full_s = camera.buffer_bytes / (need.average_bytes_per_s - rate)
    before = recordable(trace_of((full_s * 0.8, rate)), camera, need)
    assert before.needs_bytes == pytest.approx(full_s * rate) and not before.loses_then
    after = recordable(trace_of((full_s * 1.3, rate)), camera, need)
    assert after.loses_then and not after.needs_bytes


def test_a_run_past_buffer_and_usual_cache_says_how_far_it_saw(slipway):
    """What it needs is buffer and fixed cache together, for a drive that is fast enough."""
    camera = replace(slipway.camera("A"), longest_take_s=3600.0)
    need = camera_need(camera)
    wanted = camera.buffer_bytes + USUAL_CACHE_BYTES
    assert recordable(trace_of((0.9 * wanted / 1e9, 1e9)), camera, need).needs_bytes == wanted
    assert not recordable(trace_of((1.1 * wanted / 1e9, 1e9)), camera, need).needs_bytes
