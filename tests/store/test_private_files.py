"""Private things are private whatever the umask; what is saved replaces whole or not at all."""

import errno
import os

import pytest

from vastcellar.store.private_files import make_private_folder, replace_file


@pytest.fixture(params=[0o000, 0o022, 0o077], autouse=True)
def umask(request):
    before = os.umask(request.param)
    yield request.param
    os.umask(before)


def mode(path):
    return path.stat().st_mode & 0o777


def test_a_private_folder_is_closed_with_all_that_is_made_above_it(tmp_path):
    """Private folders are closed, those above them too, and mended when opened."""
    make_private_folder(tmp_path / "a" / "b")
    assert (mode(tmp_path / "a"), mode(tmp_path / "a" / "b")) == (0o700, 0o700)
    (tmp_path / "a" / "b").chmod(0o755)
    make_private_folder(tmp_path / "a" / "b")
    assert mode(tmp_path / "a" / "b") == 0o700


def test_a_new_file_has_what_the_umask_leaves_and_a_private_one_0600(tmp_path, umask):
    """The umask rules a plain file, 0600 a private one."""
    replace_file(tmp_path / "open", b"x")
    replace_file(tmp_path / "private", b"x", is_private=True)
    assert mode(tmp_path / "open") == 0o666 & ~umask
    assert mode(tmp_path / "private") == 0o600


def test_a_file_that_was_there_keeps_its_mode_and_a_link_stays_a_link(tmp_path):
    """Replacing keeps a file's mode and writes through a link."""
    far = tmp_path / "far"
    far.mkdir()
    (far / "real").write_bytes(b"old")
    (far / "real").chmod(0o640)
    link = tmp_path / "link"
    link.symlink_to(far / "real")
    replace_file(link, b"new")
    assert link.is_symlink()
    assert (far / "real").read_bytes() == b"new"
    assert mode(far / "real") == 0o640
    assert [entry.name for entry in far.iterdir()] == ["real"]


@pytest.mark.parametrize("step", ["write", "fsync", "rename"])
def test_where_it_fails_the_old_one_stands_and_nothing_half_made(tmp_path, monkeypatch, step):
    """A failed replace leaves the old file and no temporary one."""
    path = tmp_path / "file"
    path.write_bytes(b"old")

    def refuse(*_args, **_kwargs):
        raise OSError(errno.ENOSPC, "No space left on device")

    if step == "write":
        real = os.fdopen

        def full(handle, how):
            made = real(handle, how)
            made.close()
            refuse()

        monkeypatch.setattr(os, "fdopen", full)
    else:
        monkeypatch.setattr(os, step, refuse)
    with pytest.raises(OSError, match="No space"):
        replace_file(path, b"new")
    monkeypatch.undo()
    assert path.read_bytes() == b"old"
    assert [entry.name for entry in tmp_path.iterdir()] == ["file"]


def test_the_scratch_names_differ_and_none_is_opened_through_a_link(tmp_path, monkeypatch):
    """Whoever guesses it could plant a link in its place."""
    names = []
    real = os.open

    def note(path, flags, *args, **kwargs):
        if flags & os.O_CREAT:
            names.append(path)
            assert flags & os.O_EXCL and flags & os.O_NOFOLLOW
        return real(path, flags, *args, **kwargs)

    monkeypatch.setattr(os, "open", note)
    replace_file(tmp_path / "a", b"1")
    replace_file(tmp_path / "a", b"2")
    assert len(set(names)) == 2
