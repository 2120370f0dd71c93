"""The station Build: what is laid out, the mend at its place, kinds, bill, and the bench card."""

import csv
import io
import json

import pytest
from pypdf import PdfReader
from PySide6.QtCore import Qt

from computers import shipped
from vastcellar.core.build.kinds import BuildKind
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.fitting import FitKind
from vastcellar.core.units import PLAIN
from vastcellar.report.bench_sheet import bench_sheet_pdf
from vastcellar.services.build.building import build
from vastcellar.services.build.chosen import Chosen
from vastcellar.services.build.price_wording import tier_offers, tiers_sentence
from vastcellar.services.build.progress import done_steps, keep_step, learned_steps
from vastcellar.services.build.tiers import tiers_of
from vastcellar.services.words.acceptance_wording import acceptance_words


@pytest.fixture
def station(app, qtbot):
    """Build, opened on camera A, once it has reckoned."""
    app.workbench.document.choose("A")
    app.window.show_station("build")
    made = app.window.station("build")
    qtbot.waitUntil(lambda: made.made is not None)
    return made


def lay_out(station, qtbot, chosen):
    """Lay out *chosen*, and wait until it is reckoned."""
    station.choose(chosen)
    qtbot.waitUntil(lambda: station.made is not None and station.made.chosen == chosen)


def test_it_begins_with_what_the_camera_records_to_and_says_what_match_says(app, station):
    """M-03 in its case: the same verdict, margin and minute as in Match, and nothing to pay."""
    judged = app.workbench.judgement
    assert station.made.judgement.verdict is judged.verdict
    assert station.made.judgement.margin == pytest.approx(judged.margin, abs=0.01)
    assert station.made.judgement.fails_at_s == pytest.approx(judged.fails_at_s, rel=0.01)
    assert station.made.bill.to_pay == 0
    assert "for A Main" in station.subtitle.text()
    assert app.window.rail.buttons["build"].state.startswith("short")


def test_a_gap_is_mended_where_it_is_drawn(station, qtbot):
    """Tape under the lid: the drawing has the pad to press; pressed, the gap is gone."""
    lay_out(station, qtbot, Chosen("kelmarsh-vane-2", "drumlin-fin", "tape-02"))
    assert station.verdict.sentence.text().startswith("It doesn't fit: pad and lid")
    assert "ends 0.8 mm short" in station.fit_line.text()
    assert "The take, as laid out: Holds" in station.fit_line.text()
    station.stack.grab()
    (box,) = [box for box, key in station.stack._places if key == "mend"]
    qtbot.mouseClick(station.stack, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    qtbot.waitUntil(lambda: station.made.chosen.pad_key == "pad-125-6")
    assert station.made.of(FitKind.GAP).verdict is Verdict.HOLDS
    assert station.form.pad.currentData() == "pad-125-6"
    assert station.verdict.sentence.text().startswith("Holds the whole 52 min take")


def test_figures_of_the_stack_open_their_own_sums(app, station, qtbot):
    """The warmth opens the heat's way, the heights what lies over the chips."""
    lay_out(station, qtbot, Chosen("torvane-t2-2", "drumlin-fin"))
    station.stack.grab()
    for key, title in (("stack", "Heat to the case"), ("heights", "Height over the chips")):
        box = next(box for box, each in station.stack._places if each == key)
        qtbot.mouseClick(station.stack, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
        assert app.window.drawer._views[0].accessibleName().startswith(title)
    said = app.window.drawer._views[0].accessibleName()
    assert "2.5 mm − 1.5 mm = 1 mm" in said and "pressed 1 − room ÷ pad = 20 %" in said


def test_kinds_say_what_each_comes_to_and_lay_their_case_out(station, qtbot):
    """Seven kinds; a module goes into no disk bay; a click takes the best case of a kind."""
    lay_out(station, qtbot, Chosen("torvane-t2-2", "drumlin-pocket"))

    def by_kind():
        return {choice.kind: choice for choice in station.kinds.choices}

    # Until then they are those of the drive before.
    screwed = BuildKind.SCREWED
    qtbot.waitUntil(lambda: screwed in by_kind() and by_kind()[screwed].verdict is Verdict.HOLDS)
    assert set(by_kind()) == set(BuildKind)
    assert by_kind()[BuildKind.SATA_CASE].verdict is Verdict.FALLS_SHORT
    station.kinds.grab()
    box = next(box for box, key in station.kinds._places if key == BuildKind.SCREWED)
    qtbot.mouseClick(station.kinds, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    qtbot.waitUntil(lambda: station.made.chosen.enclosure_key == by_kind()[screwed].enclosure_key)
    assert station.kinds.kind is BuildKind.SCREWED


def test_every_kind_is_drawn(station, qtbot, catalog):
    """A module and a disk in every case, store and dock that ships: no pair stops the drawing."""
    alone = [(case, "") for case in catalog.cases]
    for drive in ("torvane-s30-2", "kelmarsh-vane-8", "kelmarsh-dray-4"):
        for case, dock in [*alone, ("sedgeway-mag", "sedgeway-berth-4")]:
            lay_out(station, qtbot, Chosen(drive, case, dock_key=dock))
            picture = station.pictures.currentWidget()
            assert not picture.grab().isNull()
            assert picture.accessibleDescription()
            assert (picture is station.bays) == (station.made.layout.bays > 1)


def test_a_store_of_mixed_disks_shows_what_is_wasted(station, qtbot):
    """The other bay takes a smaller disk: half of the larger is wasted, in the sentence and in
    the drawing; the pad, of which there is none, has no field."""
    lay_out(station, qtbot, Chosen("kelmarsh-dray-8", "sedgeway-loft-2"))
    assert station.form.beside.isVisible() and not station.form.pad.isVisible()
    station.form.beside.chosen.emit("kelmarsh-dray-4")
    qtbot.waitUntil(lambda: station.made.chosen.beside_keys == ("kelmarsh-dray-4",))
    assert "4 TB of the larger ones is wasted" in station.fit_line.text()
    assert station.title.text() == "2 drives"
    station.form.case.chosen.emit("sedgeway-loft-4")  # four bays: nothing is left beside it
    qtbot.waitUntil(lambda: station.made.layout.bays == 4)
    assert station.made.chosen.beside_keys == ()
    assert station.title.text().startswith("4 × ")


def test_a_dock_is_chosen_as_a_kind_and_among_the_cases(station, qtbot):
    """A click on the dock lays four magazines out; another case is one drive again."""
    lay_out(station, qtbot, Chosen("torvane-t2-2", "drumlin-fin"))
    qtbot.waitUntil(lambda: BuildKind.DOCK in {each.kind for each in station.kinds.choices})
    station.kinds.grab()
    box = next(box for box, key in station.kinds._places if key == BuildKind.DOCK)
    qtbot.mouseClick(station.kinds, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    qtbot.waitUntil(lambda: station.made.layout.dock is not None)
    assert station.form.case.currentText().startswith("Sedgeway Berth")
    assert "245 MB/s each" in station.fit_line.text()
    station.form.case.chosen.emit("drumlin-fin")
    qtbot.waitUntil(lambda: station.made.layout.dock is None)
    assert station.made.layout.bays == 1


def test_the_price_page_says_from_where_building_pays(station, qtbot, app):
    """The sentence is the core's; every offer has its row; of a store nothing stands beside it."""
    lay_out(station, qtbot, Chosen("torvane-t2-2", "drumlin-fin"))
    station.tabs[1].click()
    page, bench = station.prices, app.workbench
    tiers = tiers_of(station.made, bench.catalog, bench.shelf, bench.document.shoot, bench.subject)
    assert page.sentence.text() == tiers_sentence(tiers, bench.look.numbers, "EUR")
    model = page.table.model()
    rows = [[model.index(row, column).data() for column in range(3)]
            for row in range(model.rowCount())]  # fmt: skip
    own = next(row for row in tiers.rows if row.capacity_bytes == 2e12)
    assert ["2 TB", "built", f"{own.built.worth.price:.0f}"] in rows
    assert len(rows) == sum(len(tier_offers(row)) for row in tiers.rows)
    page.chart.grab()
    assert not page.chart.cut_texts
    lay_out(station, qtbot, Chosen("kelmarsh-dray-8", "sedgeway-loft-2"))
    assert "no single closed drive" in page.sentence.text()
    assert model.rowCount() == 0 and not page.table.isVisible()


def test_what_is_at_hand_is_not_paid_for_again(station, qtbot, app):
    """K-13's case for another module; choosing another case forgets that it was at hand."""
    case = app.workbench.shelf.unit("K-13").enclosure_key
    lay_out(station, qtbot, Chosen("torvane-t2-2", case))
    station.form.at_hand.chosen.emit("case:K-13")
    qtbot.waitUntil(lambda: station.made.chosen.reused == ((case, "K-13"),))
    assert station.made.bill.to_pay == app.workbench.catalog.drive("torvane-t2-2").price
    assert "from K-13" in " ".join(line.text() for line in station.bill.lines)
    other = next(key for key in app.workbench.catalog.enclosures if key != case)
    station.form.case.chosen.emit(other)
    qtbot.waitUntil(lambda: station.made.chosen.enclosure_key == other)
    assert station.made.chosen.reused == ()


def test_ticks_stay_over_a_restart_and_what_is_for_good_is_asked_twice(start, qtbot, places):
    """A card's shell: its last step only asks at the first tick; done steps are there again."""
    app = start()
    station = app.window.station("build")
    chosen = Chosen("torvane-s30-1", "sedgeway-shell-b")
    qtbot.waitUntil(lambda: station.made is not None)
    lay_out(station, qtbot, chosen)
    station.tabs[2].click()
    boxes = station.bench.boxes
    boxes["ground"].click()
    assert done_steps(chosen, places) == {"ground"}
    boxes["close"].click()
    assert not boxes["close"].isChecked()
    assert "can't be opened again" in station.bench.head.text()
    assert done_steps(chosen, places) == {"ground"}
    boxes["close"].click()
    assert done_steps(chosen, places) == {"ground", "close"}
    boxes["ground"].click()
    app.close()
    again = start()
    station = again.window.station("build")
    qtbot.waitUntil(lambda: station.made is not None)
    lay_out(station, qtbot, chosen)
    ticked = {key for key, box in station.bench.boxes.items() if box.isChecked()}
    assert ticked == {"close"}


def test_a_file_of_brackets_costs_no_more_than_the_ticks(places):
    """What can't be read counts as nothing done, and the next tick writes it anew."""
    places.state.mkdir(parents=True, exist_ok=True)
    chosen = Chosen("a", "b")
    for content in ("[" * 5000, "{}", '{"format": "vast-cellar/builds", "builds": [1]}', ""):
        (places.state / "builds.json").write_text(content)
        assert done_steps(chosen, places) == frozenset()
    keep_step(chosen, "open", places, is_done=True)
    assert done_steps(chosen, places) == {"open"}
    keep_step(chosen, "open", places, is_done=False)
    assert json.loads((places.state / "builds.json").read_text())["builds"] == {}


def test_own_times_stand_in_the_next_estimate(places, catalog, shelf):
    """Taken twice, a step has its own median; a tick at once, a night between, nonsense: none."""
    made = build(Chosen("torvane-t2-2", "drumlin-fin"), catalog, shelf)
    usual = {step.key: step.minutes for step in made.steps}
    for minutes in (0.0, 4.0, 6.0, 600.0, 8.0):
        keep_step(made.chosen, "pad", places, is_done=True, minutes=minutes)
    keep_step(made.chosen, "open", places, is_done=True, minutes=3.0)
    learned = {step.key: step.minutes for step in learned_steps(made.steps, places)}
    assert learned == {**usual, "pad": 6.0}
    path = places.state / "builds.json"
    content = json.loads(path.read_text())
    content["times"] = {"pad": ["x", None, -3, 1e9], "foils": 7}
    path.write_text(json.dumps(content))
    assert learned_steps(made.steps, places) == made.steps


def test_the_bench_card_is_one_page_with_every_step(catalog, shelf):
    """As PDF: each step, its cautions, and the mark of what can't be undone."""
    for drive, case in (("torvane-s30-1", "sedgeway-shell-b"), ("torvane-t2-2", "drumlin-splash")):
        made = build(Chosen(drive, case), catalog, shelf)
        pages = PdfReader(io.BytesIO(bench_sheet_pdf(made, PLAIN))).pages
        assert len(pages) == 1
        text = " ".join(pages[0].extract_text().split())
        assert made.layout.drive.name in text
        assert "Peel both foils of the pad" in text and "Static kills chips" in text
        assert ("can't be opened again" in text) == (case == "sedgeway-shell-b")


def test_without_a_camera_the_fit_is_said_alone(start, qtbot):
    """An empty start: the parts are checked, and no take is made up for them."""
    app = start(demo=False)
    station = app.window.station("build")
    qtbot.waitUntil(lambda: station.made is not None)
    assert station.made.judgement is None
    assert station.verdict.sentence.text().startswith("It fits")
    assert app.window.rail.buttons["build"].state == "fits"


def test_bring_up_shows_commands_only_for_what_was_typed(app, station, qtbot, tmp_path):
    """A reader's card that is mounted: refused; ejected and typed: the command, and never run."""
    page = station.bring_up
    station.tabs[3].click()
    plugged = app.workbench.plugged
    qtbot.waitUntil(lambda: plugged.is_known)
    before = plugged.devices
    plugged.system = shipped("card-reader", tmp_path)
    plugged.look_again()
    qtbot.waitUntil(lambda: plugged.devices != before)
    seen = next(each for each in plugged.devices if not each.device.is_system)
    page.device.chosen.emit(seen.device.name)
    page.tag.setText("C-09")
    page.typed.setText("C-09")
    # It has exFAT already: for another one it would have to be ejected first.
    assert page.shows.text() == "Done: it shows exFAT." and page.message.isHidden()
    page.system.chosen.emit("fat32")
    assert "is mounted at" in page.message.text() and page.commands.isHidden()
    page.system.chosen.emit("exfat")
    assert page.unplug.text().startswith("Not yet")
    lsblk = plugged.system.path("tools/lsblk.json")
    mounts = plugged.system.path("proc/self/mountinfo")
    volume = seen.device.volumes[0]
    kept = [line for line in mounts.read_text().splitlines() if volume.path not in line]
    mounts.write_text("\n".join(kept) + "\n")
    assert lsblk.exists()
    plugged.look_again()
    qtbot.waitUntil(lambda: page.seen is not None and not page.seen.device.mounted)
    assert page.commands.toPlainText().startswith("mkfs.exfat -c ")
    assert page.commands.toPlainText().endswith(volume.path)
    assert "serial number" in page.compare.text()
    page.system.chosen.emit("fat32")
    page.typed.setText("C-0")
    assert page.commands.isHidden() and "type the tag on its label: C-09" in page.message.text()
    # Another device comes under the same name: it has to be typed for that one.
    page.typed.setText("C-09")
    tree = json.loads(lsblk.read_text())
    for node in tree["blockdevices"]:
        if node["path"] == seen.device.path:
            node["size"] = node["size"] * 2
    lsblk.write_text(json.dumps(tree))
    plugged.look_again()
    qtbot.waitUntil(lambda: page.typed.text() == "")
    assert page.commands.isHidden()


def test_bring_up_advises_by_who_writes_it(station, qtbot):
    """Cameras want exFAT; Linux alone may have its journal; nobody's wish is said."""
    page = station.bring_up
    assert page.system.currentText() == "exFAT"
    page.writers["camera"].setChecked(False)
    page.writers["Linux"].setChecked(True)
    page.school.setCurrentIndex(1)
    assert page.system.currentText() == "ext4" and "has a journal" in page.why.text()
    page.writers["macOS"].setChecked(True)
    page.writers["Windows"].setChecked(True)
    assert page.system.currentText() == "exFAT"
    page.acceptance.unknown_seller.setChecked(True)
    assert page.acceptance.tests.text().startswith("1. Capacity proof")


def test_a_unit_is_refused_until_its_tests_are_made(app, station, qtbot):
    """Nothing made: no way into service; refusing puts it in doubt, and the shelf says why."""
    acceptance = station.bring_up.acceptance
    assert not acceptance.serve_button.isEnabled() and not acceptance.refuse_button.isEnabled()
    acceptance.unit.chosen.emit("K-08")
    assert acceptance.tests.text().endswith("· not made yet")
    assert acceptance.refuse_button.isEnabled() and not acceptance.serve_button.isEnabled()
    acceptance.duty.setCurrentIndex(2)
    app.window.station("prove").tabs[1].click()
    acceptance.prove_button.click()
    prove = app.window.station("prove")
    assert prove.measure.isVisible() and prove.measure.form.test.kind == "edit"
    app.window.show_station("build")
    acceptance.refuse_button.click()
    qtbot.waitUntil(lambda: app.workbench.shelf.unit("K-08").state == "in doubt")
    decided = app.workbench.shelf.unit("K-08").acceptance
    assert decided.duty == "edit storage" and not decided.is_in_service
    cellar = app.window.station("cellar").shelf_page
    cellar.shelf.choose("K-08")
    record = cellar.card.line.text()
    assert acceptance_words(decided) in record
    assert acceptance.answer.text().startswith("K-08: ") and acceptance.unit.currentText() == "K-08"


def test_the_bill_is_saved_as_pdf_and_csv(app, station, qtbot, tmp_path):
    """The CSV adds up to what the screen says; names that look like formulas are cells of text."""
    chosen = Chosen("torvane-t2-2", "drumlin-fin", reused=(("drumlin-fin", "=K-13"),))
    lay_out(station, qtbot, chosen)
    table, sheet = tmp_path / "bill.csv", tmp_path / "bill.pdf"
    station.save_bill(table)
    station.save_bill(sheet)
    rows = list(csv.DictReader(io.StringIO(table.read_text())))
    assert sum(float(row["to_pay"]) for row in rows) == station.made.bill.to_pay
    assert rows[1]["reused_from"] == "'=K-13"
    text = " ".join(PdfReader(sheet).pages[0].extract_text().split())
    assert "Torvane T2 2 TB" in text and "a TB" in text
    assert "Building pays from" in text and "factory upgrade" not in text
    tiers = station._tiers
    prices = [offer.worth.price for row in tiers.rows for _, offer in tier_offers(row)]
    assert prices and all(f"{price:.0f}" in text for price in prices)
    station.save_bill(tmp_path / "bill.txt")
    assert "Let the name end in .pdf or .csv" in station.message.text()
    assert not (tmp_path / "bill.txt").exists()
