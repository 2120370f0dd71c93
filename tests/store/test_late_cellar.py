"""A cellar that is opened when it is first asked for something."""

import threading

import pytest

from vastcellar.core.errors import CellarError
from vastcellar.core.parts.units import Unit
from vastcellar.store import cellar
from vastcellar.store.cellar import Cellar
from vastcellar.store.late_cellar import LateCellar


def late_at(path, faults=None):
    noted = [] if faults is None else faults
    return LateCellar(path, is_demo=False, on_fault=lambda: noted.append(path))


def test_it_is_the_cellar_from_the_first_question_on(tmp_path):
    """Where it is and what it was made as are known without; then it reads and writes as any."""
    path = tmp_path / "cellar.db"
    late = late_at(path)
    assert late.path == path and not late.is_demo and not late.is_open
    late.close()  # nothing to let go of
    assert not path.exists()
    late.add_unit(Unit("W-01", "torvane-t2-2"))
    assert late.is_open and [unit.tag for unit in late.units()] == ["W-01"]
    late.close()
    again = Cellar(path)
    assert [unit.tag for unit in again.units()] == ["W-01"]
    again.close()


def test_all_threads_open_one(tmp_path, monkeypatch):
    """However many ask at once, the file is opened once."""
    opened, gate = [], threading.Barrier(6)

    class Slow:
        def __init__(self, path, *, is_demo, backups):
            opened.append(path)

        def change_count(self):
            return 7

    monkeypatch.setattr(cellar, "Cellar", Slow)
    late, seen = late_at(tmp_path / "cellar.db"), []

    def ask():
        gate.wait()
        seen.append(late.change_count())

    threads = [threading.Thread(target=ask) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert seen == [7] * 6 and len(opened) == 1


def test_one_that_cant_be_opened_says_so_each_time_and_opens_once_it_can(tmp_path):
    """The sentence is the cellar's own; whoever kept a picture of it hears of it."""
    path, faults = tmp_path / "cellar.db", []
    path.write_bytes(b"eaten by the sea" * 500)
    late = late_at(path, faults)
    for _ in range(2):
        with pytest.raises(CellarError, match="damaged"):
            late.units()
    assert faults == [path, path] and not late.is_open
    path.unlink()
    assert late.units() == ()
    late.close()


def test_a_method_that_is_handed_on_is_opened_by_whoever_calls_it(tmp_path):
    """A window's thread hands work to others: it never waits for the file itself."""
    late = late_at(tmp_path / "cellar.db")
    ask = late.change_count
    assert not late.is_open
    assert ask() == late.change_count() and late.is_open
    late.close()


def test_all_that_is_no_method_is_known_as_such(tmp_path):
    """Path and kind without opening, the others by opening: nothing of a cellar is forgotten."""
    real = Cellar(tmp_path / "cellar.db")
    names = [name for name in dir(real) if not name.startswith("_")]
    values = {name for name in names if not callable(getattr(real, name))}
    assert values == {"path", "where", "is_demo", "database", "unreadable"}
    late = late_at(tmp_path / "cellar.db")
    assert late.unreadable == set() and late.database.where == late.where == real.where
    for each in (late, real):
        each.close()


def test_what_a_cellar_lacks_this_lacks_too(tmp_path):
    """A name that isn't there is an AttributeError, and what copies ask for opens nothing."""
    late = late_at(tmp_path / "cellar.db")
    assert not hasattr(late, "__deepcopy__") and not late.is_open
    with pytest.raises(AttributeError):
        late.nothing_of_that_name()
    late.close()
