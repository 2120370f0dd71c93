"""An edit plan over the catalog: the boathouse's store, its cut, what would help, its sums."""

import math
from dataclasses import replace
from pathlib import Path

import pytest

from clips import make_clip
from timelines import clip, gap, timeline, track, write
from vastcellar.core.edit.edit_store import StageKind
from vastcellar.core.errors import BadFileError, BadValueError, UnknownPartError
from vastcellar.core.evidence import Verdict
from vastcellar.core.shoot.edit_plan import Beside, EditPlan, StoreSetup, StreamSetup
from vastcellar.core.units import PLAIN
from vastcellar.services.edit.edit_planning import plan_edit
from vastcellar.services.edit.edit_sums import edit_sums
from vastcellar.services.edit.edit_wording import (
    compare_rows,
    cut_text,
    headline,
    help_lines,
    help_title,
    limit_line,
    months_line,
    position,
    rebuild_line,
    store_line,
)
from vastcellar.services.edit.helping import HelpKind, helps_for
from vastcellar.services.edit.plans import edit_in_file
from vastcellar.services.edit.stores import build_store, load_of
from vastcellar.services.edit.timelines import SOUND_BYTES_PER_S, timeline_demand

EXAMPLES = Path("docs/examples")


@pytest.fixture
def plan():
    """The boathouse."""
    return edit_in_file(EXAMPLES / "boathouse.edit.json")


@pytest.fixture
def edit(plan, catalog):
    """What comes of it."""
    return plan_edit(plan, catalog, None, EXAMPLES)


def test_the_boathouse_holds_one_stream_and_its_port_is_why(edit):
    """Four disks could five, the dock of SSDs ten and the single disk just two."""
    assert [each.ladder.held for each in edit.stores] == [1, 5, 10, 2]
    first = edit.chosen
    assert first.ladder.limit.kind is StageKind.PORT
    assert first.verdict is Verdict.FALLS_SHORT
    assert [each.verdict for each in edit.stores[1:]] == [
        Verdict.HOLDS, Verdict.HOLDS, Verdict.TIGHT]  # fmt: skip
    assert first.rebuild.seconds / 3600 == pytest.approx(24.7, abs=0.05)
    assert first.rebuild.unreadable_risk == pytest.approx(0.175, abs=0.0005)
    assert first.months.full_after_months == pytest.approx(5.0)
    assert first.store.array.usable_bytes == 24e12
    assert edit.notes == ()


def test_the_cut_is_late_where_its_overlaps_are_long(edit):
    """Only on gigabit; the worst place is named with its clips, and it is one of both cameras."""
    first, ten = edit.stores[:2]
    assert ten.played.late == ()
    worst = first.played.worst
    assert worst.frames > 50 and any(name.startswith("B") for name in worst.clips)
    second = edit.cut.demand.worst_second
    assert second.read_bytes == pytest.approx(2 * 92.17e6)
    assert {name[0] for name in second.clips} == {"A", "B"}


def test_a_disk_less_and_the_array_slows_while_it_is_rebuilt(edit):
    """With 10G the rebuild leaves three of five streams; what no copy protects plays on or not."""
    assert edit.stores[1].rebuilding.held == 3
    assert math.isinf(edit.stores[2].rebuild.seconds)


def test_what_helps_comes_first_and_what_does_not_last(edit, catalog):
    """The port's own 10G and proxies hold; SSDs behind gigabit are money for nothing."""
    helps = helps_for(edit, catalog, None)
    kinds = [each.kind for each in helps]
    assert set(kinds[:2]) == {HelpKind.FASTER_PORT, HelpKind.PROXIES}
    assert all(each.planned.verdict is Verdict.HOLDS for each in helps[:2])
    assert kinds[-1] is HelpKind.SSDS and not helps[-1].helps and helps[-1].price > 0
    ahead = next(each for each in helps if each.kind is HelpKind.READ_AHEAD)
    assert ahead.planned.ladder.held == 1
    assert ahead.planned.played.late_frames < edit.chosen.played.late_frames
    for each in helps:
        assert help_title(each)
        assert all(help_lines(each, edit.chosen, PLAIN))


def test_a_help_that_is_taken_is_the_plan_that_was_shown(edit, catalog):
    """Its plan planned anew comes to the same streams and the same verdict."""
    for each in helps_for(edit, catalog, None):
        if each.kind is HelpKind.PROXIES:
            continue  # the cut's own clips stay as they are until they are linked to proxies
        again = plan_edit(each.plan, catalog, None, EXAMPLES).chosen
        assert again.ladder.held == each.planned.ladder.held
        assert again.verdict is each.planned.verdict
        assert again.played.late_frames == pytest.approx(each.planned.played.late_frames)


def test_another_disk_in_a_free_bay_spreads_what_is_there(plan, catalog):
    """Three of four bays filled: the fourth makes it wider and emptier."""
    three = replace(plan.stores[1], disk_keys=("kelmarsh-dray-8",) * 3)
    made = plan_edit(replace(plan, stores=(three,), chosen=""), catalog, None, EXAMPLES)
    more = next(each for each in helps_for(made, catalog, None)
                if each.kind is HelpKind.MORE_DISKS)  # fmt: skip
    assert more.planned.ladder.held > made.chosen.ladder.held
    assert more.planned.store.filled_share == pytest.approx(0.3)


def test_streams_are_a_cameras_as_recorded_as_proxy_or_faster(slipway, catalog, plan):
    """A's raw with its sound; its proxy; B at double speed; a proxy that nobody records."""

    def stream(**changes):
        return load_of(replace(plan, stream=StreamSetup(**changes)), slipway).stream

    assert stream(camera_key="A").bytes_per_s == pytest.approx(159.83e6, rel=1e-3)
    assert stream(camera_key="A", is_proxy=True).bytes_per_s < 2e6
    double = stream(camera_key="B", speed=2.0)
    assert double.bytes_per_s == pytest.approx(2 * stream(camera_key="B").bytes_per_s)
    assert double.frames_per_s == 50
    with pytest.raises(BadValueError, match="records no proxy"):
        stream(camera_key="B", is_proxy=True)
    with pytest.raises(BadValueError, match="no shoot is open"):
        load_of(replace(plan, stream=StreamSetup(camera_key="A")), None)


def test_slow_motion_is_played_at_its_projects_rate(slipway, catalog, plan):
    """D records 240 frames a second and plays 25 of them."""
    recorded = slipway.camera("D").recording
    stream = load_of(replace(plan, stream=StreamSetup(camera_key="D")), slipway).stream
    if recorded.project_frames_per_s:
        assert stream.frames_per_s == float(recorded.project_frames_per_s)
    assert stream.bytes_per_s <= 249e6


def test_a_month_brings_what_the_shoot_records_where_nothing_is_said(slipway, catalog, plan):
    """All copies' bytes of its six days."""
    from vastcellar.core.shoot.shoot_plan import plan_shoot

    made = plan_edit(replace(plan, growth=type(plan.growth)()), catalog, slipway, EXAMPLES)
    added = made.chosen.months.used_bytes[1] - made.chosen.months.used_bytes[0]
    assert added == pytest.approx(float(plan_shoot(slipway).copied_bytes.sum()))


@pytest.mark.parametrize(
    ("changes", "error", "says"),
    [
        ({"level": "raid-7"}, BadValueError, "no way to put disks together"),
        ({"disk_keys": ("kelmarsh-dray-8",) * 5}, BadValueError, "has 4 bays"),
        ({"disk_keys": ("nobody",) * 4}, UnknownPartError, "nobody"),
        ({"box_key": "nobody"}, UnknownPartError, "nobody"),
        ({"port_mode": "usb-10g"}, BadValueError, "no link 'usb-10g'"),
        ({"port_mode": "eth-9g", "box_key": ""}, UnknownPartError, "no link 'eth-9g'"),
        ({"desk_mode": "eth-9g"}, UnknownPartError, "no link 'eth-9g'"),
        ({"disk_keys": ("kelmarsh-dray-8",)}, BadValueError, "needs 3"),
    ],
)
def test_a_store_that_cannot_be_is_one_sentence(plan, catalog, changes, error, says):
    """And beside others it is a note: they stand."""
    wrong = replace(plan.stores[0], **changes)
    with pytest.raises(error, match=says):
        build_store(wrong, catalog)
    made = plan_edit(replace(plan, stores=(wrong, *plan.stores[1:])), catalog, None, EXAMPLES)
    assert len(made.stores) == 3 and says in made.notes[0]
    assert made.chosen is None


def test_every_stage_is_on_the_way(catalog):
    """Decrypted at the store and over two networks; what is typed in counts."""
    made = build_store(
        StoreSetup("x", "raid-1", ("kelmarsh-dray-8",) * 2, "sedgeway-loft-4", "", "eth-10g",
                   "eth-2.5g", encrypted_by="store", encryption_bytes_per_s=9e8,
                   window_bytes=65536, round_trip_s=1e-3),
        catalog,
    )  # fmt: skip
    assert [(s.kind, s.is_per_desk) for s in made.stages] == [
        (StageKind.ENCRYPTION, False), (StageKind.PORT, False), (StageKind.DESK, True)]  # fmt: skip
    assert made.stages[2].bytes_per_s == pytest.approx(65.536e6)
    assert made.round_trip_s == 1e-3
    desk = build_store(
        StoreSetup(
            "y",
            disk_keys=("kelmarsh-flat-4",),
            port_mode="usb-10g",
            encrypted_by="desk",
            encryption_bytes_per_s=3e8,
        ),
        catalog,
    )
    assert desk.narrowest.kind is StageKind.ENCRYPTION
    assert desk.round_trip_s == 0
    jumbo = build_store(StoreSetup("z", "raid-1", ("kelmarsh-dray-8",) * 2, "sedgeway-loft-2", "",
                                   "eth-1g-jumbo"), catalog)  # fmt: skip
    assert jumbo.stages[0].bytes_per_s > 111e6


def test_work_beside_is_part_of_the_plan(plan, catalog):
    """A render of 100 MB/s on the disks leaves fewer streams at 10G."""
    busy = replace(plan, chosen="N-01 at 10G", beside=(Beside("render", 100e6),))
    made = plan_edit(busy, catalog, None, EXAMPLES)
    assert made.chosen.ladder.held < 5
    assert "beside: render" in str(edit_sums(made.chosen, PLAIN)["edit-disks"])


def test_rates_come_from_metadata_then_media_then_the_format_named(tmp_path):
    """A clip here gives its own rate; one that isn't takes the named one; sound is little."""
    make_clip(tmp_path / "here.mov", seconds=4)
    size = (tmp_path / "here.mov").stat().st_size
    path = write(tmp_path / "cut.otio", timeline(
        track(clip("meta", 2), clip("media", 2, rate=0, media="here.mov"),
              clip("gone", 2, rate=0, media="gone.mov"), clip("none", 2, rate=0)),
        track(clip("own sound", 2, rate=0), kind="Audio"),
        track(gap(2), clip("its sound", 2, rate=0, media="here.mov"), kind="Audio"),
    ))  # fmt: skip
    with pytest.raises(BadValueError, match="2 of 6 clips have neither media here nor a rate"):
        timeline_demand(path)
    found = timeline_demand(path, 50e6)
    rates = {each.name: each.bytes_per_s for each in found.demand.clips}
    assert rates == {"meta": 92.17e6, "media": pytest.approx(size / 4, rel=0.01), "gone": 50e6,
                     "none": 50e6, "own sound": SOUND_BYTES_PER_S}  # fmt: skip
    assert dict(found.known_by) == {"its metadata": 1, "its media": 1, "the format named": 2,
                                    "sound": 1}  # fmt: skip
    assert found.missing_media == 3
    silent = timeline_demand(path, 50e6, with_sound=False)
    assert len(silent.demand.clips) == 4


def test_a_pipe_in_the_place_of_media_holds_nobody_up(tmp_path):
    """Nor does a folder: it is missing."""
    import os

    os.mkfifo(tmp_path / "pipe.mov")
    (tmp_path / "folder.mov").mkdir()
    path = write(
        tmp_path / "cut.otio",
        timeline(
            track(clip("p", 1, rate=0, media="pipe.mov"), clip("f", 1, rate=0, media="folder.mov"))
        ),
    )
    assert timeline_demand(path, 9e6).missing_media == 2


def test_a_cut_that_cannot_be_read_is_a_note_and_the_ladder_stands(plan, catalog, tmp_path):
    """Gone, or no timeline."""
    made = plan_edit(replace(plan, timeline="gone.otio"), catalog, None, tmp_path)
    assert made.cut is None and "no such file" in made.notes[0]
    assert made.chosen.played is None and made.chosen.ladder.held == 1
    with pytest.raises(BadFileError):
        timeline_demand(tmp_path / "gone.otio")


def test_a_plan_without_a_store_says_what_to_do(catalog):
    """Nothing can be played from nothing."""
    with pytest.raises(BadValueError, match="Add one"):
        plan_edit(EditPlan(), catalog)


def test_it_is_told_in_words(edit):
    """Headline, limit, safety, months, the cut; the sketch's own figures among them."""
    first = edit.chosen
    assert headline(first) == "Holds one stream of UHD 422 HQ at 25; 2 wanted"
    told = limit_line(first, PLAIN)
    assert "its 1 GbE port, not the disks: 110 MB/s against 535 MB/s" in told
    assert "frames of the cut are late at 5 places" in told
    assert rebuild_line(first, PLAIN).startswith(
        "24.7 h to rebuild a disk, one stream meanwhile; risk that a sector can't be read: 17.5 %"
    )
    assert "takes what is on it along" in rebuild_line(edit.stores[2], PLAIN)
    assert "takes everything on it along" in rebuild_line(edit.stores[3], PLAIN)
    assert months_line(first, PLAIN) == "Full in 5.0 months, 10 % kept free."
    assert store_line(first) == '4 × Kelmarsh Dray 8 TB 3.5", RAID 5'
    assert cut_text(edit.cut, PLAIN).startswith("Slipway cut 3: 48 min, 280 clips")
    assert [position(s) for s in (0, 59.6, 1868, 3729)] == ["0:00", "1:00", "31:08", "1:02:09"]


def test_every_figure_of_the_comparison_has_a_value_for_each_store(edit):
    """Side by side: streams, safety, waiting, price."""
    rows = {row.name: row.values for row in compare_rows(edit, PLAIN)}
    assert all(len(values) == 4 and all(values) for values in rows.values())
    assert rows["Streams held"] == ("1", "5", "10", "2")
    assert rows["Risk of a lost sector then"] == ("17.5 %", "17.5 %", "100 %", "100 %")
    assert rows["To rebuild a disk"][2:] == ("not at all", "not at all")


def test_every_sum_adds_up_to_what_is_shown(edit):
    """Held, disks, rebuild, jump, months, store and the late place: each ends in its figure."""
    sums = edit_sums(edit.chosen, PLAIN)
    assert set(sums) == {"edit-held", "edit-disks", "edit-rebuild", "edit-jump", "edit-months",
                         "edit-store", "edit-late", "edit-ingest"}  # fmt: skip
    assert any(line.label == "held" and line.value == "1" for line in sums["edit-held"].lines)
    assert sums["edit-disks"].lines[-1].value == "534.9 MB/s"
    assert sums["edit-rebuild"].lines[0].value == "24.7 h"
    assert sums["edit-months"].lines[-1].value == "5.0 months"
    assert sums["edit-late"].title.endswith("comes late")
    bare = edit_sums(edit.stores[2], PLAIN)
    assert "edit-late" not in bare and bare["edit-rebuild"].lines[0].value == "lost"


def test_a_copy_onto_it_is_told_twice_as_its_program_says_and_as_it_is(edit):
    """Over gigabit memory has no part in it; onto one disk the program is done 8 GB before."""
    first, disk = edit.stores[0], edit.stores[3]
    assert first.ingest.flushed_s == pytest.approx(0.5e12 / first.store.narrowest.bytes_per_s)
    assert disk.ingest.program_s < disk.ingest.flushed_s
    lines = {line.label: line.value for line in edit_sums(disk, PLAIN)["edit-ingest"].lines}
    assert lines["on the disks"] == PLAIN.duration(round(disk.ingest.flushed_s))
    assert lines["its program says it's done"] == PLAIN.duration(round(disk.ingest.program_s))


def test_an_ingest_fills_caches_and_warms_what_is_written_to(plan, catalog):
    """A bare fast SSD grows too hot within half a TB, and its sum says when; behind a slow hub the
    same one never does, and one that is too full for it is compared as empty."""
    hot = StoreSetup("Hot", "single", ("kelmarsh-vane-2",))
    behind = replace(hot, name="Behind", hub_key="sedgeway-berth-4", port_mode="usb-5g")
    full = replace(behind, name="Full", used_share=0.95)
    edit = plan_edit(replace(plan, stores=(hot, behind, full), chosen="", timeline=""), catalog)
    first, second, third = edit.stores
    assert first.ingest.throttles_after_s < first.ingest.flushed_s
    told = {line.label: line.value for line in edit_sums(first, PLAIN)["edit-ingest"].lines}
    assert told["its disks grow too hot"].startswith("after ")
    assert math.isinf(second.ingest.throttles_after_s)
    assert "its disks grow too hot" not in {
        line.label for line in edit_sums(second, PLAIN)["edit-ingest"].lines
    }
    assert second.ingest.flushed_s > first.ingest.flushed_s
    assert third.ingest.flushed_s == pytest.approx(second.ingest.flushed_s, rel=0.02)
