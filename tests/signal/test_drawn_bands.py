"""What is drawn of a wave: a steady one looks steady however many of its cycles a column holds, and nothing is lost."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.signal.sampling.bands import bands_of_samples, drawn_bands, parts_of_column
from pantelos.signal.sampling.pyramid import build_pyramid, envelope


def _drawn(x, n_columns):
    pyramid = build_pyramid(lambda a, b: x[a:b], len(x))
    parts = parts_of_column(len(x) / n_columns)
    return drawn_bands(*envelope(lambda a, b: x[a:b], pyramid, 0, len(x), n_columns * parts), parts)


@given(
    columns=st.floats(0.2, 4.5),
    cycle=st.sampled_from([40, 200, 1000, 3000]),
    phase=st.floats(0, 6.28),
    level=st.sampled_from([0.0, 20.0]),
)
def test_a_steady_wave_looks_steady_at_any_number_of_cycles_a_column(columns, cycle, phase, level):
    x = level + np.sin(2 * np.pi * np.arange(int(300 / columns * cycle)) / cycle + phase)
    lows, highs = _drawn(x, 300)
    inner = slice(6, -6)
    assert highs[inner].min() > level + 0.95  # drawn alone, columns of half a cycle come down to 0.04
    assert lows[inner].max() < level - 0.95


@given(columns=st.floats(0.3, 4.0), at=st.integers(40, 160), height=st.floats(1.2, 30), sign=st.sampled_from([-1, 1]))
def test_a_spike_stays_as_high_and_as_narrow_as_it_is(columns, at, height, sign):
    x = np.sin(2 * np.pi * np.arange(int(200 / columns * 200)) / 200)
    x[int((at + 0.5) * len(x) / 200)] = sign * height
    lows, highs = _drawn(x, 200)
    beyond = np.flatnonzero((highs if sign > 0 else -lows) > 1.001)
    assert beyond.size and np.all(np.abs(beyond - at) <= 1)
    assert (highs if sign > 0 else -lows)[beyond].max() == height


@pytest.mark.parametrize("columns", [0.4, 1.3, 2.0, 3.3])
def test_a_step_stays_where_it_is(columns):
    """The amplitude halves in the middle, for thirty columns: seen from the right column to the right column."""
    n = int(400 / columns * 200)
    t = np.arange(n) * 400 / n  # columns
    x = np.where((t > 200) & (t < 230), 0.5, 1.0) * np.sin(2 * np.pi * t / columns)
    lower = np.flatnonzero(_drawn(x, 400)[1] < 0.75)
    assert abs(lower[0] - 200) <= max(columns, 1) and abs(lower[-1] - 229) <= max(columns, 1)


def test_what_does_not_swing_is_drawn_as_it_is():
    rail = np.full(100_000, 24.0)
    rail[50_000:50_300] = 0.0  # a notch of three columns
    highs = _drawn(rail, 1000)[1]
    assert (highs == 0).sum() == 3 and set(highs) == {0.0, 24.0}
    missing = np.where((np.arange(100_000) > 30_000) & (np.arange(100_000) < 40_000), np.nan, rail)
    assert np.isnan(_drawn(missing, 1000)[1][302:399]).all() and np.isfinite(_drawn(missing, 1000)[1][:299]).all()
    few = np.sin(np.arange(500.0))
    assert bands_of_samples(few, 100)[1].min() > 0.9
