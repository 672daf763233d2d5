"""Accuracy: budgets against the worked example of the guide, against Monte Carlo, and how they are written."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from pantelos.accuracy.budget import Budget, Contribution, Input, Shape
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import power_accuracy, reading_accuracy, value_accuracy
from pantelos.notation import between, with_accuracy
from pantelos.power.quantity_rows import budgeted
from pantelos.power.resolved_rows import RESOLVED_QUANTITIES
from pantelos.reading.kinds import reading_kind
from pantelos.study import operations as op
from pantelos.study.model import RecordSource
from pantelos.units import unit


def scaled(evaluation, **chains):
    study = evaluation.study
    for name, text in chains.items():
        study = op.scale_channel(study, name, text)
    return Evaluation(study, evaluation.record)


def stated(evaluation, name, *channels):
    return reading_accuracy(evaluation, reading_kind(name), list(channels))


def test_rc38_the_worked_example_of_power(evaluation_of, sine):
    """230 V ± 0.1 %, 5 A ± 0.2 % at 60 degrees, skew ± 1 us."""
    evaluation = scaled(evaluation_of(10_000.0, "single-phase", "u", u=sine(230, 50), i=sine(5, 50, -60)),
                        u="accuracy 0.1 %", i="accuracy 0.2 %, delay 1 us")  # fmt: skip
    connection = evaluation.study.connections[0]
    found = power_accuracy(evaluation, connection, None)
    assert evaluation.power(connection, None).total.P == pytest.approx(575, abs=0.01)
    budget = found["total", "P"].budget
    assert budget.standard == pytest.approx(0.7639849777435, abs=0.005)
    assert budget.expanded == pytest.approx(1.527969955487, abs=0.01)
    assert found["total", "Q1"].budget.standard == pytest.approx(1.289962063984, abs=0.01)
    assert found["total", "DPF"].budget.standard == pytest.approx(0.0001570796326795, abs=1e-6)
    u_phi = 2 * math.pi * 50 * 1e-6 / math.sqrt(3)
    assert math.radians(found["total", "phi1"].budget.standard) == pytest.approx(u_phi, rel=1e-3)
    assert found["total", "PF"].budget.standard == pytest.approx(math.sin(math.pi / 3) * u_phi, rel=1e-3)  # gains cancel
    assert found["total", "S"].budget.standard == pytest.approx(1150 * math.hypot(0.001, 0.002) / math.sqrt(3), rel=1e-4)
    assert with_accuracy(575.0, budget.expanded, unit("W")) == "575.0 W ± 1.5 W"
    assert between(575.0, budget.expanded, unit("W")) == "between 573.5 W and 576.5 W"
    product = scaled(evaluation_of(10_000.0, None, "u", u=sine(230, 50), i=sine(5, 50, -60)),
                     u="accuracy 0.1 %", i="accuracy 0.2 %, delay 1 us")  # fmt: skip
    product = Evaluation(op.set_formula(op.set_formula(product.study, "p = u * i"), "e = area(p)"), product.record)
    assert stated(product, "mean", "p").budget.standard == pytest.approx(0.7639849777435, rel=1e-4)
    assert value_accuracy(product, "e").budget.standard == pytest.approx(0.2 * 0.7639849777435, rel=1e-3)
    assert {name for _, name in found} == {quantity.id for quantity in (*budgeted(), *RESOLVED_QUANTITIES)}


def test_readings_of_a_channel_follow_the_formulas_of_the_guide(evaluation_of, sine):
    """u(mean)^2 = (X ug)^2 + u(o)^2 + sigma^2/N, u(rms)^2 = (U ug)^2 + (X/U u(o))^2 + sigma^2/N, f: time base."""
    chain = "accuracy 0.2 % + 30 mV, resolution 10 mV, noise 20 mV"
    evaluation = scaled(evaluation_of(10_000.0, None, "u", u=3 + sine(10, 50)), u=chain)
    ug, uo = 0.002 / math.sqrt(3), 0.03 / math.sqrt(3)
    noise = (0.01**2 / 12 + 0.02**2) / 2000
    rms = math.sqrt(109)
    assert stated(evaluation, "mean", "u").budget.standard == pytest.approx(math.sqrt((3 * ug) ** 2 + uo**2 + noise), rel=1e-6)
    expected = math.sqrt((rms * ug) ** 2 + (3 / rms * uo) ** 2 + noise)
    assert stated(evaluation, "rms", "u").budget.standard == pytest.approx(expected, rel=1e-3)
    assert stated(evaluation, "ac_rms", "u").budget.standard == pytest.approx(math.sqrt((10 * ug) ** 2 + noise), rel=1e-5)
    noisy = 3 + sine(10, 50) + np.random.default_rng(1).normal(0, 0.02, 2000)
    low_high = stated(scaled(evaluation_of(10_000.0, None, "u", u=noisy), u=chain), "peak_to_peak", "u").budget
    one_sample_each = math.hypot(20 * math.sqrt(2) * ug, math.sqrt(2 * noise * 2000))
    assert 0.8 * one_sample_each < low_high.standard < 3 * one_sample_each  # of many samples noise lifts the largest
    amounts = {c.input.name: c.amount for c in stated(evaluation, "crest", "u").budget.contributions}
    assert amounts["gain"] == 0  # it cancels
    assert amounts["offset"] != 0
    study = op.scale_channel(evaluation.study, "u", "accuracy 0.2 %")
    clocked = Evaluation(replace(study, reference="u", record=RecordSource((), time_base_ppm=50)), evaluation.record)
    assert stated(clocked, "frequency", "u").budget.standard == pytest.approx(50 * 50e-6 / math.sqrt(3), rel=1e-3)


def test_budgets_agree_with_monte_carlo(evaluation_of, sine):
    """Resistance of a shunt measurement: 1000 draws of gains and offsets of both channels."""
    u, i = 0.5 + sine(5, 50), 0.1 + sine(2, 50, -20)
    evaluation = scaled(evaluation_of(10_000.0, None, "u", u=u, i=i), u="accuracy 0.5 % + 10 mV", i="accuracy 1 % + 5 mA")
    study = evaluation.study
    for text in ("p = u * i", "s = i * i", "r = mean(p) / mean(s)"):
        study = op.set_formula(study, text)
    found = value_accuracy(Evaluation(study, evaluation.record), "r").budget.standard
    draw = np.random.default_rng(3)
    values = []
    for _ in range(1000):
        gu, gi = draw.uniform(-0.005, 0.005), draw.uniform(-0.01, 0.01)
        x, y = u * (1 + gu) + draw.uniform(-0.01, 0.01), i * (1 + gi) + draw.uniform(-0.005, 0.005)
        values.append(np.mean(x * y) / np.mean(y * y))
    assert found == pytest.approx(np.std(values), rel=0.08)


def test_what_is_not_known_is_said_and_never_zero(evaluation_of, sine):
    plain = evaluation_of(10_000.0, None, "u", u=sine(10, 50), i=sine(1, 50))
    silent = stated(plain, "rms", "u")
    assert (silent.budget, silent.why_not) == (None, "the scaling of u states no accuracy")
    assert math.isnan(silent.expanded)
    flat = np.clip(sine(10, 50, rate_hz=1e5), -9, 9)
    clipped = scaled(evaluation_of(1e5, None, "u", u=flat), u="accuracy 1 %")
    assert "u is clipped here" in stated(clipped, "rms", "u").why_not
    one = scaled(plain, u="accuracy 1 %")
    half_known = Evaluation(op.set_formula(one.study, "p = u * i"), one.record)
    assert stated(half_known, "mean", "p").why_not == "the scaling of i states no accuracy"


@given(st.floats(1e-9, 1e9), st.floats(1e-9, 1e9))
def test_values_are_written_with_two_digits_of_their_uncertainty(value, expanded):
    text = with_accuracy(value, expanded, unit("%"))  # a unit that takes no prefix
    shown, _, rest = text.partition(" % ± ")
    digits = rest.removesuffix(" %").lstrip("0.").replace(".", "").rstrip("0") or "0"
    assert len(digits) <= 2
    assert float(rest.removesuffix(" %")) == pytest.approx(expanded * 100, rel=0.06)
    assert float(shown.replace("−", "-")) == pytest.approx(value * 100, abs=6 * expanded)
    assert len(shown.partition(".")[2]) == len(rest.removesuffix(" %").partition(".")[2])


def test_shares_add_up_and_the_largest_comes_first():
    budget = Budget(
        (
            Contribution(Input("gain", "u", Shape.RECTANGULAR, 1.0), 3.0),
            Contribution(Input("offset", "u", Shape.NORMAL, 1.0), -4.0),
        )
    )
    assert budget.standard == 5.0
    assert [c.input.name for c in budget.largest_first()] == ["offset", "gain"]
    assert sum(budget.share(c) for c in budget.contributions) == pytest.approx(1.0)
