"""Functions of the language: known answers by another way, properties, and what is refused."""

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import FormulaError, PantelosError
from pantelos.formula.compile import compile_formula
from pantelos.formula.compiled import Kind, Known
from pantelos.formula.derived import Derived, RunningIntegral
from pantelos.formula.examples import example_on
from pantelos.formula.functions import all_functions
from pantelos.formula.functions.function import GivenArguments
from pantelos.formula.functions.running import RECEIVED, RETURNED
from pantelos.record.pieces import Grid
from pantelos.signal.arrays import BLOCK
from pantelos.study import operations as op
from pantelos.study.model import EventSearch, Interval
from pantelos.units import unit


@pytest.fixture
def asked(evaluation_of):
    """Return what a formula over a few channels results in."""
    t = np.arange(4000) / 10_000.0
    u = 325 * np.sin(2 * np.pi * 50 * t)
    evaluation = evaluation_of(
        10_000.0, u1=u, u2=np.roll(u, 66), i1=10 * np.sin(2 * np.pi * 50 * t - 1), x=np.linspace(-2, 2, 4000)
    )
    return evaluation.value


@pytest.mark.parametrize(
    ("text", "exact"),
    [
        ("exp(1)", math.e), ("ln(10)", math.log(10)), ("log10(2)", math.log10(2)), ("sin(30 deg)", 0.5),
        ("cos(1)", math.cos(1)), ("tan(45 deg)", 1), ("asin(0.5)", math.pi / 6), ("acos(0.5)", math.pi / 3),
        ("atan(1)", math.pi / 4), ("atan2(-1 V, -1 V)", -3 * math.pi / 4), ("hypot(3 V, 400 cV)", 5), ("sign(0 V - 3 V)", -1),
        ("round(17 V, 5 V)", 15), ("round(2.5, 1)", 2), ("larger(1 kV, 2 V)", 1000), ("smaller(1 kV, 2 V)", 2),
        ("clip(7 A, 0 A, 5 A)", 5), ("abs(0 V - 3 V)", 3), ("sqrt(16)", 4),
    ],
)  # fmt: skip
def test_known_answers(asked, text, exact):
    assert asked(text).value == pytest.approx(float(exact), rel=1e-14, abs=1e-14)


def test_units_follow(asked):
    assert asked("atan2(u1, u2)").unit.symbol == "rad"
    assert asked("hypot(u1, u2)").unit.like(unit("V"))
    assert asked("derivative(u1)").unit.like(unit("V/s"))
    assert asked("received(u1 * i1)").unit.symbol == "J"


@pytest.mark.parametrize(
    ("text", "symbol", "factor"),
    [
        ("max(received(u1 * i1)) to Wh", "Wh", 3600.0), ("max(integral(i1)) to Ah", "Ah", 3600.0), ("mean(u1 * i1) to kW", "kW", 1e3),
        ("0.25 to %", "%", 0.01), ("acos(0.5) to deg", "°", math.pi / 180), ("2 * mean(abs(u1)) to [mV]", "mV", 1e-3),
    ],
)  # fmt: skip
def test_a_result_is_said_in_the_unit_asked_for_and_stays_the_same_quantity(asked, text, symbol, factor):
    plain_text = text.partition(" to ")[0]
    found, plain = asked(text), asked(plain_text)
    assert (found.value, found.unit.symbol, found.unit.factor) == (plain.value, symbol, pytest.approx(factor))


def test_a_curve_in_another_unit_is_used_further_as_itself(asked):
    wave = asked("integral(u1 * i1) to Wh")
    assert wave.unit.symbol == "Wh" and np.array_equal(wave.read(0, 4000), asked("integral(u1 * i1)").read(0, 4000))


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("mean(u1) to A", "V cannot be shown in A"), ("mean(u1) to", "stops too early"), ("mean(u1) to Foo", "not a known unit"),
        ("u1 > 3 V to V", "a condition cannot be converted"), ("(u1 to mA) * 2", "V cannot be shown in mA"),
        ("sin(u1)", "x of sin is in 1"), ("hypot(u1, i1)", "do not measure the same"), ("clip(u1, 0 V, 1 A)", "do not measure the same"),
        ("round(u1, 1)", "do not measure the same"), ("exp(1, 2)", "takes 1 argument"), ("atan2(u1)", "takes 2 argument"),
        ("received(3 W)", "a channel"), ("derivative(rms(u1) over cycles(u1))", "needs a channel"), ("derivative(3 V)", "needs a channel"),
    ],
)  # fmt: skip
def test_what_does_not_go_together_is_refused_at_its_place(asked, text, said):
    with pytest.raises(FormulaError, match=said):
        asked(text)


def test_what_has_no_real_value_is_left_out_and_never_infinite_in_silence(asked):
    roots = asked("sqrt(x)").read(0, 4000)
    assert np.isnan(roots[:2000]).all() and np.isfinite(roots[2000:]).all()
    assert np.isnan(asked("ln(x)").read(0, 2000)).all()
    assert np.isnan(asked("asin(x)").read(0, 900)).all()
    for text in ("ln(0)", "exp(1000)", "log10(0)", "sqrt(-1)", "round(2, 0)"):
        assert math.isnan(asked(text).value) and "no real value" in asked(text).explained[-1]
    assert not np.isinf(asked("exp(1000 * x)").read(0, 4000)).any()


def test_a_slope_is_that_of_the_law_also_at_the_ends(asked):
    t = np.arange(4000) / 10_000.0
    exact = 325 * 2 * np.pi * 50 * np.cos(2 * np.pi * 50 * t)
    shrunk = np.sin(2 * np.pi * 50 / 10_000) / (2 * np.pi * 50 / 10_000)  # of a central difference: sinc
    found = asked("derivative(u1)")
    assert found.read(0, 4000)[1:-1] == pytest.approx(exact[1:-1] * shrunk, rel=1e-9, abs=1e-6)
    assert found.read(0, 4000)[[0, -1]] == pytest.approx(exact[[0, -1]], rel=1e-3)
    pieces = np.concatenate([found.read(a, min(a + 617, 4000)) for a in range(0, 4000, 617)])
    assert np.array_equal(pieces, found.read(0, 4000))  # the size of a block changes nothing


def parts_by_hand(p):
    """Return both energies of a line through samples, interval by interval, as exact integrals of the straight pieces."""
    received = returned = 0.0
    for a, b in pairwise(p):
        if a * b < 0:
            cut = abs(a) / (abs(a) + abs(b))
            first, second = 0.5 * a * cut, 0.5 * b * (1 - cut)
            received += max(first, 0) + max(second, 0)
            returned -= min(first, 0) + min(second, 0)
        else:
            received += max(0.5 * (a + b), 0)
            returned -= min(0.5 * (a + b), 0)
    return received, returned


@given(st.lists(st.floats(-1e3, 1e3, allow_subnormal=False), min_size=2, max_size=60))
@settings(deadline=None)
def test_energies_received_and_returned_make_the_net_and_never_fall(values):
    p = np.array(values)
    wave = Derived(lambda a, b: p[a:b], unit("W"), len(p), 1.0)
    curves = [function.make(GivenArguments((wave,), unit("J"))).read(0, len(p)) for function in (RECEIVED, RETURNED)]
    net = RunningIntegral(wave, unit("J")).read(0, len(p))
    assert curves[0] - curves[1] == pytest.approx(net, abs=1e-9 * max(1.0, np.abs(p).sum()))
    assert all((np.diff(curve) >= -1e-12).all() for curve in curves)
    by_hand = parts_by_hand(p)
    assert [curve[-1] for curve in curves] == pytest.approx(by_hand, abs=1e-9 * max(1.0, np.abs(p).sum()))


def test_energies_over_block_borders_and_gaps(asked, evaluation_of):
    n = 2 * BLOCK + 17
    rng = np.random.default_rng(4)
    p = rng.normal(size=n)
    p[BLOCK - 3 : BLOCK + 5] = np.nan
    evaluation = evaluation_of(1000.0, p=p)
    found = [evaluation.value(f"{name}(p)").read(0, n) for name in ("received", "returned")]
    whole = np.nan_to_num(p)
    runs = [whole[: BLOCK - 3], whole[BLOCK + 5 :]]
    exact = np.sum([parts_by_hand(run.tolist()) for run in runs], axis=0) / 1000.0
    assert [curve[-1] for curve in found] == pytest.approx(exact, rel=1e-12)
    assert np.array_equal(found[0][BLOCK : BLOCK + 100], evaluation.value("received(p)").read(BLOCK, BLOCK + 100))


def test_every_example_of_every_function_runs(evaluation_of):
    """On a record that has what the examples speak of; readings that find nothing say why, none raises anything else."""
    t = np.arange(20_000) / 10_000.0
    columns = {f"{q}{k}": a * np.sin(2 * np.pi * (50 * t - k / 3)) for q, a in (("u", 325.0), ("i", 14.0)) for k in (1, 2, 3)}
    columns |= {"p1": columns["u1"] * columns["i1"], "n": 150.0 + 0 * t, "M": 20.0 + 0 * t, "g": 24.0 * (t * 100 % 1 < 0.3),
                "g1": 24.0 * (t * 100 % 1 < 0.3), "g2": 24.0 * ((t * 100 + 0.62) % 1 < 0.6),
                "u_dc": 540 + np.sin(2 * np.pi * 300 * t), "f": 50 + 0 * t}  # fmt: skip
    evaluation = evaluation_of(10_000.0, **columns)
    study = op.change_channel(op.change_channel(evaluation.study, "n", recorder_unit="rpm"), "M", recorder_unit="N*m")
    for name in ("p1", "g"):
        study = op.change_channel(study, name, recorder_unit="W" if name == "p1" else "V")
    for name in ("g1", "g2"):
        study = op.change_channel(study, name, recorder_unit="V")
    study = op.set_search(
        op.add_interval(study, Interval("run", 0.2, 1.5), Grid(0.0, 10_000.0, 20_000)), EventSearch("events", "u1")
    )
    evaluation = Evaluation(study, evaluation.record)
    failed = {}
    for function in all_functions():
        try:
            found = evaluation.value(function.example)
            found.value if hasattr(found, "value") else found.read(0, 100)
        except PantelosError as error:
            failed[function.example] = str(error)
    assert failed == {}


def test_every_example_runs_on_the_demo_by_its_own_channels(small_demo_of):
    evaluation = small_demo_of("conveyor")
    study = op.set_search(evaluation.study, EventSearch("starts", "g_top"))
    evaluation = Evaluation(study, evaluation.record)
    for function in all_functions():
        text = example_on(function, evaluation.names.types, evaluation.names.searches)
        assert text is not None
        compiled = compile_formula(text, Known(evaluation.names.types, evaluation.names.intervals, evaluation.names.searches))[1]
        if function.name == "instantaneous_flicker":  # of mains: a switched voltage has none, and is told so
            with pytest.raises(FormulaError, match="not given: flicker is defined for mains"):
                evaluation.value(text)
        elif function.pieces is None and not function.reading:
            assert np.shape(evaluation.value(text).read(0, 50)) == (50,) if compiled.kind is Kind.SIGNAL else True


def test_the_level_that_is_told_serves_every_reading_of_pulses(evaluation_of):
    """Known answers of a trapezoid of 10 V: 30 % between its middles, edges of 10 % of the period; three levels are told."""
    t = np.arange(100_000) / 1e6
    turn = (t * 1000 + 0.2) % 1
    g = 10 * np.clip(np.minimum(turn / 0.1, (0.4 - turn) / 0.1), 0, 1)
    carrier = 2 * np.abs(2 * ((t * 8000) % 1) - 1) - 1
    legs = [np.where(sign * 0.8 * np.sin(2 * np.pi * 50 * t) > carrier, 200.0, -200.0) for sign in (1, -1)]
    alone = np.where((t > 0.01) & (t < 0.0102), 5.0, 0.0)
    ask = evaluation_of(1e6, g=g, bridge=legs[0] - legs[1], alone=alone, units={"g": "V", "bridge": "V", "alone": "V"}).value
    for text, exact in (
        ("duty(g)", 0.3),
        ("duty(g, 7 V)", 0.26),
        ("duty(g, 70 %)", 0.26),
        ("width(g, 3 V)", 0.34e-3),
        ("width(alone)", 2e-4),
    ):
        assert ask(text).value == pytest.approx(exact, rel=1e-2 if "alone" in text else 1e-9), text
    for level in ("7 V", "70 %"):
        series = ask(f"duty(g) over pulses(g, {level})").values
        assert len(series) > 90 and series == pytest.approx(0.26, abs=1e-9)
    assert (ask("top(bridge)").value, ask("base(bridge)").value) == (400, -400)
    assert "between 3 levels" in ask("carrier(bridge)").explained[-1] and math.isnan(ask("carrier(bridge)").value)
    assert ask("carrier(bridge, 200 V)").value == pytest.approx(16_000, rel=1e-3)
    with pytest.raises(FormulaError, match="in V, or in % of the swing"):
        ask("duty(g, 7 A)")


def test_delays_are_those_that_were_made_between_samples_and_between_unlike_pulses(evaluation_of):
    t = np.arange(20_000) / 50_000.0
    wave = lambda d: 325 * np.sin(2 * np.pi * 50 * (t - d)) + 20 * np.sin(2 * np.pi * 250 * (t - d) + 1)  # noqa: E731
    pulse = lambda d, duty: 24.0 * (((t - d) * 500) % 1 < duty)  # noqa: E731
    ask = evaluation_of(
        50_000.0, u=wave(18.75e-6), v=wave(0), g=pulse(300e-6, 0.3), h=pulse(0, 0.35), units=dict.fromkeys("vgh", "V")
    ).value
    found = ask("delay_between(u, v)")
    assert found.value == pytest.approx(18.75e-6, abs=2 * found.method_u) and found.method_u < 0.5e-6
    found = ask("delay_between(g, h)")
    assert found.value == pytest.approx(300e-6, abs=20e-6) and "between rises; falls lie 200" in found.explained[-1]


def test_frequency_and_phase_agree_whether_there_are_cycles(evaluation_of):
    """Ripple of 300 Hz on a level that steps: the record is no waveform, the stretch before the step is one."""
    t = np.arange(20_000) / 20_000.0
    load = np.where(t < 0.5, 1.0, 0.6)
    u, i = 600 * load + 5 * np.sin(2 * np.pi * 300 * t + 0.4), 20 / load + 2 * np.sin(2 * np.pi * 300 * t - 0.3)
    evaluation = evaluation_of(20_000.0, u=u, i=i)
    grid = evaluation.record.grid
    study = op.add_interval(op.add_interval(evaluation.study, Interval("before", 0, 0.5), grid), Interval("first", 0, 0.1), grid)
    ask = Evaluation(study, evaluation.record).value
    assert ask("frequency(u) in before").value == pytest.approx(300, rel=1e-9)
    assert ask("phase(i, u) in before").value == pytest.approx(-0.7, abs=1e-9)
    sine = evaluation_of(20_000.0, u=np.sin(2 * np.pi * 50 * t - 2.5))
    ten = op.add_interval(sine.study, Interval("ten", 0, 0.2), sine.record.grid)
    assert Evaluation(ten, sine.record).value("frequency(u) over intervals").values == pytest.approx(50, rel=1e-9)


def test_noise_alone_has_no_pulses(evaluation_of):
    rng = np.random.default_rng(4)
    evaluation = evaluation_of(
        2000.0, g=24 + rng.normal(0, 0.05, 4000), h=np.where(np.arange(4000) // 100 % 2, 24.0, 0.0) + rng.normal(0, 1, 4000)
    )
    for text in ("width(g)", "duty(g)"):
        found = evaluation.value(text)
        assert math.isnan(found.value) and any("stands out of its noise" in line for line in found.explained)
    assert evaluation.value("width(h)").value == pytest.approx(0.05, rel=1e-3)
