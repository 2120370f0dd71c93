"""Work off the interface thread: superseded questions are forgotten, writes never are."""

import threading

from vastcellar.core.errors import BadValueError
from vastcellar.ui.models.background import Background, Writer


def test_only_the_newest_question_is_answered_and_none_that_was_forgotten(qtbot):
    """Three questions at once give one answer; one that is forgotten meanwhile gives none."""
    work, answers, may_end = Background(), [], threading.Event()
    work.done.connect(answers.append)
    for number in range(3):
        work.request(lambda number=number: may_end.wait(30) and number)
    may_end.set()
    qtbot.waitUntil(lambda: bool(answers))
    may_end.clear()
    work.request(lambda: may_end.wait(30) and "of another subject")
    work.forget()
    may_end.set()
    with qtbot.waitSignal(work.done):
        work.request(lambda: "last")
    assert answers == [2, "last"]


def test_writes_go_in_order_and_each_refusal_is_told(qtbot):
    """Fifty writes, every tenth refused: each outcome is told, in the order they were asked for."""
    writer, told, written = Writer(), [], []

    def write(number):
        if number % 10 == 9:
            raise BadValueError(f"no {number}", where="test", mend="None")
        written.append(number)
        return number

    writer.done.connect(told.append)
    writer.failed.connect(lambda error: told.append(str(error)))
    for number in range(50):
        writer.request(lambda number=number: write(number))
    qtbot.waitUntil(lambda: len(told) == 50)
    assert written == [n for n in range(50) if n % 10 != 9]
    assert [t if isinstance(t, int) else "no" for t in told] == [
        "no" if n % 10 == 9 else n for n in range(50)
    ]


def test_a_writer_that_stops_has_written_all_that_was_asked_for(qtbot):
    """Stopped in the middle it returns when the last write is done, and takes no more."""
    writer, written = Writer(), []
    for number in range(200):
        writer.request(lambda number=number: written.append(number))
    writer.stop()
    writer.request(lambda: written.append("late"))
    assert written == list(range(200))
