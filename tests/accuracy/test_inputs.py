"""What the inputs of a chain do to numbers, held against sums by hand: phase errors, rounding, products of offsets, classes."""

import math
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.accuracy.budget import Budget, Contribution, Input, Shape
from pantelos.checks import run_checks
from pantelos.engine.quality import basis_of, surveyed
from pantelos.engine.uncertainty import power_accuracy, reading_accuracy, value_accuracy
from pantelos.errors import ScalingError
from pantelos.reading.kinds import reading_kind
from pantelos.record.scaling import parse_scaling
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.tables.building import build_tables
from pantelos.tables.explaining import explain_reading
from pantelos.units import unit

PHI = math.acos(0.890543)


@pytest.fixture
def chained(evaluation_of):
    """Return what makes an evaluation of channels behind chains, sampled at 10 kHz."""

    def make(connection=None, *, formulas=(), chains, **channels):
        evaluation = evaluation_of(10_000.0, connection, **channels)
        study = evaluation.study
        for name, chain in chains.items():
            study = op.scale_channel(study, name, chain)
        for text in formulas:
            study = op.set_formula(study, text)
        return evaluation.on(study)

    return make


def within(evaluation, reading, name="u"):
    return reading_accuracy(evaluation, reading_kind(reading), [name])


def load(sine, chained, u, i, formulas=()):
    return chained(
        "single-phase", u=sine(230, 50, seconds=1), i=sine(10, 50, -math.degrees(PHI), seconds=1), chains={"u": u, "i": i},
        formulas=formulas,
    )  # fmt: skip


@pytest.mark.parametrize(
    "stated", ["phase 0.5 deg", "phase 30 min", "phase 0.5 deg at 50 Hz", "class 0.5", "delay 27.7777777 us"]
)
def test_a_phase_error_reaches_powers_as_it_should(sine, chained, stated):
    evaluation = load(
        sine, chained, "divider 1:1, accuracy 0.001 %, phase 0 deg", f"factor 1 A/A, {stated}, accuracy 0.001 %", ()
    )
    found = power_accuracy(evaluation, evaluation.study.connections[0], None)
    sigma = math.radians(0.5) / math.sqrt(3)
    worst = {k: max(abs(f(PHI + s * 2 * sigma) - f(PHI)) for s in (-1, 1)) for k, f in (("P", math.cos), ("Q1", math.sin))}
    gain = 0.5 / math.sqrt(3) / 100 * 2 if "class" in stated else 0.0
    for quantity, size in (("P", math.cos(PHI)), ("Q1", math.sin(PHI))):
        expected = 2300 * math.hypot(worst[quantity], gain * size)
        assert found["total", quantity].expanded == pytest.approx(expected, rel=0.01)
        assert found["total", quantity].leaves_out == ""
    assert found["total", "PF"].expanded == pytest.approx(worst["P"], rel=0.01)
    assert found["total", "phi1"].expanded == pytest.approx(2 * math.degrees(sigma), rel=1e-3)


def test_what_nobody_stated_is_said_at_the_number(sine, chained):
    evaluation = load(
        sine, chained, "divider 1:1, accuracy 0.1 %", "factor 1 A/A, accuracy 0.5 %", ("P = mean(u * i)", "U = rms(u)")
    )
    found = power_accuracy(evaluation, evaluation.study.connections[0], None)
    lacking = {quantity for (part, quantity), stated in found.items() if part == "total" and stated.leaves_out}
    assert lacking >= {"P", "Q1", "N"} and not lacking & {"U", "I", "S"}
    assert "is not stated" in found["total", "PF"].why_not and not found["total", "PF"].leaves_out
    assert value_accuracy(evaluation, "P").without_phase == ("u", "i") and not value_accuracy(evaluation, "U").without_phase
    (notice,) = (notice for notice in run_checks(evaluation) if notice.code == "accuracy.phase")
    added = 2300 * math.sin(PHI) * math.radians(0.5) / math.sqrt(3) * 2 * math.sqrt(2)
    assert f"±{added:.0f} W" in notice.detail and not notice.severity.asks
    (table,) = build_tables(evaluation, ["accuracy"]).tables
    told = {(row[1], row[2]): row[-1] for row in table.rows}
    assert told["c total", "P"] if ("c total", "P") in told else told["c L", "P"] == "without phase error of u, i"


def test_one_stated_phase_is_against_what_is_recorded_directly(sine, chained):
    for u, lacking in (("direct, accuracy 0.1 %", ()), ("divider 1:1, accuracy 0.1 %", ("u",))):
        evaluation = load(sine, chained, u, "factor 1 A/A, accuracy 0.5 %, phase 0.5 deg")
        assert power_accuracy(evaluation, evaluation.study.connections[0], None)["total", "P"].without_phase == lacking


@given(st.floats(0.05, 2.0), st.integers(-400, 400), st.floats(0.0, 3.0))
def test_rounding_is_bounded_by_half_a_step_and_covered(step, base, swing):
    from made import evaluation_on

    t = np.arange(4000) / 10_000.0
    x = base * 0.37 + swing * np.sqrt(2) * np.sin(2 * np.pi * 50 * t + 0.3)
    evaluation = evaluation_on(10_000.0, u=np.round(x / step) * step)
    evaluation = evaluation.on(op.scale_channel(evaluation.study, "u", f"accuracy 0.0001 %, resolution {step:.12g} V"))
    truth = {"mean": base * 0.37, "max": x.max(), "min": x.min(), "peak_to_peak": x.max() - x.min()}
    for reading, true in truth.items():
        found, stated = evaluation.reading(reading_kind(reading), ["u"]), within(evaluation, reading)
        slack = 1.16 if reading != "peak_to_peak" else 1.23  # q/2 beside 2 · q/√12
        assert abs(found.value - true) <= max(slack * stated.expanded, 1e-9 * abs(true) + 1e-12), (reading, found.value, true)
        assert stated.expanded <= 1.01 * step * (1 if reading != "peak_to_peak" else 1.42) / math.sqrt(3) + 3e-6 * abs(true)


def test_near_zero_the_product_of_offsets_counts_and_noise_that_is_seen(chained):
    rng = np.random.default_rng(3)
    noise = {"u": 1e-3 * rng.normal(size=10_000), "i": 1e-4 * rng.normal(size=10_000)}
    evaluation = chained("single-phase", **noise, chains={"u": "accuracy 0.1 % + 0.2 V", "i": "accuracy 0.5 % + 50 mA"})
    stated = power_accuracy(evaluation, evaluation.study.connections[0], None)["total", "P"]
    assert stated.expanded == pytest.approx(2 * 0.2 * 0.05 / 3, rel=0.01)
    evaluation = chained(u=-72.5e-6 + 250e-6 * rng.normal(size=10_000), chains={"u": "accuracy 0.1 %"})
    stated = within(evaluation, "mean")
    assert stated.expanded == pytest.approx(2 * 250e-6 / 100, rel=0.05)
    assert stated.budget.largest_first()[0].input.title == "measured noise of u"
    assert within(evaluation, "max").expanded < 250e-6  # nobody says it is not the waveform's own: it lifts nothing


def test_the_step_that_numbers_show_counts_where_nobody_stated_one(chained):
    x = 0.15 * np.round(np.concatenate([np.full(5000, 0.2), np.linspace(0, 30, 5000)]) / 0.15)
    evaluation = chained(u=x, chains={"u": "accuracy 0.1 %"})
    evaluation = evaluation.on(op.add_interval(evaluation.study, Interval("still", 0.0, 0.4), evaluation.record.grid))
    stated = reading_accuracy(evaluation, reading_kind("mean"), ["u"], "still")
    assert stated.expanded == pytest.approx(0.15 / math.sqrt(3), rel=0.01)


def test_classes_are_those_of_the_standard_and_a_correction_is_applied():
    volt, ampere = unit("V"), unit("A")
    for text, recorder, ratio, minutes in (
        ("transformer 100 A/5 A, class 0.5", ampere, 0.5, 30), ("transformer 100 A/5 A, class 0.5 at 20 %", ampere, 0.75, 45),
        ("transformer 100 A/5 A, class 0.2S at 1 %", ampere, 0.75, 30), ("transformer 100:1, class 0.2", volt, 0.2, 10),
    ):  # fmt: skip
        chain = parse_scaling(text, recorder)
        assert parse_scaling(chain.text(recorder), recorder) == chain
        found = {one.name: one.standard * math.sqrt(3) for one in chain.inputs("x", recorder)}
        assert found == pytest.approx({"ratio": ratio / 100, "phase": math.radians(minutes / 60)})
    for text in ("class 0.7", "class 0.2S", "phase 3 m", "phase 1 deg at 3 V", "corrected 0", "class 0.5 at 1 %"):
        with pytest.raises(ScalingError):
            parse_scaling(
                f"transformer 100:1, {text}" if "at 1 %" not in text else f"transformer 5:1, {text}",
                ampere if "at 1" in text else volt,
            )
    assert parse_scaling("divider 100:1, corrected 0.9987", volt).resolve(volt)[0] == pytest.approx(99.87)


@given(st.lists(st.floats(-5, 5), min_size=4, max_size=4), st.floats(-3, 3), st.floats(-3, 3))
def test_a_difference_takes_what_both_share_with_its_sign(sizes, own, of_other):
    gain, offset, noise = (Input(name, "u", Shape.NORMAL, 1.0) for name in ("gain", "offset", "noise"))
    a, b, c, d = sizes
    left, right = (
        Budget((Contribution(gain, a), Contribution(noise, b))),
        Budget((Contribution(gain, c), Contribution(offset, d))),
    )
    joined = left.with_other(own, right, of_other)
    expected = math.sqrt((own * a + of_other * c) ** 2 + (own * b) ** 2 + (of_other * d) ** 2)
    assert joined.standard == pytest.approx(expected, abs=1e-12)
    assert not Budget(()).given and not Budget((Contribution(gain, math.inf),)).given


def test_a_constant_part_may_lie_at_any_order(sine, chained):
    t = np.arange(100_000) / 10_000.0
    u = sum(np.sqrt(2) * a * np.sin(2 * np.pi * 50 * h * t) for h, a in ((1, 230.0), (6, 1.15), (5, 11.5)))
    for offset, expected in ((0.5, 0.5), (0.01, 5e-4 * 230)):
        evaluation = chained("single-phase", u=u, i=u / 46, chains={"u": f"accuracy 0.1 % + {offset} V", "i": "accuracy 0.1 %"})
        study = op.set_quality(evaluation.study, U_din=230.0, sets=("en50160-lv",))
        evaluation = evaluation.on(study)
        found = basis_of(evaluation, surveyed(evaluation))
        assert found.expanded("Uh", 6, 0)[1] == pytest.approx(2 * expected / math.sqrt(3))
        assert found.expanded("U", None, 0)[1] == 0.0
        kind = reading_kind("harmonic_group")
        evaluation = evaluation.on(op.set_formula(study, "h6 = harmonic(u, 6)"))
        assert kind.of_a_line and evaluation.samples.scalar("h6").value == pytest.approx(1.15)


@pytest.mark.parametrize("lag", ["lag 18.75 us", "lag 1 ms", "lag -43 us", "lag 0.3375 deg at 50 Hz"])
def test_a_known_lag_is_taken_off_up_to_the_ends_of_the_record(chained, lag):
    w, t, phi = 2 * np.pi * 50, np.arange(4000) / 10_000.0, math.radians(84)
    late = {"lag 1 ms": 1e-3, "lag -43 us": -43e-6}.get(lag, 18.75e-6)

    def current(t):
        return np.sqrt(2) * (10 * np.sin(w * t - phi) + 2 * np.sin(5 * w * t + 1))

    u = np.sqrt(2) * (230 * np.sin(w * t) + 11.5 * np.sin(5 * w * t))
    evaluation = chained("single-phase", u=u, i=current(t - late), chains={"i": lag}, formulas=("p = u * i",))
    expected = 2300 * math.cos(phi) + 23 * math.cos(1)
    found = evaluation.power(evaluation.study.connections[0], None)
    assert (found.total.P, found.total.phi1) == (pytest.approx(expected, rel=1e-7), pytest.approx(84, abs=1e-7))
    for reading, channel, value in (("mean", "p", expected), ("rms", "i", math.sqrt(104))):
        assert evaluation.reading(reading_kind(reading), [channel]).value == pytest.approx(value, rel=1e-7)
    assert not [notice for notice in run_checks(evaluation) if notice.severity.asks]


def test_digits_without_accuracy_follow_what_the_record_shows(chained):
    rng = np.random.default_rng(8)
    evaluation = chained(u=-72.501e-6 + 250e-6 * rng.normal(size=10_000), chains={})
    said = explain_reading(evaluation, reading_kind("mean"), ["u"])
    assert re.fullmatch(r"−7\d\.\d µV", said.value), said.value
    assert math.isnan(within(evaluation, "mean").expanded) and within(evaluation, "mean").seen == pytest.approx(5e-6, rel=0.1)


def test_a_phase_error_is_at_the_fundamental_of_its_own_channel(sine, chained):
    chains = {name: "accuracy 0.0001 %" + (", phase 0.5 deg" if name[0] == "i" else "") for name in ("u1", "i1", "u2", "i2")}
    waves = {"u1": sine(230, 50), "i1": sine(10, 50, -30), "u2": sine(200, 87, seconds=0.2), "i2": sine(10, 87, -60)}
    evaluation = chained(**waves, chains=chains, formulas=("b = mean(u2 * i2)", "c = mean(u2 * i2) + 0 * mean(u1 * i1)"))
    for name in "bc":  # a machine at 87 Hz beside its mains
        assert value_accuracy(evaluation, name).expanded == pytest.approx(
            2 * 2000 * math.sin(math.radians(60)) * math.radians(0.5) / math.sqrt(3), rel=0.01
        )


@pytest.mark.parametrize("lag", [180.0, 179.9, -179.9])
def test_an_angle_near_half_a_turn_has_the_accuracy_of_any_other(sine, chained, lag):
    u, i = sine(230, 50, seconds=1), sine(10, 50, -lag, seconds=1)
    chains = {"u": "accuracy 0.1 %", "i": "accuracy 0.1 %, phase 0.5 deg"}
    evaluation = chained("single-phase", u=u, i=i, chains=chains, formulas=("d = phase(i, u) - phase(u, u)",))
    expected = 2 * 0.5 / math.sqrt(3)
    stated = power_accuracy(evaluation, evaluation.study.connections[0], None)["total", "phi1"]
    assert stated.expanded == pytest.approx(expected, rel=0.01)
    assert math.degrees(reading_accuracy(evaluation, reading_kind("phase"), ["i", "u"]).expanded) == pytest.approx(
        expected, rel=0.01
    )
    assert math.degrees(value_accuracy(evaluation, "d").expanded) == pytest.approx(expected, rel=0.01)


def test_a_clean_tone_of_few_samples_a_cycle_is_no_noise(sine, chained):
    evaluation = chained(u=sine(230, 1900, seconds=1), chains={"u": "accuracy 0.1 %"})
    assert within(evaluation, "mean").expanded < 1e-4


def test_a_gap_is_told_though_a_lag_is_taken_off(sine, chained):
    i = sine(10, 50, seconds=1)
    i[3000:3800] = np.nan
    evaluation = chained("single-phase", u=sine(230, 50, seconds=1), i=i, chains={"i": "lag 1 ms"})
    (notice,) = (notice for notice in run_checks(evaluation) if notice.code == "record.missing")
    assert notice.text == "800 samples of i are missing"
    assert not math.isfinite(evaluation.reading(reading_kind("rms"), ["i"]).value)  # more than 5 % of it


def test_a_class_is_refused_where_the_channel_becomes_something_else(chained, tmp_path):
    evaluation = chained(i=np.ones(100), chains={"i": "class 0.2S"})
    with pytest.raises(ScalingError, match=r"IEC 61869-3 .voltage. has no class 0\.2S"):
        op.change_recorder(evaluation.study, "i", "V")
