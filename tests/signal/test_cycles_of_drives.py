"""Cycles off the beaten path: gates, switched voltages, run-ups, ripple on a rail, late beginnings, dips, gaps, noise."""

import math
import re
import sys
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parent))
from drives import carried, cases, gate, not_periodic, of_turns, steady

from pantelos.signal.cycles import cycle_search
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.signal.filters.decimation import reduced
from pantelos.signal.filters.filters import decimated
from pantelos.signal.filters.octaves import octaves
from pantelos.signal.levels.level_search import crossings_in_numbers
from pantelos.signal.levels.levels import levels
from pantelos.signal.sampling.interpolation import resample
from pantelos.signal.sampling.pyramid import build_pyramid

CASES = cases()


def found_in(x, rate):
    return find_cycles(lambda a, b: x[a:b], len(x), rate)


@pytest.mark.parametrize("name", CASES)
def test_no_cycle_is_lost_doubled_or_misplaced(name):
    drive = CASES[name]
    cycles = found_in(drive.x, drive.rate_hz)
    assert not cycles.why_not
    measured = np.flatnonzero(cycles.measured)
    starts, truth = cycles.crossings[measured], drive.crossings
    near = np.abs(truth[None, :] - starts[:, None]).argmin(axis=1)
    local = np.diff(truth)[np.minimum(near, len(truth) - 2)]
    off = (starts - truth[near]) / local
    if drive.shifted:  # a gate has no phase of its own
        off = off - np.median(off)
    assert np.abs(off).max() <= drive.tolerance
    assert np.unique(near).size == near.size  # none twice
    f_true = (len(truth) - 1) / (truth[-1] - truth[0]) * drive.rate_hz
    assert cycles.frequency_hz == pytest.approx(f_true, rel=3e-3 if "begins" in name else 1e-3)
    n_seen = np.count_nonzero(cycles.whole if "dip" in name else cycles.measured)
    assert abs(n_seen - (len(truth) - 1)) <= 2
    if "dip" in name and "0.4" not in name:  # gone through with the last period, and marked
        assert cycles.whole.all()
        assert cycles.continued.any()


@pytest.mark.parametrize("name", not_periodic())
def test_where_nothing_is_periodic_nothing_is_given_and_why(name):
    rate, x = not_periodic()[name]
    cycles = found_in(x, rate)
    assert len(cycles.whole) == 0
    assert cycles.why_not
    assert math.isnan(cycles.frequency_hz)


def test_cycles_of_a_long_record_are_those_of_its_stretches(monkeypatch):
    """Drift, noise, a pause and a jump of phase, beside and across the cuts; a gate of two levels."""
    rate, t = 2000.0, np.arange(200_000) / 2000.0
    turns = 50.0 * t + 0.6 * np.sin(2 * np.pi * t / 60) + 0.25 * (t > 63.011)
    x = 325 * np.sin(2 * np.pi * turns) + np.random.default_rng(3).normal(0, 0.5, len(t))
    x[(t > 24.4) & (t < 25.6)] = 0.0  # around the first cut
    gates = (np.modf(turns)[0] < 0.3) * 5.0
    for wave, within in ((x, 0.03), (gates, 0.6)):
        once = found_in(wave, rate)
        with monkeypatch.context() as patch:
            patch.setattr(cycle_search, "_MOST_HELD", 1 << 15)
            patch.setattr(cycle_search, "_MOST_EDGES", 1 << 11)
            found = found_in(wave, rate)
            patch.setattr(cycle_search, "_MOST_CYCLES", 2000)
            assert re.search(r"about 5(\.0\d+)? k cycles .* up to (39|40) s", found_in(wave, rate).why_not)
        assert len(found.crossings) == len(once.crossings)
        assert (
            np.count_nonzero(~found.whole) == np.count_nonzero(~once.whole) <= 1
        )  # in the jump of phase; the pause is gone through
        beside = np.abs(once.crossings / rate - 63.011) > 0.05
        assert np.abs(found.crossings - once.crossings)[beside].max() < within


def test_a_gap_takes_no_cycle_with_it_and_bends_none():
    u = 325 * np.sin(2 * np.pi * steady(50, 1e4, 2))
    for start, stop in ((7030, 7033), (7030, 7130), (7030, 8000), (0, 90)):
        x = u.copy()
        x[start:stop] = np.nan
        cycles = found_in(x, 1e4)
        assert cycles.whole.all()
        assert cycles.frequency_hz == pytest.approx(50, rel=1e-6)
        assert np.abs(np.diff(cycles.crossings) - 200).max() < 0.01


def test_ends_of_a_changing_frequency_are_right():
    turns = 0.1 + np.cumsum(np.linspace(20, 100, 20_000)) / 1e4
    drive = of_turns(turns, 1e4)
    cycles = found_in(drive.x, 1e4)
    for k in (0, 1, -3, -2):
        truth = drive.crossings[np.abs(drive.crossings - cycles.crossings[k]).argmin()]
        assert cycles.crossings[k] == pytest.approx(truth, abs=0.01 * 200)


def test_a_drive_that_stands_still_pauses_its_cycles():
    f = np.concatenate([np.linspace(0, 40, 20_000), np.full(20_000, 40.0), np.linspace(40, 0, 20_000), np.zeros(20_000),
                        np.linspace(0, 40, 20_000), np.full(20_000, 40.0)])  # fmt: skip
    turns = np.cumsum(f) / 1e4
    cycles = found_in(10 * np.sin(2 * np.pi * turns), 1e4)
    middle = [k for k in range(len(cycles.whole)) if cycles.crossings[k] < 70_000 < cycles.crossings[k + 1]]
    assert not cycles.whole[middle].any()  # at a standstill there is no cycle
    assert cycles.frequency_between(25_000, 38_000) == pytest.approx(40, rel=1e-6)
    assert cycles.frequency_between(105_000, 118_000) == pytest.approx(40, rel=1e-6)


@pytest.mark.parametrize("sigma", [0, 0.1, 0.5, 1.2])
@pytest.mark.parametrize("duty", [0.5, 0.1, 0.9])
def test_levels_of_a_gate_hold_with_noise(duty, sigma):
    x = gate(500, 1e6, 0.1, duty).x + np.random.default_rng(3).normal(0, sigma, 100_000)
    found = levels(lambda a, b: x[a:b], 0, len(x))
    assert (found.base, found.top) == pytest.approx((0, 24), abs=0.02 + 0.05 * sigma)
    assert found.two_states


def test_levels_beyond_the_range_of_whole_numbers_are_reached_by_none():
    x = np.tile(np.array([0, 100, 255, 100], dtype=np.uint8), 2000)
    pyramid = build_pyramid(lambda a, b: x[a:b].astype(float), len(x))
    for level, half, n in ((250, 10, 0), (5, 10, 0), (300, 0, 0), (-3, 0, 0), (250, 5, 2000), (128, 20, 2000)):
        assert len(crossings_in_numbers(x, pyramid, 0, len(x), level, half).rises) == n, (level, half)


def test_octaves_and_decimation_keep_what_is_below_and_fold_nothing_down():
    rate, t = 100_000.0, np.arange(100_000) / 100_000
    slow, fast = np.sin(2 * np.pi * 20 * t), np.sin(2 * np.pi * 11_000 * t)
    for x, wanted in ((slow, slow), (slow + fast, slow)):
        places = np.linspace(5000, 95_000, 999)
        served = octaves(x, rate, 1000.0).at(places, np.full(999, 2000.0))
        assert np.abs(served - np.sin(2 * np.pi * 20 * places / rate)).max() < 3e-3
        less, step = decimated(lambda a, b, x=x: x[a:b], len(x), rate, 1000.0)
        assert np.abs(less - wanted[::step])[20:-20].max() < 1e-3
    assert reduced(lambda a, b: slow[a:b], 0, len(slow), 10)(5000, 5001)[0] == pytest.approx(slow[50_000], abs=1e-3)
    assert resample(slow[None, :100], np.array([50.5]))[0, 0] == pytest.approx(np.sin(2 * np.pi * 20 * 50.5 / rate), abs=1e-9)


def test_the_fundamental_of_a_switched_voltage_is_below_its_carrier_at_any_load():
    for modulation in (0.03, 0.2, 0.7, 1.0):
        x = carried(steady(25, 2e5, 0.4), 2e5, 3000, modulation)
        assert found_in(x, 2e5).frequency_hz == pytest.approx(25, rel=2e-3), modulation


@pytest.mark.parametrize(
    ("first", "last", "seconds", "law"), [(1, 400, 5, "line"), (400, 1, 5, "line"), (2, 80, 3, "line"), (1, 400, 3, "power")]
)
def test_a_run_up_of_more_than_a_decade_keeps_every_cycle_to_its_law(first, last, seconds, law):
    """Also the first and the last one; a distorted one with noise within what the noise leaves."""
    t = np.arange(20_000 * seconds) / 20_000
    growth = math.log(last / first) / seconds
    turns = first * t + (last - first) * t**2 / (2 * seconds) if law == "line" else first / growth * np.expm1(growth * t)
    pure = 10 * np.sin(2 * np.pi * turns) + 0.3
    noise = np.random.default_rng(0).normal(0, 0.05, len(t))
    for x, within in ((pure, 5e-4), (pure + np.sin(10 * np.pi * turns + 0.4) + noise, 6e-3)):
        found = find_cycles(lambda a, b, x=x: x[a:b], len(x), 20_000.0)
        whole = np.interp(found.crossings, np.arange(len(x)), turns)
        assert np.diff(np.round(whole)) == pytest.approx(1)
        assert len(found.crossings) == math.floor(turns[-1] + 1e-3) + 1
        exact = np.diff(np.interp(np.round(whole), turns, t))
        assert np.diff(found.crossings) / 20_000 == pytest.approx(exact, rel=within)
