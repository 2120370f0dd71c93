"""Sets of tests typed as one line."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadValueError
from vastcellar.core.protocols.protocol_text import HINT, parse_steps, steps_text
from vastcellar.core.protocols.protocols import ProtocolStep, StepKind


def test_a_line_becomes_steps_with_hands_before_the_test_they_belong_to():
    """Steps keep their order, and a hand's task goes with the test after it."""
    steps = parse_steps(HINT)
    assert [step.kind for step in steps] == ["burst", "write", "pause", "read"]
    burst, write, rest, read = steps
    assert burst.times == 3
    assert (write.share_of_free, write.most_s) == (0.4, 1800)
    assert rest.pause_s == 300
    assert (read.size_bytes, read.instruction) == (8 * 10**9, "Put a fan on the case")
    (steady,) = parse_steps("write 500 GB until steady up to 1 h 30 min")
    assert (steady.until_steady, steady.most_s, steady.size_bytes) == (True, 5400, 500 * 10**9)


@given(
    kind=st.sampled_from([kind for kind in StepKind if kind is not StepKind.PAUSE]),
    times=st.integers(1, 9),
    share=st.sampled_from([0.0, 0.05, 0.4, 1.0]),
    megabytes=st.integers(0, 9_000_000),
    minutes=st.integers(0, 200),
    steady=st.booleans(),
    pause_s=st.integers(1, 7200),
    hands=st.sampled_from(["", "Let it rest", "Turn it over"]),
)
def test_what_is_written_is_read_back(
    kind, times, share, megabytes, minutes, steady, pause_s, hands
):
    """A protocol written as a line is the same protocol when read."""
    size = 0 if share else megabytes * 10**6
    test = ProtocolStep(kind, times, size, share, minutes * 60.0, steady, 0.0, hands)
    steps = (test, ProtocolStep(StepKind.PAUSE, pause_s=float(pause_s)), test)
    assert parse_steps(steps_text(steps)) == steps


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "has no step"),
        ("polish 4 GB", "no test 'polish'"),
        ("write 4 furlongs", "furlongs"),
        ("rest", "Steps, 'rest'"),
        ("write 140%", "140 % is no share"),
        ("burst x0", "done 0 times"),
        ("burst; hands: Put a fan on", "nothing follows"),
    ],
)
def test_what_isnt_understood_is_named(text, says):
    """A step that isn't understood is named in the sentence."""
    with pytest.raises(BadValueError) as met:
        parse_steps(text)
    assert says in str(met.value)
    assert met.value.mend
