"""Samples of one model: which one is out."""

from dataclasses import replace

from histories import SETTING, noisy, point, rng, series
from vastcellar.core.cellar.samples import out_of_line


def runs_of(stalls, first, rate=4e8):
    """Return runs with such standstills."""
    return [point(first + n, rate + n * 1e6, stall_s=each) for n, each in enumerate(stalls)]


def test_the_sample_that_stalls_and_its_twins_that_dont():
    """Four of four stalled, none of eight of the others: that one, and no other."""
    found = out_of_line({
        "M-01": runs_of([0.1] * 4, 1), "M-02": runs_of([0.2] * 4, 11),
        "M-04": runs_of([9.0, 8.5, 9.1, 9.0], 21),
    })  # fmt: skip
    assert [each.tag for each in found] == ["M-04"]
    assert (found[0].stalled_runs, found[0].runs) == (4, 4)
    assert (found[0].twin_stalled_runs, found[0].twin_runs) == (0, 8)
    assert found[0].stalls and found[0].twins == ("M-01", "M-02")


def test_the_slow_one_of_three_is_named_and_of_two_neither():
    """Which of two is the odd one nobody knows."""
    draw = rng(8)
    three = {tag: series(noisy(draw, level, 6), first=10 * n)
             for n, (tag, level) in enumerate({"A": 4e8, "B": 4e8, "C": 3e8}.items())}  # fmt: skip
    assert [each.tag for each in out_of_line(three)] == ["C"]
    assert out_of_line({tag: three[tag] for tag in ("A", "C")}) == ()


def test_another_port_is_no_comparison():
    """A sample that was only tested on the old tower isn't held against the others."""
    old = replace(SETTING, host="old tower")
    found = out_of_line({
        "A": runs_of([0.1] * 6, 1), "B": runs_of([0.1] * 6, 11),
        "C": [replace(each, setting=old) for each in runs_of([9.0] * 6, 21)],
    })  # fmt: skip
    assert found == ()


def test_two_runs_decide_nothing():
    """Three at least of the one, and of a twin."""
    assert out_of_line({"A": runs_of([0.0] * 6, 1), "B": runs_of([9.0] * 2, 11)}) == ()
    assert out_of_line({"A": runs_of([9.0] * 6, 1)}) == ()
