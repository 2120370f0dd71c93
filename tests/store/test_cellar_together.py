"""Several processes on one cellar: each byte of wear counts, first starts are no trouble."""

import subprocess
import sys
from datetime import UTC, datetime

import pytest

from vastcellar.core.parts.units import Unit
from vastcellar.store.cellar import Cellar
from vastcellar.store.run_record import RunRecord

UNIT = Unit("K-11", "kelmarsh-flat-1", "drumlin-flat", written_bytes=5.0)

WEARS = """
import sys
from datetime import UTC, datetime
from pathlib import Path
from vastcellar.store.cellar import Cellar
from vastcellar.store.run_record import RunRecord
cellar = Cellar(Path(sys.argv[1]))
print("ready", flush=True)
sys.stdin.readline()
for number in range(25):
    run = RunRecord(unit_tag="K-11", kind="write", measured_at=datetime.now(UTC),
                    is_simulated=False, is_complete=True, conditions={}, figures={})
    cellar.add_run(run, "", wear_bytes=1_000)
cellar.close()
"""
OPENS = """
import sys
from pathlib import Path
from vastcellar.store.cellar import Cellar
print("ready", flush=True)
sys.stdin.readline()
cellar = Cellar(Path(sys.argv[1]))
print(len(cellar.units()), flush=True)
cellar.close()
"""


def at_once(code, path, count):
    """Run *code* in *count* processes that begin together; return what each printed after."""
    going = [
        subprocess.Popen(
            [sys.executable, "-c", code, str(path)],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )
        for _ in range(count)
    ]  # fmt: skip
    for process in going:
        assert process.stdout.readline() == "ready\n"
    for process in going:
        process.stdin.write("go\n")
        process.stdin.flush()
    told = [process.communicate(timeout=120) for process in going]
    assert [process.returncode for process in going] == [0] * count, told
    return [out for out, _err in told]


def test_two_processes_that_test_one_unit_count_all_of_its_wear(tmp_path):
    """Read, add and write by turns would lose one's bytes: 50 runs, not one is missing."""
    path = tmp_path / "cellar.db"
    cellar = Cellar(path)
    cellar.save_units((UNIT,))
    at_once(WEARS, path, 2)
    (unit,) = cellar.units()
    runs = cellar.runs("K-11")
    cellar.close()
    assert unit.written_bytes == 5 + 50 * 1_000
    assert len(runs) == 50
    # Each knows what had been written before it: no two the same.
    assert len({run.conditions["unit_written_bytes"] for run in runs}) == 50


def test_three_first_starts_at_once_make_one_cellar(tmp_path):
    """Three programs starting at once make one private cellar."""
    path = tmp_path / "new" / "cellar.db"
    assert at_once(OPENS, path, 3) == ["0\n"] * 3
    assert path.stat().st_mode & 0o077 == 0


@pytest.mark.parametrize("name", ["a?b", "100%25", "half#way", "with space", "ü&=;", "mode=ro?x"])
def test_a_folder_may_have_any_name(tmp_path, name):
    """The cellar's path is no address with parameters: the file is where the folder is."""
    path = tmp_path / name / "cellar.db"
    cellar = Cellar(path)
    cellar.save_units((UNIT,))
    cellar.close()
    assert path.is_file()
    assert [entry.name for entry in tmp_path.iterdir()] == [name]
    again = Cellar(path)
    assert [unit.tag for unit in again.units()] == ["K-11"]
    again.close()


def test_a_figure_that_is_no_number_comes_back_as_none(tmp_path):
    """NaN and infinity are no JSON: whoever reads the cellar with another tool can do so."""
    cellar = Cellar(tmp_path / "cellar.db")
    cellar.save_units((UNIT,))
    figures = {"slowest": float("nan"), "most_s": float("inf"), "rate": 5.0}
    cellar.add_run(RunRecord("K-11", "write", datetime.now(UTC), False, True, {}, figures), "")
    (run,) = cellar.runs()
    cellar.close()
    assert run.figures["rate"] == 5.0
    assert run.figures["slowest"] is None
    assert run.figures["most_s"] is None
