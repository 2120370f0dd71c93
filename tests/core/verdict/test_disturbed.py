"""What disturbs a run: one rule for verdicts, histories, warnings and diagnoses."""

import pytest

from vastcellar.core.diagnosis.causes import Cause, in_doubt
from vastcellar.core.diagnosis.diagnose import diagnose
from vastcellar.core.trace import Trace
from vastcellar.core.verdict.disturbed import BUSY_SHARE, disturbance, is_busy
from vastcellar.devices.load import OtherLoad


@pytest.mark.parametrize(
    ("what", "says"),
    [
        ({"cpu_share": 0.31}, "busy"),
        ({"other_tests": 1}, "another test"),
        ({"slept_s": 0.1}, "slept"),
        ({"stood_still_s": 1.1}, "stood still"),
        ({"clock_set_s": -30.0}, "the clock was set"),
        ({"cpu_share": BUSY_SHARE, "stood_still_s": 1.0}, ""),
    ],
)
def test_each_is_named_and_a_little_of_it_is_none(what, says):
    """Exactly at its threshold nothing is disturbed yet, in the warning as in the verdict."""
    assert says in disturbance(**what) and bool(says) == bool(disturbance(**what))
    share = what.get("cpu_share", 0.0)
    assert bool(OtherLoad(share, 0.0).warning) is is_busy(share)


def test_a_disturbed_run_names_no_cause_and_calibrates_nothing():
    """What it would have named is left open; knee and throttle aren't taken from it."""
    import numpy as np

    seconds = np.arange(0, 600.0)
    written = np.where(seconds < 200, seconds * 2e9, 400e9 + (seconds - 200) * 2e8)
    trace = Trace(seconds, written, np.full(600, 41.0))
    found = diagnose(trace, None, is_direct=True, from_rest=True)
    assert Cause.CACHE in found.causes and found.knee_bytes is not None
    doubted = in_doubt(found, "the computer was busy with other things")
    assert doubted.cause_names == ["cannot_tell"] and Cause.CACHE in doubted.candidates
    assert doubted.knee_bytes is None and doubted.throttle_c is None
    assert doubted.deciding_test == "Run it again with nothing else going on"
