"""Pieces add up by definition, whatever engine adds them; ends between samples are those of the waveform behind the samples."""

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pantelos.signal.sums import integrals
from pantelos.signal.sums.integrals import Rule, add_up_running, totals_between


def by_hand(y, start, stop):
    """The straight lines between samples, those beside missing ones left out; and how much that is."""
    grid = np.union1d(np.arange(math.ceil(start), math.floor(stop) + 1), [start, stop])
    total = measured = 0.0
    for a, b in pairwise(grid):
        k = min(int(0.5 * (a + b)), len(y) - 2)
        at = y[k] + (y[k + 1] - y[k]) * (0.5 * (a + b) - k)
        if not math.isnan(at):
            total, measured = total + at * (b - a), measured + b - a
    return total, measured


@given(st.integers(0, 2**31), st.integers(2, 60), st.integers(0, 3), st.booleans())
@settings(max_examples=40)
def test_pieces_are_what_they_are_by_hand_in_small_blocks_and_by_the_compiled_loop(seed, n_pieces, n_missing, overlap):
    rng = np.random.default_rng(seed)
    y = rng.normal(size=(2, 700)) + 3
    y[:, rng.integers(0, 700, n_missing)] = np.nan
    edges = np.sort(rng.uniform(0, 699, n_pieces + 1))
    edges[rng.integers(0, n_pieces + 1, 3)] = rng.integers(0, 700, 3)
    edges.sort()
    starts, stops = (edges[:-2], edges[2:]) if overlap else (edges[:-1], edges[1:])
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(integrals, "BLOCK", 128)
        running = totals_between(lambda a, b: y[:, a:b], starts, stops, 700, smooth=False)
        patch.setattr(integrals, "_MANY", 2)
        patch.setattr(integrals, "_WORTH_COMPILING", 0)
        patch.setattr(integrals, "_PIECES_AT_ONCE", 100)
        compiled = totals_between(lambda a, b: y[:, a:b], starts, stops, 700, smooth=False)
    for k, (a, b) in enumerate(zip(starts, stops, strict=True)):
        total, measured = by_hand(y[0], a, b)
        assert running.integrals[0, k] == pytest.approx(total, abs=1e-9)
        assert running.measured[0, k] == pytest.approx(measured, abs=1e-9)
    assert compiled.integrals == pytest.approx(running.integrals, abs=1e-9)
    assert compiled.measured == pytest.approx(running.measured, abs=1e-9)


@pytest.mark.parametrize(("per_cycle", "inside", "at_ends"), [(16, 1e-8, 3e-6), (20, 1e-9, 1e-7), (50, 1e-12, 1e-12)])
def test_the_mean_square_of_one_cycle_of_a_sine_is_a_half(per_cycle, inside, at_ends):
    for seed in range(40):
        rng = np.random.default_rng(seed)
        n = 3 * per_cycle
        y = np.sin(2 * np.pi * np.arange(n) / per_cycle + rng.uniform(-3, 3)) ** 2
        for start, within in ((rng.uniform(9, 2 * per_cycle - 10), inside), (0.3, at_ends), (n - 1.2 - per_cycle, at_ends)):
            found = totals_between(lambda a, b, y=y: y[a:b], np.array([start]), np.array([start + per_cycle]), n)
            assert found.means[0] == pytest.approx(0.5, abs=within), (seed, start)


@given(st.integers(0, 2**31))
def test_ends_of_an_interval_know_nothing_of_what_lies_beside_it_and_noise_is_not_made_larger(seed):
    rng = np.random.default_rng(seed)
    y = np.sin(2 * np.pi * np.arange(600) / 50)
    start, stop = 200 + rng.uniform(0, 1), 400 - rng.uniform(0, 1)
    beside = y.copy()
    beside[:200], beside[400:] = 1e6, np.nan
    one, other = (
        totals_between(lambda a, b, x=x: x[a:b], np.array([start]), np.array([stop]), 600, within=(200, 400)) for x in (y, beside)
    )
    assert one.integrals[0] == other.integrals[0]
    noise = rng.normal(size=600)
    plain, smooth = (totals_between(lambda a, b: noise[a:b], np.zeros(1), np.array([stop]), 600, smooth=s) for s in (False, True))
    assert plain.integrals[0] == pytest.approx(smooth.integrals[0], abs=1e-9)


def test_samples_stand_for_a_period_each_by_rectangles():
    y = np.array([1.0, 2, 4, np.nan, 16, 32])
    found = totals_between(lambda a, b: y[a:b], np.array([0.0, 2, 4]), np.array([2.0, 5, 6]), 6, Rule.RECTANGULAR)
    assert found.integrals.tolist() == [3, 20, 48]
    assert found.measured.tolist() == [2, 2, 2]
    assert found.shares == pytest.approx([1, 2 / 3, 1])


@given(st.integers(1, 1200), st.integers(0, 1300), st.integers(0, 700), st.booleans(), st.integers(0, 2**31))
def test_a_running_integral_is_that_of_its_trapezoids(n, skipped, length, one_behind, seed):
    y = np.random.default_rng(seed).normal(1, 1, n + one_behind)
    y[np.random.default_rng(seed + 1).random(len(y)) < 0.01] = np.nan
    areas = np.nan_to_num(y[:-1] + y[1:])
    y.flags.writeable = False  # as of a mapped file
    sums, values = np.array([5.0, 7.0]), np.full(length, -1.0)
    add_up_running(y, n, skipped, 0.25, sums, values)
    running = 5 + 0.25 * np.concatenate([[0.0], np.cumsum(areas)])[:n]
    told = min(max(n - skipped, 0), length)
    np.testing.assert_allclose(values[:told], running[skipped : skipped + told], atol=1e-10)
    assert (values[told:] == -1).all()
    np.testing.assert_allclose(sums, [5 + 0.25 * areas.sum(), 7 + areas.sum()], atol=1e-9)
