"""Numbers at boundaries, the short form of `make boundaries`: right to a millionth, hardly any not given, none off without a word."""

import numpy as np
import pytest
from boundary_corpus import sorted_values, steps

# Waveforms whose step was once told a cycle beside itself, or whose last cycle before it bent: seed and number of the draw.
HARD = ((1, 286), (1, 344), (1, 380), (2, 131), (2, 138), (2, 306), (2, 342), (2, 348), (3, 184), (11, 14), (11, 46), (12, 253))


def test_numbers_at_boundaries_are_right_or_not_given():
    counts, wrong = sorted_values(5, 2)
    right, not_given, doubted, off = np.sum(list(counts.values()), axis=0)
    assert right + not_given + doubted + off > 300
    assert wrong == []
    assert not_given + doubted <= 0.05 * right


@pytest.mark.parametrize("seed", HARD, ids=str)
def test_a_step_is_told_where_it_is(seed):
    counts, wrong = sorted_values(1, 0, [lambda _: steps(np.random.default_rng(seed))])
    _, not_given, doubted, _ = np.sum(list(counts.values()), axis=0)
    assert wrong == [] and not_given == doubted == 0
