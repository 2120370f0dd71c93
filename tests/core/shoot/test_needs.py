"""The worked numbers of the demo, and what must hold of every need."""

from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.formats import RecordingFormat, video_bytes_per_s
from vastcellar.core.shoot.needs import camera_need
from vastcellar.store.catalog_files import load_catalog

CODECS = load_catalog().codecs


def intra(quality="422hq", width_px=3840, height_px=2160, fps=Fraction(25), codec="rdd36"):
    return RecordingFormat(CODECS[codec], width_px, height_px, fps, quality=quality)


def test_camera_a_needs_what_the_worked_example_says(slipway):
    """Camera A against its worked example, from video rate to needed write speed."""
    need = camera_need(slipway.camera("A"))
    assert need.video_bytes_per_s * 8 / 1e6 == pytest.approx(1274.02, rel=1e-5)
    assert need.average_bytes_per_s / 1e6 == pytest.approx(159.83, rel=1e-4)
    assert need.bytes_per_hour / 1e9 == pytest.approx(575.4, rel=1e-4)
    assert need.peak_bytes_per_s / 1e6 == pytest.approx(239.45, rel=1e-4)
    assert need.needed_write_bytes_per_s / 1e6 == pytest.approx(287.35, rel=1e-4)
    assert need.seconds_per_medium / 60 == pytest.approx(104.3, rel=1e-3)


def test_the_other_cameras_too(slipway):
    """Cameras B, C and D against their worked figures."""
    b = camera_need(slipway.camera("B"))
    assert b.video_bytes_per_s * 8 / 1e6 == pytest.approx(737.4, rel=1e-3)
    assert b.video_bytes_per_s / 1e6 == pytest.approx(92.2, rel=1e-3)
    assert camera_need(slipway.camera("C")).average_bytes_per_s == pytest.approx(18.75e6)
    d = camera_need(slipway.camera("D"))
    assert d.video_bytes_per_s * 8 / 1e6 == pytest.approx(1990.7, rel=1e-4)


@pytest.mark.parametrize(
    ("quality", "width_px", "height_px", "fps", "mb_per_s"),
    [
        ("422hq", 1920, 1080, Fraction(30000, 1001), 220),
        ("422", 1920, 1080, Fraction(30000, 1001), 147),
        ("lt", 1920, 1080, Fraction(30000, 1001), 102),
        ("422hq", 3840, 2160, Fraction(24000, 1001), 707),
        ("422", 3840, 2160, Fraction(24000, 1001), 471),
        ("lt", 3840, 2160, Fraction(24000, 1001), 328),
    ],
)
def test_bits_a_pixel_give_the_published_target_rates(quality, width_px, height_px, fps, mb_per_s):
    """Bits a pixel land within 1.5 % of the published target rates."""
    rate = video_bytes_per_s(intra(quality, width_px, height_px, fps)) * 8 / 1e6
    assert rate == pytest.approx(mb_per_s, rel=0.015)


def test_uncompressed_422_packs_6_pixels_into_16_bytes():
    """Six pixels in sixteen bytes, as 4:2:2 10 bit is packed."""
    recording = intra("packed", 1920, 1080, codec="uncompressed-422-10")
    assert video_bytes_per_s(recording) == pytest.approx(1920 * 1080 * 25 * 16 / 6)


@given(fps=st.integers(1, 500), ratio=st.floats(1, 20))
def test_doubling_frames_doubles_intra_and_raw_but_not_a_menu_rate(fps, ratio):
    """Twice the frames is twice the rate, except where a menu fixes the rate."""
    raw = RecordingFormat(CODECS["raw-constant-rate"], 4096, 2160, Fraction(fps), ratio=ratio)
    menu = RecordingFormat(CODECS["h265-long"], 4096, 2160, Fraction(fps), menu_bits_per_s=150e6)
    for recording in (raw, intra(fps=Fraction(fps))):
        doubled = replace(recording, frames_per_s=Fraction(2 * fps))
        assert video_bytes_per_s(doubled) == pytest.approx(2 * video_bytes_per_s(recording))
    faster = replace(menu, frames_per_s=Fraction(2 * fps))
    assert video_bytes_per_s(faster) == video_bytes_per_s(menu)


@given(crest=st.floats(1, 5), headroom=st.floats(0, 2))
def test_the_need_is_never_below_the_average(slipway, crest, headroom):
    """Average, peak and need rise in that order for any crest and headroom."""
    camera = replace(slipway.camera("A"), crest=crest, headroom=headroom)
    need = camera_need(camera)
    assert need.average_bytes_per_s <= need.peak_bytes_per_s * (1 + 1e-12)
    assert need.peak_bytes_per_s <= need.needed_write_bytes_per_s * (1 + 1e-12)


@pytest.mark.parametrize(
    "change",
    [
        {"width_px": 0},
        {"height_px": 50_000},
        {"frames_per_s": Fraction(0)},
        {"quality": "ultra"},
        {"audio_channels": -1},
    ],
)
def test_a_format_that_cant_be_is_refused(change):
    """Formats with an impossible size, rate, quality or sound are refused."""
    with pytest.raises(BadValueError):
        replace(intra(), **change)
