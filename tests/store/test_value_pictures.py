"""Values that a program keeps for itself: back as they were, or not at all; never anything else."""

import datetime
import os
import pickle
import subprocess

import pytest

from vastcellar.core.parts.units import Unit
from vastcellar.store import value_pictures
from vastcellar.store.run_record import RunRecord
from vastcellar.store.value_pictures import keep_picture, kept_picture

MARK = {"cellar": [1, 2, 3], "demo": True}
RUNS = ("vastcellar.store.run_record",)


@pytest.fixture
def path(tmp_path):
    return tmp_path / "state" / "picture"


def made():
    when = datetime.datetime(2026, 11, 3, 7, 30, tzinfo=datetime.UTC)
    run = RunRecord("H-01", "write", when, False, True, {"room": 21.5}, {"steady": [1e9, None]}, 7)
    return {"units": (Unit("H-01", "torvane-t2-2", note="Ü\ud800"),), "runs": [run]}


def test_what_was_kept_comes_back_for_nobody_else(path):
    """The same values, from a file that others can't read."""
    keep_picture(path, MARK, made())
    assert kept_picture(path, MARK, RUNS) == made()
    assert path.stat().st_mode & 0o077 == 0


@pytest.mark.parametrize("mark", [{**MARK, "demo": False}, {**MARK, "cellar": [1, 2, 4]}, {}])
def test_another_mark_is_told_before_anything_is_read(path, mark, monkeypatch):
    """What was kept for other files isn't even looked at."""
    keep_picture(path, MARK, made())
    monkeypatch.setattr(value_pictures, "_Reader", None)
    assert kept_picture(path, mark, RUNS) is None


def test_no_damage_is_more_than_no_picture(path):
    """Cut short anywhere, with any byte changed: nothing is raised, whatever comes of it."""
    keep_picture(path, MARK, made())
    whole = path.read_bytes()
    begins = whole.index(b"}\n") + 2
    for end in range(len(whole)):
        path.write_bytes(whole[:end])
        assert kept_picture(path, MARK, RUNS) is None
    for at in range(begins):
        path.write_bytes(whole[:at] + bytes([whole[at] ^ 1]) + whole[at + 1 :])
        assert kept_picture(path, MARK, RUNS) is None
    for at in range(begins, len(whole)):
        path.write_bytes(whole[:at] + bytes([whole[at] ^ 0x41]) + whole[at + 1 :])
        kept_picture(path, MARK, RUNS)
    path.unlink()
    assert kept_picture(path, MARK, RUNS) is None


class _Calls:
    def __init__(self, call, *args):
        self.call, self.args = call, args

    def __reduce__(self):
        return self.call, self.args


@pytest.mark.parametrize("call", [os.system, subprocess.check_call, eval, keep_picture, open])
def test_no_function_is_called_by_what_stands_in_it(path, tmp_path, call):
    """A file that somebody made to run a command makes none run; nor one that names ours."""
    trace = tmp_path / "ran"
    args = (trace, {}, 1) if call is keep_picture else (f"touch '{trace}'",)
    if call is eval:
        args = (f"open({str(trace)!r}, 'w')",)
    if call is open:
        args = (str(trace), "w")
    keep_picture(path, MARK, made())
    head = path.read_bytes()
    head = head[: head.index(b"}\n") + 2]
    path.write_bytes(head + pickle.dumps(_Calls(call, *args)))
    assert kept_picture(path, MARK, (*RUNS, value_pictures.__name__)) is None
    assert not trace.exists()


@pytest.mark.parametrize(
    ("name", "given"),
    [("edit.playing\nnp.ctypeslib.ctypes.CDLL", "libm.so.6"), ("units\nFraction", "1/3")],
)
def test_what_a_module_of_ours_only_imports_is_not_made(path, name, given):
    """A library would be loaded, and run, by a class that a dotted name reaches through ours."""
    keep_picture(path, MARK, made())
    head = path.read_bytes()
    head = head[: head.index(b"}\n") + 2]
    path.write_bytes(head + f"\x80\x04cvastcellar.core.{name}\n(V{given}\ntR.".encode("latin-1"))
    assert kept_picture(path, MARK, RUNS) is None


def test_a_class_of_a_module_that_wasnt_named_is_refused(path):
    """A run's record is read where its module was named, and not where it wasn't."""
    keep_picture(path, MARK, made()["runs"])
    assert kept_picture(path, MARK, ()) is None
    assert kept_picture(path, MARK, RUNS) == made()["runs"]
