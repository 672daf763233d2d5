"""Level search, pulses, settling, trends, ellipses, repeats, odd stretches: known answers and properties."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pantelos.reading.kinds import reading_kind
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.signal.levels.crossings import rising_crossings
from pantelos.signal.levels.distribution import distribution, percentile
from pantelos.signal.levels.level_search import crossings_in_numbers, level_crossings
from pantelos.signal.levels.levels import Levels, levels
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.signal.shapes.lissajous import fitted_ellipse, frequency_ratio
from pantelos.signal.shapes.pulses import pulses, reference_crossings, settling, transition_times
from pantelos.signal.shapes.repeats import overlaid
from pantelos.signal.shapes.unusual import steepest, stretches
from pantelos.signal.sums.trend import trend
from pantelos.units import unit


def reader(x):
    return lambda a, b: x[a:b]


def one_by_one(x, level, half):
    """The state machine of the definition, sample by sample."""
    found, state, pair = [], 0, None
    for n, value in enumerate(x.tolist()):
        if math.isnan(value):
            state, pair = 0, None
            continue
        if n and not math.isnan(x[n - 1]) and state:
            before = float(x[n - 1])
            if (
                (state < 0 and before < level <= value)
                or (state > 0 and before > level >= value)
                or (state > 0 and half == 0 and before == level > value)
            ):
                pair = n - 1 + (level - before) / (value - before)
        now = 1 if value >= level + half else -1 if (value <= level - half and (half > 0 or value < level)) else 0
        if now and state and now != state:
            found.append((pair, now > 0))
        state = now or state
    return found


@settings(max_examples=150)
@given(st.lists(st.sampled_from([-9, -4, -2, 0, 1, 2, 3, 7, 40, None]), min_size=2, max_size=60), st.integers(1, 300),
       st.sampled_from([-3.0, 0.0, 0.5, 2.0, 5.0]), st.sampled_from([0.0, 0.5, 2.5]))  # fmt: skip
def test_crossings_are_those_of_the_state_machine_however_they_are_read(values, each, level, half):
    x = np.repeat([math.nan if v is None else float(v) for v in values], each)
    wanted = one_by_one(x, level, half)
    straight = level_crossings(reader(x), 0, len(x), level, half)
    found = [straight]
    if not np.isnan(x).any():
        whole = x.astype(np.int16)
        found += [
            crossings_in_numbers(kind, build_pyramid(reader(kind), len(kind)), 0, len(kind), level, half) for kind in (whole, x)
        ]
    for one in found:
        assert one.rising.tolist() == [rising for _, rising in wanted]
        assert one.positions == pytest.approx([place for place, _ in wanted], abs=1e-9)


def test_a_long_record_is_searched_like_a_short_one_and_a_reversed_channel_too(sine):
    x = np.round(30_000 * np.sin(2 * np.pi * np.arange(1_500_000) / 20_011 + 0.3)).astype(np.int16)
    raw = RawChannel("u", x, unit("V"), build_pyramid(reader(x), len(x)))
    wanted = rising_crossings(x.astype(float), 10.5, 1500.0)
    assert crossings_in_numbers(x, raw.pyramid, 0, len(x), 10.5, 1500.0).rises == pytest.approx(wanted, abs=1e-9)
    from pantelos.record.record import scaled_channel
    from pantelos.record.scaling import parse_scaling

    record = record_of_arrays((raw,), 1e6, "made.csv", "0")
    turned = scaled_channel("u", record.columns[0], record.grid, unit("V"), parse_scaling("divider 2:1, reversed", unit("V")))
    assert turned.crossings(-21.0, 3000.0, 0, len(x)).falls == pytest.approx(wanted, abs=1e-9)


def test_rc03_crossings_of_an_off_nominal_sine():
    t = np.arange(40_000) / 20_000
    u = math.sqrt(2) * 230 * np.sin(2 * math.pi * 49.7 * t + 0.3)
    rises = level_crossings(reader(u), 0, len(u), 0.0, 10.0).rises / 20_000
    assert (len(rises), rises[0]) == (99, pytest.approx(0.0191600305246, abs=1e-8))


def test_rc05_rc07_rc08_pulses_steps_and_ramps():
    pwm = np.where(np.arange(100_000) % 100 < 37, 400.0, 0.0)
    found = pulses(reference_crossings(reader(pwm), 0, len(pwm), Levels(0.0, 400.0, True)))
    assert found.duty == pytest.approx(0.37, abs=1e-12)
    assert 1e6 / found.periods.mean() == pytest.approx(10_000, abs=1e-6)
    assert found.widths.mean() / 1e6 == pytest.approx(3.7e-5, abs=1e-12)
    t = np.arange(20_001) / 1e5
    step = np.where(t < 0.02, 0.0, 5 * (1 - np.exp(-(t - 0.02) / 0.01)))
    rise = transition_times(reader(step), 0, len(step), Levels(0.0, 5.0, True), True)
    assert rise / 1e5 == pytest.approx([0.02197224577336], abs=1e-7)
    assert settling(reader(step), 2000, len(step), 0.02).settled_at / 1e5 - 0.02 == pytest.approx(0.03912023005428, abs=1e-7)
    x = np.arange(10_000) % 1000
    shape = np.where(x < 100, x / 100, np.where(x < 500, 1.0, np.where(x < 600, (600 - x) / 100, 0.0)))
    v = 2 + 10 * shape
    two = levels(reader(v), 0, len(v))
    assert (two.base, two.top) == pytest.approx((2, 12), abs=0.011)
    assert transition_times(reader(v), 0, len(v), two, True)[1] / 1e5 == pytest.approx(0.0008, abs=2e-6)
    found = pulses(reference_crossings(reader(v), 0, len(v), two))
    assert found.widths[1] / 1e5 == pytest.approx(0.005, abs=2e-6)
    assert found.duty == pytest.approx(0.5, abs=0.0002)
    ramp = 2 + 3 * np.arange(1001) / 1e3
    assert trend(reader(ramp), 0, 1001).slope * 1e3 == pytest.approx(3, abs=1e-12)
    assert [percentile(reader(ramp), 0, 1001, q) for q in (5, 95)] == pytest.approx([2.15, 4.85], abs=1e-12)


def test_rc01_rc02_readings_of_size(evaluation_of, sine):
    sined = evaluation_of(10_000.0, None, None, u=sine(230, 50))
    rail = evaluation_of(
        20_000.0, None, None, u=48 + sine(0.5, 100, rate_hz=20_000, seconds=0.1) + sine(0.2, 300, 60, rate_hz=20_000, seconds=0.1)
    )
    for evaluation, name, value, within in (
        (sined, "rectified", 207.0557213847, 1e-8), (sined, "crest", 1.414213562373, 1e-11), (sined, "form", 1.110812096675, 1e-10),
        (sined, "peak_to_peak", 650.5382386916, 1e-9), (rail, "ripple", 0.0112190933482, 1e-11), (rail, "ac_rms", 0.5385164807135, 1e-10),
    ):  # fmt: skip
        assert evaluation.reading(reading_kind(name), ["u"]).value == pytest.approx(value, abs=within), name


def test_readings_of_pulses_times_and_samples(evaluation_of):
    t = np.arange(100_000) / 1e5
    g = np.where(np.arange(100_000) % 100 < 25, 5.0, 0.5)
    bump = np.exp(-((t - 0.3) ** 2) / 1e-4) - np.exp(-((t - 0.7) ** 2) / 1e-4)
    gone = np.where((t > 0.5) & (t < 0.51), np.nan, t)
    evaluation = evaluation_of(1e5, None, None, g=g, b=bump, r=gone)
    for name, channel, value in (
        ("duty", "g", 0.25), ("edge_frequency", "g", 1000.0), ("period", "g", 1e-3), ("width", "g", 0.25e-3), ("top", "g", 5.0),
        ("base", "g", 0.5), ("time_of_max", "b", 0.3), ("time_of_min", "b", 0.7), ("slope", "r", 1.0), ("missing", "r", 999.0),
        ("count", "r", 99_001.0), ("duration", "r", 1.0),
    ):  # fmt: skip
        assert evaluation.reading(reading_kind(name), [channel]).value == pytest.approx(value, rel=1e-9), name
    assert evaluation.reading(reading_kind("area"), ["g"]).value == pytest.approx(g.mean(), rel=1e-4)


@given(st.floats(0.1, 100), st.floats(0.1, 100), st.floats(-170, 170), st.floats(-5, 5))
def test_the_ellipse_tells_the_phase_of_two_sines(a, b, degrees, offset):
    if min(abs(degrees), 180 - abs(degrees)) < 2:
        return
    turn = 2 * np.pi * np.arange(1000) / 100
    points = np.stack([offset + a * np.cos(turn), b * np.cos(turn + math.radians(degrees))])
    found = fitted_ellipse(lambda i, j: points[:, i:j], 0, 1000)
    assert math.degrees(found.phase_rad) == pytest.approx(degrees, abs=1e-4)
    assert found.half == pytest.approx((a, b), rel=1e-5)
    assert found.misfit < 1e-4


def test_frequency_ratios_are_small_whole_numbers_or_none():
    assert frequency_ratio(50.0, 150.0) == (3, 1)
    assert frequency_ratio(50.0, 75.01) == (3, 2)
    assert frequency_ratio(50.0, 61.8034) is None
    assert fitted_ellipse(lambda i, j: np.zeros((2, j - i)), 0, 100) is None


def test_the_steepest_the_unlike_and_the_odd_repeat_are_found(sine):
    x = sine(10, 50, rate_hz=1e4, seconds=10)
    x[40_000:] += 5.0
    assert steepest(reader(x), 0, len(x), 1, 100.0).tolist() == [39_999.5]
    odd = sine(10, 50, rate_hz=1e4, seconds=10)
    odd[62_000:63_000] *= 1.3
    found = stretches(reader(odd), 0, len(odd), 2000.0)
    assert found.unlike(20.0).tolist() == [62_000.0]
    events = np.arange(50) * 2000.0 + 500.0
    laid = overlaid(reader(odd), len(odd), events, 100.0, 900.0)
    assert laid.outliers(20.0).tolist() == [62_500.0]
    assert laid.density.max() == 50
    assert np.all(laid.low <= laid.mean + 1e-9)
    assert np.all(laid.mean <= laid.high + 1e-9)


@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=500))
def test_a_histogram_counts_every_value_once(values):
    x = np.array(values)
    found = distribution(reader(x), 0, len(x), 37)
    assert found.n == len(x)
    assert float(found.sums.sum()) == pytest.approx(math.fsum(values), rel=1e-9, abs=1e-3)
    inside = distribution(reader(x), 0, len(x), 10, (-1.0, 1.0))
    assert inside.n + inside.n_outside == len(x)
