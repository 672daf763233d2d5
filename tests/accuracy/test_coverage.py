"""The stated ± covers the truth: the short form; `make coverage` runs the long one."""

import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent))
from truth_coverage import LEAST, covered


def test_the_stated_accuracy_covers_the_truth_of_random_records():
    rows = covered(12, seed=7)
    assert len(rows) >= 30  # readings, powers, formulas and series alike
    times = np.array([given for _, given, _, _ in rows.values()])
    shares = np.array([share for _, _, share, _ in rows.values()])
    assert all(given == n for n, given, _, _ in rows.values()), "an accuracy is not stated though all inputs are"
    assert np.average(shares, weights=times) >= LEAST
    assert {what: share for what, (n, _, share, _) in rows.items() if n >= 8 and share < 0.7} == {}
