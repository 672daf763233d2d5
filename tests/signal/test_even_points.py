"""Points between samples, compiled, against the spline of SciPy; machine code that cannot be kept."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import BSpline

from pantelos.signal.compiled import compiled
from pantelos.signal.sampling.even_points import even_points


@settings(max_examples=60, deadline=None)
@given(
    st.integers(1, 3), st.integers(1, 1500), st.lists(st.tuples(st.floats(2, 40), st.floats(0.88, 1.12)), min_size=1, max_size=3)
)
def test_points_are_those_of_the_spline_of_the_samples(n_rows: int, n: int, windows: list[tuple[float, float]]) -> None:
    starts, steps = np.array(windows).T
    length = math.floor((starts + steps * n).max()) + 5
    x = np.random.default_rng(n).normal(size=(n_rows, length))
    mean, into = x.mean(axis=1), np.full((n_rows, len(windows), n), np.nan, np.float32)
    even_points(x, mean, starts, steps, into)
    spline = BSpline(np.arange(-3.0, length + 3), x.T, 5)
    at = starts[:, None] + steps[:, None] * np.arange(n)
    assert np.abs(into - np.moveaxis(spline(at), -1, 0) + mean[:, None, None]).max() < 2e-6


def test_a_missing_sample_takes_the_points_beside_it_and_no_others() -> None:
    x = np.ones((1, 100))
    x[0, 50] = np.nan
    into = np.empty((1, 1, 60), np.float32)
    even_points(x, np.ones(1), np.array([10.5]), np.array([1.0]), into)
    assert np.flatnonzero(np.isnan(into[0, 0])).tolist() == list(range(37, 43))
    assert np.abs(into[0, 0, :37]).max() < 1e-6


@pytest.mark.parametrize("start", [1.9, 38.1])
def test_points_beyond_the_samples_are_refused(start: float) -> None:
    with pytest.raises(IndexError, match="beyond the samples"):
        even_points(np.zeros((1, 100)), np.zeros(1), np.array([start]), np.ones(1), np.empty((1, 1, 60), np.float32))


def test_division_by_zero_is_no_error() -> None:
    x = np.array([0.0, 2.0])

    @compiled("void(float64[::1])")
    def inverted(x: np.ndarray) -> None:
        for k in range(len(x)):
            x[k] = 1 / x[k]

    inverted(x)
    assert x.tolist() == [math.inf, 0.5]


def test_machine_code_that_cannot_be_kept_is_made_all_the_same() -> None:
    spaces: dict[str, object] = {}
    exec("def doubled(x):\n    for k in range(len(x)):\n        x[k] *= 2\n", spaces)  # of no file: nowhere to keep it beside
    x = np.arange(4.0)
    compiled("void(float64[::1])")(spaces["doubled"])(x)  # type: ignore[arg-type]
    assert x.tolist() == [0, 2, 4, 6]
