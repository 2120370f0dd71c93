"""Nothing that was entered is lost: not by a crash, a second window, or a hostile file."""

from __future__ import annotations

import json
import stat
from dataclasses import replace

import pytest

from vastcellar.core.errors import BadFileError
from vastcellar.services.shoot.shoots import (
    file_mark,
    open_shoot,
    recent_shoots,
    remember_recent,
    save_shoot,
)
from vastcellar.services.workplace.autosaving import Autosave, restore_unsaved


def test_unsaved_edits_come_back_with_their_file(places, slipway, catalog, tmp_path):
    """A window that is gone leaves its edits to the next one, which goes on with that autosave."""
    path = save_shoot(slipway, tmp_path / "job", places)
    assert path.name == "job.shoot.json"
    left = Autosave(places)
    left.keep(replace(slipway, days=9), path, file_mark(path))
    left.release()
    found = restore_unsaved(catalog, places)
    assert (found.shoot.days, found.path, found.seen) == (9, path, file_mark(path))
    # Not saved yet: a crash of the second window loses nothing either.
    found.autosave.release()
    again = restore_unsaved(catalog, places)
    assert again.shoot.days == 9
    again.autosave.drop()
    again.autosave.release()
    assert restore_unsaved(catalog, places) is None
    assert list(places.unsaved_folder.iterdir()) == []


def test_each_window_has_an_autosave_of_its_own(places, slipway, catalog):
    """Two windows at once, both killed: both shoots are there, the newer first."""
    windows = [Autosave(places) for _ in range(2)]
    for days, window in zip((3, 4), windows, strict=True):
        window.keep(replace(slipway, days=days), None, "")
    assert restore_unsaved(catalog, places) is None  # both live
    for window in windows:
        window.release()
    found = [restore_unsaved(catalog, places) for _ in range(2)]
    assert sorted(each.shoot.days for each in found) == [3, 4]
    for each in found:
        each.autosave.release()


@pytest.mark.parametrize(
    "spoilt",
    [
        '{"shoot": {"days": ',
        "[" * 100_000,
        '{"format": "vast-cellar/unsaved", "version": 1}',
        '{"format": "vast-cellar/unsaved", "version": 1, "shoot": {"name": 5}}',
        '{"format": "vast-cellar/unsaved", "version": 1, "shoot": [], "path": 7}',
        "",
        "null",
    ],
)
def test_a_damaged_autosave_is_set_aside_not_deleted(places, catalog, spoilt):
    """Whatever stands in it: the window opens, and the file is kept under another name."""
    places.state.mkdir(parents=True)
    places.autosave_file.write_text(spoilt)
    assert restore_unsaved(catalog, places) is None
    (aside,) = places.unsaved_folder.glob("*.damaged")
    assert aside.read_text() == spoilt


def test_an_autosave_is_for_this_user_alone(places, slipway):
    """What somebody works on is private, whatever the umask."""
    window = Autosave(places)
    window.keep(slipway, None, "")
    modes = [stat.S_IMODE(path.stat().st_mode) for path in (window.path.parent, window.path)]
    window.release()
    assert modes == [0o700, 0o600]


def test_a_file_changed_underneath_is_never_overwritten(places, slipway, catalog, tmp_path):
    """Another window saved the same file: that is said, theirs stays, and a new name is free."""
    path = save_shoot(slipway, tmp_path / "job.shoot.json", places)
    opened = open_shoot(path, catalog, places)
    theirs = save_shoot(replace(slipway, days=4), path, places, seen=opened.seen)
    with pytest.raises(BadFileError, match="another window or program has changed it"):
        save_shoot(replace(slipway, days=5), path, places, seen=opened.seen)
    assert open_shoot(theirs, catalog, places).shoot.days == 4
    mine = save_shoot(replace(slipway, days=5), tmp_path / "mine.shoot.json", places)
    assert open_shoot(mine, catalog, places).shoot.days == 5
    # Taken away meanwhile: then there is nothing of theirs to lose.
    path.unlink()
    assert save_shoot(slipway, path, places, seen=opened.seen) == path


def test_saving_keeps_the_files_mode_and_a_link_stays_one(places, slipway, tmp_path):
    """A shoot that a group may read, behind a link on the desktop."""
    real = tmp_path / "share" / "job.shoot.json"
    real.parent.mkdir()
    save_shoot(slipway, real, places)
    real.chmod(0o640)
    link = tmp_path / "job.shoot.json"
    link.symlink_to(real)
    save_shoot(replace(slipway, days=8), link, places)
    assert link.is_symlink()
    assert json.loads(real.read_text())["days"] == 8
    assert stat.S_IMODE(real.stat().st_mode) == 0o640
    assert [path.name for path in real.parent.iterdir()] == ["job.shoot.json"]


@pytest.mark.parametrize("listed", ["[" * 9000, '{"a": 1}', "[7, null]", '["a\\u0000b"]', "\x00"])
def test_a_hostile_list_of_recent_shoots_is_an_empty_one(places, slipway, tmp_path, listed):
    """It is a convenience: a window opens without it, and the next save writes it anew."""
    places.config.mkdir(parents=True)
    places.recent_file.write_text(listed)
    assert recent_shoots(places) == ()
    path = save_shoot(slipway, tmp_path / "job", places)
    remember_recent(path, places)
    assert recent_shoots(places) == (path,)
