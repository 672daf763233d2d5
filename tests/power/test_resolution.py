"""IEEE 1459 against the reference cases: resolution of apparent power, symmetrical components, every kind of connection."""

import math

import numpy as np
import pytest

from pantelos.checks import run_checks
from pantelos.engine.uncertainty import power_accuracy
from pantelos.power.quantities import unbalance_of_lines
from pantelos.tables.building import build_tables

THETA = (0, -120, 120)


def power_of(evaluation):
    return evaluation.power(evaluation.study.connections[0], None)


def test_rc10_resolution_of_one_phase(evaluation_of, sine):
    at = {"rate_hz": 12_000}
    u = 1 + sine(120, 60, **at) + sine(3, 180, 70, **at) + sine(6, 300, -20, **at)
    i = sine(10, 60, -30, **at) + sine(3, 180, -10, **at) + sine(2, 300, 160, **at) + sine(1, 420, 30, **at)
    evaluation = evaluation_of(12_000.0, "single-phase", u=u, i=i)
    p = power_of(evaluation).total
    assert (p.S1, p.P_H, p.S_N, p.D_I, p.D_V, p.S_H, p.D_H) == pytest.approx(
        (1200, -10.437166401, 454.8010554077, 448.9988864129, 67.82329983125, 25.3771550809, 23.13148411836), abs=1e-8
    )
    assert p.S_N**2 == pytest.approx(p.D_I**2 + p.D_V**2 + p.S_H**2, rel=1e-12)
    assert math.hypot(p.I_a, p.I_na) == pytest.approx(p.I, rel=1e-12)
    row = build_tables(evaluation, ["resolution"]).tables[0]
    assert row.column("D_I") == pytest.approx([448.9988864129], abs=1e-8)
    assert row.column("pollution") == pytest.approx([100 * 454.8010554077 / 1200], abs=1e-8)


def test_rc12_rc13_four_wires(evaluation_of, sine):
    u = {f"u{k}": sine(230, 50, a) for k, a in enumerate(THETA, 1)}
    i = {f"i{k}": sine(10, 50, a - 25) + sine(4, 150, 3 * a) + sine(2, 250, 5 * a + 10) for k, a in enumerate(THETA, 1)}
    total = power_of(evaluation_of(10_000.0, "three-phase-4w", **u, **i)).total
    assert (total.S1, total.S_N) == pytest.approx((6900, 5689.885763352), abs=1e-7)
    volts, amps = ((230, 0), (225, -121), (236, 118)), ((10, -30), (6, -150), (14, 105))
    u = {f"u{k}": sine(a, 50, b) for k, (a, b) in enumerate(volts, 1)}
    i = {f"i{k}": sine(a, 50, b) for k, (a, b) in enumerate(amps, 1)}
    evaluation = evaluation_of(10_000.0, "three-phase-4w", **u, **i)
    found = power_of(evaluation).system
    assert found.voltages == pytest.approx((230.3096779593, 1.775991403457, 5.288171657633), abs=1e-7)
    assert math.degrees(found.angle_u1) == pytest.approx(-1.008683519024, abs=1e-7)
    assert (100 * found.u2, 100 * found.u0) == pytest.approx((0.7711319034414, 2.296113521798), abs=1e-7)
    assert found.lines == pytest.approx((396.0194954206, 401.2705366152, 399.4519155744), abs=1e-7)
    assert 100 * unbalance_of_lines(*found.lines) == pytest.approx(0.7711319034414, abs=1e-7)
    assert (found.S1_plus, found.P1_plus, found.Q1_plus, found.S_U1) == pytest.approx(
        (6850.444241332, 6351.881978245, 2565.576277963, 3283.040851184), abs=1e-7
    )
    table = build_tables(evaluation, ["sequences"]).tables[0]
    assert table.column("u2") == pytest.approx([0.7711319034414], abs=1e-7) and table.column("order") == ["123"]


def test_rc15_split_phase(evaluation_of, sine):
    at = {"rate_hz": 12_000}
    channels = {
        "u1": sine(120, 60, **at),
        "i1": sine(15, 60, -20, **at),
        "u2": sine(120, 60, 180, **at),
        "i2": sine(10, 60, 150, **at),
    }
    found = power_of(evaluation_of(12_000.0, "split-phase", **channels))
    assert found.total.P == pytest.approx(2730.677201956, abs=1e-8)
    assert found.total.S == found.S_A == pytest.approx(3000, abs=1e-8)
    neutral = channels["i1"] + channels["i2"]
    assert math.sqrt(np.mean(neutral**2)) == pytest.approx(5.436696984046, abs=1e-9)
    closed = power_of(evaluation_of(12_000.0, "split-phase", **channels, iN=neutral)).closings
    assert [c.share for c in closed] == pytest.approx([0], abs=1e-12)


def test_rc14_a_three_wire_load_in_four_kinds_of_connection(evaluation_of, sine):
    e = [sine(400 / math.sqrt(3), 50, a) + sine(5, 250, 5 * a) for a in THETA]
    i1, i2 = sine(10, 50, -40) + sine(2, 250, 30), sine(8, 50, -165) + sine(1.5, 250, 100)
    i3 = -i1 - i2
    lines = {f"u{a}{b}": e[a - 1] - e[b - 1] for a in (1, 2, 3) for b in (1, 2, 3) if a != b}
    amps = {"i1": i1, "i2": i2, "i3": i3}
    kinds = {
        "three-phase-3w": ("u13", "i1", "u23", "i2"),
        "three-phase-3w-l1": ("u21", "i2", "u31", "i3"),
        "three-phase-3w-l2": ("u12", "i1", "u32", "i3"),
        "three-phase-3v3i": ("u12", "u23", "u31", "i1", "i2", "i3"),
    }
    u_e = math.sqrt(sum(np.mean(lines[name] ** 2) for name in ("u12", "u23", "u31")) / 9)
    i_e = math.sqrt(sum(np.mean(x**2) for x in amps.values()) / 3)
    for kind, names in kinds.items():
        evaluation = evaluation_of(10_000.0, kind, **{name: (lines | amps)[name] for name in names})
        found = power_of(evaluation)
        assert (found.total.P, found.total.Q1) == pytest.approx((4797.565492432, 3785.555354793), abs=1e-7)
        assert (found.total.U, found.total.I, found.total.S) == pytest.approx((u_e, i_e, 3 * u_e * i_e), rel=1e-12)
        assert math.isnan(found.system.voltages[2]) and found.system.u2 < 1e-12
        assert build_tables(evaluation, ["sequences"]).tables[0].column("U12")[0] == pytest.approx(400, abs=1e-9)
    virtual = found.elements[0].U
    assert virtual == pytest.approx(230.9942279221, abs=1e-7)


def test_sums_that_do_not_close_are_told(evaluation_of, sine):
    e = [sine(230, 50, a) for a in THETA]
    lines = {"u12": e[0] - e[1], "u23": e[1] - e[2], "u31": 1.05 * (e[2] - e[0])}
    amps = {f"i{k}": sine(10, 50, a - 30) for k, a in enumerate(THETA, 1)}
    found = {n.code: n for n in run_checks(evaluation_of(10_000.0, "three-phase-3v3i", **lines, **amps))}
    assert "19.9 V are left of u12 + u23 + u31" in found["wiring.does-not-close"].text
    u = {f"u{k}": x for k, x in enumerate(e, 1)}
    codes = [n.code for n in run_checks(evaluation_of(10_000.0, "three-phase-4w", **u, **amps, iN=0 * e[0]))]
    assert "wiring.does-not-close" not in codes


def test_the_accuracy_of_resolved_powers_covers_them(evaluation_of, sine):
    from pantelos.study import operations as op

    u = sine(230, 50, seconds=1) + sine(5, 250, seconds=1)
    i = sine(10, 50, -30, seconds=1) + sine(3, 250, 40, seconds=1)
    truth = power_of(evaluation_of(10_000.0, "single-phase", u=u, i=i)).total
    rng = np.random.default_rng(8)
    noisy = evaluation_of(10_000.0, "single-phase", u=u + rng.normal(0, 1.0, len(u)), i=i + rng.normal(0, 0.2, len(i)))
    study = noisy.study
    for name, text in (("u", "noise 1 V"), ("i", "noise 0.2 A")):
        study = op.scale_channel(study, name, text)
    noisy = noisy.on(study)
    stated = power_accuracy(noisy, study.connections[0], None)
    found = power_of(noisy).total
    for name in ("S1", "S_N", "D_I", "D_V", "S_H", "I_H", "U_H", "I_na"):
        assert abs(getattr(found, name) - getattr(truth, name)) < stated["L", name].expanded, name
