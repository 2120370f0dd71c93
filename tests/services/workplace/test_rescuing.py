"""A run that the cellar couldn't take is on disk before anything else, and is kept once, later."""

import errno
import json
import tempfile
from datetime import UTC, datetime

import pytest

from vastcellar.core.errors import CellarError, UnknownPartError
from vastcellar.services.workplace.rescuing import add_run, keep_rescued, rescued_runs
from vastcellar.store import json_files
from vastcellar.store.run_record import RunRecord

TRACE = "elapsed_s,written_bytes,temperature_c\n0,0,\n1,5000000,31\n"


def run(tag="M-03"):
    figures = {"bytes_per_s": 5e6, "slowest": float("nan")}
    return RunRecord(tag, "write", datetime(2026, 11, 3, 9, tzinfo=UTC), False, True,
                     {"folder": "/media/x"}, figures)  # fmt: skip


@pytest.fixture
def refusing(workplace, monkeypatch):
    """A cellar that can't be written now; what it returns makes it work again."""

    def refuse(*_args, **_kwargs):
        raise CellarError("database or disk is full", where="cellar.db", mend="Make room")

    monkeypatch.setattr(workplace.cellar, "add_run", refuse)
    return monkeypatch.undo


def test_it_waits_in_a_private_file_and_is_kept_with_its_wear(workplace, places, refusing):
    """A run that the cellar can't take waits in a private file and isn't lost."""
    worn = workplace.shelf().unit("M-03").written_bytes
    with pytest.raises(CellarError, match="full") as told:
        add_run(workplace, run(), TRACE, 5_000_000)
    (waiting,) = rescued_runs(places)
    assert str(waiting.path) in str(told.value)
    assert waiting.path.stat().st_mode & 0o077 == 0
    refusing()
    number = keep_rescued(workplace, waiting)
    assert rescued_runs(places) == ()
    assert workplace.cellar.trace_csv(number) == TRACE
    (kept,) = [each for each in workplace.cellar.runs("M-03") if each.run_id == number]
    assert kept.figures["bytes_per_s"] == 5e6
    assert kept.measured_at == run().measured_at
    assert workplace.shelf().unit("M-03").written_bytes == worn + 5_000_000


def test_one_kept_right_before_a_crash_is_not_kept_twice(workplace, places, refusing):
    """The file outlived the run's keeping: neither the run nor its wear count again."""
    with pytest.raises(CellarError):
        add_run(workplace, run(), TRACE, 5_000_000)
    (waiting,) = rescued_runs(places)
    refusing()
    number = keep_rescued(workplace, waiting)
    waiting.path.write_text("{}")
    worn = workplace.shelf().unit("M-03").written_bytes
    assert keep_rescued(workplace, waiting) == number
    assert not waiting.path.exists()
    assert workplace.shelf().unit("M-03").written_bytes == worn
    assert len(workplace.cellar.runs("M-03")) == 1


def test_one_that_still_cant_be_kept_stays_where_it_is(workplace, places, refusing):
    """A waiting run stays until it is really kept."""
    with pytest.raises(CellarError):
        add_run(workplace, run(), TRACE, 1)
    (waiting,) = rescued_runs(places)
    with pytest.raises(CellarError):
        keep_rescued(workplace, waiting)
    assert [each.path for each in rescued_runs(places)] == [waiting.path]


def test_a_unit_that_was_taken_out_meanwhile_loses_no_run(workplace, places):
    """A run of a unit taken out meanwhile waits instead of being lost."""
    with pytest.raises(UnknownPartError, match="no unit 'Z-99'") as told:
        add_run(workplace, run("Z-99"), TRACE, 1)
    (waiting,) = rescued_runs(places)
    assert str(waiting.path) in str(told.value)


def test_where_the_state_folder_is_full_too_it_goes_among_the_temporary_files(
    workplace, places, refusing, monkeypatch, tmp_path
):
    """With the state folder full the run goes to the temporary files."""
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    real = json_files.write_text_whole

    def full(path, text, **kwargs):
        if path.parent == places.rescued:
            raise OSError(errno.ENOSPC, "No space left on device")
        real(path, text, **kwargs)

    monkeypatch.setattr("vastcellar.services.workplace.rescuing.write_text_whole", full)
    with pytest.raises(CellarError) as told:
        add_run(workplace, run(), TRACE, 1)
    (path,) = tmp_path.glob("vast-cellar-*.json")
    # Only the state folder is looked into at a start: the sentence promises nothing else.
    assert f"safe in {path}; moved to {places.rescued}, it is offered" in str(told.value)
    assert json.loads(path.read_text())["figures"]["bytes_per_s"] == 5e6


HALF = json.dumps({"format": "vast-cellar/rescued-run", "version": 1, "unit_tag": "M-03"})


@pytest.mark.parametrize("text", ["", "[" * 5000, '{"format": "other"}', HALF])
def test_files_that_are_no_rescued_run_are_left_alone(workplace, places, refusing, text):
    """Foreign files among the waiting runs are neither read nor removed."""
    with pytest.raises(CellarError):
        add_run(workplace, run(), TRACE, 1)
    alien = places.rescued / "0-alien.json"
    alien.write_text(text)
    assert len(rescued_runs(places)) == 1
    assert alien.read_text() == text
