"""Events said as sentences, found on recorded and math channels; intervals by rule."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.filling import intervals_by_rule
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.model import EventKind, EventSearch, Interval, Slope
from pantelos.study.sentences import EXAMPLES, search_from, sentence
from pantelos.units import unit


@pytest.fixture
def mains(evaluation_of, sine):
    """Two seconds of mains with a dip, a spike, a gap and one odd stretch."""
    u = sine(230, 50, seconds=2)
    u[6000:7000] *= 0.5
    u[12_345] -= 400
    u[15_000:15_040] = np.nan
    g = np.where(np.arange(20_000) % 500 < 125, 5.0, 0.0)
    g[10_000:10_400] = 5.0
    return evaluation_of(10_000.0, None, "u", u=u, i=sine(5, 50, -30, seconds=2), g=g)


def found(evaluation, text):
    return evaluation.events.find(search_from(text, evaluation.names.types, "e"))


@pytest.mark.parametrize(
    ("text", "count", "first_s"),
    [
        ("u rises through 0 V, hysteresis 20 V", 99, 0.02), ("u falls through 200 V", None, None), ("g rises through 50 %", 39, 0.05),
        ("i crosses 0 A", 199, None), ("i crosses 0 A, hold-off 15 ms", 100, None),
        ("g stays above 50 % longer than 20 ms", 1, 1.0), ("g stays below 50 % shorter than 30 ms", 1, 1.0400),
        ("u is missing longer than 1 ms", 1, 1.5), ("u changes most", 1, 1.2345), ("i is beyond 6 sigma", 0, None),
        ("u leaves -400 V to 400 V", 1, 1.2345), ("u is unlike the others every 20 ms beyond 30 sigma", None, 0.6),
    ],
)  # fmt: skip
def test_events_are_found_by_what_a_sentence_says(mains, text, count, first_s):
    events = found(mains, text)
    if count is not None:
        assert len(events) == pytest.approx(count, abs=1 if count > 30 else 0)
    if first_s is not None:
        assert events.positions[0] / 10_000 == pytest.approx(first_s, abs=2e-4)
    assert np.all(np.diff(events.positions) > 0)
    assert len(events.values) == len(events)


@pytest.mark.parametrize("text", EXAMPLES)
def test_a_sentence_is_read_as_it_is_written(evaluation_of, text):
    types = evaluation_of(1000.0, u1=np.zeros(10)).names.types
    made = search_from(text, types)
    assert search_from(sentence(made, types["u1"][1]), types) == made


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("u rises", "does not say what to look for"), ("v rises through 0 V", 'no channel "v"'), ("u rises through 3 A", "the channel is in V"),
        ("u stays above 3 V longer than 3 V", "no time"), ("u is unlike the others every 1 us", "at least 8 samples"),
    ],
)  # fmt: skip
def test_what_cannot_be_looked_for_is_said_in_one_sentence(mains, text, said):
    with pytest.raises(StudyError, match=said):
        found(mains, text)


def test_events_on_a_math_channel_named_renamed_and_removed(mains):
    study = op.set_formula(mains.study, "p = u * i")
    evaluation = Evaluation(study, mains.record)
    search = search_from("back = p falls through 0 W, hysteresis 20 W", evaluation.names.types)
    assert (search.name, search.kind, search.level) == ("back", EventKind.CROSSING, Level(0.0))
    study = op.set_search(study, search)
    assert len(Evaluation(study, mains.record).events.find(study.search("back"))) == pytest.approx(198, abs=4)
    study = op.rename_search(op.rename_channel(study, "p", "p1"), "back", "returned")
    assert study.search("returned").channel == "p1"
    assert op.remove_formula(study, "p1").searches == ()
    assert op.remove_search(study, "returned").searches == ()
    twice = op.set_search(
        op.set_search(study, search_from("u crosses 0 V", mains.names.types)), search_from("u crosses 0 V", mains.names.types)
    )
    assert [s.name for s in twice.searches] == ["returned", "u_crossing", "u_crossing_2"]


def test_intervals_are_made_by_rule(mains):
    grid = mains.record.grid
    study = op.set_search(mains.study, search_from("g_up = g rises through 50 %", mains.names.types))
    study = op.add_interval(study, Interval("part", 0.1, 0.65), grid)
    evaluation = Evaluation(study, mains.record)
    cycles = intervals_by_rule(evaluation, "every 10 cycles", "part")
    assert [round(i.length_s, 6) for i in cycles] == [0.2, 0.2]
    blocks = intervals_by_rule(evaluation, "every 200 ms", None)
    assert [(i.name, round(i.start_s, 9)) for i in blocks][:2] == [("block 1", 0.0), ("block 2", 0.2)]
    assert len(blocks) == 10
    between = intervals_by_rule(evaluation, "between g_up", "part")
    assert {round(i.length_s, 6) for i in between} == {0.05}
    filled = op.add_intervals(study, cycles, grid)
    assert filled.active == "cycles 1"
    with pytest.raises(StudyError, match="all there already"):
        intervals_by_rule(Evaluation(filled, mains.record), "every 10 cycles", "part")
    again = intervals_by_rule(Evaluation(filled, mains.record), "every 5 cycles", "part")
    assert not {i.name for i in again} & {i.name for i in filled.intervals}
    for text, said in (("often", "not a rule"), ("every 3 V", "neither a time nor cycles"), ("every 10 s", "makes no interval"),
                       ("every 1 us", "makes"), ("between lunch", "no events")):  # fmt: skip
        with pytest.raises(StudyError, match=said):
            intervals_by_rule(evaluation, text, None)


def test_an_interval_is_shifted_as_a_whole_and_stays_inside(mains):
    grid = mains.record.grid
    study = op.add_interval(mains.study, Interval("part", 0.1, 0.3), grid)
    moved = op.shift_interval(study, "part", 0.2, grid).interval("part")
    assert (moved.start_s, moved.stop_s) == pytest.approx((0.3, 0.5))
    end = op.shift_interval(study, "part", 9.0, grid).interval("part")
    assert (end.start_s, end.stop_s) == pytest.approx((1.8, 2.0))
    noted = op.change_interval(study, "part", note="second try", rides=("u", None))
    assert op.rename_channel(noted, "u", "v").interval("part").rides == ("v", None)


LEVELS = st.builds(Level, st.integers(-500_000, 500_000).map(lambda n: n / 1000), st.just(False)) | st.builds(
    Level, st.integers(-50, 150).map(lambda p: p / 100), st.just(True)
)
TIMES = st.sampled_from([1e-6, 2e-5, 0.0005, 0.02, 0.2, 1.5, 60.0])


@given(st.data())
def test_any_search_is_read_back_from_its_sentence(data):
    kind, level, time_s, flag = (data.draw(s) for s in (st.sampled_from(EventKind), LEVELS, TIMES, st.booleans()))
    search = EventSearch("", "u1", kind, hold_off_s=data.draw(st.sampled_from([0.0, 0.002, 1.0])))
    used = {
        EventKind.CROSSING: {"slope": data.draw(st.sampled_from(Slope)), "level": level, "hysteresis": data.draw(LEVELS)},
        EventKind.PULSE: {"level": level, "above": flag, "longer": not flag, "time_s": time_s},
        EventKind.WINDOW: {"level": level, "upper": data.draw(LEVELS), "entering": flag}, EventKind.GAP: {"longer": flag, "time_s": time_s},
        EventKind.STEEPEST: {"count": data.draw(st.integers(1, 99))}, EventKind.BEYOND: {"sigmas": float(data.draw(st.integers(1, 40)))},
        EventKind.UNLIKE: {"time_s": time_s, "sigmas": float(data.draw(st.integers(1, 40)))},
    }  # fmt: skip
    search = replace(search, **used[kind])
    volt = unit("V")
    assert search_from(sentence(search, volt), {"u1": (Kind.SIGNAL, volt)}) == search
