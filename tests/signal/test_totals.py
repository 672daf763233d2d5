"""Totals per block give what adding up anew gives, whatever the ends, gaps and rules; and what is kept is used again."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pantelos.signal.cycles.window import Window, window_means
from pantelos.signal.sums.integrals import Rule, totals_between
from pantelos.signal.sums.totals import BLOCK, WORTH_KEEPING, BlockTotals

N = 5 * BLOCK + 1234
X = 3 + np.sin(np.arange(N) / 1000.0)
GAPS = X.copy()
GAPS[[0, BLOCK, 2 * BLOCK - 1, N - 1]] = np.nan
GAPS[3 * BLOCK + 7 : 3 * BLOCK + 900] = np.nan


@given(st.sampled_from(["whole", "gaps"]), st.floats(0, N - 2), st.floats(0, N - 2), st.sampled_from(list(Rule)))
@settings(max_examples=60)
def test_a_mean_of_totals_is_that_of_all_samples(kind, a, b, rule):
    x = X if kind == "whole" else GAPS
    window = Window(min(a, b), max(a, b) + 1.0, 0, rule)
    read = lambda low, high: x[low:high]  # noqa: E731
    expected, share = window_means(read, window, N)
    mean, measured = window_means(read, window, N, totals=BlockTotals(N))
    assert float(mean) == pytest.approx(float(expected), rel=1e-12, nan_ok=True)
    assert float(measured) == pytest.approx(float(share), abs=1e-9)


def test_blocks_are_read_once_and_what_is_kept_serves_the_next_run():
    n, reads, kept = 20 * BLOCK, [], []
    x = np.cos(np.arange(n) / 777.0)

    def read(low, high):
        reads.append(high - low)
        return x[low:high]

    totals = BlockTotals(n, keep=lambda known: kept.append(known.copy()))
    first = totals.of_trapezoids(read, 10.5, n - 20.25)
    assert len(kept) == 1
    assert sum(reads) >= n - 31
    reads.clear()
    assert totals.of_trapezoids(read, 10.5, n - 20.25) == first
    assert sum(reads) <= 2 * BLOCK + 200  # the ends only
    reads.clear()
    later = BlockTotals(n, kept[0])
    total, measured = later.of_trapezoids(read, 10.5, n - 20.25)
    at_once = totals_between(lambda a, b: x[a:b], np.array([10.5]), np.array([n - 20.25]), n)
    assert (total, measured) == (pytest.approx(float(at_once.integrals[0]), rel=1e-12), pytest.approx(n - 30.75, abs=1e-6))
    assert sum(reads) <= 2 * BLOCK + 200
    assert WORTH_KEEPING <= 18
    assert BlockTotals(n + BLOCK, kept[0]).of_samples(read, 0, 10)[1] == 10  # of another length: not used
