"""The small demos answer their questions with the values that follow from their parameters."""

import csv
import math

import numpy as np
import pytest

from pantelos.checks import concerns, run_checks
from pantelos.demo import conveyor, kiln, rail, sieve
from pantelos.demo.small import SMALL_DEMOS, ensure_small_demo, small_demo
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.instants import value_at
from pantelos.errors import FileAccessError
from pantelos.reading.kinds import reading_kind
from pantelos.study import operations as op
from pantelos.study.opening import recordings_of
from pantelos.tables.sample_export import write_samples


@pytest.fixture
def demo(small_demo_of):
    return small_demo_of


def reading(evaluation, name, channel, interval):
    return evaluation.reading(reading_kind(name), [channel], interval).value


def cycle_means():
    """The frequency of each cycle, from the formula: instants at which the phase passes whole turns."""
    t = np.linspace(0.0, sieve.DURATION_S - sieve.EDGE_S, 3_500_001)
    turns = np.concatenate(([0.0], np.cumsum(sieve.frequency(t)[:-1]) * (t[1] - t[0])))
    marks = np.interp(np.arange(int(turns[-1])), turns, t)
    return marks, 1 / np.diff(marks)


def test_settling_time_and_swing_from_the_control_edge(demo):
    evaluation = demo("settling")
    cycle_s = 1 / sieve.F_END
    assert evaluation.samples.scalar("t_stable").value == pytest.approx(sieve.settled_after(0.02), abs=cycle_s)
    marks, f = cycle_means()
    assert evaluation.samples.scalar("swing").value == pytest.approx(
        f.max() - f.min(), rel=0.06
    )  # the filter smears the first cycle
    assert reading(evaluation, "max", "f", "run-up") == pytest.approx(f.max(), abs=0.02)
    stable = f[marks[:-1] >= evaluation.study.interval("stable").start_s]
    assert evaluation.samples.scalar("swing_stable").value == pytest.approx(np.ptp(stable), abs=0.05)
    assert evaluation.samples.scalar("U_stable").value == pytest.approx(sieve.U_RMS, rel=1e-4)
    assert reading(evaluation, "mean", "U", "stable") == pytest.approx(sieve.U_RMS, rel=1e-4)  # alternating rms per cycle
    go = evaluation.events.find(evaluation.study.search("go"))
    assert [evaluation.times.instant(at) for at in go.positions] == pytest.approx([0.0], abs=1e-4)  # anchored on the control edge
    assert evaluation.record.start_s == pytest.approx(-sieve.EDGE_S)  # and what came before is there


def test_ripple_on_a_large_level_trimmed_and_exported_with_time_zero_at_the_edge(demo, tmp_path):
    evaluation = demo("ripple")
    for interval, level, amplitude in (
        ("without load", rail.U_DC, rail.RIPPLE_V),
        ("loaded", rail.U_DC - rail.DROP, 3 * rail.RIPPLE_V),
    ):
        spike = rail.SPIKE_V * rail.SPIKE_S / rail.SPIKE_EVERY_S
        assert reading(evaluation, "mean", "u_rail", interval) == pytest.approx(level + spike, abs=2e-5)
        swing = reading(evaluation, "peak_to_peak", "u_rail", interval)
        assert swing == pytest.approx(2 * amplitude + rail.SPIKE_V, abs=10 * rail.NOISE_V)
        assert reading(evaluation, "frequency", "u_rail", interval) == pytest.approx(rail.F_RIPPLE, abs=0.05)
        ac = math.hypot(amplitude / math.sqrt(2), rail.NOISE_V)
        assert reading(evaluation, "ac_rms", "u_rail", interval) == pytest.approx(ac, rel=0.03)
        assert reading(evaluation, "ripple", "u_rail", interval) == pytest.approx(ac / level, rel=0.03)
    assert evaluation.samples.scalar("sag").value == pytest.approx(rail.DROP, abs=1e-5)
    spikes = evaluation.events.find(evaluation.study.search("spikes"))
    assert len(spikes) == pytest.approx(0.6 / rail.SPIKE_EVERY_S, abs=1)  # those on crests of the loaded ripple
    assert math.isnan(reading(evaluation, "frequency", "load", "loaded"))  # noise has none
    made = op.trim(evaluation.study, *rail.KEPT_S, recordings_of(evaluation.study).record)
    kept = Evaluation(made, recordings_of(made).record(made.record))
    write_samples(kept, tmp_path / "rail.csv", ["u_rail"], whole=True)
    rows = [row for row in csv.reader((tmp_path / "rail.csv").read_text().splitlines()) if not row[0].startswith("#")]
    assert [name.partition(" ")[0] for name in rows[0]] == ["t", "u_rail"]
    table = np.array(rows[1:], dtype=float)
    assert table[0, 0] == pytest.approx(rail.KEPT_S[0])
    at_edge = np.flatnonzero(np.abs(table[:, 0]) < 1e-9)
    assert len(at_edge) == 1
    before, after = table[at_edge[0] - 1000 : at_edge[0], 1].mean(), table[at_edge[0] : at_edge[0] + 1000, 1].mean()
    assert before - after == pytest.approx(rail.DROP, abs=0.002)


def test_inrush_with_a_resistance_that_changes(demo):
    evaluation = demo("inrush")
    assert evaluation.samples.scalar("i_peak").value == pytest.approx(math.sqrt(2) * kiln.U_RMS / kiln.R_COLD, rel=1e-3)
    for t in (0.0402, 0.5001, 2.0002):  # u, i and R read at one instant
        u, i, r = (value_at(evaluation, name, t) for name in ("u", "i", "r"))
        assert r == pytest.approx(u / i, rel=1e-9)
        assert r == pytest.approx(float(kiln.resistance(np.array(t))), rel=2e-3)
    near_zero = value_at(evaluation, "r", 0.0050 + 0.0)
    assert math.isnan(near_zero)
    shares = [np.isnan(evaluation.samples.waveform("r").read(a, b)).mean() for a, b in ((0, 10_000), (20_000, 60_000))]
    assert shares[0] == 1.0  # nothing before the switch
    assert 0.02 < shares[1] < 0.15
    assert reading(evaluation, "mean", "R", "warm") == pytest.approx(float(kiln.resistance(np.array(4.195))), rel=2e-3)
    on = evaluation.events.find(evaluation.study.search("switched_on"))
    assert [evaluation.times.instant(at) for at in on.positions] == pytest.approx([0.0], abs=1e-4)


@pytest.mark.parametrize("id_", [each.id for each in SMALL_DEMOS])
def test_a_small_demo_raises_no_false_alarm_and_every_formula_stands(demo, id_):
    evaluation = demo(id_)
    assert evaluation.names.broken == {}
    allowed = {"interval.broken-cycles", "interval.changing-frequency"}
    if id_ == "incidents":  # voltages alone, and the supply goes away
        allowed |= {"interval.drift", "reference.interrupted", "wiring.incomplete"}
    assert {n.code for n in concerns(run_checks(evaluation))} <= allowed


def test_a_folder_that_cannot_be_written_is_said(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(FileAccessError, match="cannot be written"):
        ensure_small_demo(small_demo("ripple"), tmp_path / "file" / "below")


def test_a_run_up_tells_its_duty_carrier_dead_time_and_energies(demo):
    evaluation = demo("conveyor")
    scalar, dead = (lambda name: evaluation.samples.scalar(name).value), conveyor.DEAD_S * conveyor.CARRIER_HZ
    assert scalar("t_dead") == pytest.approx(conveyor.DEAD_S, rel=1e-6)
    assert scalar("R_belt") == pytest.approx(conveyor.R_OHM, rel=1e-3)
    assert math.degrees(scalar("lag")) == pytest.approx(conveyor.LAG_DEG, abs=1e-4)
    duty, carrier = (evaluation.samples.resolve(name) for name in ("D", "f_carrier"))
    starts = duty.partition.starts / conveyor.RATE_HZ
    low, high = conveyor.SHARE
    begun = np.floor(starts * conveyor.CARRIER_HZ + 1e-6) / conveyor.CARRIER_HZ
    assert duty.values == pytest.approx(low + (high - low) * conveyor.run_up(begun) - dead, abs=2e-3)
    assert carrier.values == pytest.approx(conveyor.CARRIER_HZ, rel=1e-4)
    omega = conveyor.SPEED_RPM * math.pi / 30
    received = conveyor.TORQUE_NM[0] * omega * (0.5 * 1.0 + conveyor.BRAKE_S[0] - conveyor.RUN_S[1])
    returned = -conveyor.TORQUE_NM[1] * omega * 0.5 * (conveyor.BRAKE_S[1] - conveyor.BRAKE_S[0])
    last = [evaluation.samples.waveform(name).read(319_999, 320_000)[0] for name in ("e_in", "e_out")]
    assert last == pytest.approx([received, returned], rel=1e-4)


def test_the_encoder_of_the_run_up_follows_its_law_cycle_by_cycle(demo):
    found = demo("conveyor").samples.resolve("f_enc")
    t = np.linspace(0, conveyor.DURATION_S, 1_600_001)
    turns = conveyor.encoder_turns(t)
    instants = np.interp(np.arange(math.floor(turns[-1]) + 1), turns, t)
    assert len(found.values) == len(instants) - 1
    assert found.values[1:] == pytest.approx((1 / np.diff(instants))[1:], rel=2e-3)  # half a millivolt of noise on 2 V
    assert np.median(np.abs(found.values * np.diff(instants) - 1)) < 3e-4
