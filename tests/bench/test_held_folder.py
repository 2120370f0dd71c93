"""Nothing of others is touched: folders swapped, links and files planted while a test runs."""

from __future__ import annotations

import os
import random
import threading
import time
from fractions import Fraction

import pytest

from vastcellar.bench.edit_run import EditPlan, EditRun
from vastcellar.bench.flat_run import FlatPlan, FlatRun
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.bench.leftovers import FOLDER_PREFIX, MARKER_NAME, remove_leftovers
from vastcellar.bench.offload_run import Clip, OffloadPlan, OffloadRun
from vastcellar.bench.probe import Shape
from vastcellar.bench.project_run import ProjectPlan, ProjectRun
from vastcellar.bench.recorder_run import RecorderRun
from vastcellar.core.errors import VastCellarError
from vastcellar.core.recording.recorder import RecorderLoad

MIB = 2**20
# Every name that a workload could make, or make again, if it went by names.
NAMES = (
    *(f"take-000{number}.bin" for number in (1, 2)),
    "cam01-0001.bin",
    "cam02-0001.bin",
    *(f"clip-000{number}-0001.bin" for number in (1, 2, 3)),
    *(f"item-{number:06d}.bin" for number in range(30)),
    *(f"item-{number:06d}.new" for number in range(30)),
    MARKER_NAME,
    "footage.mov",
)


def flat(target):
    return FlatRun(FlatPlan("write", 48 * MIB, shape=Shape(MIB, 4), reads_back=True), target)


def probing(target):
    return FlatRun(FlatPlan("write", 48 * MIB, shape=None), target)


def recorder(target):
    loads = [RecorderLoad(8e6, Fraction(25), 64 * MIB, 0.4, name=name) for name in "AB"]
    return RecorderRun(loads, target)


def edit(target):
    return EditRun(EditPlan(4e6, 25, 2, step_s=0.3, clip_s=0.5, cache_files_per_s=60), target)


def project(target):
    return ProjectRun(ProjectPlan(files=30, reads=50, large_bytes=4 * MIB), target)


def offload(target):
    clips = tuple(Clip(f"clip {number}", 6 * MIB) for number in range(3))
    return OffloadRun(OffloadPlan(clips, "made up"), target)


WORKLOADS = (flat, probing, recorder, edit, project, offload)


@pytest.fixture
def precious(tmp_path):
    """A folder of somebody's footage, under every name that a test of ours might use."""
    folder = tmp_path / "precious"
    folder.mkdir()
    for name in NAMES:
        (folder / name).write_bytes(f"footage of {name}".encode() * 50)
    return folder


def contents(folder):
    return {path.name: path.read_bytes() for path in folder.iterdir()}


class Attacker(threading.Thread):
    """At a moment of its choosing puts something of the victim's where ours is or will be."""

    def __init__(self, disk, precious, wait_s, deed):
        super().__init__()
        self.disk, self.precious, self.wait_s, self.deed = disk, precious, wait_s, deed
        self.done = False

    def run(self):
        until_s = time.monotonic() + 5
        while not (ours := list(self.disk.glob(f"{FOLDER_PREFIX}*"))):
            if time.monotonic() > until_s:
                return
        time.sleep(self.wait_s)
        try:
            self.deed(ours[0], self.precious)
            self.done = True
        except OSError:
            pass  # the test was over before


def swap_for_link(ours, precious):
    ours.rename(ours.with_name("taken away"))
    ours.symlink_to(precious)


def swap_for_folder(ours, precious):
    ours.rename(ours.with_name("taken away"))
    precious.rename(ours)


def plant_links(ours, precious):
    """Links under the plain names, and under names with the token as seen in the folder."""
    names = [path.name for path in ours.iterdir()]
    tokens = {name.split(".")[-2] for name in names if name.count(".") > 1}
    for name in NAMES:
        stem, _, suffix = name.partition(".")
        for planted in (name, *(f"{stem}.{token}.{suffix}" for token in tokens)):
            if not os.path.lexists(ours / planted):
                (ours / planted).symlink_to(precious / name)


DEEDS = (swap_for_link, swap_for_folder, plant_links)


@pytest.mark.parametrize("make", WORKLOADS, ids=lambda make: make.__name__)
def test_whatever_is_swapped_or_planted_no_foreign_byte_changes(tmp_path, precious, make):
    """Nine moments a workload, three deeds: what is somebody's is the same before and after."""
    before = contents(precious)
    chance = random.Random(make.__name__)
    done = 0
    for attempt in range(9):
        deed = DEEDS[attempt % 3]
        disk, notes = tmp_path / f"disk {attempt}", tmp_path / "notes"
        disk.mkdir()
        attacker = Attacker(disk, precious, chance.uniform(0, 0.25), deed)
        attacker.start()
        run = make(FolderTarget(disk, notes))
        try:
            for _ in run.snapshots():
                pass
        except VastCellarError as error:
            run.error = error
        attacker.join()
        remove_leftovers(notes)
        done += attacker.done
        if deed is swap_for_folder and attacker.done:
            (planted,) = disk.glob(f"{FOLDER_PREFIX}*")
            assert contents(planted) == before, "what was put in our folder's place was touched"
            planted.rename(precious)
        assert contents(precious) == before
        assert list(notes.iterdir()) == []
        left = {path.name for path in disk.rglob("*") if path.is_file() and not path.is_symlink()}
        assert left <= set(NAMES), "a file of ours was left behind"
    assert done >= 3, "the attacks came too late to show anything"


def test_a_folder_taken_away_ends_the_run_with_its_sentence(tmp_path, precious):
    """Going on in a folder that somebody moved is a take that nobody asked for."""
    disk = tmp_path / "disk"
    disk.mkdir()
    run = RecorderRun(
        RecorderLoad(4e6, Fraction(25), 64 * MIB, 30), FolderTarget(disk, tmp_path / "n")
    )
    for shown in run.snapshots():
        if shown.moved_bytes and not (disk / "taken away").exists():
            (ours,) = disk.glob(f"{FOLDER_PREFIX}*")
            swap_for_link(ours, precious)
    assert "was replaced by something else while it ran" in str(run.error)
    assert not run.result.is_complete
    assert [path.name for path in disk.iterdir() if not path.is_symlink()] == []


def test_what_was_not_made_here_is_neither_opened_renamed_nor_removed(tmp_path, precious):
    """Each of the layer's deeds by itself, on a name that somebody else made."""
    with HeldFolder.open(precious) as held:
        before = contents(precious)
        for deed in (
            lambda: held.create("take-0001.bin"),
            lambda: held.remove("take-0001.bin"),
            lambda: held.rename("take-0001.bin", "mine.bin"),
        ):
            with pytest.raises(OSError):
                deed()
        mine = held.create("mine.bin")
        os.close(mine)
        with pytest.raises(FileExistsError):
            held.rename("mine.bin", "footage.mov")
        (precious / "mine.bin").unlink()
        (precious / "mine.bin").hardlink_to(precious / "footage.mov")
        with pytest.raises(OSError):
            held.remove("mine.bin")
        (precious / "mine.bin").unlink()
        assert contents(precious) == before


def test_links_and_pipes_are_not_opened(tmp_path):
    """A pipe would hold us up for ever, a link would lead elsewhere."""
    (tmp_path / "file").write_text("there")
    (tmp_path / "link").symlink_to(tmp_path / "file")
    os.mkfifo(tmp_path / "pipe")
    (tmp_path / "folder").mkdir()
    (tmp_path / "folder link").symlink_to(tmp_path / "folder")
    with HeldFolder.open(tmp_path) as held:
        os.close(held.open_file("file"))
        for name in ("link", "pipe"):
            with pytest.raises(OSError):
                held.open_file(name)
        with pytest.raises(OSError):
            held.open_folder("folder link")


def test_a_folder_that_was_moved_is_found_and_removed_where_it_went(tmp_path):
    """Its descriptor knows where it is; its old name belongs to whoever took it."""
    with HeldFolder.open(tmp_path) as held:
        made = held.make_folder("ours")
        (tmp_path / "ours").rename(tmp_path / "moved")
        (tmp_path / "ours").mkdir()
        (tmp_path / "ours" / "theirs").write_text("keep")
        assert held.remove_folder("ours", made)
        made.close()
    assert [path.name for path in tmp_path.rglob("*")] == ["ours", "theirs"]


def test_a_run_leaves_the_folder_as_it_was(tmp_path):
    """Every workload, left in peace, takes away all that it made."""
    (tmp_path / "holiday.mov").write_text("keep")
    for make in WORKLOADS:
        for _ in make(FolderTarget(tmp_path, tmp_path / "notes")).snapshots():
            pass
    assert {path.name for path in tmp_path.iterdir()} == {"holiday.mov", "notes"}
    assert list((tmp_path / "notes").iterdir()) == []
