"""One component among others: what is found of it, and that its uncertainty covers the truth."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.signal.spectra import components
from pantelos.signal.spectra.components import component_near

RATE, N = 10_000.0, 20_000
TIME = np.arange(N) / RATE


def near(x, f=50.0):
    return component_near(lambda a, b: np.atleast_2d(x)[:, a:b], 0, N, RATE, f)


def off(found, truth, u):
    """Return how many expanded uncertainties (k = 2) an angle is off."""
    return abs(math.remainder(found - truth, 2 * math.pi)) / (2 * u + 1e-12)


@given(st.floats(30, 400), st.floats(-3, 3), st.floats(-3, 3), st.floats(0.1, 30))
def test_a_lone_tone_is_found_exactly(f, phase, turn, rms):
    x = math.sqrt(2) * rms * np.sin(2 * np.pi * f * TIME + phase)
    y = 0.3 * math.sqrt(2) * rms * np.sin(2 * np.pi * f * TIME + phase + turn)
    found = near([y, x], f)
    assert found.frequency_hz == pytest.approx(f, rel=1e-6)
    assert np.abs(found.phasors) == pytest.approx([0.3 * rms, rms], rel=1e-4)
    assert abs(math.remainder(found.phase_between()[0] - turn, 2 * math.pi)) < 1e-4
    assert abs(math.remainder(found.phase_of(1, 0.0, RATE)[0] - phase, 2 * math.pi)) < 2e-4


@pytest.mark.parametrize(("other", "size"), [(0, 0), (177.3, 0.9), (63.1, 2.0), (51.6, 1.5), (50.7, 0.9), (48.2, 2.0)])
def test_its_uncertainty_covers_the_truth_beside_a_stronger_tone_and_noise(other, size):
    rng = np.random.default_rng(int(10 * other))
    off_by = {"between": [], "own": [], "frequency": [], "rms": []}
    for _ in range(60):
        f, phase, turn = 50 + rng.uniform(-0.1, 0.1), *rng.uniform(-3, 3, 2)
        x, y = (
            np.sin(2 * np.pi * f * TIME + angle)
            + size * np.sin(2 * np.pi * other * TIME + rng.uniform(0, 6))
            + rng.normal(0, 0.2, N)
            for angle in (phase, phase + turn)
        )
        found = near([y, x])
        off_by["between"].append(off(found.phase_between()[0], turn, found.phase_between()[1]))
        off_by["own"].append(off(found.phase_of(1, 0.0, RATE)[0], phase, found.phase_of(1, 0.0, RATE)[1]))
        off_by["frequency"].append(abs(found.frequency_hz - f) / (2 * found.frequency_u_hz))
        off_by["rms"].append(abs(abs(found.phasors[0]) - math.sqrt(0.5)) / (2 * found.rms_u[0]))
        assert found.phase_between()[1] < 0.02
        assert not 0 < abs(other - 50) * N / RATE < 24 or any(abs(one - other) < 0.05 for one in found.others_hz)
    for shares in off_by.values():
        assert np.mean(np.array(shares) < 1) >= 0.9


def test_without_noise_a_tone_nearby_leaves_nothing_behind():
    x, y = (np.sin(2 * np.pi * 50 * TIME + a) + 2 * np.sin(2 * np.pi * 52.1 * TIME + 7 * a) for a in (0.3, 1.1))
    found = near([y, x])
    assert math.degrees(found.phase_between()[0] - 0.8) == pytest.approx(0, abs=0.01)


@pytest.mark.parametrize(
    ("x", "f", "said"),
    [
        (np.sin(TIME), 1.0, "2 periods of 1 Hz; 4 are needed"),
        (np.sin(300 * TIME), 6000.0, "not below half the sample rate"),
        (np.full(N, np.nan), 50.0, "samples are missing"),
        (np.zeros(N), 50.0, "nothing at this frequency"),
        (np.random.default_rng(1).normal(size=N), 50.0, "no tone stands out near 50 Hz"),
        (np.sin(2 * np.pi * 60 * TIME), 50.0, "no tone stands out near 50 Hz"),
    ],
)
def test_it_says_why_there_is_none(x, f, said):
    assert said in near(x, f)


def test_readings_name_the_component_and_what_stands_beside_it(evaluation_of):
    rng = np.random.default_rng(2)
    noise = [rng.normal(0, 0.02, N) for _ in range(2)]
    u = math.sqrt(2) * (230 * np.sin(2 * np.pi * 50 * TIME) + 207 * np.sin(2 * np.pi * 53 * TIME + 1)) + noise[0]
    i = math.sqrt(2) * (5 * np.sin(2 * np.pi * 50 * TIME - 1) + 2 * np.sin(2 * np.pi * 178 * TIME)) + noise[1]
    evaluation = evaluation_of(RATE, u=u, i=i)
    found = evaluation.value("phase(i, u, 50 Hz)")
    assert abs(found.value + 1) < 4 * found.method_u < 1e-3
    assert any("fitted together with 53" in text for text in found.explained)
    assert evaluation.value("tone(i, 178 Hz)").value == pytest.approx(2, rel=1e-3)
    assert evaluation.value("tone_frequency(i, 178.2 Hz)").value == pytest.approx(178, abs=1e-3)
    assert evaluation.value("gain(i, u, 50 Hz)").value == pytest.approx(5 / 230, rel=1e-3)
    assert "no tone stands out near 400 Hz" in str(evaluation.value("tone(i, 400 Hz)").explained)
    series = evaluation.value("phase(i, u, 50 Hz) over blocks(500 ms)")
    assert series.values == pytest.approx([-1] * 4, abs=0.01)


def test_a_stretch_too_long_to_transform_gives_what_a_transform_gives(monkeypatch):
    n, rate = 1 << 19, 100_000.0
    noise = np.random.default_rng(4).normal(0, 0.2, (2, n))

    def read(a, b):
        t = np.arange(a, b) / rate
        x = np.sin(2 * np.pi * 50.03 * t) + 0.3 * np.sin(2 * np.pi * 52.1 * t)
        y = np.sin(2 * np.pi * 50.03 * t + 0.5) + 1.5 * np.sin(2 * np.pi * 77.7 * t) + 0.1 * np.sin(2 * np.pi * 9000 * t)
        return np.stack([x, y]) + noise[:, a:b]

    whole = component_near(read, 0, n, rate, 50.0)
    monkeypatch.setattr(components, "_AT_ONCE", 1000)
    streamed = component_near(read, 0, n, rate, 50.0)
    assert np.abs(streamed.phasors - whole.phasors).max() < 1e-7 and streamed.others_hz == pytest.approx(whole.others_hz)
    assert streamed.phase_between() == pytest.approx(whole.phase_between(), rel=1e-3)
    assert streamed.leaked == pytest.approx(whole.leaked, rel=0.1, abs=1e-6)

    def with_gap(a, b):
        x = read(a, b)
        x[0, max(4000 - a, 0) : max(4010 - a, 0)] = np.nan
        return x

    assert component_near(with_gap, 0, n, rate, 50.0) == "samples are missing, and a spectrum needs every one"
