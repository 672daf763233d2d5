"""Places by rule in random records of known events and plateaus: found where they are, none invented."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.rules import find, rule_from, with_places
from pantelos.errors import StudyError
from pantelos.signal.shapes.steady import steady_stretches
from pantelos.study import operations as op
from pantelos.study.model import Interval

RATE, N = 1000.0, 12_000


@pytest.fixture
def place(evaluation_of):
    """A function that finds a rule in a record of given columns: (start, stop) in seconds."""

    def found(rule, **columns):
        evaluation = evaluation_of(RATE, **columns)
        found = find(Evaluation(evaluation.study, evaluation.record), Interval("here", 0.0, 1.0, rule=rule))
        return found.start_s, found.stop_s

    return found


def drive(seed):
    """Return (n, M, plateau from, to): two ramps about the one plateau, noise, a torque that steps at the end of it."""
    rng = np.random.default_rng(seed)
    first, length = rng.uniform(2, 4), rng.uniform(2.5, 5)
    t = np.arange(N) / RATE
    speed = rng.uniform(300, 3000)
    n = speed * np.clip(t / first, 0, 1) * np.clip(1 - (t - first - length) / 3, 0, 1)
    n += rng.uniform(0, 0.003) * speed * rng.normal(size=N)
    torque = np.where(t < first + length, 20.0, 31.0) + 0.3 * rng.normal(size=N)
    return n, torque, first, first + length


@pytest.mark.parametrize("seed", range(12))
def test_plateaus_are_found_within_the_ramp_that_the_band_allows(place, seed):
    n, torque, first, last = drive(seed)
    start, stop = place("longest stretch where n and M are steady within 1 % for 2 s", n=n, M=torque)
    ramp = 0.02 * first + 0.1  # what two per cent of the ramp and a block take
    assert first - ramp - 0.05 <= start <= first + 0.1
    assert last - 0.1 <= stop <= last + 0.02 * 3 + 0.1


@pytest.mark.parametrize("seed", range(4))
def test_none_is_invented(place, seed):
    rng = np.random.default_rng(seed)
    for n in (
        np.linspace(100, 1000, N),
        rng.normal(0, 1, N),
        500 * np.sin(np.arange(N) / 1500) + rng.normal(0, 1, N),
        np.full(N, np.nan),
    ):
        with pytest.raises(StudyError, match="longest stretch that is so lasts"):
            place("longest stretch where n is steady within 1 % for 2 s", n=n)


@given(at=st.integers(1500, 9000), later=st.integers(50, 1500))
@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_events_are_found_to_the_sample(evaluation_of, at, later):
    u = np.where(np.arange(N) < at, 0.0, 600.0)
    u2 = np.where(np.arange(N) < at + later, 0.0, 5.0)
    evaluation = evaluation_of(RATE, u=u, u2=u2)

    def found(rule):
        one = find(Evaluation(evaluation.study, evaluation.record), Interval("x", 0, 1, rule=rule))
        return one.start_s, one.stop_s

    start, end = found('from first "u rises through 300 V" + 0.2 s for 1 s')
    assert abs(start - at / RATE - 0.2) <= 1 / RATE and end - start == pytest.approx(1.0)
    start, end = found('from "u rises through 300 V" to "u2 rises through 2.5 V"')
    assert abs(start - at / RATE) <= 1 / RATE and abs(end - (at + later) / RATE) <= 1 / RATE
    assert found("the last 1.5 s") == pytest.approx(((N - 1500) / RATE, N / RATE))
    assert found("from start to 0.5 s") == pytest.approx((0.0, 0.5))
    start, end = found("0.2 s before the largest u")
    assert end == pytest.approx(at / RATE) and end - start == pytest.approx(0.2)


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ("somewhere", "does not say where"), ('from "u rises through 900 V" for 1 s', "never happens: u lies between 0"),
        ('from 3rd "u rises through 300 V" for 1 s', "happens only 1 time"), ("the last 40 s", "begin before the record"),
        ('from first "u rises through 300 V" for 30 s', "the record ends"), ("longest stretch where q is steady within 1 %", 'no channel "q"'),
        ("from 3 s to 2 s", "end before it begins"), ("from 0 s for 50 cycles", "no reference channel"), ("the last -2 s", "above zero"),
    ],
)  # fmt: skip
def test_what_is_not_found_says_why(place, rule, said):
    with pytest.raises(StudyError, match=said):
        place(rule, u=np.where(np.arange(N) < 4000, 0.0, 600.0))


def test_whole_cycles_and_cycles_before_a_peak(place):
    turn = 2 * np.pi * 50 * np.arange(N) / RATE
    i = np.sin(turn) * (1 + 2 * np.exp(-(((np.arange(N) - 6000) / 500) ** 2)))
    start, stop = place("from 1.2345 s to 2.2222 s, whole cycles", i=i)
    assert (stop - start) * 50 == pytest.approx(round((stop - start) * 50), abs=1e-6)
    start, stop = place("50 cycles before the largest i", i=i)
    assert stop - start == pytest.approx(1.0, abs=1e-6) and stop == pytest.approx(6.0, abs=0.05)


def test_rules_are_found_again_in_another_record_and_lost_places_are_told(evaluation_of):
    evaluation = evaluation_of(RATE, u=np.where(np.arange(N) < 4000, 0.0, 600.0))
    rule = 'from first "u rises through 300 V" for 1 s'
    study = op.add_interval(evaluation.study, Interval("on", 4.0, 5.0, rule=rule), evaluation.record.grid)
    study = op.add_interval(study, Interval("by hand", 1.0, 2.0), evaluation.record.grid)
    later = evaluation_of(RATE, u=np.where(np.arange(N) < 7000, 0.0, 600.0)).record
    moved, lost = with_places(study, later)
    assert moved.interval("on").start_s == pytest.approx(7.0, abs=1e-3) and not lost
    assert moved.interval("by hand") == study.interval("by hand")
    never = evaluation_of(RATE, u=np.zeros(N)).record
    left, lost = with_places(study, never)
    assert [one.name for one in left.intervals] == ["by hand"] and "never happens" in lost["on"]
    by_hand = op.move_interval(moved, "on", 7.1, 7.9, later.grid)
    assert by_hand.interval("on").rule == ""  # dragged: by hand again


def test_rules_are_read_whatever_the_blanks():
    assert (
        rule_from('from  first "a  rises through 3 V"  +  2 s for 5 s ').text == 'from first "a rises through 3 V" + 2 s for 5 s'
    )
    assert rule_from("the first 50 cycles, whole cycles").whole
    assert rule_from("longest stretch where n, M and u are steady within 0.5 %").names == ("n", "M", "u")


def test_stretches_do_not_reach_into_each_other():
    row = np.concatenate([np.full(50, 10.0), np.linspace(10, 20, 20), np.full(30, 20.0)])
    found = sorted(steady_stretches([row], 0.01, 10))
    assert found[0][0] == 0 and 50 <= found[0][1] <= 53  # two per cent of the ramp belong to it
    assert all(one[1] <= other[0] for one, other in pairwise(found)) and sum(b - a for a, b in found) >= 80
