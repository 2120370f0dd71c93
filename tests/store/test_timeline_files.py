"""Timelines: where each clip lies and how fast it is read; what is none is a sentence."""

import json
from pathlib import Path

import pytest

from timelines import clip, dissolve, gap, span, stack, timeline, track, write
from vastcellar.core.errors import BadFileError
from vastcellar.data import data_path
from vastcellar.store.timeline_files import read_timeline


def read(tmp_path, *tracks):
    """The clips of such tracks, by name: (start, end, speed)."""
    found = read_timeline(write(tmp_path / "cut.otio", timeline(*tracks)))
    return {each.name: (round(each.start_s, 6), round(each.end_s, 6), each.speed)
            for each in found.clips}  # fmt: skip


def test_clips_follow_each_other_and_gaps_are_not_read(tmp_path):
    """A for 12 s, nothing for 3, B for 5; on a second track C over both."""
    assert read(tmp_path, track(clip("A", 12), gap(3), clip("B", 5)), track(gap(7), clip("C", 9))) \
        == {"A": (0, 12, 1), "B": (15, 20, 1), "C": (7, 16, 1)}  # fmt: skip


def test_a_transition_reads_both_of_its_clips(tmp_path):
    """Half a second before the cut and one after it."""
    assert read(tmp_path, track(clip("A", 10), dissolve(0.5, 1.0), clip("B", 10))) == {
        "A": (0, 11, 1),
        "B": (9.5, 20, 1),
    }


def test_speed_is_read_faster_backwards_too_and_a_freeze_not_at_all(tmp_path):
    """Twice, half backwards, and a frame that stands."""
    made = timeline(track(clip("fast", 4, speed=2.0), clip("back", 4, speed=-0.5),
                          clip("still", 4, speed=0.0)))  # fmt: skip
    found = read_timeline(write(tmp_path / "cut.otio", made))
    assert {each.name: each.speed for each in found.clips} == {"fast": 2.0, "back": 0.5}
    assert found.left_out == ("still",)


def test_a_composition_inside_another_is_trimmed_and_sped_up_with_it(tmp_path):
    """Its second 2 to 6, at the outer 10 to 14: the inner cut at 5 falls at 13; at double speed
    its second 2 to 10 fill the same time."""
    inside = stack(track(clip("X", 5), clip("Y", 9)), trim=span(2, 4))
    assert read(tmp_path, track(gap(10), inside)) == {"X": (10, 13, 1), "Y": (13, 14, 1)}
    fast = stack(track(clip("X", 5), clip("Y", 9)), trim=span(2, 4))
    import opentimelineio as otio

    fast.effects.append(otio.schema.LinearTimeWarp(time_scalar=2.0))
    assert read(tmp_path, track(gap(10), fast)) == {"X": (10, 11.5, 2), "Y": (11.5, 14, 2)}


def test_a_deep_nest_of_stacks_is_walked_or_refused_but_never_endless(tmp_path):
    """Six levels are read; a file of brackets is one sentence."""
    part = clip("deep", 4)
    for _ in range(6):
        part = stack(track(part))
    assert list(read(tmp_path, track(part))) == ["deep"]
    (tmp_path / "brackets.otio").write_text("[" * 100_000)
    with pytest.raises(BadFileError):
        read_timeline(tmp_path / "brackets.otio")
    nested = '{"OTIO_SCHEMA": "Stack.1", "children": ['
    (tmp_path / "deeper.otio").write_text(nested * 3000 + "]}" * 3000)
    with pytest.raises(BadFileError, match="deep"):
        read_timeline(tmp_path / "deeper.otio")


def test_what_is_disabled_or_sound_is_known_as_such(tmp_path):
    """A clip that is switched off isn't read; sound keeps its track's kind."""
    off = clip("off", 3)
    off.enabled = False
    made = timeline(track(clip("on", 3), off), track(clip("s", 6), kind="Audio", name="A1"))
    found = read_timeline(write(tmp_path / "cut.otio", made))
    assert {each.name: each.is_audio for each in found.clips} == {"on": False, "s": True}
    assert [each.track for each in found.clips] == ["V1", "A1"]
    assert found.left_out == ("off",)


def test_media_is_found_beside_the_file_and_never_on_a_network(tmp_path):
    """A path, an address of a file with spaces, and an address that is somebody else's."""
    made = timeline(track(
        clip("rel", 1, media="media/a.mov"), clip("url", 1, media="file:///x/b%20c.mov"),
        clip("web", 1, media="https://example.org/c.mov"), clip("none", 1),
        clip("nul", 1, media="a%00b.mov"),
    ))  # fmt: skip
    found = {each.name: each.media for each in
             read_timeline(write(tmp_path / "cut.otio", made)).clips}  # fmt: skip
    assert found == {"rel": tmp_path / "media/a.mov", "url": Path("/x/b c.mov"), "web": None,
                     "none": None, "nul": None}  # fmt: skip


def test_odd_rates_keep_their_time(tmp_path):
    """24000/1001 and 29.97 frames a second: seconds, and frames a second as they are."""
    fps = 24000 / 1001
    made = timeline(track(clip("film", 10, fps=fps), clip("tv", 10, fps=30000 / 1001)))
    film, tv = read_timeline(write(tmp_path / "cut.otio", made)).clips
    assert (film.start_s, film.end_s) == (0, pytest.approx(10))
    assert film.frames_per_s == pytest.approx(fps)
    assert tv.end_s == pytest.approx(20)


def test_a_bare_track_is_a_cut_too(tmp_path):
    """Some programs export only that."""
    found = read_timeline(write(tmp_path / "t.otio", track(clip("A", 2), name="V1")))
    assert [each.name for each in found.clips] == ["A"]


def altered(tmp_path, change):
    """A cut of one clip whose JSON is changed."""
    path = write(tmp_path / "cut.otio", timeline(track(clip("A", 4))))
    content = json.loads(path.read_text())
    change(content["tracks"]["children"][0]["children"][0])
    path.write_text(json.dumps(content))
    return path


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda c: c["source_range"]["duration"].update(rate=0.0), "a time of"),
        (lambda c: c["source_range"]["duration"].update(rate=-25.0), "a time of|no clip"),
        (lambda c: c["source_range"]["duration"].update(value=1e12), "a time of"),
        (lambda c: c["source_range"]["duration"].update(value=0.0), "no clip that is read"),
        (lambda c: c["source_range"]["duration"].update(value=-9.0), "no clip that is read"),
        (lambda c: c.update(OTIO_SCHEMA="Clip"), "no timeline|something in it"),
        (lambda c: c.update(source_range=7), "no timeline|something in it"),
    ],
)
def test_times_that_cannot_be_are_one_sentence(tmp_path, change, says):
    """A rate of nothing or below, a week and more, no length, another type."""
    with pytest.raises(BadFileError, match=says):
        read_timeline(altered(tmp_path, change))


@pytest.mark.parametrize(
    ("text", "says"),
    [("", "not JSON"), ("[]", "no timeline|holds a"), ('{"a": 1}', "timeline"), ("7", "timeline"),
     ('{"OTIO_SCHEMA": "Marker.2"}', "no timeline"), ('{"OTIO_SCHEMA": "Nobody.9"}', "holds a"),
     ("\\x00\\xff", "not JSON")],
)  # fmt: skip
def test_what_is_no_timeline_is_one_sentence(tmp_path, text, says):
    """Empty, a list, another document, another object of the format, noise."""
    (tmp_path / "x.otio").write_text(text)
    with pytest.raises(BadFileError, match=says):
        read_timeline(tmp_path / "x.otio")
    with pytest.raises(BadFileError, match="no such file"):
        read_timeline(tmp_path / "gone.otio")


def test_an_empty_cut_and_a_very_long_one(tmp_path):
    """Nothing is one sentence; 24 hours of 2,000 clips are read."""
    with pytest.raises(BadFileError, match="no clip"):
        read_timeline(write(tmp_path / "empty.otio", timeline(track())))
    parts = [clip(f"c{n}", 43.2) for n in range(2000)]
    found = read_timeline(write(tmp_path / "day.otio", timeline(track(*parts))))
    assert len(found.clips) == 2000
    assert found.clips[-1].end_s == pytest.approx(86400)


@pytest.mark.parametrize("rate", ["fast", -5, 0, True, 1e30, None, float("nan")])
def test_a_rate_in_metadata_that_is_none_is_left_alone(tmp_path, rate):
    """A word, below nothing, more than anything: as if it weren't there."""
    made = clip("A", 4, rate=0)
    made.metadata["vast-cellar"] = {"bytes_per_s": rate}
    try:
        path = write(tmp_path / "cut.otio", timeline(track(made)))
        found = read_timeline(path)
    except BadFileError:
        return  # not a number at all: no JSON
    assert found.clips[0].bytes_per_s == (1.0 if rate is True else 0.0)


@pytest.mark.parametrize("name", ["slipway.shoot.json", "slipway.otio"])
def test_the_examples_are_the_demos_own(name):
    """What docs show is what the demo opens."""
    assert Path("docs/examples", name).read_text() == data_path("demo", name).read_text()
