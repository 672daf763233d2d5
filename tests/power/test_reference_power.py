"""Reference cases of power and energy."""

import cmath
import math

import numpy as np
import pytest

from pantelos.signal.harmonics.sequences import sequences
from pantelos.tables.building import build_tables

THETA = (0, -120, 120)


def power_of(evaluation):
    return evaluation.power(evaluation.study.connections[0], None)


def test_rc09_rl_load_and_its_current_reversed(evaluation_of, sine):
    u, i = sine(230, 50), sine(230 / math.sqrt(200), 50, -45)
    p = power_of(evaluation_of(10_000.0, "single-phase", u=u, i=i)).total
    assert p.P == pytest.approx(2645, abs=1e-8)
    assert p.S == pytest.approx(3740.594872477, abs=1e-8)
    assert p.Q1 == pytest.approx(2645, abs=1e-8)
    assert p.PF == pytest.approx(0.7071067811865, abs=1e-12)
    assert p.phi1 == pytest.approx(45, abs=1e-9)
    turned = power_of(evaluation_of(10_000.0, "single-phase", u=u, i=-i)).total
    assert turned.P == pytest.approx(-2645, abs=1e-8)
    assert turned.phi1 == pytest.approx(-135, abs=1e-9)


def test_rc10_distorted_single_phase(evaluation_of, sine):
    at = {"rate_hz": 12_000}
    u = 1 + sine(120, 60, **at) + sine(3, 180, 70, **at) + sine(6, 300, -20, **at)
    i = sine(10, 60, -30, **at) + sine(3, 180, -10, **at) + sine(2, 300, 160, **at) + sine(1, 420, 30, **at)
    evaluation = evaluation_of(12_000.0, "single-phase", u=u, i=i)
    p = power_of(evaluation).total
    found = (p.U, p.I, p.P, p.S, p.N, p.P1, p.Q1, p.PF, p.DPF)
    assert found == pytest.approx((120.1915138435, 10.67707825203, 1028.79331814, 1283.294198537, 767.0908085421,
                                   1039.230484541, 600, 0.8016815780144, 0.8660254037844), abs=1e-8)  # fmt: skip
    thd = build_tables(evaluation, ["distortion"]).tables[0].column("thd")
    assert thd == pytest.approx([5.590169943749, 37.41657386774], abs=1e-8)
    orders = evaluation.harmonics(["u", "i"], None).phasors[:, :, 5]
    assert np.mean(orders[:, 0] * orders[:, 1].conj()).real == pytest.approx(-12, abs=1e-8)


def test_rc11_zero_current_and_dc_with_correlated_ripple(evaluation_of, sine):
    nothing = power_of(evaluation_of(10_000.0, "single-phase", u=sine(230, 50), i=np.zeros(2000))).total
    assert (nothing.P, nothing.S) == (0, 0)
    assert all(math.isnan(x) for x in (nothing.PF, nothing.phi1, nothing.DPF))
    dc = power_of(evaluation_of(10_000.0, "dc", u=12 + sine(0.1, 100), i=5 + sine(0.5, 100, 60))).total
    assert dc.P == pytest.approx(60.025, abs=1e-10)
    assert dc.S == pytest.approx(60.30134741446, abs=1e-10)
    assert math.isnan(dc.Q1)


def test_rc12_distorted_four_wire_load_with_neutral(evaluation_of, sine):
    u = {f"u{k}": sine(230, 50, a) for k, a in enumerate(THETA, 1)}
    i = {f"i{k}": sine(10, 50, a - 25) + sine(4, 150, 3 * a) + sine(2, 250, 5 * a + 10) for k, a in enumerate(THETA, 1)}
    for neutral in ({}, {"iN": sum(i.values())}):  # reconstructed, and measured
        evaluation = evaluation_of(10_000.0, "three-phase-4w", **u, **i, **neutral)
        found = power_of(evaluation)
        assert found.total.P == pytest.approx(6253.523730553, abs=1e-7)
        assert [e.I for e in found.elements] == pytest.approx([10.9544511501] * 3, abs=1e-10)
        assert found.S_A == pytest.approx(7558.571293571, abs=1e-7)
        assert (found.total.I, found.total.U) == pytest.approx((12.96148139682, 230), abs=1e-10)
        neutral_squared = 3 * found.total.I**2 - sum(e.I**2 for e in found.elements)
        assert math.sqrt(neutral_squared) == pytest.approx(12, abs=1e-10)
        assert found.total.S == pytest.approx(8943.422163803, abs=1e-7)
        assert found.total.PF == pytest.approx(0.6992316381824, abs=1e-11)
        thd = build_tables(evaluation, ["distortion"]).tables[0].column("thd")
        assert thd[3:6] == pytest.approx([44.72135955] * 3, abs=1e-8)


def test_rc13_unbalanced_four_wire(evaluation_of, sine):
    volts, amps = ((230, 0), (225, -121), (236, 118)), ((10, -30), (6, -150), (14, 105))
    u = {f"u{k}": sine(a, 50, b) for k, (a, b) in enumerate(volts, 1)}
    i = {f"i{k}": sine(a, 50, b) for k, (a, b) in enumerate(amps, 1)}
    found = power_of(evaluation_of(10_000.0, "three-phase-4w", **u, **i))
    assert found.total.P == pytest.approx(6391.913727393, abs=1e-7)
    assert (found.total.U, found.total.I) == pytest.approx((230.3468781793, 10.99285376492), abs=1e-7)
    assert found.total.S == pytest.approx(7596.508641089, abs=1e-7)
    assert (found.S_A, found.S_V) == pytest.approx((6954, 6880.951658534), abs=1e-7)
    s = sequences(*(cmath.rect(a, math.radians(b)) for a, b in volts))
    assert abs(s.positive) == pytest.approx(230.3096779593, abs=1e-7)
    assert math.degrees(cmath.phase(s.positive)) == pytest.approx(-1.008683519024, abs=1e-7)
    assert (abs(s.negative), abs(s.zero)) == pytest.approx((1.775991403457, 5.288171657633), abs=1e-7)
    assert 100 * s.unbalance == pytest.approx(0.7711319034414, abs=1e-7)


def test_rc14_two_wattmeters_distorted_and_unbalanced(evaluation_of, sine):
    e = [sine(400 / math.sqrt(3), 50, a) + sine(5, 250, 5 * a) for a in THETA]
    i1, i2 = sine(10, 50, -40) + sine(2, 250, 30), sine(8, 50, -165) + sine(1.5, 250, 100)
    evaluation = evaluation_of(10_000.0, "three-phase-3w", u13=e[0] - e[2], i1=i1, u23=e[1] - e[2], i2=i2)
    found = power_of(evaluation)
    assert [x.P for x in found.elements] == pytest.approx([3956.551520125, 841.0139723074], abs=1e-7)
    assert found.total.P == pytest.approx(4797.565492432, abs=1e-7)
    assert found.total.P == pytest.approx(sum(np.mean(a * b) for a, b in zip(e, (i1, i2, -i1 - i2), strict=True)), abs=1e-7)
    assert found.total.Q1 == pytest.approx(3785.555354793, abs=1e-7)
    u12, i3 = e[0] - e[1], -i1 - i2
    assert math.sqrt(np.mean(i3**2)) == pytest.approx(8.973844830606, abs=1e-10)
    rms = [math.sqrt(np.mean(x**2)) for x in (u12, e[1] - e[2], e[2] - e[0], i1, i2, i3)]
    assert found.total.U == pytest.approx(math.sqrt(sum(x**2 for x in rms[:3]) / 9), abs=1e-9)
    assert found.total.I == pytest.approx(math.sqrt(sum(x**2 for x in rms[3:]) / 3), abs=1e-9)
    balanced = evaluation_of(10_000.0, "three-phase-3w", **{
        "u13": sine(400 / math.sqrt(3), 50) - sine(400 / math.sqrt(3), 50, 120), "i1": sine(10, 50, -60),
        "u23": sine(400 / math.sqrt(3), 50, -120) - sine(400 / math.sqrt(3), 50, 120), "i2": sine(10, 50, -180)})  # fmt: skip
    assert [x.P for x in power_of(balanced).elements] == pytest.approx([3464.101615138, 0], abs=1e-7)


def test_rc17_resistance_and_current_from_a_shunt(evaluation_of, sine):
    i = sine(20, 50, rate_hz=20_000, seconds=1)
    evaluation = evaluation_of(20_000.0, u=0.05 * i + 0.002, i=i)
    ratio = evaluation.value("mean(u * i) / mean(i * i)")
    assert (ratio.value, ratio.unit.symbol) == (pytest.approx(0.05, abs=1e-13), "Ω")
    kept = evaluation.value("u / i where abs(i) >= 2.8284 A").read(0, 20_000)
    assert np.isfinite(kept).mean() == pytest.approx(0.9362314391415, abs=0.005)
    assert np.nanmedian(kept) == pytest.approx(0.05, abs=2e-4)


def test_rc21_energy_received_and_returned(evaluation_of, sine):
    at = {"rate_hz": 20_000, "seconds": 1}
    u, i = sine(230, 50, **at), sine(5, 50, -60, **at)
    net = power_of(evaluation_of(20_000.0, "single-phase", u=u, i=i))
    assert net.total.P / 50 == pytest.approx(11.5, abs=1e-10)
    assert net.total_energy.returned == 0  # by the sign of P per cycle nothing is returned
    fine = {"rate_hz": 2e6, "seconds": 0.02}
    split = power_of(evaluation_of(2e6, "dc", u=sine(230, 50, **fine), i=sine(5, 50, -60, **fine))).total_energy
    assert split.received == pytest.approx(14.00694896402, abs=1e-6)
    assert split.returned == pytest.approx(2.506948964017, abs=1e-6)


def test_rc39_sequence_and_quadrants(evaluation_of, sine):
    s = sequences(*(cmath.rect(230, math.radians(a)) for a in (0, 120, -120)))
    assert (abs(s.positive), abs(s.negative), s.order) == (pytest.approx(0, abs=1e-9), pytest.approx(230, abs=1e-9), "132")
    for phi, p, q in (
        (30, 866.0254037844, 500),
        (150, -866.0254037844, 500),
        (-150, -866.0254037844, -500),
        (-30, 866.0254037844, -500),
    ):
        found = power_of(evaluation_of(10_000.0, "single-phase", u=sine(100, 50), i=sine(10, 50, -phi))).total
        assert (pytest.approx(p, abs=1e-8), pytest.approx(q, abs=1e-8)) == (found.P, found.Q1)


def test_missing_samples_of_one_channel_are_left_out_of_all_and_too_many_give_nothing(evaluation_of, sine):
    u, i = sine(230, 50, seconds=1), sine(5, 50, seconds=1)
    i[2000:2200] = np.nan
    found = power_of(evaluation_of(10_000.0, "single-phase", u=u, i=i))
    assert found.coverage == pytest.approx(0.98, abs=1e-3)
    assert found.total.P == pytest.approx(1150, rel=1e-3)
    i[:1000] = np.nan
    assert math.isnan(power_of(evaluation_of(10_000.0, "single-phase", u=u, i=i)).total.P)
