"""Numbers at boundaries, the short form of `make boundaries`: nearly all right to a millionth, hardly any off without a word."""

import numpy as np
from boundary_corpus import sorted_values


def test_numbers_at_boundaries_are_right_or_not_given():
    counts, wrong = sorted_values(5, 2)
    right, not_given, doubted, off = np.sum(list(counts.values()), axis=0)
    n = right + not_given + doubted + off
    assert n > 300
    assert off <= 0.015 * n, wrong[:5]
    assert not_given + doubted <= 0.05 * n
    assert all(far < 60 for *_, far in wrong), wrong  # none is far off: what is counted here is a few millionths
