"""Parameters of power quality against waveforms whose answers are known by formula."""

import math
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from pantelos.engine import quality
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.progress import Progress
from pantelos.quality import long_survey
from pantelos.quality.disturbances import Disturbance, disturbances, sliding_reference, without_interrupted
from pantelos.quality.flicker import instantaneous_flicker, short_term
from pantelos.quality.half_cycles import half_cycle_edges, half_cycle_rms, own_crossings
from pantelos.quality.levels import Declared
from pantelos.quality.long_survey import mains_frequency, survey_by_hours
from pantelos.quality.parameters import TO_NEUTRAL
from pantelos.quality.periods import periods_of, wanted_values
from pantelos.quality.rapid_changes import rapid_changes
from pantelos.quality.survey import survey
from pantelos.record.timing import Began
from pantelos.signal.cycles import cycle_search
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.study import operations as op
from pantelos.tables.kinds.disturbances import disturbances_table

sys.path.insert(0, str(Path(__file__).parents[1] / "accuracy"))
from quality_cases import JUST_ONE, JUST_SEEN, SYSTEMS, fluttering, half_cycles, modulated, steady_cycles


@pytest.mark.parametrize(("per_minute", "sizes"), JUST_ONE)
def test_flicker_is_one_at_every_point_of_the_standard(per_minute, sizes):
    for (lamp, f), percent in zip(SYSTEMS, sizes, strict=True):
        assert modulated(per_minute, percent, lamp, f, rate=2000.0) == pytest.approx(1, abs=0.01)


def test_instantaneous_flicker_is_one_where_it_is_just_seen():
    for hz, percent in JUST_SEEN.items():
        assert fluttering(hz, percent) == pytest.approx(1, abs=0.01)
    assert fluttering(8.8, 0.25, rate=20_000.0) == pytest.approx(1, abs=0.01)  # samples averaged before
    assert math.isnan(short_term(np.zeros(0)))


@settings(max_examples=120, deadline=None)
@given(st.floats(0.5, 50), st.floats(0, 1), st.floats(0.06, 0.85), st.sampled_from([16.7, 50.0, 60.0, 400.0]))
def test_a_dip_keeps_its_depth_and_length_at_any_phase(n_cycles, phase, left, f):
    rate = 200 * f
    t = np.arange(round(rate * (n_cycles + 12) / f)) / rate
    start = (5 + phase) / f
    during = (t >= start) & (t < start + n_cycles / f)
    u = np.where(during, left, 1.0) * math.sqrt(2) * 230 * np.sin(2 * np.pi * f * t)
    found = disturbances(half_cycles(u, rate, f), 230.0)
    if n_cycles < 1:  # no cycle lies inside: what is read is between the two
        for dip in found:
            assert left - 2e-3 <= dip.extreme < 0.9 and abs(dip.stop - dip.start) / rate <= (n_cycles + 1) / f + 1e-9
        return
    (dip,) = found
    assert dip.kind is Disturbance.DIP and dip.ended and dip.begun
    assert abs((dip.stop - dip.start) / rate - n_cycles / f) <= 1.1 / f  # by half-cycles at either end, and the band
    assert dip.start / rate == pytest.approx(start, abs=1 / f + 1e-9)
    if n_cycles >= 1.5:  # a whole cycle lies inside, wherever half-cycles begin
        assert dip.extreme == pytest.approx(left, abs=2e-3)


def test_several_phases_make_one_dip_and_an_interruption_needs_all():
    rate, f = 10_000.0, 50.0
    t = np.arange(20_000) / rate
    phases = [math.sqrt(2) * 230 * np.sin(2 * np.pi * f * t - k * 2 * np.pi / 3) for k in range(3)]
    for k, (low, high) in enumerate(((0.5, 0.7), (0.6, 0.9), (0.65, 0.8))):
        phases[k] = np.where((t >= low) & (t < high), 0.01, 1.0) * phases[k]
    x = np.stack(phases)
    values = half_cycle_rms(lambda a, b: x[:, a:b], half_cycle_edges(steady_cycles(len(t), rate, f)), len(t))
    found = disturbances(values, 230.0)
    dip, gone = found
    assert (dip.kind, dip.channels, gone.kind) == (Disturbance.DIP, (0, 1, 2), Disturbance.INTERRUPTION)
    assert (dip.start / rate, dip.stop / rate) == (pytest.approx(0.49, abs=0.011), pytest.approx(0.9, abs=0.011))
    assert gone.start / rate == pytest.approx(0.65, abs=0.011) and gone.stop / rate == pytest.approx(0.7, abs=0.011)
    assert without_interrupted(found) == [gone]
    (always, *_) = disturbances(values, 500.0)
    assert not always.begun and not always.ended


def test_the_reference_goes_on_through_a_pause():
    rate, f = 10_000.0, 50.0
    t = np.arange(30_000) / rate
    u = np.where((t >= 1) & (t < 2), 0.0, 1.0) * 325 * np.sin(2 * np.pi * f * t)
    cycles = find_cycles(lambda a, b: u[a:b], len(u), rate)
    edges = half_cycle_edges(cycles)
    assert np.abs(np.diff(edges) - 100).max() < 0.5 and edges[-1] > len(u) - 101 and edges[0] < 100
    found = disturbances(half_cycle_rms(lambda a, b: u[None, a:b], edges, len(u)), 230.0)
    assert [one.kind for one in found] == [Disturbance.DIP, Disturbance.INTERRUPTION]
    assert (found[1].stop - found[1].start) / rate == pytest.approx(1.0, abs=0.02)


def test_a_step_is_a_rapid_change_and_a_dip_is_none():
    rate, f = 10_000.0, 50.0
    t = np.arange(100_000) / rate
    sine = math.sqrt(2) * 230 * np.sin(2 * np.pi * f * t)
    values = half_cycles(np.where(t < 5, 1.0, 0.96) * sine, rate, f)
    (step,) = rapid_changes(values, 230.0, 100, (), 0.03)
    assert step.steady == pytest.approx(0.04 * 230, rel=1e-2) and step.start / rate == pytest.approx(5, abs=0.021)
    assert rapid_changes(values, 230.0, 100, (), 0.05) == []
    values = half_cycles(np.where((t >= 5) & (t < 5.2), 0.5, 1.0) * sine, rate, f)
    assert len(rapid_changes(values, 230.0, 100, (), 0.03)) == 1
    assert rapid_changes(values, 230.0, 100, disturbances(values, 230.0), 0.03) == []


def test_the_sliding_reference_follows_slowly_and_waits_while_flagged():
    found = sliding_reference(230.0, np.full(1000, 220.0), np.arange(1000) >= 500)
    assert found[499] == pytest.approx(220 + 10 * 0.9967**500) and found[-1] == found[499]


@pytest.mark.parametrize("f", [49.83, 60.1])
def test_a_survey_of_three_phases_finds_what_was_put_in(f):
    rate, n = 6400.0, (6400 * 610)
    t = np.arange(n) / rate
    turn = 2 * np.pi * f * t
    sizes = (231.0, 228.0, 233.0)
    x = np.stack([
        math.sqrt(2) * (u * np.sin(turn - k * 2 * np.pi / 3) + 0.04 * u * np.sin(5 * (turn - k * 2 * np.pi / 3)) + 0.01 * u * np.sin(2.5 * turn))
        for k, u in enumerate(sizes)
    ])  # fmt: skip
    x[1, round(rate * 304) : round(rate * 304.1)] *= 0.7
    cycles = find_cycles(lambda a, b: x[0, a:b], n, rate)
    found = survey(lambda a, b: x[:, a:b], 3, n, cycles, Declared(230.0, round(f / 10) * 10), 40, 3590.0, TO_NEUTRAL)
    ten = found.levels["10 min"]
    assert found.aligned and len(ten.span) == 2 and list(ten.flagged) == [False, True]
    assert ten.coverage == pytest.approx([1 / 60, 1.0], abs=1e-3)
    u = ten.values["U"][0]
    assert u == pytest.approx([one * math.sqrt(1 + 0.04**2 + 0.01**2) for one in sizes], rel=1e-5)
    assert ten.values["THD"][0] == pytest.approx(4.0, rel=1e-4)
    assert ten.values["Uh"][0, :, 5] == pytest.approx([0.04 * one for one in sizes], rel=1e-4)
    assert ten.values["Uih"][0, :, 2] == pytest.approx([0.01 * one for one in sizes], rel=1e-3)
    a = np.exp(2j * np.pi / 3)
    zero, positive, negative = (abs(sum(s * a ** (k * p) for k, s in enumerate(sizes))) for p in (-1, 0, 1))
    assert ten.values["u2"][0, 0] == pytest.approx(100 * negative / positive, rel=1e-4)
    assert ten.values["u0"][0, 0] == pytest.approx(100 * zero / positive, rel=1e-4)
    assert ten.values["under"][0] == pytest.approx([max(100 * (1 - one / 230), 0) for one in u], abs=1e-6)
    tens = found.levels["10 s"]
    assert tens.values["f"][1:-1, 0] == pytest.approx(f, abs=1e-5) and tens.flagged.sum() == 1
    (dip,) = found.found
    assert (dip.channels, dip.worst) == ((1,), 1) and dip.extreme == pytest.approx(0.7 * u[1] / 230, abs=2e-3)
    assert np.isnan(found.levels["2 h"].values["Plt"]).all()
    threes = found.levels["3 s"].span  # one goes on behind the tick, beside the one that begins there
    assert (
        len(threes) == 4 + int(600 * f / round(f / 5) / 15) and threes.starts[3] < 10 * rate < threes.starts[4] < threes.stops[3]
    )
    assert ten.values["Pst"][1, 0] < 0.2 and ten.values["Pst"][1, 1] > 1  # steady, and with the dip


def test_a_record_surveyed_by_hours_tells_what_it_tells_at_once(monkeypatch):
    monkeypatch.setattr(long_survey, "_HOUR_S", 600.0)
    rate, f, n = 1000.0, 50.02, 1_300_000
    t = np.arange(n) / rate
    u = 325 * np.sin(2 * np.pi * f * t) * (1 + 0.004 * np.sin(2 * np.pi * 8.8 * t)) + 6 * np.sin(10 * np.pi * f * t)
    for start, stop, left in ((300, 300.3, 0.6), (609.6, 610.5, 0.3), (900, 900.2, 1.15)):  # one astride of the hour
        u[int(start * rate) : int(stop * rate)] *= left
    i = 10 * np.sin(2 * np.pi * f * t - 0.3) + 2 * np.sin(6 * np.pi * f * t) * (1 + 0.3 * np.sin(2 * np.pi * t / 500))
    x = np.stack([u, i])
    read = lambda a, b: x[:, a:b]  # noqa: E731
    assert mains_frequency(read, 1, n, rate) == pytest.approx(f, abs=1e-4)
    given = Declared(230.0), 50, 3590.0
    once = survey(read, 1, n, find_cycles(lambda a, b: u[a:b], n, rate), *given)
    hours = survey_by_hours(read, 1, n, rate, f, *given)
    assert set(once.levels) == {*hours.levels, "200 ms"} and once.aligned == hours.aligned
    for base, found in hours.levels.items():
        level = once.levels[base]
        assert found.span.starts == pytest.approx(level.span.starts, abs=0.05)
        assert np.array_equal(found.flagged, level.flagged) and found.coverage == pytest.approx(level.coverage, abs=1e-6)
        assert set(level.values) - set(found.values) == ({"Uih", "Iih"} if base == "3 s" else set())
        for name, values in found.values.items():
            # At the ends of a record crossings are less sure; the observation is of hours with smoothing begun anew.
            within = 0.02 if base == "observation" else 3e-4
            assert values == pytest.approx(level.values[name], rel=within, abs=2e-3, nan_ok=True), (base, name)
    assert [(one.kind, one.channels) for one in hours.found] == [(one.kind, one.channels) for one in once.found]
    assert len(hours.found) == 3 and all(one.begun and one.ended for one in hours.found)
    for one, other in zip(hours.found, once.found, strict=True):
        assert (one.start, one.stop) == pytest.approx((other.start, other.stop), abs=0.1)
        assert one.extreme == pytest.approx(other.extreme, rel=1e-4)


@pytest.mark.parametrize("seed", range(24))
def test_a_dip_or_swell_from_its_own_zero_crossing_has_its_own_depth_and_duration(seed):
    """Random mains, phases, rates and depths, one to three voltages; truth: the fundamental with 3 % of the fifth, scaled."""
    rng = np.random.default_rng(seed)
    f, rate = rng.choice([16.7, 50.0, 60.0]) * (1 + rng.uniform(-5e-3, 5e-3)), float(rng.choice([5e3, 10e3, 50e3]))
    n_voltages, turn, phase = int(rng.choice([1, 2, 3])), rng.choice([-1, 1]), rng.uniform(0, 2 * np.pi)
    t = np.arange(round(rate * (3 if f > 20 else 6))) / rate
    laws = [2 * np.pi * f * t + phase + turn * 2 * np.pi * k / 3 for k in range(n_voltages)]
    u = np.array([230 * math.sqrt(2) * (np.sin(law) + 0.03 * np.sin(5 * law)) for law in laws]) + rng.normal(
        0, 0.3, (n_voltages, len(t))
    )
    k, depth, halves = int(rng.integers(n_voltages)), float(rng.choice([0.1, 0.4, 0.7, 1.3])), int(rng.integers(2, 12))
    begin = (np.ceil(laws[k][0] / np.pi + 2.6 * f) * np.pi - laws[k][0]) / (2 * np.pi * f)
    u[k, (t >= begin) & (t < begin + halves / (2 * f))] *= depth
    cycles = find_cycles(lambda a, b: u[0, a:b], len(t), rate)
    read = lambda a, b: u[:, a:b]  # noqa: E731
    values = half_cycle_rms(read, half_cycle_edges(cycles), len(t), own_crossings(read, cycles))
    (one,) = (d for d in disturbances(values, 230.0) if d.kind is not Disturbance.INTERRUPTION)
    assert one.extreme == pytest.approx(depth * math.sqrt(1.0009), abs=0.002) and one.channels == (k,)
    # A cycle that is half in it counts, before and behind: half a cycle more than it lasts.
    assert (one.stop - one.start) / rate * 2 * f == pytest.approx(halves + 1, abs=0.05)
    assert one.start / rate == pytest.approx(begin - 0.5 / f, abs=0.025 / f)


def test_a_record_whose_cycles_are_too_many_to_be_followed_is_judged_by_hours(monkeypatch, evaluation_of):
    monkeypatch.setattr(long_survey, "_HOUR_S", 600.0)
    monkeypatch.setattr(long_survey, "_BEFORE_S", 60.0)
    monkeypatch.setattr(quality, "_AT_ONCE_S", 600.0)
    monkeypatch.setattr(cycle_search, "_MOST_HELD", 700_000)
    monkeypatch.setattr(cycle_search, "_MOST_CYCLES", 2000)
    rate, n = 1000.0, 1_300_000
    u = math.sqrt(2) * 231 * np.sin(2 * np.pi * 60.02 * np.arange(n) / rate)
    u[650_000:650_300] *= 0.5
    asked = evaluation_of(rate, "single-phase", u=u)
    study = op.set_quality(asked.study, U_din=230.0, sets=("en50160-lv",), frequency_hz=None)
    asked = asked.on(study)
    assert "more than are followed" in asked.references.of_connection(study.connections[0]).why
    found = quality.surveyed(asked).survey
    assert found.declared.frequency_hz == 60 and [one.kind for one in found.found] == [Disturbance.DIP]
    assert found.levels["10 min"].values["U"][0, 0] == pytest.approx(231, rel=1e-5)
    assert found.levels["10 s"].values["f"][1:-1, 0] == pytest.approx(60.02, abs=1e-3)
    (judged,) = quality.judged_sets(asked)
    assert {one.limit.requirement.parameter for one in judged.judged} >= {"U", "f"} and "dip" in str(
        disturbances_table(asked, ("whole record",), Progress()).rows
    )


def test_an_hour_without_voltage_is_one_interruption(monkeypatch):
    monkeypatch.setattr(long_survey, "_HOUR_S", 600.0)
    monkeypatch.setattr(long_survey, "_BEFORE_S", 60.0)
    rate, n = 500.0, 1_250_000
    u = 325 * np.sin(2 * np.pi * 50 * np.arange(n) / rate)
    u[int(500 * rate) : int(2000 * rate)] = 0.01 * np.random.default_rng(1).normal(size=int(1500 * rate))
    found = survey_by_hours(lambda a, b: u[None, a:b], 1, n, rate, 50.0, Declared(230.0))
    (interruption,) = (one for one in found.found if one.kind is Disturbance.INTERRUPTION)
    assert (interruption.start / rate, interruption.stop / rate) == pytest.approx((500, 2000), abs=0.03)
    assert any("no voltage shows cycles" in said for said in found.remarks)
    once = survey(lambda a, b: u[None, a:b], 1, n, find_cycles(lambda a, b: u[a:b], n, rate), Declared(230.0))
    ten, expected = found.levels["10 min"], once.levels["10 min"]
    assert ten.flagged.all() == expected.flagged.all() and ten.coverage == pytest.approx(expected.coverage, abs=0.002)
    assert ten.values["U"] == pytest.approx(expected.values["U"], rel=1e-3, abs=0.01)
    f = found.levels["10 s"]
    assert np.isnan(f.values["f"][55:195]).all() and f.values["f"][:45] == pytest.approx(50, abs=1e-3)


def test_a_voltage_that_begins_after_minutes_flickers_like_one_that_was_always_there():
    f, rate = 50, 2000.0
    t = np.arange(round(260 * rate)) / rate
    u = math.sqrt(2) * 230 * np.sin(2 * np.pi * f * t) * (1 + 0.0025 * np.sin(2 * np.pi * 8.8 * t))
    late = np.where(np.arange(len(u)) < 70 * rate, 0.0, u)
    rms = half_cycle_rms(lambda a, b: late[None, a:b], half_cycle_edges(steady_cycles(len(u), rate, f)), len(late))
    seen = [
        instantaneous_flicker(lambda a, b, v=v: v[None, a:b], len(v), rate, own, gone, 230, f).between(230 * rate, 260 * rate)[0]
        for v, own, gone in ((u, half_cycles(u, rate, f), None), (late, rms, rms.rms[0] < 23))
    ]
    assert seen[1] == pytest.approx(seen[0], rel=0.005) and seen[0].max() > 1


def test_flicker_is_a_reading_and_a_series_of_ten_minutes(evaluation_of):
    rate = 1000.0
    t = np.arange(round(1330 * rate)) / rate
    sign = np.where(np.floor(t * 7 / 60 + 1e-9) % 2 == 0, 1, -1)
    u = math.sqrt(2) * 230 * np.sin(2 * np.pi * 50 * t) * (1 + 1.45 / 200 * sign)
    asked = evaluation_of(rate, u=u)
    assert asked.value("flicker(u)").value == pytest.approx(1, abs=0.02)
    assert asked.value("flicker(u) over blocks(10 min)").values == pytest.approx([1, 1], abs=0.02)
    short = evaluation_of(rate, u=u[:100_000]).value("flicker(u)")
    assert math.isnan(short.value) and "60 s" in " ".join(short.explained)
    slow = evaluation_of(400.0, u=u[::5][:50_000]).value("flicker(u)")
    assert math.isnan(slow.value)
    late = evaluation_of(rate, u=np.where(t < 80, 0.0, u)[:400_000]).value("flicker(u)")
    assert 1 < late.value < 30 and "interrupted for 20 s" in " ".join(late.explained)
    holed = evaluation_of(rate, u=np.where(np.abs(t - 200) < 0.01, np.nan, u)[:400_000]).value("flicker(u)")
    assert math.isnan(holed.value) and "missing" in " ".join(holed.explained)


@pytest.mark.parametrize(("f", "gap"), [(16.7, False), (400.0, False), (50.0, True)])
def test_off_the_beaten_path_nothing_is_said_that_was_not_measured(f, gap):
    rate, n = 8000.0, 8000 * 130
    u = math.sqrt(2) * 230 * np.sin(2 * np.pi * f * np.arange(n) / rate)
    cycles = find_cycles(lambda a, b: u[a:b], n, rate)
    x = u.copy()
    if gap:
        x[n // 2 : n // 2 + 8000 * 20] = np.nan
    found = survey(lambda a, b: x[None, a:b], 1, n, cycles, Declared(230.0))
    ten = found.levels["10 min"]
    assert ten.values["U"][0, 0] == pytest.approx(230, rel=1e-5) and found.found == () and found.changes == ()
    thd = ten.values["THD"][0, 0]
    assert np.isnan(thd) if f == 400 else thd < 0.01  # order 40 of 400 Hz lies beyond the rate
    assert np.isnan(ten.values["Pst"]).all()
    assert ("samples are missing" if gap else "defined for mains of 50 and 60 Hz") in " ".join(found.remarks)
    assert ten.coverage[0] == pytest.approx((110 if gap else 130) / 600, abs=0.003)
    assert found.levels["10 s"].values["f"][1, 0] == pytest.approx(f, abs=1e-4)


def test_a_dip_that_is_there_from_the_beginning_and_one_that_the_record_cuts():
    rate, f = 5000.0, 50.0
    t = np.arange(20_000) / rate
    u = np.where((t < 0.5) | (t > 3.5), 0.6, 1.0) * math.sqrt(2) * 230 * np.sin(2 * np.pi * f * t)
    first, last = disturbances(half_cycles(u, rate, f), 230.0)
    assert (first.begun, first.ended, last.begun, last.ended) == (False, True, True, False)


def test_periods_begin_at_midnight_where_the_clock_is_known_and_hold_so_many_values():
    """Two and a half days at 0.1 Hz from 18:00: six hours of the first day, two whole ones, six of the last; else from the start."""
    day, rate = 86_400, 0.1
    assert [(a / rate, b / rate) for a, b in periods_of("day", round(2.5 * day * rate), rate, 18 * 3600)] == [
        (0, day / 4), (day / 4, 1.25 * day), (1.25 * day, 2.25 * day), (2.25 * day, 2.5 * day),
    ]  # fmt: skip
    assert periods_of("week", 7 * day * 2, 2.0, None) == [(0.0, 14.0 * day)]
    assert (wanted_values("week", "10 min"), wanted_values("day", "3 s"), wanted_values("week", "2 h")) == (1008, 28_800, 84)


@pytest.mark.parametrize("f", [16.7, 50.0, 60.0])
def test_the_uncertainty_of_residuals_and_durations_covers_the_truth(evaluation_of, f):
    """Dips and interruptions of known depth behind a channel that is off by what its chain allows, with noise."""
    rng, rate, inside, n = np.random.default_rng(5), 100 * f, 0, 0
    for _ in range(10):
        left, lasts, start = rng.choice([0.0, rng.uniform(0.02, 0.85)]), rng.uniform(3, 20) / f, rng.uniform(15, 17) / f
        t = np.arange(6000) / rate
        depth = np.where((t >= start) & (t < start + lasts), left, 1.0)
        true = depth * math.sqrt(2) * 230 * np.sin(2 * np.pi * f * t + rng.uniform(0, 6))
        seen = true * (1 + rng.uniform(-5e-3, 5e-3)) + rng.uniform(-0.3, 0.3) + 0.2 * rng.normal(size=len(t))
        made = evaluation_of(rate, "single-phase", u=seen)
        study = op.set_quality(op.scale_channel(made.study, "u", "accuracy 0.5 % + 0.3 V, noise 0.2 V"), U_din=230.0)
        table = disturbances_table(made.on(study), ("whole record",), Progress())
        of = dict(zip([column.key for column in table.columns], table.rows[0], strict=True))
        n += 2
        inside += abs(of["extreme"] - 230 * left) <= of["U"]
        inside += abs(of["duration"] - lasts) <= of["U_duration"]
    assert inside >= 0.9 * n


def test_the_instantaneous_flicker_is_a_curve_from_which_the_short_term_value_follows(evaluation_of):
    t = np.arange(200_000) / 1000.0  # 200 s at 1 kHz; 0.25 % of fluctuation at 8.8 Hz is just seen
    u = math.sqrt(2) * 230 * np.sin(2 * np.pi * 50 * t) * (1 + 0.5 * 0.0025 * np.sin(2 * np.pi * 8.8 * t))
    made = evaluation_of(1000.0, None, "u", u=u)
    curve = made.value("instantaneous_flicker(u)")
    seen = curve.read(0, len(t))
    assert np.isnan(seen[:59_900]).all() and np.isfinite(seen[60_100:-20]).all()
    assert np.nanmax(seen[100_000:]) == pytest.approx(1, abs=0.01)
    whole = made.value("flicker(u)").value
    levels = {q: float(np.nanpercentile(seen, 100 - q)) for q in (0.1, 1, 3, 10, 50)}
    assert whole == pytest.approx(
        math.sqrt(0.0314 * levels[0.1] + 0.0525 * levels[1] + 0.0657 * levels[3] + 0.28 * levels[10] + 0.08 * levels[50]),
        rel=0.02,
    )
    gapped = np.where((t > 90) & (t < 90.2), np.nan, u)
    with_gap = evaluation_of(1000.0, None, "u", u=gapped).value("instantaneous_flicker(u)").read(0, len(t))
    assert (
        np.isfinite(with_gap[60_100:89_900]).all()
        and np.isnan(with_gap[90_000:150_100]).all()
        and np.isfinite(with_gap[150_300:-20]).all()
    )
    with pytest.raises(PantelosError, match="mains of 50 and 60 Hz, here are 400"):
        evaluation_of(10_000.0, None, "u", u=np.sin(2 * np.pi * 400 * t[:20_000] / 10)).value("instantaneous_flicker(u)")


def test_a_clock_that_was_slow_moves_ticks_and_stamps_and_is_told(evaluation_of):
    """A record of 25 s that says it began 3 s before a full minute; its clock was 3 s slow: it began on the tick."""
    rate = 2000.0
    t = np.arange(50_000) / rate
    u = math.sqrt(2) * 230 * np.sin(2 * np.pi * 50 * t) * np.where((t > 12) & (t < 12.2), 0.6, 1.0)
    made = evaluation_of(rate, "single-phase", u=u)
    record = replace(made.record, began=Began(1_772_359_257 * 10**9))  # 2026-03-01 10:00:57
    study = op.set_quality(made.study, U_din=230.0)
    declared = replace(study, quality=op.quality_from(study.quality, "clock = 3 s ± 50 ms"))
    for asked, first, stamp in ((study, 3.0, "10:01:08.9"), (declared, 0.0, "10:01:11.9")):
        evaluation = Evaluation(asked, record)
        level = quality.surveyed(evaluation).survey.levels["10 s"]
        assert level.span.starts[level.coverage > 0.999][0] / rate == pytest.approx(first, abs=1e-9)
        assert stamp in str(disturbances_table(evaluation, ("whole record",), Progress()).rows[0][3])
    (said,) = (one for one in quality.surveyed(Evaluation(declared, record)).survey.remarks if "clock" in one)
    assert said == "clock of the recorder corrected by +3 s, within ± 0.05 s, more than the 20 ms of class A"
    for text, why in (("clock = soon", "no number in s"), ("clock = 1 s ± -2 s", "uncertainty of the clock")):
        with pytest.raises(StudyError, match=why):
            op.set_quality(replace(study, quality=op.quality_from(study.quality, text)), U_din=230.0)
