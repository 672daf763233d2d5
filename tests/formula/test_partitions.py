"""Readings taken piece by piece: what the pieces are, what each gives, and that all together they give the whole."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import FormulaError, PantelosError
from pantelos.record.pieces import Grid
from pantelos.signal.levels.partition import from_edges
from pantelos.signal.levels.piecewise import piece_extremes, piece_integrals, piece_means
from pantelos.signal.sums.integrals import parts_between
from pantelos.study import operations as op
from pantelos.study.model import EventSearch, Interval

RATE = 20_000.0
N = 40_000
TIME = np.arange(N) / RATE


@pytest.fixture
def asked(evaluation_of):
    """Return what formulas result in on a gate whose duty and rate rise, a supply, and a current that lags."""
    turns = 200 * TIME + 50 * TIME**2  # 200 Hz to 400 Hz
    gate = 24.0 * (turns % 1 < 0.2 + 0.2 * TIME)
    u = 325 * np.sin(2 * np.pi * 50 * TIME)
    evaluation = evaluation_of(
        RATE, units={"g": "V", "p": "W"}, u=u, i=10 * np.sin(2 * np.pi * 50 * TIME - 1) + np.sin(2 * np.pi * 250 * TIME),
        g=gate, p=1000 * np.sin(2 * np.pi * 3 * TIME), ramp=TIME,
    )  # fmt: skip
    study = op.set_search(evaluation.study, EventSearch("tops", "p"))
    for name, edges in (("early", (0.1, 0.3)), ("late", (1.5, 1.75))):
        study = op.add_interval(study, Interval(name, *edges), Grid(0.0, RATE, N))
    return Evaluation(study, evaluation.record).value


def test_pulses_follow_a_rate_and_a_duty_that_change(asked):
    found = asked("duty(g) over pulses(g)")
    start = found.partition.starts / RATE
    assert len(found.values) == pytest.approx(600, abs=2)
    assert found.values == pytest.approx(0.2 + 0.2 * start, abs=0.02)  # two edges on the grid of samples
    frequency = asked("carrier(g) over pulses(g, 12 V)")
    assert frequency.values == pytest.approx(200 + 100 * (start + 0.5 / frequency.values), rel=0.025)
    assert asked('mean(duty(g) over pulses(g)) in "whole record"').value == pytest.approx(np.mean(0.2 + 0.2 * TIME), abs=2e-3)
    assert np.array_equal(asked("duty(g) over pulses(g, 50 %)").values, found.values)


@pytest.mark.parametrize(
    ("text", "n", "value"),
    [
        ("rms(u) over cycles(u)", 99, 325 / math.sqrt(2)), ("rms(u) over cycles(u, 0 V, 10 V)", 99, 325 / math.sqrt(2)),
        ("frequency(u) over cycles(u, 0 V, 10 V)", 99, 50), ("mean(p) over blocks(1 s)", 2, 0), ("rms(u) over blocks(200 ms)", 10, 325 / math.sqrt(2)),
        ("rms(u) over blocks(200 ms, 50 ms)", 37, 325 / math.sqrt(2)), ("thd(i) over blocks(10 cycles)", 9, 0.1), ("count(u) over blocks(100 ms)", 20, 2000),
        ("phase(i, u) over cycles(u)", 99, -1), ("active(u, i) over blocks(100 ms)", 20, 0.5 * 3250 * math.cos(1)), ("rms(u) over intervals", 2, 325 / math.sqrt(2)),
        ("reactive(u, i) over blocks(5 cycles, 1 cycles)", 95, 0.5 * 3250 * math.sin(1)), ("resistance(u, i) over cycles(u)", 99, 325 / 10 * math.cos(1) / 1.01),
        ("duration(u) over intervals(early)", 1, 0.2), ("frequency(p) over between(tops)", 4, 3), ("period(g) over blocks(500 ms)", 4, None),
        ("harmonic(i, 5) over blocks(200 ms)", 10, 1 / math.sqrt(2)), ("frequency(u - 1 V) over cycles(u - 1 V)", 99, 50), ("median(ramp) over blocks(1 s)", 2, None),
        ("received(p) over blocks(1 s)", 2, 6000 / (6 * math.pi)), ("max(u) over cycles(u)", 99, 325), ("correlation(u, u) over blocks(10 cycles)", 9, 1),
    ],
)  # fmt: skip
def test_any_reading_over_any_partition(asked, text, n, value):
    found = asked(text)
    assert len(found.values) == pytest.approx(n, abs=1 if "cycles" in text else 0)
    assert np.isfinite(found.values).all()
    if value is not None:
        assert found.values == pytest.approx(value, rel=2e-3, abs=1e-6)


def test_a_series_is_measured_by_its_pieces_and_not_by_its_samples(asked):
    pieces = asked("rms(ramp) over pulses(g)")
    values, lengths = pieces.values, pieces.partition.lengths
    taken = {
        name: asked(f'{name}(rms(ramp) over pulses(g)) in "whole record"').value
        for name in ("mean", "rms", "min", "max", "count", "median", "ac_rms")
    }
    mean = values @ lengths / lengths.sum()
    assert taken["mean"] == pytest.approx(mean, rel=1e-12)
    assert taken["rms"] == pytest.approx(math.sqrt(values**2 @ lengths / lengths.sum()), rel=1e-12)
    assert taken["ac_rms"] == pytest.approx(math.sqrt((values - mean) ** 2 @ lengths / lengths.sum()), rel=1e-9)
    assert (taken["count"], taken["min"], taken["max"], taken["median"]) == (
        len(values),
        values.min(),
        values.max(),
        pytest.approx(np.median(values)),
    )
    assert asked("count(rms(ramp) over pulses(g)) in early").value == np.count_nonzero(
        (pieces.partition.stops / RATE > 0.1) & (pieces.partition.starts / RATE < 0.3)
    )


def test_broken_pieces_at_the_ends_are_left_out_and_said(asked):
    found = asked("rms(u) over blocks(300 ms)")
    assert len(found.values) == 6
    assert "199.95 ms at its end lie in no whole block" in " ".join(found.explained)


def test_a_series_becomes_a_curve_between_the_middles_of_its_pieces(asked):
    curve = asked("interpolated(mean(ramp) over blocks(100 ms))").read(0, N)
    inside = slice(1000, N - 1000)
    assert curve[inside] == pytest.approx(TIME[inside], abs=1e-4)
    assert asked("ramp - interpolated(mean(ramp) over blocks(100 ms))").read(5000, 5010) == pytest.approx(0, abs=1e-4)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("rms(u) over cycles(u, 400 V)", "rises 0 times through 400"), ("rms(u) over blocks(10 us)", "shorter than a sample"), ("rms(u) over blocks(3 s)", "shorter than one block"),
        ("rms(u) over blocks(0 s)", "above zero"), ("rms(u) over blocks(2 V)", "is in s or cycles"), ("rms(u) over between(nothing)", 'no event search "nothing"; there are tops'),
        ("rms(u) over intervals(nowhere)", 'no interval "nowhere"'), ("rms(u) over cycle(u)", 'no partition "cycle". Did you mean cycles'), ("abs(u) over cycles(u)", "only readings"),
        ("cycles(u)", "tells the pieces"), ("rms(u) over rms(u)", 'no partition "rms"'), ("rms(u) over cycles(ramp)", "shows no cycles"), ("rms(u) over blocks(1.5 cycles)", "whole cycles"),
        ("rms(u) over cycles(u, 3 A)", "but its level in A"), ("mean(p) over blocks(10 cycles, 1 s)", "both times, or both cycles"),
    ],
)  # fmt: skip
def test_pieces_that_cannot_be_are_refused_in_one_sentence(asked, text, said):
    with pytest.raises(PantelosError, match=said) as caught:
        asked(text)
    assert isinstance(caught.value, FormulaError) and "\n" not in str(caught.value)


@given(st.lists(st.floats(0.5, 40), min_size=1, max_size=30), st.integers(0, 10_000), st.sampled_from([0, 3, 60]))
@settings(max_examples=60, deadline=None)
def test_pieces_side_by_side_sum_to_the_reading_over_their_union(lengths, seed, n_missing):
    rng = np.random.default_rng(seed)
    edges = 0.3 + np.concatenate([[0.0], np.cumsum(lengths)])
    x = rng.normal(size=int(edges[-1]) + 3)
    x[rng.integers(0, len(x), n_missing)] = np.nan
    read, parts, whole = (
        (lambda a, b: x[max(a, 0) : b]),
        from_edges(edges, "piece", len(x), 1.0),
        from_edges(edges[[0, -1]], "all", len(x), 1.0),
    )
    pieces, shares = piece_integrals(read, parts)
    assert pieces.sum() == pytest.approx(piece_integrals(read, whole)[0][0], abs=1e-9)
    assert shares @ parts.lengths == pytest.approx(piece_integrals(read, whole)[1][0] * whole.lengths[0], abs=1e-9)
    if not n_missing:
        assert piece_means(read, parts) @ parts.lengths / parts.lengths.sum() == pytest.approx(
            piece_means(read, whole)[0], abs=1e-9
        )
        above, below = parts_between(read, parts.starts, parts.stops, len(x))
        assert above - below == pytest.approx(pieces, abs=1e-9)
        assert (
            above.sum() == pytest.approx(parts_between(read, edges[:1], edges[-1:], len(x))[0][0], abs=1e-9)
            and (above >= -1e-12).all()
        )
    low, high, _ = piece_extremes(read, parts)
    for k, (a, b) in enumerate(zip(np.ceil(edges[:-1] - 1e-6).astype(int), np.ceil(edges[1:] - 1e-6).astype(int), strict=True)):
        inside = x[a:b][~np.isnan(x[a:b])]
        assert (low[k], high[k]) == (inside.min(), inside.max()) if len(inside) else math.isnan(low[k])


@pytest.mark.parametrize(
    "name", ["crest", "form", "ripple", "peak_ripple", "area", "rectified", "ac_rms", "max", "count", "median", "slope"]
)
def test_a_reading_per_piece_is_the_reading_of_that_interval(evaluation_of, name):
    """By the other way to ask: an interval on samples, which takes all of its samples."""
    rng = np.random.default_rng(2)
    evaluation = evaluation_of(1000.0, x=5 + rng.normal(size=4000).cumsum() * 0.1)
    study = evaluation.study
    for k in range(4):
        study = op.add_interval(study, Interval(f"i{k}", k, k + 1), Grid(0.0, 1000.0, 4000))
    asked = Evaluation(study, evaluation.record).value
    pieces = asked(f"{name}(x) over blocks(1 s)")
    assert pieces.values[:3] == pytest.approx([asked(f"{name}(x) in i{k}").value for k in range(3)], rel=1e-9)
