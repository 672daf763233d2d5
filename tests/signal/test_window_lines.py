"""Lines of windows that fall between samples, against tones known by formula."""

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pantelos.signal.arrays import nearest_quick_length
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import Window
from pantelos.signal.harmonics.window_lines import window_lines
from pantelos.signal.sums.integrals import Rule


def _lines(x: np.ndarray, start: float, length: float, n_lines: int | None = None) -> np.ndarray:
    cycles = Cycles(np.arange(0.0, x.shape[-1] - 1, length / 10), np.ones(0, dtype=bool), 1.0, x.shape[-1])
    (found,) = window_lines(
        lambda a, b: x[:, a:b], x.shape[-1], [Window(start, start + length, 10, Rule.TRAPEZOID)], cycles, 50, n_lines
    )
    return found.every(1)[0]


@settings(max_examples=60, deadline=None)
@given(st.floats(300.0, 12_000.0), st.floats(10.0, 12.0), st.integers(1, 500))
def test_a_component_comes_out_as_it_went_in(length: float, start: float, line: int) -> None:
    at = np.arange(math.ceil(length) + 40)
    line = min(line, int(0.1 * length))  # ten samples per period
    phase = 2 * np.pi / length * (at - start)
    x = np.stack([0.25 + math.sqrt(2) * np.cos(line * phase + 0.7), np.sin(10 * phase)])
    found = _lines(x, start, length)
    assert found[0, 0] == pytest.approx(0.25, abs=6e-6)
    assert abs(found[0, line] - np.exp(0.7j)) < 6e-6
    assert found.shape[-1] <= length / 2 + 1


def test_missing_samples_are_filled_when_few_and_said_when_many() -> None:
    at = np.arange(2100)
    x = np.stack([np.cos(2 * np.pi * 10 / 2001.3 * (at - 20.4))] * 3)
    x[1, 700:702] = np.nan
    x[2, 700:720] = np.nan
    found = _lines(x, 20.4, 2001.3, 100)
    assert abs(found[1, 10]) == pytest.approx(math.sqrt(0.5), rel=1e-6)
    assert np.isnan(found[2]).all() and not np.isnan(found[:2]).any() and found.shape == (3, 100)


@pytest.mark.parametrize(("length", "start"), [(400.0, 20.0), (400.37, 20.2)])
def test_missing_samples_take_their_own_window_away(length, start):
    n = math.ceil(start + 12 * length) + 40
    x = np.cos(2 * np.pi * 10 / length * (np.arange(n) - start)) + np.array([[0.5], [2.0]])
    for at in (1000, 2650):
        x[0, at : at + 30] = np.nan
    x[0, 3000:3002] = np.nan  # filled
    edges = start + length * np.arange(13)
    windows = [Window(a, b, 10, Rule.TRAPEZOID) for a, b in pairwise(edges.tolist())]
    cycles = Cycles(np.arange(0.0, n - 1, length / 10), np.ones(0, dtype=bool), 1.0, n)
    found = np.concatenate([some.every(1) for some in window_lines(lambda a, b: x[:, a:b], n, windows, cycles, 50, 60)])
    gone = [k for k, one in enumerate(windows) for at in (1000, 2650) if one.start - 3 < at + 30 and at < one.stop + 3]
    assert np.flatnonzero(np.isnan(found[:, 0, 0])).tolist() == sorted(set(gone)) and not np.isnan(found[:, 1]).any()
    held = [k for k in range(12) if k not in gone]
    assert np.abs(found[held, 0, 10]) == pytest.approx(math.sqrt(0.5), rel=1e-5)
    assert found[held, 0, 0].real == pytest.approx(0.5, rel=1e-5) and found[:, 1, 0].real == pytest.approx(2, rel=1e-6)


@settings(max_examples=40, deadline=None)
@given(st.floats(700.0, 12_000.0), st.floats(10.0, 12.0), st.floats(-1e3, 1e3))
def test_ripple_of_a_large_mean_stands_alone(length: float, start: float, mean: float) -> None:
    phase = 2 * np.pi / length * (np.arange(math.ceil(length) + 40) - start)
    found = _lines(np.stack([mean + 0.1 * np.cos(10 * phase), np.full(len(phase), mean)]), start, length, 60)
    assert found[0, 0] == pytest.approx(mean, rel=1e-7, abs=1e-8)
    assert abs(found[0, 10]) == pytest.approx(0.1 / math.sqrt(2), rel=3e-7)
    assert np.abs(np.delete(found[0], [0, 10])).max() < 0.1 * 3e-8
    assert found[1, 0] == pytest.approx(mean, rel=1e-12) and np.abs(found[1, 1:]).max() < 1e-12 * max(abs(mean), 1)


@given(st.floats(2.0, 1e6))
def test_a_quick_length_is_even_near_and_smooth(length: float) -> None:
    n = nearest_quick_length(length)
    assert n % 2 == 0 and abs(n - length) <= max(0.06 * length, 3)
    for prime in (2, 3, 5):
        while n % prime == 0:
            n //= prime
    assert n == 1


@settings(max_examples=40, deadline=None)
@given(st.lists(st.floats(-0.45, 0.45), min_size=1, max_size=12), st.floats(10.0, 12.0), st.floats(700.0, 720.0))
def test_windows_found_together_are_as_found_alone(ends: list[float], start: float, length: float) -> None:
    edges = start + length * np.arange(len(ends) + 1) + np.array([0.0, *ends])
    at = np.arange(math.ceil(edges[-1]) + 30)
    x = np.stack([np.cos(2 * np.pi * 10 / length * at + 0.3), np.sin(2 * np.pi * 31.7 / length * at)])
    windows = [Window(a, b, 10, Rule.TRAPEZOID) for a, b in zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True)]
    cycles = Cycles(np.arange(0.0, x.shape[-1] - 1, length / 10), np.ones(0, dtype=bool), 1.0, x.shape[-1])
    served = window_lines(lambda a, b: x[:, a:b], x.shape[-1], windows, cycles, 50, 60)
    together = [one for some in served for one in some.every(1)]
    assert len(together) == len(windows)
    for window, lines in zip(windows, together, strict=True):
        (alone,) = window_lines(lambda a, b: x[:, a:b], x.shape[-1], [window], cycles, 50, 60)
        assert np.abs(lines - alone.every(1)[0]).max() < 2e-7
