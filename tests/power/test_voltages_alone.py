"""A supply measured by its voltages alone: what they tell is given, of powers it is said why not."""

import cmath
import math

import numpy as np
import pytest

from made import evaluation_on
from pantelos.checks import run_checks
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.quality import surveyed
from pantelos.study import operations as op
from pantelos.tables.building import build_tables

_RATE, _A = 10_000.0, cmath.exp(2j * math.pi / 3)
_U = (230.0, 230.0 * 1.03 * _A**2 * cmath.exp(0.02j), 225.0 * _A)  # rms phasors; their zero sequence stays in no line voltage


def _wave(phasor):
    t = np.arange(150_000) / _RATE
    return math.sqrt(2) * (phasor * np.exp(2j * math.pi * 50 * t)).real


def _truth():
    positive, negative = (abs(_U[0] + a * _U[1] + a * a * _U[2]) / 3 for a in (_A, _A**2))
    return positive, 100 * negative / positive


def test_voltages_alone_give_rms_distortion_and_sequences_and_say_that_there_are_no_powers():
    evaluation = evaluation_on(_RATE, "three-phase-4w", u1=_wave(_U[0]), u2=_wave(_U[1]), u3=_wave(_U[2]))
    connection = evaluation.study.connections[0]
    power = evaluation.power(connection, None)
    positive, u2 = _truth()
    assert [e.U for e in power.elements] == pytest.approx([abs(u) for u in _U], rel=1e-9)
    assert [e.U1 for e in power.elements] == pytest.approx([abs(u) for u in _U], rel=1e-9)
    assert (power.system.voltages[0], 100 * power.system.u2) == pytest.approx((positive, u2), rel=1e-8)
    unknown = (power.total.P, power.total.S, power.total.I, power.total.PF, power.total_energy.received, power.system.P1_plus)
    assert np.isnan(unknown).all() and power.total_energy.unmeasured_s == 0
    assert power.remarks == ("no current is placed: only what the voltages tell is given",)
    table = build_tables(evaluation, ["sequences"]).tables[0]
    assert table.column("u2")[0] == pytest.approx(u2, rel=1e-8)
    assert any(notice.code == "wiring.voltages" for notice in run_checks(evaluation))


@pytest.mark.parametrize(
    ("kind", "waves"),
    [
        ("three-phase-4w", {"u1": _U[0], "u2": _U[1], "u3": _U[2]}),
        ("three-phase-3v3i", {"u12": _U[0] - _U[1], "u23": _U[1] - _U[2], "u31": _U[2] - _U[0]}),
        ("three-phase-3v3i", {"u12": _U[0] - _U[1], "u31": _U[2] - _U[0]}),
        ("three-phase-3w", {"u13": _U[0] - _U[2], "u23": _U[1] - _U[2]}),
        ("three-phase-3w-l2", {"u12": _U[0] - _U[1], "u32": _U[2] - _U[1]}),
    ],
)
def test_unbalance_of_a_supply_is_the_same_from_any_voltages_that_tell_it(kind, waves):
    evaluation = evaluation_on(_RATE, kind, **{name: _wave(phasor) for name, phasor in waves.items()})
    found = surveyed(Evaluation(op.set_quality(evaluation.study, U_din=230.0), evaluation.record)).survey.levels["3 s"].values
    assert found["u2"] == pytest.approx(np.full_like(found["u2"], _truth()[1]), rel=1e-5)
    assert ("u0" in found) == (kind == "three-phase-4w")


def test_one_line_voltage_tells_no_unbalance():
    evaluation = evaluation_on(_RATE, "three-phase-3w", u13=_wave(_U[0] - _U[2]))
    found = surveyed(Evaluation(op.set_quality(evaluation.study, U_din=400.0), evaluation.record)).survey.levels["3 s"].values
    assert "u2" not in found and "U" in found
