"""Prove in the real window: flat-out tests, the cause at its place, compare, replay, saved runs."""

from __future__ import annotations

import errno
import json
import os
from dataclasses import replace
from pathlib import Path

import pytest
from pypdf import PdfReader
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit

from vastcellar.bench.edit_run import EditPlan
from vastcellar.bench.flat_run import FlatPlan
from vastcellar.bench.probe import Shape
from vastcellar.core.protocols.amounts import Amount
from vastcellar.services.runs.measured_runs import measured_runs
from windows import start_in_folder


def choose(page, kind: str) -> None:
    page.form.choose(kind)


ROOM_BYTES = 627e9
"""Free of the demo's M-03."""


def enter(field, text):
    field.setText(text)
    field.setModified(True)
    field.editingFinished.emit()


def run_on_rig(app, qtbot, kind: str, size_bytes: int, tag: str = ""):
    if tag:
        app.workbench.assign("A", tag)
        qtbot.waitUntil(lambda: app.workbench.judgement.chain.parts.name == tag)
    page = app.window.station("prove").measure
    page.form.target.rig_choice.setChecked(True)
    page.form.asked = Amount(size_bytes)
    choose(page, kind)
    before = len(app.workbench.shelf.records)
    qtbot.mouseClick(page.form.start_button, Qt.MouseButton.LeftButton)
    # A click that changes nothing is no offer: while a test runs, no other can be begun.
    assert app.jobs.is_busy and not page.form.start_button.isEnabled()
    qtbot.waitUntil(lambda: not app.jobs.is_busy)
    qtbot.waitUntil(lambda: len(app.workbench.shelf.records) > before)
    return page


@pytest.fixture
def subject_a(app, monkeypatch):
    # As fast as it goes: what is tested here is not how long a rig is watched.
    monkeypatch.setattr(
        "vastcellar.services.proving.planned_kinds.rig_speed", lambda _s: float("inf")
    )
    app.workbench.document.choose("A")
    return app


def test_a_plan_says_bytes_time_and_wear_before_anything_is_written(subject_a, qtbot):
    """Bytes, time and wear are announced before the start."""
    page = subject_a.window.station("prove").measure
    page.form.asked = Amount(400_000_000_000)
    choose(page, "write")
    qtbot.waitUntil(lambda: "Writes 400 GB" in page.form.plan_line.text())
    text = page.form.plan_line.text()
    assert "min" in text
    assert "of its rated endurance" in text
    assert "Simulated: nothing is written" in text
    assert page.mode_line.text() == "not run yet"
    assert page.form.amount.isVisibleTo(page)
    assert not page.form.take.isVisibleTo(page)


def test_a_collapse_is_named_at_its_place_and_kept_with_its_cause(subject_a, qtbot, tmp_path):
    """The cause is named at its place, kept with the run and saved in three formats."""
    page = run_on_rig(subject_a, qtbot, "write", 300_000_000_000)
    qtbot.waitUntil(lambda: "cache ran out" in page.results.cause_line.text())
    assert "Nothing is said beyond the 300 GB seen" in page.results.cause_line.text()
    assert page.results.flat_rate.text.endswith("MB/s")
    run = measured_runs(subject_a.workbench.shelf.records)[0]
    assert (run.kind, run.unit_tag, run.is_simulated) == ("write", "M-03", True)
    assert run.causes == ["cache"]
    # Simulated runs wear nothing.
    unit = subject_a.workbench.shelf.unit("M-03")
    page.save_run(tmp_path / "run.json")
    page.save_run(tmp_path / "run.csv")
    page.save_run(tmp_path / "run.pdf")
    saved = json.loads((tmp_path / "run.json").read_text())
    assert saved["diagnosis"]["causes"] == ["cache"]
    assert saved["trace"]["written_bytes"][-1] == saved["figures"]["write"]["moved_bytes"]
    head, *rows = (tmp_path / "run.csv").read_text().splitlines()
    assert head == "elapsed_s,written_bytes,temperature_c"
    assert len(rows) == len(saved["trace"]["elapsed_s"])
    report = PdfReader(tmp_path / "run.pdf").pages[0].extract_text()
    assert "Simulated" in report
    assert "cache ran out" in report
    assert unit.written_bytes == subject_a.workbench.shelf.unit("M-03").written_bytes
    page.save_run(tmp_path / "run.doc")
    assert "end in .pdf, .csv or .json" in page.form.message.text()
    assert not (tmp_path / "run.doc").exists()


def test_a_long_test_that_ends_unseen_is_told(subject_a, qtbot, monkeypatch):
    """A long test that ends behind another window is announced."""
    monkeypatch.setattr("vastcellar.ui.shell.notify._LONG_S", 0.0)
    monkeypatch.setattr(subject_a.window, "isActiveWindow", lambda: False)
    run_on_rig(subject_a, qtbot, "burst", 1)
    assert subject_a.window._end_notice.told == "Burst test of A on M-03 has ended"
    cellar = subject_a.window.station("cellar").shelf_page
    cellar.shelf.choose("M-03")
    assert cellar.card.runs.index(0, 1).data() == "burst, simulated"
    assert cellar.card.runs.index(0, 3).data().endswith("MB")
    assert cellar.card.runs.index(0, 4).data() == "too short to say"


def test_runs_are_compared_and_what_differs_is_said(subject_a, qtbot):
    """Two runs side by side, with the conditions that differ."""
    run_on_rig(subject_a, qtbot, "write", 60_000_000_000)
    run_on_rig(subject_a, qtbot, "write", 60_000_000_000, tag="K-05")
    station = subject_a.window.station("prove")
    qtbot.mouseClick(station.tabs[1], Qt.MouseButton.LeftButton)
    page = station.compare
    # In our colours before anything is drawn: it was black until then.
    assert page.plot.backgroundBrush().color() == subject_a.look.color("panel")
    qtbot.waitUntil(lambda: len(page.traces) == 2)
    assert "differ in" in page.message.text()
    assert "enclosure" in page.message.text()
    rows = [page.medians.index(row, 0).data() for row in range(page.medians.rowCount())]
    assert rows == ["K-05 · write", "M-03 · write"]
    assert "four of each would tell" in page.medians.index(1, 5).data()
    first = page.picks.index(0)
    unticked = Qt.CheckState.Unchecked
    assert page.picks.setData(first, unticked.value, Qt.ItemDataRole.CheckStateRole)
    assert page.medians.rowCount() == 1
    page.by_time.setChecked(True)
    x, _ = page.plot.listDataItems()[0].getData()
    assert x[-1] < 60  # minutes, not GB


def test_four_runs_of_each_are_ticked_at_once_and_tell_a_difference(subject_a, qtbot):
    """Each unit's runs share a colour and a name; two more than fit are not ticked."""
    run_on_rig(subject_a, qtbot, "write", 60_000_000_000)
    run_on_rig(subject_a, qtbot, "write", 60_000_000_000, tag="K-05")
    workbench, cellar = subject_a.workbench, subject_a.workbench.workplace.cellar
    for tag, count in (("M-03", 3), ("K-05", 9)):
        made = next(each for each in cellar.runs() if each.unit_tag == tag)
        for number in range(count):
            write = made.figures["write"]
            rate = write["bytes_per_s"] * (1 + (number + 1) / 100)
            figures = made.figures | {"write": write | {"bytes_per_s": rate}}
            cellar.add_run(replace(made, figures=figures), cellar.trace_csv(made.run_id))
    workbench.units.reload()
    qtbot.waitUntil(lambda: len(workbench.shelf.records) == 14)
    station = subject_a.window.station("prove")
    qtbot.mouseClick(station.tabs[1], Qt.MouseButton.LeftButton)
    page = station.compare
    for row in range(3):  # ticked by themselves: the newest three
        assert page.picks.setData(page.picks.index(row), Qt.CheckState.Unchecked.value,
                                  Qt.ItemDataRole.CheckStateRole)  # fmt: skip
    for tag, ticked in (("M-03", 4), ("K-05", 12)):
        row = next(n for n, run in enumerate(measured_runs(workbench.shelf.records))
                   if run.unit_tag == tag)  # fmt: skip
        page.list.setCurrentIndex(page.picks.index(row))
        qtbot.mouseClick(page.alike, Qt.MouseButton.LeftButton)
        assert len(page.picks.ticked) == ticked
    qtbot.waitUntil(lambda: len(page.traces) == 12)
    against = page.medians.index(1, 5).data()
    assert page.medians.index(1, 0).data() == "K-05 · write"
    assert against.endswith(", real") and against.startswith("+")
    colors = {item.opts["pen"].color().name() for item in page.plot.listDataItems()}
    assert len(colors) == 2


def test_one_run_answers_every_camera(subject_a, qtbot):
    """One run answers for all four cameras, and says where it falls short."""
    run_on_rig(subject_a, qtbot, "write", 300_000_000_000)
    station = subject_a.window.station("prove")
    qtbot.mouseClick(station.tabs[2], Qt.MouseButton.LeftButton)
    page = station.replay
    qtbot.waitUntil(lambda: len(page.answers) == 4)
    texts = [text.text() for _, text in page.answers]
    assert texts[0].startswith("A Main: short")
    assert "the first frame lost after" in texts[0]
    assert texts[2].startswith("C Air: holds")


def test_a_real_folder_is_written_read_back_and_left_clean(subject_a, qtbot, tmp_path: Path):
    """A flat test of a real folder from the window leaves it empty."""
    disk = tmp_path / "disk"
    disk.mkdir()
    page = subject_a.window.station("prove").measure
    page.form.target.folder_choice.setChecked(True)
    page.form.target.folder_field.setText(str(disk))
    page.form.asked = Amount(64_000_000)
    choose(page, "read")
    enter(page.form.target.drive_field, "41")
    qtbot.waitUntil(lambda: "free" in page.form.plan_line.text())
    written = subject_a.workbench.shelf.unit("M-03").written_bytes
    start_in_folder(page)
    assert not page.form.start_button.isEnabled()  # one test at a time
    qtbot.waitUntil(lambda: not subject_a.jobs.is_busy)
    assert page.form.start_button.isEnabled()
    result = subject_a.jobs.current.result
    assert result.read.first_wrong_at is None
    assert page.results.flat_read.text != "–"
    assert list(disk.iterdir()) == []
    qtbot.waitUntil(lambda: subject_a.workbench.shelf.unit("M-03").written_bytes > written)
    assert subject_a.workbench.shelf.unit("M-03").written_bytes == written + result.written_bytes
    assert subject_a.workbench.shelf.records[0].conditions["drive_c"] in (41.0, result_c(result))


def result_c(result):
    """What a sensor told at the start, where there is one: it outweighs what was typed."""
    return float(result.write.trace.temperature_c[0])


@pytest.mark.parametrize(
    ("typed", "planned", "ends"),
    [
        ("2 min", "Writes at most", lambda run: run.write.elapsed_s == pytest.approx(120, abs=2)),
        ("5 %", "Writes", lambda run: 0.048 < run.write.moved_bytes / ROOM_BYTES < 0.051),
        ("until steady up to 1 h", "rounds of 30 s are steady",
         lambda run: run.became_steady_s and run.write.elapsed_s < 3600),
    ],
)  # fmt: skip
def test_how_much_is_written_may_be_a_time_a_share_or_until_steady(
    subject_a, qtbot, typed, planned, ends
):
    """Time, share and steadiness each become a plan and a run."""
    page = subject_a.window.station("prove").measure
    choose(page, "write")
    enter(page.form.amount, typed)
    qtbot.waitUntil(lambda: planned in page.form.plan_line.text())
    qtbot.mouseClick(page.form.start_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not subject_a.jobs.is_busy)
    assert subject_a.jobs.current.result.is_complete
    assert ends(subject_a.jobs.current.result)


def test_two_folders_are_compared_by_turns_and_the_difference_is_said(
    subject_a, qtbot, tmp_path: Path, monkeypatch
):
    """Two folders in turns end with a difference that is more than chance or not."""
    offered = "vastcellar.services.proving.planned_tests"
    small = FlatPlan("burst", 8 * 2**20, shape=Shape(2**20, 2), reads_back=True)
    monkeypatch.setattr(f"{offered}.burst_plan", lambda: small)
    monkeypatch.setattr(f"{offered}.USUAL_TURNS", 3)
    disks = tmp_path / "disk a", tmp_path / "disk b"
    for disk in disks:
        disk.mkdir()
    page = subject_a.window.station("prove").measure
    choose(page, "turns")
    qtbot.waitUntil(lambda: "Real folder" in page.form.message.text())
    page.form.target.folder_choice.setChecked(True)
    page.form.target.folder_field.setText(str(disks[0]))
    for other, says in ((disks[0], "the same folder"), (tmp_path / "gone", "gone")):
        page.form.other.setText(str(other))
        page.form.plan()
        qtbot.waitUntil(lambda says=says: says in page.form.message.text())
    page.form.other.setText(str(disks[1]))
    page.form.plan()
    qtbot.waitUntil(lambda: "3 turns of" in page.form.plan_line.text())
    start_in_folder(page)
    qtbot.waitUntil(lambda: not subject_a.jobs.is_busy)
    assert "difference" in page.results.cause_line.text()
    assert "In the order A B B A A B" in page.results.evidence_line.text()
    qtbot.waitUntil(lambda: len(subject_a.workbench.shelf.records) == 3)
    assert not [*disks[0].iterdir(), *disks[1].iterdir()]
    page.save_run(tmp_path / "turns.json")
    saved = json.loads((tmp_path / "turns.json").read_text())
    assert saved["figures"]["order"] == list("ABBAAB")
    page.save_run(tmp_path / "turns.pdf")
    assert (tmp_path / "turns.pdf").read_bytes().startswith(b"%PDF")


def test_streams_are_compared_by_turns_and_drawn_as_streams(
    subject_a, qtbot, tmp_path: Path, monkeypatch
):
    """Editing in A and in B by turns: the plan says how many, the picture counts streams, the
    first folder's turns are kept, and the report has every turn."""
    offered = "vastcellar.services.proving.planned_tests"
    tiny = EditPlan(4e5, 25.0, 1, step_s=0.3, jumps_per_minute=400, scrubs_per_minute=0, clip_s=1)
    monkeypatch.setattr(f"{offered}.usual_edit_plan", lambda *_: tiny)
    disks = tmp_path / "plain", tmp_path / "encrypted"
    for disk in disks:
        disk.mkdir()
    page = subject_a.window.station("prove").measure
    choose(page, "edit turns")
    page.form.target.folder_choice.setChecked(True)
    page.form.target.folder_field.setText(str(disks[0]))
    page.form.other.setText(str(disks[1]))
    page.form.plan()
    qtbot.waitUntil(lambda: "5 turns of up to" in page.form.plan_line.text())
    assert page.form.edit.isVisibleTo(page) and page.form.other.isVisibleTo(page)
    start_in_folder(page)
    qtbot.waitUntil(lambda: not subject_a.jobs.is_busy)
    assert "Streams: " in page.results.cause_line.text()
    assert "first frame" in page.results.evidence_line.text()
    assert page.turns._unit == 1.0 and len(page.turns._turns) == 10
    qtbot.waitUntil(lambda: len(subject_a.workbench.shelf.records) == 5)
    assert {each.kind for each in subject_a.workbench.shelf.records} == {"edit"}
    page.save_run(tmp_path / "turns.json")
    saved = json.loads((tmp_path / "turns.json").read_text())
    assert saved["figures"]["kind"] == "edit" and saved["figures"]["order"] == list("ABBAABBAAB")
    page.save_run(tmp_path / "turns.pdf")
    assert (tmp_path / "turns.pdf").read_bytes().startswith(b"%PDF")
    assert not [*disks[0].iterdir(), *disks[1].iterdir()]


def test_a_disk_that_fills_up_leaves_its_sentence_standing_and_its_run_kept(
    subject_a, qtbot, tmp_path: Path, monkeypatch
):
    """Shelf and verdicts are made anew afterwards; the sentence goes when the next test begins."""
    disk, written, real = tmp_path / "disk", [], os.pwrite
    disk.mkdir()

    def full(handle, data, at):
        written.append(len(data))
        if sum(written) > 40e6:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return real(handle, data, at)

    class AtHome:
        """In place of a process of its own, where the disk can't be patched."""

        def __class_getitem__(cls, _result):
            return lambda make, *args: make(*args)

    monkeypatch.setattr("vastcellar.services.proving.flat_proving.ApartRun", AtHome)
    page = subject_a.window.station("prove").measure
    page.form.target.folder_choice.setChecked(True)
    page.form.target.folder_field.setText(str(disk))
    page.form.asked = Amount(400_000_000)
    choose(page, "write")
    qtbot.waitUntil(page.form.start_button.isEnabled)
    with monkeypatch.context() as patched:
        patched.setattr(os, "pwrite", full)
        start_in_folder(page)
        qtbot.waitUntil(lambda: not subject_a.jobs.is_busy)
    assert page.form.start_button.isEnabled()
    qtbot.waitUntil(lambda: len(subject_a.workbench.shelf.records) == 1)
    qtbot.wait(300)  # whatever is judged and planned anew afterwards
    assert "the disk is full" in page.form.message.text()
    assert not subject_a.workbench.shelf.records[0].is_complete
    assert list(disk.iterdir()) == []
    choose(page, "burst")
    assert "the disk is full" not in page.form.message.text()


def test_an_amount_that_is_none_stays_as_typed_with_its_sentence(subject_a):
    """A bad amount stays as typed, with its sentence, and starts nothing."""
    page = subject_a.window.station("prove").measure
    choose(page, "write")
    enter(page.form.amount, "plenty")
    assert page.form.amount.text() == "plenty"
    assert "plenty" in page.form.message.text()
    enter(page.form.target.drive_field, "900")
    assert "no drive's temperature" in page.form.message.text()


def test_a_cooling_pair_waits_for_hands_decides_and_calibrates_the_unit(subject_a, qtbot):
    """The cooling pair asks for hands, names the cause and calibrates."""
    app, page = subject_a, subject_a.window.station("prove").measure
    page.form.target.rig_choice.setChecked(True)
    page.form.choose("protocol cooling-pair")
    qtbot.waitUntil(lambda: "rest" in page.form.plan_line.text())
    text = page.form.plan_line.text()
    assert text.startswith("Writes up to 5") and "of its rated endurance" in text
    assert text.count("write 2") == 2
    qtbot.mouseClick(page.form.start_button, Qt.MouseButton.LeftButton)
    for asked in ("The drive must be cool and idle", "Put a fan on the case"):
        qtbot.waitUntil(lambda asked=asked: asked in page.hands.text.text())
        qtbot.waitUntil(lambda: page.hands.isVisibleTo(page))
        qtbot.waitUntil(lambda: "your turn" in app.window.job_strip.text.text())
        qtbot.mouseClick(page.hands.go_on, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not app.jobs.is_busy)
    assert not page.hands.isVisibleTo(page)
    assert "Its fast cache ran out after 15" in page.results.cause_line.text()
    assert "with a fan it came after the same bytes" in page.results.evidence_line.text()
    assert "kept as runs 1 to 2 of M-03" in page.mode_line.text()

    qtbot.mouseClick(page.calibrate_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "is calibrated" in page.results.model_line.text())
    line = page.results.model_line.text()
    assert "1 simulated run" in line and "it had a fan on the case" in line
    match = app.window.station("match")
    qtbot.waitUntil(lambda: "fitted to its own simulated runs" in match.verdict.evidence.text())
    cellar = app.window.station("cellar").shelf_page
    cellar.shelf.choose("M-03")
    assert "calibrated on 1 simulated run" in cellar.card.line.text()
    assert cellar.card.runs.index(0, 1).data() == "write (cooling-pair), simulated"
    qtbot.mouseClick(cellar.card.forget_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "typical figures" in match.verdict.evidence.text())
    assert not cellar.card.forget_button.isVisibleTo(cellar)


def test_a_unit_slower_than_its_class_is_foretold_once_it_is_calibrated(subject_a, qtbot):
    """After calibration the next run is foretold by the unit's own figures."""
    page = run_on_rig(subject_a, qtbot, "write", 300_000_000_000, tag="K-10")
    qtbot.waitUntil(lambda: "slower than predicted" in page.results.model_line.text())  # fmt: skip
    qtbot.mouseClick(page.calibrate_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "K-10 is calibrated" in page.results.model_line.text())  # fmt: skip
    qtbot.waitUntil(lambda: subject_a.workbench.shelf.unit("K-10").fitted is not None)  # fmt: skip
    page = run_on_rig(subject_a, qtbot, "write", 300_000_000_000)
    qtbot.waitUntil(lambda: "as predicted" in page.results.model_line.text())


def test_a_protocol_that_is_cancelled_while_it_waits_ends_at_once(subject_a, qtbot, monkeypatch):
    """A protocol waiting for hands can be cancelled at once."""
    page = subject_a.window.station("prove").measure
    page.form.choose("protocol cooling-pair")
    monkeypatch.setattr(subject_a.window, "isActiveWindow", lambda: False)
    page.start()
    qtbot.waitUntil(lambda: page.hands.isVisibleTo(page))
    assert "waits for you: The drive must be cool" in subject_a.window._end_notice.told
    qtbot.mouseClick(page.form.cancel_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not subject_a.jobs.is_busy)
    assert not page.hands.isVisibleTo(page)
    assert not subject_a.workbench.shelf.records


def test_tests_with_files_need_a_folder_and_say_what_they_found(subject_a, qtbot, tmp_path):
    """Edit and offload ask for a folder, and the offload says and saves what it found."""
    app, page = subject_a, subject_a.window.station("prove").measure
    page.form.choose("edit")
    qtbot.waitUntil(lambda: "no files to work with" in page.form.message.text())  # fmt: skip
    disk, clips = tmp_path / "disk", tmp_path / "clips"
    disk.mkdir(), clips.mkdir()
    (clips / "A001.mov").write_bytes(b"x" * 3_000_001)
    page.form.target.folder_choice.setChecked(True)
    page.form.target.folder_field.setText(str(disk))
    page.form.choose("offload")
    page.form.clips.setText(str(clips))
    page.form.clips.editingFinished.emit()
    qtbot.waitUntil(lambda: "3 MB" in page.form.plan_line.text())
    start_in_folder(page)
    qtbot.waitUntil(lambda: bool(app.workbench.shelf.records))
    assert "1 clips, 3 MB copied at" in page.results.cause_line.text()
    assert "every one came back as it was read" in page.results.cause_line.text()
    record = app.workbench.shelf.records[0]
    assert (record.kind, record.is_simulated) == ("offload", False)
    report = tmp_path / "offload.json"
    page.save_run(report)
    assert json.loads(report.read_text())["figures"]["different"] == []
    page.save_run(tmp_path / "offload.pdf")
    assert "came back as it was read" in PdfReader(tmp_path / "offload.pdf").pages[0].extract_text()

    page.form.choose("edit")
    enter(page.form.edit.count, "0")
    assert "Write 1 to 64" in page.form.message.text()
    enter(page.form.edit.count, "1")
    streams = [page.form.edit.choice.itemText(n) for n in range(page.form.edit.choice.count())]
    assert streams[0].startswith("UHD 422 HQ")
    page.form.edit.choice.setCurrentIndex(
        next(n for n, text in enumerate(streams) if text.startswith("C Air"))
    )
    rate = streams[page.form.edit.choice.currentIndex()].split(" · ")[1].split(" ")[0]
    qtbot.waitUntil(page.form.start_button.isEnabled)
    start_in_folder(page)
    qtbot.waitUntil(lambda: len(app.workbench.shelf.records) == 2)
    assert f"stream of {rate}" in page.results.cause_line.text()
    assert app.jobs.current.result.plan.streams == 1
    assert page.parts.isVisibleTo(page) and not page.trace.isVisibleTo(page)
    (step,) = page.parts.shown.rows
    assert step.name == "1 stream"
    assert "asked" in step.text and 0 < step.wanted <= 1
    assert step.is_short == (app.jobs.current.result.most_streams == 0)
    cellar = app.window.station("cellar").shelf_page
    cellar.shelf.choose("M-03")
    assert [cellar.card.runs.index(row, 1).data() for row in (0, 1)] == ["edit", "offload"]
    assert list(disk.iterdir()) == []


def test_all_cameras_record_at_once_and_each_is_accounted_for(subject_a, qtbot, monkeypatch):
    """Four cameras at once on one rig, each with its own account."""
    page = subject_a.window.station("prove").measure
    page.form.choose("recorder")
    page.form.all_cameras.setChecked(True)
    qtbot.waitUntil(lambda: "from 4 cameras at once" in page.form.plan_line.text())  # fmt: skip
    page.start()
    qtbot.waitUntil(lambda: not subject_a.jobs.is_busy)
    text = page.results.evidence_line.text()
    assert all(f"{key}: " in text for key in "ABCD")
    assert "frames dropped" in text


def test_a_set_of_ones_own_is_kept_offered_and_run(subject_a, qtbot):
    """An own set is written, refused when unreadable, offered, run and there again."""
    page = subject_a.window.station("prove").measure
    dialog = page.form.dialog()
    qtbot.addWidget(dialog)
    name, steps = dialog.findChild(QLineEdit, "Name"), dialog.findChild(QLineEdit, "Steps")
    enter(steps, "polish 4 GB")
    assert "no test 'polish'" in dialog.message.text()
    dialog.accept()
    assert not dialog.result()
    enter(steps, "burst x2; rest 5 min; write 10%")
    enter(name, "Short look")
    dialog.accept()
    assert dialog.result()
    assert page.form.test.name == "Set: Short look"
    qtbot.waitUntil(lambda: "rest 5 min" in page.form.plan_line.text())
    page.start()
    qtbot.waitUntil(lambda: len(subject_a.workbench.shelf.records) == 3)
    assert "Burst, written at" in page.results.cause_line.text()
    assert "median of 2" in page.results.cause_line.text()
    kinds = [record.kind for record in subject_a.workbench.shelf.records]
    assert sorted(kinds) == ["burst", "burst", "write"]
    again = page.form.dialog()
    qtbot.addWidget(again)
    assert again.findChild(QLineEdit, "Steps").text() == "burst x2; rest 5 min; write 10%"


def test_a_page_asks_for_the_room_that_it_needs_and_not_for_the_largest_one(subject_a):
    """Compare needs less than Measure: it doesn't scroll where there is room for it."""
    station = subject_a.window.station("prove")
    station.tabs[0].click()
    tall = station._pages.minimumSizeHint().height()
    station.tabs[1].click()
    assert station._pages.minimumSizeHint() == station.compare.minimumSizeHint()
    assert station._pages.minimumSizeHint().height() < tall
