"""What a certificate says over frequency is taken off: held against waveforms whose true values are known by construction."""

import math
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.accuracy.instrument_classes import InstrumentClass
from pantelos.checks import run_checks
from pantelos.engine.uncertainty import power_accuracy, reading_accuracy
from pantelos.errors import ScalingError
from pantelos.reading.kinds import reading_kind
from pantelos.record.response import Response, ResponseRow, parse_response
from pantelos.record.scaling import parse_scaling
from pantelos.signal.cycles.correcting import corrected, correcting_taps
from pantelos.study import operations as op
from pantelos.tables.explaining import explain_power, explain_reading
from pantelos.units import unit

RATE = 20_000.0
ORDERS = ((50.0, 10.0, -80.0), (250.0, 2.0, 15.0), (650.0, 0.5, 100.0))  # Hz, peak, degrees


def transformer(f):
    """Return what a current transformer reads over what is there: a high-pass of 0.4 Hz and a low-pass of 12 kHz."""
    f = np.asarray(f, dtype=float)
    return (1j * f / 0.4) / (1 + 1j * f / 0.4) / (1 + 1j * f / 12e3)


def table(f, u_gain=4e-4, u_deg=0.02):
    h = transformer(f)
    return "; ".join(
        f"{x:g} Hz {abs(z):.12g} ±{u_gain} {math.degrees(np.angle(z)):.12g} ±{u_deg} deg" for x, z in zip(f, h, strict=True)
    )


ROWS = table([50, 150, 250, 350, 650, 1000, 2500])


def wave(n, response=lambda f: 1.0 + 0j, start=0.0):
    t = start + np.arange(n) / RATE
    return sum(a * abs(response(f)) * np.sin(2 * np.pi * f * t + math.radians(d) + np.angle(response(f))) for f, a, d in ORDERS)


@pytest.fixture
def measured(evaluation_of):
    """Return a load behind a transformer with a certificate, and its voltage."""

    def make(chain, n=20_000):
        t = np.arange(n) / RATE
        evaluation = evaluation_of(RATE, "single-phase", u=325 * np.sin(2 * np.pi * 50 * t), i=wave(n, transformer))
        study = op.scale_channel(evaluation.study, "i", chain)
        return evaluation.on(op.scale_channel(study, "u", "divider 1:1, accuracy 0.001 %, phase 0 deg"))

    return make


@pytest.mark.parametrize("n", [20_000, 1300, 700])
def test_powers_and_orders_are_those_of_the_current_itself(measured, n):
    evaluation = measured(f"factor 1 A/A, response {ROWS}", n)
    P, Q1 = 325 * 10 / 2 * math.cos(math.radians(80)), 325 * 10 / 2 * math.sin(math.radians(80))
    total = evaluation.power(evaluation.study.connections[0], None).total
    tolerance = 1e-8 if n == 20_000 else 2e-5
    assert total.P == pytest.approx(P, abs=tolerance * 1625) and total.Q1 == pytest.approx(Q1, rel=tolerance)
    if n == 20_000:
        orders = evaluation.harmonics(["i"], None).rms[0] * math.sqrt(2)
        assert [orders[round(f / 50)] for f, _, _ in ORDERS] == pytest.approx([a for _, a, _ in ORDERS], rel=1e-9)
    as_read = measured("factor 1 A/A", n)
    assert abs(as_read.power(as_read.study.connections[0], None).total.P - P) > 3  # which 0.46° make


def test_no_sample_of_a_periodic_current_is_lost_at_the_ends(measured):
    i = measured(f"factor 1 A/A, response {ROWS}", 1300).samples.waveform("i")
    assert np.abs(i.read(0, 1300) - wave(1300)).max() < 2e-4


def test_what_is_not_periodic_has_no_value_beside_its_ends_and_gaps():
    response = parse_response(ROWS)
    x = np.random.default_rng(1).normal(0, 1, 6000).cumsum()
    x[3000:3010] = np.nan
    taps = correcting_taps(lambda f: 1 / response.at(f), response.frequencies, RATE)
    y = corrected(lambda a, b: x[a:b], 6000, RATE, taps, 0, 6000)
    given_ = np.isfinite(y)
    assert not given_[0] and not given_[-1] and not given_[2990:3020].any() and given_.mean() > 0.5
    parts = [corrected(lambda a, b: x[a:b], 6000, RATE, taps, a, a + 500) for a in range(0, 6000, 500)]
    np.testing.assert_allclose(np.concatenate(parts), y, atol=1e-9)


@given(st.floats(0.9, 1.1), st.floats(-2.0, 2.0), st.lists(st.integers(1, 60), min_size=1, max_size=8, unique=True))
def test_the_filter_is_exact_at_every_row(gain, degrees, tens):
    f = np.sort(np.array(tens, dtype=float)) * 10
    rows = tuple(ResponseRow(x, gain * (1 - 1e-5 * x), math.radians(degrees) / (1 + x / 100)) for x in f.tolist())
    response = Response(rows)
    taps = correcting_taps(lambda at: 1 / response.at(at), response.frequencies, 2000.0)
    n = np.arange(len(taps)) - len(taps) // 2
    for row in rows:
        found = np.dot(taps, np.exp(-2j * np.pi * row.f_hz / 2000 * n))
        assert abs(found * row.gain * np.exp(1j * row.phase) - 1) < 1e-9


def test_the_uncertainty_is_that_of_the_certificate(measured):
    evaluation = measured(f"factor 1 A/A, response {ROWS}")
    found = power_accuracy(evaluation, evaluation.study.connections[0], None)
    P, Q1 = 1625 * math.cos(math.radians(80)), 1625 * math.sin(math.radians(80))
    of_P = math.hypot(Q1 * math.radians(0.02), P * 4e-4)
    assert found["total", "P"].expanded == pytest.approx(of_P, rel=0.02) and not found["total", "P"].leaves_out
    assert found["total", "Q1"].expanded == pytest.approx(math.hypot(P * math.radians(0.02), Q1 * 4e-4), rel=0.02)
    rms = reading_accuracy(evaluation, reading_kind("rms"), ["i"])
    assert rms.expanded == pytest.approx(evaluation.reading(reading_kind("rms"), ["i"]).value * 4e-4, rel=0.02)


def test_before_and_after_stand_side_by_side(measured):
    evaluation = measured(f"factor 1 A/A, response {ROWS}")
    said = dict(explain_reading(evaluation, reading_kind("rms"), ["i"]).facts)["as read"]
    before = math.sqrt(sum((a * abs(transformer(f))) ** 2 / 2 for f, a, _ in ORDERS))
    assert said.startswith(f"{before:.7f} A") and "i: response 50 Hz to 2.5 kHz, 7 rows" in said
    power = explain_power(evaluation, evaluation.study.connections[0], "total", "P", None)
    assert "before what is known was taken off" in power.text
    plain = measured("factor 1 A/A, accuracy 0.1 %")
    assert "as read" not in dict(explain_reading(plain, reading_kind("rms"), ["i"]).facts)


@pytest.mark.parametrize(("rows", "told"), [([50, 250, 1000], False), ([50, 100, 200], True), ([100, 250, 1000], True)])
def test_content_beyond_the_table_is_told(measured, rows, told):
    notices = run_checks(measured(f"factor 1 A/A, response {table(rows)}"))
    assert told == any(notice.code == "accuracy.response" and notice.channel == "i" for notice in notices)


def test_a_table_comes_from_a_file_and_stays_in_the_study(measured, tmp_path):
    path = tmp_path / "clamp 7.csv"
    path.write_text(
        "Frequency (kHz);ratio error (%);U ratio;phase (min);U phase\n0,05;-0,2;0,04;12;1,2\n2,5;-1,8;0,2;-108;6\n", "utf-8"
    )
    study = op.scale_channel(measured("factor 1 A/A").study, "i", f'factor 2 A/A, response "{path}", accuracy 0.1 %')
    scaling = study.channel("i").scaling
    assert scaling.response.rows == (
        ResponseRow(50.0, pytest.approx(0.998), pytest.approx(math.radians(0.2)), pytest.approx(4e-4), pytest.approx(math.radians(0.02))),
        ResponseRow(2500.0, pytest.approx(0.982), pytest.approx(math.radians(-1.8)), pytest.approx(2e-3), pytest.approx(math.radians(0.1))),
    )  # fmt: skip
    assert parse_scaling(scaling.text(unit("A")), unit("A")) == scaling
    plain = tmp_path / "plain.csv"
    plain.write_text("50,0.998,0.2,0.0004,0.02\n2500,0.982,-1.8\n", "utf-8")
    study = op.scale_channel(study, "i", f"factor 2 A/A, response {plain}")
    assert study.channel("i").scaling.response.rows[0] == pytest.approx(scaling.response.rows[0])


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("50 Hz", "is not a row"),
        ("50 Hz 1 0.2 deg; 50 Hz 1", "twice"),
        ("50 Hz -1 0 deg", "above 0"),
        ("0 Hz 1 3 deg", "at 0 Hz there is none"),
        ("50 Hz 1 200 deg", "half a turn"),
        ("50 Hz 1e999", "too large"),
        ("", "no rows"),
        ("nowhere.csv", "nowhere.csv: it cannot be read"),
    ],
)
def test_a_table_that_cannot_be_says_so(measured, text, why):
    with pytest.raises(ScalingError, match=why):
        op.scale_channel(measured("factor 1 A/A").study, "i", f"response {text}")


@pytest.mark.parametrize(
    ("lines", "why"),
    [
        ("f;gain\n50;1\n60;about one\n", 'line 3: "about one" is no number'),
        ("f,colour\n50,1\n", 'nobody knows what "colour" heads'),
        ("f (V),gain\n50,1\n", "f cannot be in"),
        ("f,gain\n", "holds no rows"),
        ("gain,phase\n1,1\n", "heads f and gain"),
    ],
)
def test_a_file_that_holds_no_table_says_which_line(tmp_path, measured, lines, why):
    path = tmp_path / "c.csv"
    path.write_text(lines, "utf-8")
    with pytest.raises(ScalingError, match=why):
        op.scale_channel(measured("factor 1 A/A").study, "i", f"response {path}")


def test_a_mean_near_zero_is_no_more_exact_than_the_filter(measured):
    evaluation = measured(f"factor 1 A/A, response {ROWS}")
    mean = evaluation.reading(reading_kind("mean"), ["i"]).value
    stated = reading_accuracy(evaluation, reading_kind("mean"), ["i"]).expanded
    assert abs(mean) < stated < 5e-5  # A, of 10


# IEC 61869-2 tables 201 and 202, IEC 61869-3 table 301: class, then load %: ratio error % / phase displacement, minutes of arc.
OF_CURRENT = """0.1 5:0.4/15 20:0.2/8 100:0.1/5; 0.2 5:0.75/30 20:0.35/15 100:0.2/10; 0.5 5:1.5/90 20:0.75/45 100:0.5/30;
1 5:3/180 20:1.5/90 100:1/60; 0.2S 1:0.75/30 5:0.35/15 20:0.2/10 100:0.2/10; 0.5S 1:1.5/90 5:0.75/45 20:0.5/30 100:0.5/30;
3 50:3/- 120:3/-; 5 50:5/- 120:5/-"""
OF_VOLTAGE = "0.1 100:0.1/5; 0.2 100:0.2/10; 0.5 100:0.5/20; 1 100:1/40; 3 100:3/-"


@pytest.mark.parametrize(("text", "of_current"), [(OF_CURRENT, True), (OF_VOLTAGE, False)])
def test_classes_of_instrument_transformers_are_those_of_the_standard(text, of_current):
    for line in text.split(";"):
        name, *points = line.split()
        for point in points:
            load, ratio, minutes = re.split("[:/]", point)
            found = InstrumentClass(name, float(load)).limits(of_current)
            assert found == (float(ratio), None if minutes == "-" else pytest.approx(math.radians(float(minutes) / 60))), (
                name,
                point,
            )
        least = points[0].split(":")[0]
        if of_current:
            with pytest.raises(ScalingError, match=f"below {least} %"):
                InstrumentClass(name, float(least) * 0.99).limits(of_current)
