"""Clients that meet on a share: agreed, shared out, told; and whatever may go wrong with that."""

import threading
import time
from pathlib import Path

import pytest

from vastcellar.bench import meeting, reading_threads
from vastcellar.bench.edit_run import EditPlan
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.meeting import FOLDER_NAME, Meeting
from vastcellar.bench.stream_files import StreamFiles
from vastcellar.bench.together_run import ClientStep, TogetherRun, TogetherStep, shared_out
from vastcellar.core.errors import BadFileError, BadValueError, DiskError, VastCellarError
from vastcellar.core.units import PLAIN
from vastcellar.services.edit.together import called, joined, together_figures, together_lines

PLAN = EditPlan(4e5, 5.0, 3, step_s=0.6, read_ahead_frames=3, jumps_per_minute=0,
                scrubs_per_minute=0, clip_s=1)  # fmt: skip


@pytest.fixture(autouse=True)
def soon(monkeypatch):
    """Nobody waits for minutes in a test."""
    monkeypatch.setattr(meeting, "_LEAD_S", 0.2)


def run_in_thread(run):
    """Run a client beside; return what joins it and hands over its error, if any."""
    errors = []

    def work():
        try:
            list(run.snapshots())
        except VastCellarError as error:
            errors.append(error)

    thread = threading.Thread(target=work)
    thread.start()
    return lambda: (thread.join(), errors)[1]


def test_a_share_that_never_answers_is_asked_nothing_more_not_even_to_leave(tmp_path, monkeypatch):
    """The caller's reads hang: it ends with a sentence, and takes back no word of the meeting."""
    hangs, left = threading.Event(), []
    monkeypatch.setattr(reading_threads, "ANSWERS_WITHIN_S", 0.3)
    monkeypatch.setattr(StreamFiles, "read", lambda *_: hangs.wait(60))
    monkeypatch.setattr(Meeting, "leave", lambda self: left.append(self.is_caller))
    caller = called(tmp_path, PLAN, tmp_path / "notes", 2).run
    other = joined(tmp_path, tmp_path / "notes")
    wait, begin_s = run_in_thread(other), time.monotonic()
    with pytest.raises(DiskError, match="hasn't answered"):
        list(caller.snapshots())
    assert time.monotonic() - begin_s < 30 and True not in left
    hangs.set()
    other.stop()
    wait()


@pytest.mark.parametrize("clients", [2, 3])
def test_streams_are_shared_out_and_begin_at_one_moment(tmp_path, monkeypatch, clients):
    """One stream more each step, as even as can be; all results are put together, and nothing is
    left on the share. The disk of this computer may stall: it isn't asked."""
    monkeypatch.setattr(StreamFiles, "read", lambda _self, _at, into: len(into))
    caller = called(tmp_path, PLAN, tmp_path / "notes", clients).run
    waits = [run_in_thread(joined(tmp_path, tmp_path / "notes")) for _ in range(clients - 1)]
    list(caller.snapshots())
    assert [wait() for wait in waits] == [[]] * (clients - 1)
    assert [step.streams for step in caller.together] == [1, 2, 3]
    for step in caller.together:
        shares = [client.streams for client in step.clients]
        assert sum(shares) == step.streams and max(shares) - min(shares) <= 1
        assert step.frames >= step.streams * 3
    assert [each.name for each in tmp_path.iterdir() if each.name != "notes"] == []


def test_a_miss_of_anybody_ends_it(tmp_path, monkeypatch):
    """Reads take longer than a frame has once two streams play: two aren't held."""
    playing = set()

    def slow_when_two(_self, at, into):
        playing.add(threading.current_thread())  # an ident may be given to the next one
        time.sleep(0.9 if len(playing) > 1 else 0.001)
        return len(into)

    monkeypatch.setattr(StreamFiles, "read", slow_when_two)
    caller = called(tmp_path, PLAN, tmp_path / "notes", 2).run
    wait = run_in_thread(joined(tmp_path, tmp_path / "notes"))
    list(caller.snapshots())
    assert wait() == []
    assert [step.streams for step in caller.together] == [1, 2]
    assert caller.together[-1].missed > 0
    figures = together_figures(caller.together)
    assert figures["streams_held"] == 1 and len(figures["steps"][1]["clients"]) == 2
    assert together_lines(caller.together, PLAIN)[0] == ("streams held, all clients", "1")


@pytest.mark.parametrize("off_s", [-7200.0, 0.0, 3600.0])
def test_clocks_that_differ_make_no_difference(tmp_path, off_s):
    """A client whose clock is hours off begins within a moment of the one that called."""
    first, second = Meeting(tmp_path), Meeting(tmp_path, lambda: time.time() + off_s)
    first.call({})
    second.join()
    first.let_go(1, {})
    began = []
    threads = [threading.Thread(target=lambda each=each: (each.wait_go(1),
                                                          began.append(time.monotonic())))
               for each in (first, second)]  # fmt: skip
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert abs(began[0] - began[1]) < 0.5
    for each in (second, first):
        each.leave()
    assert not (tmp_path / FOLDER_NAME).exists()


def test_who_leaves_takes_here_back_last(tmp_path):
    """The caller takes the folder away once nobody is here: nothing of anybody may be in it then,
    or the folder stays, and every later call is refused."""
    first, second = Meeting(tmp_path), Meeting(tmp_path)
    first.call({})
    second.join()
    second.come()
    second.tell(1, {})
    second.tell(2, {})
    folder, seen = tmp_path / FOLDER_NAME, []
    unlink = Path.unlink

    def noted(path, missing_ok=False):
        unlink(path, missing_ok)
        seen.append(sorted(each.name for each in folder.iterdir() if second.me in each.name))

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Path, "unlink", noted)
        second.leave()
    assert len(seen) == 3 and seen[-1] == []
    assert all(f"here-{second.me}.json" in names for names in seen[:-1])
    first.leave()
    assert not folder.exists()


def test_a_second_call_is_refused_and_touches_nothing(tmp_path):
    """Clients meet there already: one sentence, and the first meeting stands."""
    first = Meeting(tmp_path)
    first.call({"plan": {}})
    with pytest.raises(DiskError, match="meeting there already"):
        Meeting(tmp_path).call({})
    assert Meeting(tmp_path).join()["caller"] == first.me


def test_nobody_who_calls_and_nobody_who_comes_are_sentences(tmp_path, monkeypatch):
    """Each after its time, with what to do."""
    monkeypatch.setattr(meeting, "COMES_WITHIN_S", 0.2)
    with pytest.raises(DiskError, match="nobody called a meeting"):
        joined(tmp_path, tmp_path / "notes")
    caller = called(tmp_path, PLAN, tmp_path / "notes", 2).run
    with pytest.raises(DiskError, match="1 of 2 clients came"):
        list(caller.snapshots())
    assert not (tmp_path / FOLDER_NAME).exists()


def test_a_client_that_goes_away_ends_it_with_a_sentence(tmp_path, monkeypatch):
    """It came, and says nothing any more; what was played by then is kept: who called plays the
    first stream itself, whatever the others are called."""
    monkeypatch.setattr("vastcellar.bench.together_run.SAYS_WITHIN_S", 0.3)
    caller = called(tmp_path, PLAN, tmp_path / "notes", 2).run
    ghost = Meeting(tmp_path)
    ghost.me = "00000000"
    ghost.join()
    ghost.come()
    list(caller.snapshots())
    assert "says nothing any more" in str(caller.error)
    assert caller.together == [] and not caller.result.is_complete


def test_the_client_that_called_may_go_away_too(tmp_path, monkeypatch):
    """Whoever joined isn't left waiting."""
    monkeypatch.setattr(meeting, "SAYS_WITHIN_S", 0.1)
    first = Meeting(tmp_path)
    first.call({"plan": {n: getattr(PLAN, n) for n in EditPlan.__dataclass_fields__}, "clients": 2})
    with pytest.raises(DiskError, match="the client that called is gone"):
        list(joined(tmp_path, tmp_path / "notes").snapshots())


@pytest.mark.parametrize(
    "word", ["[" * 50_000, "7", "[]", "{", '{"plan": 3, "clients": 2}', '{"clients": 2}',
             '{"plan": {"streams": -1}, "clients": 2}']
)  # fmt: skip
def test_a_word_that_is_none_is_one_sentence(tmp_path, word):
    """Brackets, a number, half an object, a plan of nobody's."""
    (tmp_path / FOLDER_NAME).mkdir()
    (tmp_path / FOLDER_NAME / "call.json").write_text(word)
    with pytest.raises(BadFileError):
        joined(tmp_path, tmp_path / "notes")


def test_a_start_far_away_is_not_waited_for(tmp_path):
    """A clock of another century: one sentence."""
    first = Meeting(tmp_path)
    first.call({})
    (tmp_path / FOLDER_NAME / "go-001.json").write_text('{"start_s": 9e12}')
    with pytest.raises(BadFileError, match="further away"):
        first.wait_go(1)


def test_what_others_put_there_is_left_alone(tmp_path):
    """The caller takes back its own words; a foreign file stays, and so does the folder."""
    first = Meeting(tmp_path)
    first.call({})
    (tmp_path / FOLDER_NAME / "notes.txt").write_text("mine")
    first.leave()
    assert [each.name for each in (tmp_path / FOLDER_NAME).iterdir()] == ["notes.txt"]


def test_it_is_stopped_at_once(tmp_path):
    """While it waits for others: half a second, and nothing is left."""
    caller = called(tmp_path, PLAN, tmp_path / "notes", 2).run
    threading.Timer(0.5, caller.stop).start()
    begin = time.monotonic()
    list(caller.snapshots())
    assert time.monotonic() - begin < 20
    assert caller.result is None and not (tmp_path / FOLDER_NAME).exists()


def test_one_client_is_no_meeting_and_streams_are_shared_evenly(tmp_path):
    """Seven streams of three clients: three, two, two."""
    for wrong in (1, 65):
        with pytest.raises(BadValueError, match="can't meet"):
            called(tmp_path, PLAN, tmp_path / "notes", wrong)
    assert [shared_out(7, client, 3) for client in range(3)] == [3, 2, 2]
    step = TogetherStep(3, (ClientStep(2, 10, 1, 0.1, 5.0), ClientStep(1, 5, 0, 0.0, 2.5)))
    assert (step.frames, step.missed, step.read_bytes_per_s) == (15, 1, 7.5)
    losing = TogetherStep(3, (ClientStep(2, 10, 0, 0.0, 5.0, 0.03), ClientStep(1, 5, 0, 0.0, 2.5)))
    assert losing.read_ahead_loss_s_per_s == pytest.approx(0.02) and not losing.is_held
    assert together_lines([losing], PLAIN) == [
        ("streams held, all clients", "0"),
        ("3 (2 + 1) at 0 MB/s",
         "0 of 15 frames missed, what was read ahead shrank by 20 ms a second"),
    ]  # fmt: skip
    run = TogetherRun(PLAN, FolderTarget(tmp_path, tmp_path / "n"), Meeting(Path(tmp_path)), 2)
    assert run.plan.streams == 2
