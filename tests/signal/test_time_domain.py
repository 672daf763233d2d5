"""Reference cases of the time domain: known answers within their tolerances."""

import math

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.reading.kinds import reading_kind
from pantelos.record.clipping import clipping
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.signal.cycles.window import Window, window_means
from pantelos.signal.levels.crossings import rising_crossings
from pantelos.signal.levels.levels import levels
from pantelos.signal.sampling.pyramid import build_pyramid, envelope
from pantelos.signal.shapes.pulses import band_around
from pantelos.signal.sums.integrals import Rule, parts_between, totals_between
from pantelos.signal.sums.statistics import extremes


def reader(x):
    return lambda a, b: x[..., a:b]


def test_rc01_pure_sine(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, reference="u1", u1=sine(230, 50))
    read = {name: evaluation.reading(reading_kind(name), ["u1"]).value for name in
            ("mean", "rms", "ac_rms", "min", "max", "peak_to_peak", "frequency")}  # fmt: skip
    assert read["mean"] == pytest.approx(0, abs=1e-9)
    assert read["rms"] == pytest.approx(230, abs=1e-9)
    assert read["ac_rms"] == pytest.approx(230, abs=1e-9)
    assert read["max"] == pytest.approx(325.2691193458, abs=1e-9)
    assert read["peak_to_peak"] == pytest.approx(650.5382386916, abs=1e-9)
    assert read["max"] / read["rms"] == pytest.approx(1.414213562373, abs=1e-11)
    assert read["frequency"] == pytest.approx(50, abs=1e-5)


def test_rc02_dc_with_ripple(evaluation_of, sine):
    u = 48 + sine(0.5, 100, rate_hz=20_000, seconds=0.1) + sine(0.2, 300, 60, rate_hz=20_000, seconds=0.1)
    evaluation = evaluation_of(20_000.0, u=u)
    mean, ac, rms = (evaluation.reading(reading_kind(name), ["u"]).value for name in ("mean", "ac_rms", "rms"))
    assert mean == pytest.approx(48, abs=1e-10)
    assert ac == pytest.approx(0.5385164807135, abs=1e-10)
    assert rms == pytest.approx(48.00302073828, abs=1e-10)
    assert 100 * ac / mean == pytest.approx(1.12190933482, abs=1e-9)


def test_rc03_off_nominal_reference():
    rate = 20_000
    u = math.sqrt(2) * 230 * np.sin(2 * np.pi * 49.7 * np.arange(2 * rate) / rate + 0.3)
    crossings = rising_crossings(u, 0.0, 10.0)
    assert crossings[0] / rate == pytest.approx(0.0191600305246, abs=1e-8)
    assert len(crossings) == 99
    period = (crossings[-1] - crossings[0]) / rate / 98
    assert 1 / period == pytest.approx(49.7, abs=1e-6)
    assert period == pytest.approx(0.02012072434608, abs=1e-9)
    window = Window(crossings[0], crossings[-1], 98, Rule.TRAPEZOID)
    (mean, square), coverage = window_means(lambda a, b: np.stack([u[a:b], u[a:b] ** 2]), window, len(u))
    assert math.sqrt(square) == pytest.approx(230, abs=0.001)
    assert mean == pytest.approx(0, abs=0.001)
    assert coverage.tolist() == [1, 1]


def test_rc04_distorted_reference_with_three_crossings_per_cycle(sine):
    rate = 20_000
    u = sine(100, 50, rate_hz=rate, seconds=1) + sine(40, 250, 180, rate_hz=rate, seconds=1)
    raw = np.where(np.abs(u) < 1e-9, 0.0, u)
    low, high = round(0.305 * rate), round(0.705 * rate)
    assert np.count_nonzero((raw[low - 1 : high - 1] < 0) & (raw[low:high] >= 0)) == 60
    cycles = find_cycles(reader(u), len(u), rate)
    assert cycles.frequency_between(0.3 * rate, 0.7 * rate) == pytest.approx(50, abs=1e-5)
    inner = cycles.crossings[(cycles.crossings > 0.3 * rate) & (cycles.crossings < 0.7 * rate)] / rate
    assert np.abs(inner - np.round(inner * 50) / 50).max() < 2e-6
    assert math.sqrt(np.mean(u**2)) == pytest.approx(107.7032961427, abs=1e-9)


def test_cycles_are_found_through_decimation_and_go_on_through_an_interruption():
    rate = 200_000
    t = np.arange(rate) / rate
    u = 325 * np.sin(2 * np.pi * 50 * t)
    cycles = find_cycles(reader(u), len(u), rate)
    assert cycles.frequency_hz == pytest.approx(50, abs=1e-5)
    assert np.abs(cycles.crossings / rate * 50 % 1 - 0.5).min() > 0.4999
    u[80_000:120_000] = 0
    interrupted = find_cycles(reader(u), len(u), rate)
    assert interrupted.whole.all()
    assert np.count_nonzero(interrupted.continued) == pytest.approx(12, abs=2)
    assert not len(find_cycles(reader(np.full(5000, 48.0)), 5000, rate).whole)


def test_rc18_energy_with_reversal():
    p = 1000 * np.sin(2 * np.pi * 0.1 * np.arange(10_001) / 1000)
    p[[0, 5000, 10_000]] = 0
    received, returned = (part[0] / 1000 for part in parts_between(reader(p), np.zeros(1), np.array([1e4]), len(p)))
    assert received == pytest.approx(3183.098757118, abs=1e-8)
    assert returned == pytest.approx(3183.098757118, abs=1e-8)
    net = totals_between(reader(p), np.zeros(1), np.array([1e4]), len(p), smooth=False).integrals[0]
    assert net / 1000 == pytest.approx(0, abs=1e-8)


def test_rc20_summation_of_ten_million_samples():
    x = np.full(10_000_000, 0.1)
    mean, _ = window_means(reader(x), Window(0, len(x), 0, Rule.RECTANGULAR), len(x))
    assert float(mean) * len(x) == pytest.approx(1_000_000, abs=1e-8)
    total = totals_between(reader(x), np.zeros(1), np.array([len(x) - 1.0]), len(x)).integrals[0]
    assert total == pytest.approx(0.1 * (len(x) - 1), rel=1e-12)


def test_rc40_clipping_and_gaps(evaluation_of, sine):
    clipped = np.clip(sine(230, 50, rate_hz=1e6), -300, 300)
    channel = evaluation_of(1e6, u=clipped).samples.resolve("u")
    found = clipping(channel, channel.pieces[0])
    assert found.n_samples / len(clipped) == pytest.approx(0.2525929706001, abs=2e-4)
    assert found.levels == (-300, 300)
    assert math.sqrt(np.mean(clipped**2)) == pytest.approx(224.2050836324, abs=0.001)
    u = sine(230, 50)
    u[1000:1200] = np.nan
    square, coverage = window_means(lambda a, b: u[a:b] ** 2, Window(0, 2000, 10, Rule.RECTANGULAR), 2000)
    assert math.sqrt(square) == pytest.approx(230, abs=1e-9)
    assert coverage == pytest.approx(0.9, abs=1e-12)
    assert math.isnan(evaluation_of(10_000.0, u=u).reading(reading_kind("rms"), ["u"]).value)


@given(
    st.lists(st.one_of(st.just(math.nan), st.floats(-1e6, 1e6)), min_size=1, max_size=2000),
    st.integers(1, 40), st.floats(-0.2, 1.0), st.floats(0.05, 1.5),
)  # fmt: skip
def test_an_envelope_never_misses_a_sample_of_its_view(values, n_columns, start, length):
    x = np.array(values * 3)
    view = start * len(x), (start + length) * len(x)
    pyramid = build_pyramid(reader(x), len(x), block=500)
    lows, highs = envelope(reader(x), pyramid, *view, n_columns)
    inside = x[max(math.ceil(view[0]), 0) : max(min(math.floor(view[1]), len(x)), 0)]
    if np.isfinite(inside).any():
        assert np.nanmin(lows) <= np.nanmin(inside)
        assert np.nanmax(highs) >= np.nanmax(inside)
        assert np.nanmax(highs) <= np.nanmax(x)


@given(st.lists(st.one_of(st.just(math.nan), st.floats(-1e9, 1e9)), min_size=1, max_size=300))
def test_extremes_are_those_of_the_valid_samples(values):
    x = np.array(values)
    found = extremes(reader(x), 0, len(x))
    if np.isfinite(x).any():
        assert (found.low, found.high) == (np.nanmin(x), np.nanmax(x))
        assert x[found.high_at] == found.high
    else:
        assert math.isnan(found.low)
    assert found.coverage == np.isfinite(x).mean()


@given(st.lists(st.floats(-100, 100), min_size=3, max_size=60), st.floats(0, 1), st.floats(0, 1))
def test_integrals_over_parts_add_up_and_match_the_sign_split(values, a, b):
    y = np.array(values)
    low, high = sorted((a * (len(y) - 1), b * (len(y) - 1)))
    starts, stops = np.array([0.0, low, high, 0.0]), np.array([low, high, len(y) - 1.0, len(y) - 1.0])
    totals = totals_between(reader(y), starts, stops, len(y), smooth=False).integrals
    grid = np.union1d(np.arange(len(y)), [low, high])
    inside = grid[(grid >= low) & (grid <= high)]
    expected = np.trapezoid(np.interp(inside, np.arange(len(y)), y), inside)
    assert totals[1] == pytest.approx(expected, abs=1e-6)
    assert totals[:3].sum() == pytest.approx(totals[3], abs=1e-6)
    received, returned = parts_between(reader(y), starts, stops, len(y))
    assert received - returned == pytest.approx(totals, abs=1e-6)


def test_the_band_around_a_level_follows_the_noise_up_to_a_quarter_of_the_swing():
    """5 % of the amplitude, three times the noise where that is more, never beyond a quarter: else no crossing would be seen."""
    x = np.tile([0.0] * 50 + [8.0] * 50, 40)
    clean, noisy = (levels(lambda a, b, x=x: x[a:b], 0, len(x)) for x in (x, x + np.random.default_rng(3).normal(0, 0.2, len(x))))
    assert band_around(clean) == pytest.approx(0.05 * 8)
    assert band_around(noisy) == pytest.approx(3 * 0.2, rel=0.1)
    assert band_around(msgspec.structs.replace(noisy, noise=9.0)) == pytest.approx(0.25 * 8, rel=0.05)
