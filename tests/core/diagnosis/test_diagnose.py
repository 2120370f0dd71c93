"""The cause of a slowdown: worked traces, traps that must stay open, and random setups."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from diagnosis import PROTOCOLS, diagnose_setup
from drawn_setups import draw_setup, log_runs
from vastcellar.core.diagnosis.causes import Cause
from vastcellar.core.diagnosis.change_points import optimal_partition
from vastcellar.core.diagnosis.diagnose import diagnose, diagnose_cooling_pair
from vastcellar.core.diagnosis.rate_levels import find_levels
from vastcellar.core.diagnosis.runs_of_trace import split_runs
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.trace import Trace
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.write_profile import Phase, sample, write_profile


def kinds_of(finding):
    """What a finding says, by the kinds of its statements."""
    return [each.kind for each in finding.said]


def values_of(finding):
    """All values of what a finding says, by name."""
    return {name: value for each in finding.said for name, value in each.values}


def trace_of(*pieces, celsius=None, seed=1, noise=0.03, begin_s=0.0):
    """A trace of (seconds, MB/s) pieces, logged about once a second with some noise."""
    random = np.random.default_rng(seed)
    fine = np.arange(0.0, sum(piece[0] for piece in pieces), 0.05)
    edges = np.cumsum([piece[0] for piece in pieces])
    rate = np.array([piece[1] for piece in pieces])[np.searchsorted(edges, fine, side="right")]
    per_second = np.exp(random.normal(0, noise, int(fine[-1]) + 2))[fine.astype(int)]
    written = np.concatenate([[0.0], np.cumsum(rate * per_second * 1e6 * 0.05)])[:-1]
    stamps = np.cumsum(random.uniform(0.8, 1.2, int(fine[-1])))
    stamps = np.concatenate([[0.0], stamps[stamps < fine[-1]], [fine[-1]]])
    warm = np.full(stamps.size, np.nan)
    if celsius is not None:
        warm = np.round(np.interp(stamps, *zip(*celsius, strict=True)))
    return Trace(stamps + begin_s, np.interp(stamps, fine, written), warm)


def cool_cliff():
    """155 GB of cache that folds while it is written, 800 MB/s offered, 250 past it."""
    behaviour = WriteBehaviour(2500e6, 250e6, 12e9, 0.22, 300e6, 1.0, direct_j_per_gb=5.0)
    path = HeatPath(12, 150, 3.0, 5.0, 0.7, 22.0)
    run = write_profile(behaviour, path, 800e6, (Phase(800e6, 800.0),), free_bytes=650e9)
    moments = np.arange(0.0, 800.0)
    samples = sample(run, moments)
    noise = np.random.default_rng(2).normal(0, 0.02, moments.size)
    written = np.maximum.accumulate(samples.written_bytes + 800e6 * noise)
    return Trace(moments, written - written[0], np.round(samples.drive_c))


def test_a_cliff_too_cool_for_heat_is_the_cache_with_its_knee_and_rates():
    """A drop far from the throttle's temperature is the cache, with knee and both rates."""
    found = diagnose(cool_cliff(), 1000e6)
    assert found.cause_names == ["cache"]
    assert found.knee_bytes.value == pytest.approx(208.05e9, rel=0.015)
    assert found.knee_bytes.low < 208.05e9 < found.knee_bytes.high
    assert found.burst_bytes_per_s == pytest.approx(800e6, rel=0.01)
    assert found.rate_after_cache_bytes_per_s.value == pytest.approx(250e6, rel=0.01)
    assert found.sustained_bytes_per_s == pytest.approx(250e6, rel=0.01)
    assert "too cool" in kinds_of(found.findings[0])


def test_one_lasting_step_without_a_sensor_stays_open_and_names_the_deciding_test():
    """A cache drive and a throttling one can write the same bytes at every moment."""
    found = diagnose(trace_of((260, 800), (600, 350)), 1000e6)
    assert found.cause_names == ["cannot_tell"]
    assert found.candidates == (Cause.CACHE, Cause.THERMAL)
    assert "fan" in found.deciding_test
    # Where it fell is known all the same.
    assert found.knee_bytes.value == pytest.approx(208e9, rel=0.015)


@pytest.mark.parametrize(
    ("fan_s", "cause"), [(260, Cause.CACHE), (420, Cause.THERMAL), (900, Cause.THERMAL)]
)
def test_the_cooling_pair_decides_without_a_sensor(fan_s, cause):
    """With and without a fan: a drop that moves is heat, one that stays is the cache."""
    rest = trace_of((260, 800), (600, 350))
    fan = trace_of((fan_s, 800), (max(860 - fan_s, 1), 350), seed=2)
    found = diagnose_cooling_pair(rest, fan, 1000e6)
    assert found.causes == (cause,)
    assert any(kind.startswith("fan: ") for kind in kinds_of(found.findings[0]))


def test_a_burst_that_no_link_carries_went_into_memory():
    """2.5 s at 3,400 through a link of 1,000, then 930: 6.18 GB in memory."""
    trace = trace_of((2.5, 3400), (120, 930), noise=0.0)
    found = diagnose(trace, 1000e6)
    assert found.cause_names == ["host_cache"]
    assert values_of(found.findings[0])["excess_bytes"] == pytest.approx(6.2e9, rel=0.01)
    # Past the host's memory the same burst can only be the drive's.
    assert Cause.HOST_CACHE not in diagnose(trace, 1000e6, is_direct=True).causes


def test_a_burst_through_an_unknown_link_may_be_a_small_cache():
    """A short quick start over an unknown link leaves both answers open."""
    found = diagnose(trace_of((3, 2600), (120, 930), noise=0.01))
    assert found.cause_names == ["cannot_tell"]
    assert set(found.candidates) >= {Cause.CACHE, Cause.HOST_CACHE}


@pytest.mark.parametrize(
    ("rate", "link", "names"),
    [(960, 1000e6, ["link"]), (700, 1000e6, ["healthy"]), (700, None, ["cannot_tell"])],
)
def test_flat_is_the_link_or_healthy_and_promises_only_what_was_seen(rate, link, names):
    """A flat run says only as much as it saw, in bytes."""
    found = diagnose(trace_of((180, rate)), link)
    assert found.cause_names == names
    assert "no slowdown" in kinds_of(found.findings[0])
    assert values_of(found.findings[0])["seen_bytes"] == found.seen_bytes
    assert found.seen_bytes == pytest.approx(rate * 180e6, rel=0.02)


def test_a_sawtooth_of_equal_lows_from_one_temperature_is_heat():
    """Lows that begin at one temperature and recover are throttling."""
    teeth = [(300, 900), *[(60, 300), (140, 900)] * 5]
    saw = [(0, 30), (300, 74)]
    for tooth in range(5):
        saw += [(360 + 200 * tooth, 70), (500 + 200 * tooth, 74)]
    found = diagnose(trace_of(*teeth, celsius=saw), 1000e6)
    assert found.cause_names == ["thermal"]
    assert found.throttle_c.low <= 74 <= found.throttle_c.high
    assert not found.drops
    assert len(found.dips) == 5


@pytest.mark.parametrize(
    ("lows", "names"),
    [
        ([(300, 45), (180, 90), (150, 130), (140, 150)], ["thermal"]),  # no rhythm, but lasting
        ([(300, 45), (180, 90)], ["cannot_tell"]),  # two may be chance
        ([(300, 6), (40, 7), (200, 6), (90, 6)], ["cannot_tell"]),  # short, and no rhythm
    ],
)
def test_lasting_lows_of_one_depth_are_a_throttle_without_a_sensor(lows, names):
    """Equal lasting lows speak for a throttle even where no sensor does."""
    pieces = [piece for high_s, low_s in lows for piece in ((high_s, 900), (low_s, 360))]
    assert diagnose(trace_of(*pieces, (120, 900)), 1060e6).cause_names == names


def test_a_level_above_the_throttles_own_low_is_past_the_cache():
    """Teeth down to 300 MB/s, then 500 for good: a stage would have gone to 300 or lower."""
    teeth = [piece for _ in range(5) for piece in ((170, 900), (50, 300))]
    found = diagnose(trace_of((130, 900), *teeth, (100, 900), (400, 500)), 1060e6)
    assert set(found.causes) == {Cause.CACHE, Cause.THERMAL}
    lows = [values_of(each).get("low_bytes_per_s", 0) for each in found.findings]
    assert max(lows) == pytest.approx(305e6, rel=0.03)


def test_lows_at_random_from_the_start_are_a_bad_sample():
    """Irregular lows from the first minute are the sample, neither cache nor heat."""
    random, pieces = np.random.default_rng(4), []
    for _ in range(14):
        pieces += [(random.uniform(8, 70), 900), (random.uniform(2, 8), random.uniform(0, 600))]
    assert diagnose(trace_of(*pieces), 1000e6).cause_names == ["inconsistent"]


def test_a_hard_disk_that_slides_inwards_is_healthy():
    """The slow slide of a hard disk towards its inner zones is no fault."""
    x = np.linspace(0, 0.85, 60)
    found = diagnose(trace_of(*[(40, 180 * np.sqrt(1 - 0.75 * share)) for share in x]), 1000e6)
    assert found.cause_names == ["healthy"]
    assert "fell evenly" in kinds_of(found.findings[0])


def test_the_same_drop_at_other_temperatures_is_the_cache():
    """Run A drops at 148 GB and 71 °C, run B five minutes later at 61 GB: at 58 °C, the cache."""
    first = trace_of((185, 800), (300, 250), celsius=[(0, 40), (185, 71), (485, 70)])
    second = trace_of(
        (76, 800), (300, 250), celsius=[(0, 45), (76, 58), (376, 66)], begin_s=785, seed=3
    )
    both = Trace(
        np.concatenate([first.elapsed_s, second.elapsed_s]),
        np.concatenate([first.written_bytes, second.written_bytes + first.written_bytes[-1]]),
        np.concatenate([first.temperature_c, second.temperature_c]),
    )
    assert len(split_runs(both)) == 2
    found = diagnose(both, 1000e6, from_rest=False)
    assert found.cause_names == ["cache"]
    heats = values_of(found.findings[0])
    assert (round(heats["one_c"]), round(heats["other_c"])) == (71, 58)
    # Without the sensor heat and a cache not yet folded look alike.
    blind = Trace(
        both.elapsed_s.copy(), both.written_bytes.copy(), np.full(both.elapsed_s.size, np.nan)
    )
    assert diagnose(blind, 1000e6, from_rest=False).cause_names == ["cannot_tell"]


def test_a_trace_too_short_says_so():
    """A few seconds are too few for a diagnosis, and the least is named."""
    with pytest.raises(BadValueError, match="6 s or longer"):
        diagnose(trace_of((3, 500)))


@given(
    st.lists(
        st.tuples(st.floats(0.2, 90), st.floats(0, 3e9)).map(
            lambda p: (p[0], p[1] if p[1] > 1e5 else 0.0)
        ),
        min_size=1,
        max_size=60,
    ),
    st.one_of(st.none(), st.floats(1e7, 4e9)),
)
def test_any_trace_gets_an_answer_that_is_consistent(steps, link):
    """Whatever is logged: no crash, causes or candidates, and the knee inside what was seen."""
    elapsed = np.concatenate([[0.0], np.cumsum([step for step, _ in steps])])
    written = np.concatenate([[0.0], np.cumsum([step * rate for step, rate in steps])])
    trace = Trace(elapsed, written, np.full(elapsed.size, np.nan))
    try:
        found = diagnose(trace, link)
    except BadValueError:
        assert written[-1] == 0 or elapsed[-1] < 6
        return
    assert found.causes or found.candidates
    assert not set(found.causes) & set(found.candidates)
    assert bool(found.candidates) <= bool(found.deciding_test)
    if found.knee_bytes is not None:
        assert 0 <= found.knee_bytes.value <= found.seen_bytes + 1


@given(st.lists(st.floats(-3, 3), min_size=6, max_size=40), st.floats(0.1, 4))
def test_optimal_partition_beats_every_single_split(values, penalty):
    """No single split of any series fits better than the partition that is found."""
    series = np.array(values)

    def cost(bounds):
        edges = [*bounds, series.size]
        pieces = [series[a:b] for a, b in itertools.pairwise(edges)]
        return sum(((p - p.mean()) ** 2).sum() for p in pieces) + penalty * (len(pieces) - 1)

    best = cost(optimal_partition(series, penalty))
    assert best <= cost([0]) + 1e-9
    for split in range(3, series.size - 2):
        assert best <= cost([0, split]) + 1e-9


def test_levels_survive_a_logger_that_pauses_and_counts_in_chunks():
    """A logger that pauses or counts in chunks moves no level by more than a little."""
    trace = trace_of((100, 900), (100, 300))
    chunky = np.floor(trace.written_bytes / 64e6) * 64e6
    kept = np.ones(trace.elapsed_s.size, dtype=bool)
    kept[40:44] = False
    found = find_levels(Trace(trace.elapsed_s[kept], chunky[kept], trace.temperature_c[kept]))
    assert [round(level.bytes_per_s / 1e6, -1) for level in found.levels] == [900, 300]
    assert found.drops[0].written_bytes == pytest.approx(90e9, rel=0.02)


@pytest.mark.parametrize("protocol", PROTOCOLS, ids=lambda protocol: protocol.name)
def test_random_setups_are_hardly_ever_named_wrongly(protocol):
    """Not filtered for clear cases; the whole table is printed by the benchmark."""
    random = np.random.default_rng(31)
    grades = [
        logged.grade(frozenset(found.causes))
        for logged, found, _ in (diagnose_setup(protocol, draw_setup(random)) for _ in range(60))
    ]
    assert grades.count("wrong") <= 2
    assert grades.count("right") >= (0.35 if "one" in protocol.name else 0.4) * 60


def test_the_drawn_logs_are_the_same_for_the_same_seed():
    """A drawn setup and its log are repeatable."""
    setup = draw_setup(np.random.default_rng(8))
    one, other = (log_runs(setup, (300.0,)).trace for _ in range(2))
    assert np.array_equal(one.written_bytes, other.written_bytes)
