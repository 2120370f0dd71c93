"""What a user can ask for, without a window."""

import math
from dataclasses import replace
from fractions import Fraction

import pytest

from vastcellar.core.errors import BadFileError, BadValueError, CellarError, VastCellarError
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.core.units import PLAIN
from vastcellar.services.match.judging import chain_of, judge_camera, mends_for
from vastcellar.services.match.matching import find_for
from vastcellar.services.proving.recorder_loads import load_of_camera, loads_of_shoot
from vastcellar.services.proving.recorder_proving import keep_proof, rig_proof, rig_speed
from vastcellar.services.shoot.shoots import (
    new_camera,
    new_shoot,
    next_camera_key,
)
from vastcellar.services.sums.setup_sums import sums_of
from vastcellar.services.words.verdict_wording import (
    evidence_line,
    reason,
    useless_sentence,
    verdict_sentence,
)
from vastcellar.services.workplace.workplace import demo_shoot_path, open_workplace


def prove(workplace, slipway, key, take_s=None, **kwargs):
    """Run and keep a simulated recorder test of a camera on its setup."""
    camera = slipway.camera(key)
    judgement = judge_camera(slipway, camera, workplace.catalog, workplace.shelf())
    load = load_of_camera(camera, take_s or camera.longest_take_s)
    proof = rig_proof(load, judgement.chain, 24.0, workplace=workplace, speed=math.inf, **kwargs)
    for _ in proof.run.snapshots():
        pass
    keep_proof(workplace, camera.setup.unit_tag, proof)
    return proof.run.result


def test_the_demo_is_seeded_once_and_keeps_what_happens_in_it(places, slipway):
    """The demo is filled once; what is changed in it stays."""
    first = open_workplace(demo=True, places=places)
    assert len(first.shelf().units) == 25
    first.cellar.save_units((replace(first.shelf().units[0], note="mine"),))
    first.close()
    again = open_workplace(demo=True, places=places)
    assert again.shelf().units[0].note == "mine"
    again.close()
    assert demo_shoot_path(places).is_relative_to(places.data)


def test_a_simulated_proof_changes_the_verdicts_evidence_and_says_that_it_is_simulated(
    workplace, slipway
):
    """A proof on a rig counts, and says that it is simulated."""
    prove(workplace, slipway, "B")
    found = judge_camera(slipway, slipway.camera("B"), workplace.catalog, workplace.shelf())
    assert (found.verdict, found.evidence) == (Verdict.HOLDS, Evidence.PROVED)
    assert "no frame dropped" in verdict_sentence(found, slipway.camera("B"), PLAIN)
    assert "simulated rig" in evidence_line(found, PLAIN)
    # Nothing was written to a real drive, so nothing was worn.
    assert workplace.shelf().unit("K-11").written_bytes == 38e12


def test_a_rig_that_collapses_proves_that_it_falls_short(workplace, slipway):
    """A collapse on the rig proves that a setup falls short."""
    result = prove(workplace, slipway, "A", take_s=1600)
    assert result.frames_dropped > 0
    found = judge_camera(slipway, slipway.camera("A"), workplace.catalog, workplace.shelf())
    assert (found.verdict, found.evidence) == (Verdict.FALLS_SHORT, Evidence.PROVED)
    assert "Proved to fall short" in verdict_sentence(found, slipway.camera("A"), PLAIN)


def test_a_run_too_short_for_the_take_is_kept_but_proves_nothing(workplace, slipway):
    """A minute's run proves nothing about an hour's take."""
    prove(workplace, slipway, "B", take_s=60)
    found = judge_camera(slipway, slipway.camera("B"), workplace.catalog, workplace.shelf())
    assert found.evidence is Evidence.COMPUTED
    assert len(workplace.cellar.runs("K-11")) == 1


def test_a_short_run_that_was_slow_is_said_where_the_verdict_stands(workplace, slipway):
    """A short slow run is mentioned beside the verdict that it doesn't change."""
    camera = slipway.camera("B")
    before = judge_camera(slipway, camera, workplace.catalog, workplace.shelf())
    prove(workplace, slipway, "B", 60)
    kept = workplace.shelf().proofs[0]
    slow = replace(kept, achieved_bytes_per_s=46e6, slowest_second_ability_bytes_per_s=37e6)
    shelf = replace(workplace.shelf(), proofs=(slow,))
    found = judge_camera(slipway, camera, workplace.catalog, shelf)
    assert (before.verdict, found.verdict) == (Verdict.HOLDS, Verdict.NOT_KNOWN)
    said = verdict_sentence(found, camera, PLAIN)
    assert said.endswith("but a run of 1 min wrote at 46 MB/s")
    assert "The camera sends 92.5 MB/s" in reason(found, camera, PLAIN)
    assert evidence_line(found, PLAIN).endswith("measured otherwise on a simulated rig")


def test_what_was_proved_of_a_unit_counts_among_the_candidates(workplace, slipway):
    """A proof of a unit is used in the list of candidates too."""
    camera = slipway.camera("B")
    prove(workplace, slipway, "B")
    shelf = workplace.shelf()
    hosts = [workplace.catalog.host(camera.setup.host_key)]
    alone = replace(slipway, copies=())

    for slow_bytes_per_s, verdict in ((0.0, Verdict.HOLDS), (37e6, Verdict.NOT_KNOWN)):
        (proof,) = shelf.proofs
        if slow_bytes_per_s:
            proof = replace(
                proof,
                duration_s=5.0,
                achieved_bytes_per_s=46e6,
                slowest_second_ability_bytes_per_s=slow_bytes_per_s,
            )
        now = replace(shelf, proofs=(proof,))
        table = find_for(alone, camera, hosts, workplace.catalog, now).table
        row = next(row for row in range(len(table)) if table.setup(row) == camera.setup)
        single = judge_camera(alone, camera, workplace.catalog, now)
        assert table.verdict(row) is single.verdict is verdict
        assert table.margin[row] == pytest.approx(single.margin or math.nan, nan_ok=True)


def test_every_figure_has_its_sum_with_the_values_that_it_was_made_from(slipway, catalog, shelf):
    """Each figure opens a sum of the values that it was made from."""
    camera = slipway.camera("A")
    judgement = judge_camera(slipway, camera, catalog, shelf)
    sums = sums_of(judgement, camera, 24.0, PLAIN)
    assert list(sums) == ["need", "take", "guarantee", "link", "margin", "cache", "heat"]
    need = {line.label: line for line in sums["need"].lines}
    assert need["picture, target"].reckoning == "6144 × 3456 × 12 bit × 25 ÷ 5 ÷ 8"
    assert need["need"].value == "287.3 MB/s"
    cache = {line.label: line.value for line in sums["cache"].lines}
    assert cache["cache"] == "149.9 GB"
    assert cache["full after"] == "23 min 46 s"
    assert all(entry.source for entry in sums.values())


def test_the_verdict_says_when_and_why_and_what_would_not_help(slipway, catalog, shelf):
    """The verdict names the minute, the reason and what doesn't mend it."""
    camera = slipway.camera("A")
    judgement = judge_camera(slipway, camera, catalog, shelf)
    sentence = verdict_sentence(judgement, camera, PLAIN)
    assert sentence == "Falls short after 23 min 46 s of a 52 min take"
    assert "fast cache is full after 227.9 GB, then 120 MB/s" in reason(judgement, camera, PLAIN)
    mends = mends_for(slipway, camera, catalog, shelf)
    assert "cable" in useless_sentence(mends.useless, PLAIN)
    assert mends.helping[0].price == 0


def test_a_camera_with_nothing_assigned_is_not_known(slipway, catalog, shelf):
    """A camera that records to nothing is not known, and says what to do."""
    camera = replace(slipway.camera("A"), setup=None)
    found = judge_camera(slipway, camera, catalog, shelf)
    assert found.verdict is Verdict.NOT_KNOWN
    assert "choose what camera A records to" in verdict_sentence(found, camera, PLAIN)
    assert mends_for(slipway, camera, catalog, shelf).helping == ()


def test_new_cameras_take_the_next_letter_and_judge_at_once(catalog, shelf):
    """New cameras get the next free letter and a need at once."""
    shoot = new_shoot()
    for expected in "ABC":
        assert next_camera_key(shoot) == expected
        shoot = shoot.with_camera(new_camera(shoot, catalog))
    assert judge_camera(shoot, shoot.camera("C"), catalog, shelf).need.average_bytes_per_s > 0


def test_a_rig_of_parts_that_dont_connect_is_refused(slipway, catalog, shelf):
    """Parts that don't connect can't be simulated."""
    setup = replace(slipway.camera("A").setup, cable_key="")
    chain = chain_of(setup, catalog, shelf, 24.0)
    with pytest.raises(BadValueError, match="needs a cable"):
        rig_proof(RecorderLoad(1e6, Fraction(25), 0, 1), chain, 24.0, speed=math.inf)
    assert rig_speed(3120) == pytest.approx(130)
    assert rig_speed(20) == 20


def test_a_catalog_file_of_the_users_with_an_error_stops_the_start_with_its_name(places):
    """A bad catalog file of the user's own stops the start by its name."""
    places.catalog_folder.mkdir(parents=True)
    (places.catalog_folder / "mine.json").write_text("{}")
    with pytest.raises(BadFileError, match=r"mine\.json"):
        open_workplace(places=places)


def test_a_folder_for_data_that_cant_be_made_is_a_sentence(tmp_path, places):
    """A file in place of the data folder ends in a sentence, not in a traceback."""
    (tmp_path / "data ü").write_text("a file where the folder should be")
    with pytest.raises(CellarError) as caught:
        open_workplace(places=places)
    assert isinstance(caught.value, VastCellarError)
    assert "cellar" in str(caught.value)


def test_several_cameras_at_once_prove_each_that_lost_nothing(workplace, slipway):
    """Of several cameras at once each is proved by itself."""
    loads = loads_of_shoot(slipway, ("A", "C"), 30.0)
    camera = slipway.camera("A")
    judgement = judge_camera(slipway, camera, workplace.catalog, workplace.shelf())
    proof = rig_proof(loads, judgement.chain, 24.0, workplace=workplace, speed=math.inf)
    for _ in proof.run.snapshots():
        pass
    keep_proof(workplace, camera.setup.unit_tag, proof)
    proofs = workplace.shelf().proofs
    assert sorted(round(each.load_bytes_per_s / 1e6, 1) for each in proofs) == [18.8, 159.8]
    assert all(each.frames_dropped == 0 for each in proofs)
