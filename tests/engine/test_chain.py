"""The power chain: signs, reversal, uncertainty, and when there is no efficiency."""

import math

import numpy as np
import pytest

from pantelos.accuracy.budget import Budget, Contribution, Input, Shape
from pantelos.engine.chain import MeasuredPoint, between, chain_of, chain_over_time
from pantelos.errors import StudyError
from pantelos.panels import panel_picture
from pantelos.progress import Progress
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.study.shown import Panel


def point(name, p, *amounts):
    shared = Input("gain", "shared", Shape.NORMAL, 1.0)
    own = Input("gain", name, Shape.NORMAL, 1.0)
    budget = Budget(tuple(Contribution(one, amount) for one, amount in zip((own, shared), amounts, strict=False)))
    return MeasuredPoint(name, p, budget if amounts else None, max(p, 0.0), max(-p, 0.0))


def test_losses_and_efficiency_and_what_both_powers_share():
    stage = between(point("a", 1000.0, 3.0), point("b", 900.0, 4.0), "s", 1.0)
    assert (stage.loss, stage.loss_u, stage.efficiency) == (100.0, 10.0, pytest.approx(0.9))
    assert stage.efficiency_u == pytest.approx(2 * 0.9 * math.hypot(3 / 1000, 4 / 900))
    shared = between(point("a", 1000.0, 0.0, 5.0), point("b", 900.0, 0.0, 4.5), "s", 1.0)
    assert (shared.loss_u, shared.efficiency_u) == (pytest.approx(1.0), pytest.approx(0.0, abs=1e-12))


@pytest.mark.parametrize(
    ("a", "b", "efficiency", "reverse", "remark"),
    [
        (-900.0, -1000.0, 0.9, True, ""),
        (100.0, -50.0, math.nan, False, "at both ends"),
        (0.5, 0.4, math.nan, False, "hardly any power"),
        (900.0, 1000.0, 10 / 9, False, "more comes out than goes in"),
        (math.nan, 1000.0, math.nan, False, ""),
    ],
)
def test_reversal_and_when_there_is_none(a, b, efficiency, reverse, remark):
    stage = between(point("a", a), point("b", b), "s", 1.0)
    assert stage.efficiency == pytest.approx(efficiency, nan_ok=True)
    assert stage.reverse is reverse and remark in stage.remark and math.isnan(stage.loss_u)


@pytest.fixture
def motor(evaluation_of, sine):
    """RC-16: a machine on mains, 25 N·m at 1500 min⁻¹ with ripple that goes together; then as a generator."""
    t = np.arange(20_000) / 10_000
    back = np.where(t < 1.0, 1.0, -1.0)
    channels = {}
    for k, angle in enumerate((0, -120, 120), 1):
        channels[f"u{k}"] = sine(230, 50, angle, seconds=2)
        channels[f"i{k}"] = back * sine(7, 50, angle - 28, seconds=2)
    torque = back * (25 + 2 * np.sin(2 * np.pi * 25 * t))
    speed = 50 * np.pi + 1.5 * np.sin(2 * np.pi * 25 * t + np.radians(60))
    evaluation = evaluation_of(10_000.0, "three-phase-4w", units={"M": "N*m", "n": "rad/s"}, **channels, M=torque, n=speed)
    study = op.add_connection(evaluation.study, "shaft", "shaft")
    for socket in ("M", "n"):
        study = op.place_channel(study, "shaft", socket, socket)
    study = op.set_chain(study, op.chain_from(study, "c > motor > shaft"))
    for name, start, stop in (("motor", 0.1, 0.9), ("generator", 1.1, 1.9)):
        study = op.add_interval(study, Interval(name, start, stop), evaluation.record.grid)
    return evaluation.on(study)


def test_rc16_efficiency_of_a_motor_and_of_a_generator(motor):
    found = chain_of(motor, "motor")
    assert found.points[0].P == pytest.approx(4264.636873509, abs=1e-7)
    assert found.points[1].P == pytest.approx(3927.740816987, rel=1e-6)  # product before mean
    assert found.stages[0].efficiency == pytest.approx(3927.740816987 / 4264.636873509, rel=1e-6)
    reverse = chain_of(motor, "generator").stages[0]
    assert reverse.reverse and "more comes out" in reverse.remark
    over_time = chain_over_time(motor, "motor")
    assert over_time.efficiency() == pytest.approx([found.stages[0].efficiency] * 4, rel=1e-3)
    picture = panel_picture(motor, Panel("flow", interval="motor"), Progress())
    assert len(picture.chain.points) == 2 and np.isfinite(picture.efficiency).all()


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("c > x > y > shaft", '"y" is no connection'),
        ("c > motor", 'Nothing follows "motor"'),
        ("c > c", "stands twice"),
        ("c", "needs two"),
    ],
)
def test_a_chain_that_is_none_says_why(motor, text, said):
    with pytest.raises(StudyError) as caught:
        op.set_chain(motor.study, op.chain_from(motor.study, text))
    assert said in str(caught.value)


def test_a_connection_that_goes_leaves_the_chain_and_a_wrong_unit_is_told(motor):
    assert [p.connection for p in op.remove_connection(motor.study, "shaft").chain] == ["c"]
    wrong = motor.on(op.place_channel(motor.study, "shaft", "M", "u1"))
    assert "u1 in socket M is in V, not in N·m" in chain_of(wrong, "motor").points[1].why_not
