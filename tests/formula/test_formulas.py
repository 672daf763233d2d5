"""The formula language: values, units checked before samples, errors that point at their place."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import FormulaError, StudyError
from pantelos.formula.compile import compile_formula
from pantelos.formula.compiled import Kind, Known
from pantelos.formula.uses import names_used, with_name_changed
from pantelos.record.pieces import Grid
from pantelos.study import operations as op
from pantelos.study.model import Interval, Study
from pantelos.units import unit

SECOND = Grid(0.0, 10_000.0, 10_000)

TYPES = {
    "u1": (Kind.SIGNAL, unit("V")),
    "i1": (Kind.SIGNAL, unit("A")),
    "n": (Kind.SIGNAL, unit("rpm")),
    "M": (Kind.SIGNAL, unit("N·m")),
}


@pytest.mark.parametrize(
    ("text", "kind", "symbol"),
    [
        ("u1 * i1", Kind.SIGNAL, "W"), ("integral(u1 * i1)", Kind.SIGNAL, "J"), ("u1 / i1 where abs(i1) > 50 mA", Kind.SIGNAL, "Ω"),
        ("M * n", Kind.SIGNAL, "W"), ("mean(u1 * i1)", Kind.SCALAR, "W"), ("phase(i1, u1)", Kind.SCALAR, "°"), ("thd(i1)", Kind.SCALAR, "%"),
        ("rms(u1) over cycles(u1)", Kind.SERIES, "V"), ("sqrt(u1 * u1)", Kind.SIGNAL, "V"), ("100 [mV/A] * i1", Kind.SIGNAL, "V"),
        ("max(u1) - min(u1) in \"steady lift\"", Kind.SCALAR, "V"), ("1 / frequency(u1)", Kind.SCALAR, "s"), ("integral(i1)", Kind.SIGNAL, "C"),
        ("2 * u1 + 5 mV", Kind.SIGNAL, "V"), ("-u1^2", Kind.SIGNAL, "V²"), ("(u1) where not (i1 > 1 A or i1 < -1 A)", Kind.SIGNAL, "V"),
    ],
)  # fmt: skip
def test_kind_and_unit_are_known_before_any_sample(text, kind, symbol):
    _, compiled = compile_formula(text, Known(TYPES))
    assert (compiled.kind, compiled.unit.symbol) == (kind, symbol)


@pytest.mark.parametrize(
    ("text", "place", "said"),
    [
        ("u1 + i1", "+", "V and A do not measure the same"), ("u1 * i9", "i9", 'no channel or formula "i9"'),
        ("rms(u1", "", "stops too early"), ("u1 where i1 > 5 V", ">", "A cannot be compared with V"), ("mean(3 V)", "3 V", "taken of a channel"),
        ("foo(u1)", "foo", 'no function "foo"'), ("phase(u1)", "phase(u1)", "takes 2 to 3 arguments"), ("u1 $ 2", "$", "no meaning"),
        ("5 parsnip * u1", "parsnip", "not a known unit"), ("abs(u1) in lift", "lift", "only readings"), ("u1 u1", "u1", "does not fit"),
        ("u1 > 5 V", "u1 > 5 V", "a condition alone"), ("u1 where 1 V < u1 < 2 V", "1 V < u1", "u1 > 1 V and u1 < 2 V"), ("u1^i1", "i1", "does not fit"),
        ("u1 where i1", "i1", "where needs a condition"), ("u1 + (u1 > 2 V)", "u1 > 2 V", "cannot be calculated"), ("u1^(1/0)", "(1/0)", "by zero"),
        (f"{'(' * 3000}u1", "(", "more than 100 brackets"), (f"{'-' * 200}u1", "-", "more than 100"), ("mean(u1) in \"a", '"', "does not fit"),
    ],
)  # fmt: skip
def test_errors_point_at_their_place_and_say_what_is_wrong(text, place, said):
    with pytest.raises(FormulaError) as caught:
        compile_formula(text, Known(TYPES))
    assert text[caught.value.start : caught.value.stop] == place
    assert said in caught.value.message


@given(st.text(alphabet='u1i1 +-*/()<>="where in over cycles mean rms,.^5mVA[]', max_size=30))
@settings(max_examples=200)
def test_any_text_compiles_or_raises_a_formula_error(text):
    try:
        compile_formula(text, Known(TYPES))
    except FormulaError as error:
        assert 0 <= error.start <= error.stop <= len(text)


def test_values_sample_by_sample_masked_and_integrated(evaluation_of):
    rng = np.random.default_rng(1)
    u, i = rng.normal(size=200_000), rng.normal(size=200_000)
    evaluation = evaluation_of(1000.0, u=u, i=i)
    assert np.array_equal(evaluation.value("u * i").read(0, 200_000), u * i)
    quotient = evaluation.value("u / i where abs(i) > 0.5 A").read(10, 90_000)
    assert np.array_equal(np.isnan(quotient), np.abs(i[10:90_000]) <= 0.5)
    running = np.concatenate([[0], np.cumsum((u[1:] + u[:-1]) / 2)]) / 1000
    integral = evaluation.value("integral(u)")
    for start, stop in ((199_000, 200_000), (0, 5), (65_530, 131_100)):  # out of order, across blocks
        assert integral.read(start, stop) == pytest.approx(running[start:stop], abs=1e-12)


def test_readings_per_cycle_are_a_series_to_calculate_with(evaluation_of, sine):
    u = sine(230, 50, 30, seconds=1) * np.repeat([1.0, 0.5], 5000)
    evaluation = evaluation_of(10_000.0, reference="u", u=u)
    series = evaluation.value("2 * rms(u) over cycles(u)")
    assert len(series.values) == 49
    assert series.values[[2, -3]] == pytest.approx([460, 230], rel=1e-3)
    assert evaluation.value("mean(rms(u) over cycles(u))").value == pytest.approx(172.5, rel=0.02)
    assert np.isnan(series.read(0, 50)).all()  # before the first whole cycle there is no value
    for name, value in (("frequency", 50), ("thd", 0), ("max", 230 * math.sqrt(2)), ("mean", 0), ("ac_rms", 230)):
        assert evaluation.value(f"{name}(u) over cycles(u)").values[5] == pytest.approx(value, rel=2e-3, abs=2e-3)
    assert evaluation.value("phase(u, u) over cycles(u)").values[5] == pytest.approx(0, abs=1e-9)


def test_readings_follow_the_interval_they_name(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, reference="u", u=sine(230, 50, seconds=1) * np.repeat([1.0, 0.5], 5000))
    study = evaluation.study
    for name, edges in (("full", (0.1, 0.3)), ("half full", (0.6, 0.8))):
        study = op.add_interval(study, Interval(name, *edges), SECOND)
    study = op.set_formula(study, 'ratio = rms(u) in full / rms(u) in "half full"')
    asked = Evaluation(study, evaluation.record)
    found = asked.samples.resolve("ratio")
    assert found.value == pytest.approx(2, rel=1e-6)
    assert "whole cycles" in found.explained[0]
    assert asked.value("rms(u)").value == pytest.approx(115, rel=1e-6)  # the active one is the last
    renamed = op.rename_interval(study, "half full", "low")
    assert renamed.formulas[0].expression.endswith('in "low"')
    assert Evaluation(renamed, evaluation.record).samples.resolve("ratio").value == pytest.approx(2, rel=1e-6)
    with pytest.raises(FormulaError, match='at "braking": there is no interval "braking"; there are full, half full'):
        asked.value("rms(u) in braking")


def test_formulas_refer_to_each_other_but_never_in_a_circle(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, u=sine(1, 50), i=sine(1, 50))
    study = op.set_formula(op.set_formula(evaluation.study, "q = p * 2"), "p = u * i")
    asked = Evaluation(study, evaluation.record)
    assert asked.names.unit("q").symbol == "W"
    with pytest.raises(FormulaError, match=r"refers to itself: p → q → p"):
        op.set_formula(study, "p = q + u * i")
    with pytest.raises(StudyError, match='"p" is used by q'):
        op.remove_formula(study, "p")
    renamed = op.rename_channel(study, "u", "u_L1")
    assert [f.text for f in renamed.formulas] == ["q = p * 2", "p = u_L1 * i"]
    assert Evaluation(renamed, evaluation.record).names.broken == {}


def test_the_reference_cannot_rest_on_readings_which_need_its_cycles(evaluation_of, sine):
    study = evaluation_of(10_000.0, u=sine(1, 50), i=sine(1, 50)).study
    study = op.set_formula(op.set_formula(study, "offset = mean(u)"), "plain = u - offset")
    with pytest.raises(StudyError, match='"plain" rests on readings'):
        op.set_reference(study, "plain")
    study = op.add_connection(study, "c", "single-phase")
    assert op.place_channel(study, "c", "u", "plain").reference is None
    doubled = op.set_reference(op.set_formula(study, "twice = u * 2"), "twice")
    with pytest.raises(FormulaError, match="the reference channel twice would rest on readings"):
        op.set_formula(doubled, "twice = u - mean(u)")


def test_a_changed_scaling_breaks_a_formula_with_a_reason_and_leaves_the_rest(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, u=sine(1, 50), u2=sine(1, 50))
    study = op.set_formula(evaluation.study, "d = u - u2")
    study = op.scale_channel(study, "u2", "clamp 100 mV/A")
    asked = Evaluation(study, evaluation.record)
    assert "V and A" in str(asked.names.broken["d"])
    assert "d" not in asked.names.types
    assert asked.names.unit("u2").symbol == "A"


def test_names_are_found_and_changed_without_touching_functions_or_units():
    text = 'mean(m) in "m" + 5 m * rms(m) over cycles(m)'
    assert names_used(text) == {"m"}
    assert with_name_changed(text, "m", "torque") == 'mean(torque) in "m" + 5 m * rms(torque) over cycles(torque)'


@pytest.mark.parametrize("name", ["where", "mean", "2u", "u 1", ""])
def test_names_that_formulas_could_not_use_are_refused(name):
    with pytest.raises(StudyError):
        op.checked_name(Study(), name)
