"""Further reference cases that the readings of this program cover: switched voltages, shaft power, charge, noise."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pantelos.reading.kinds import READINGS, reading_kind
from pantelos.reading.reading import Group
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.signal.cycles.periodicity import strongest_line
from pantelos.signal.cycles.window import Window, cycles_in, evaluation_window, is_whole, samples_between
from pantelos.signal.filters.filters import decimated, fundamental_of
from pantelos.signal.harmonics.harmonics import harmonic_orders, window_phasors
from pantelos.signal.levels.crossings import rising_crossings
from pantelos.signal.spectra.spectral_windows import SpectralWindow, window_weights
from pantelos.signal.spectra.spectrum import rms_spectrum
from pantelos.signal.sums.integrals import CompensatedSum, Rule


def switched(rate_hz, seconds):
    """Return sine-triangle pulse width modulation of ±300 V: modulation 0.8 at 50 Hz, carrier 5 kHz."""
    t = np.arange(round(rate_hz * seconds)) / rate_hz
    carrier = 4 * np.abs((5000 * t + 1e-12) % 1 - 0.5) - 1
    return np.where(0.8 * np.sin(2 * np.pi * 50 * t) >= carrier, 300.0, -300.0)


def test_rc05_rectangular_pulses(evaluation_of):
    evaluation = evaluation_of(1e6, u=np.where(np.arange(100_000) % 100 < 37, 400.0, 0.0))
    assert evaluation.value("mean(u)").value == pytest.approx(148, abs=1e-9)
    assert evaluation.value("rms(u)").value == pytest.approx(243.3105012119, abs=1e-9)


def test_rc06_switched_sine():
    u = switched(5e6, 0.04)
    phasor = window_phasors(u, 2, 1)[1]
    assert math.sqrt(np.mean(u**2)) == pytest.approx(300, abs=1e-9)
    assert abs(phasor) == pytest.approx(169.7056274848, abs=0.1)
    assert np.degrees(np.angle(phasor)) + 90 == pytest.approx(0, abs=0.05)


def test_rc42_switched_reference_through_the_zero_phase_filter():
    rate = 500_000
    u = switched(rate, 0.4)
    cycles = find_cycles(lambda a, b: u[a:b], len(u), rate)
    assert cycles.frequency_between(0.1 * rate, 0.3 * rate) == pytest.approx(50, abs=0.002)
    inner = cycles.between(0.1 * rate, 0.3 * rate)[0] / rate
    assert np.abs(inner - np.round(inner * 50) / 50).max() < 5e-6


def test_rc08_ramp(evaluation_of):
    evaluation = evaluation_of(1000.0, u=2 + 3 * np.arange(1001) / 1000)
    assert evaluation.value("mean(u)").value == pytest.approx(3.5, abs=1e-12)
    assert evaluation.value("rms(u)").value == pytest.approx(3.605759282038, abs=1e-12)


def test_rc16_shaft_power_and_efficiency(evaluation_of, sine):
    angles = {"1": 0, "2": -120, "3": 120}
    u = {f"u{k}": sine(230, 50, a) for k, a in angles.items()}
    i = {f"i{k}": sine(7, 50, a - 28) for k, a in angles.items()}
    ripple = 2 * math.pi * 25 * np.arange(2000) / 10_000
    torque, omega = 25 + 2 * np.sin(ripple), 50 * np.pi + 1.5 * np.sin(ripple + np.pi / 3)
    evaluation = evaluation_of(10_000.0, "three-phase-4w", **u, **i)
    total = evaluation.power(evaluation.study.connections[0], None).total.P
    assert total == pytest.approx(4264.636873509, abs=1e-8)
    assert 100 * 25 * 50 * math.pi / total == pytest.approx(92.08265400933, abs=1e-9)
    shaft = evaluation_of(10_000.0, x=torque, y=omega)
    assert shaft.value("mean(x * y)").value == pytest.approx(3927.740816987, abs=1e-8)
    assert shaft.value("mean(x) * mean(y)").value == pytest.approx(3926.990816987, abs=1e-8)  # what it must not be


def test_rc19_charge_and_energy_of_a_discharge(evaluation_of):
    n = np.arange(36_001)
    evaluation = evaluation_of(10.0, i=-2.5 + 0.5 * np.sin(2 * np.pi * n / 10), u=np.full(36_001, 3.7))
    charge, energy = (evaluation.value(text).read(36_000, 36_001)[0] for text in ("integral(i)", "integral(u * i)"))
    assert charge == pytest.approx(-9000, abs=1e-9)
    assert energy == pytest.approx(-33_300, abs=1e-8)
    assert (evaluation.value("integral(i)").unit.symbol, evaluation.value("integral(u * i)").unit.symbol) == ("C", "J")


def test_rc25_small_distortion_in_decibels(sine):
    at = {"rate_hz": 100_000, "seconds": 0.1}
    x = sine(1, 1000, **at) + sine(1e-4, 2000, **at) + sine(5e-5, 3000, 45, **at) + sine(10**-3.5, 7130, **at)
    rms = np.abs(window_phasors(x, 100, 5))
    assert 20 * math.log10(math.sqrt((rms[2:] ** 2).sum()) / rms[1]) == pytest.approx(-79.03089986992, abs=1e-7)
    lines = rms_spectrum(x, 100_000, SpectralWindow.RECTANGULAR)
    assert 20 * math.log10(lines.rms[713]) == pytest.approx(-70, abs=1e-7)


def test_rc23_white_noise_keeps_its_rms_in_the_lines():
    x = np.random.default_rng(12345).normal(0, 1e-3, 2**16)
    for window in SpectralWindow:
        lines = rms_spectrum(x, 100_000, window)
        noise_bandwidth = lines.resolution_hz / lines.spacing_hz
        assert math.sqrt((lines.rms**2).sum() / noise_bandwidth) == pytest.approx(1e-3, rel=0.02)


@pytest.mark.parametrize(
    ("window", "gain", "bandwidth"), [("rectangular", 1, 1), ("hann", 0.5, 1.5), ("flat-top", 0.21558, 3.7702)]
)
def test_windows_have_the_gain_and_noise_bandwidth_of_the_books(window, gain, bandwidth):
    weights = window_weights(SpectralWindow(window), 4096)
    assert weights.mean() == pytest.approx(gain, abs=1e-5)
    assert 4096 * (weights**2).sum() / weights.sum() ** 2 == pytest.approx(bandwidth, abs=1e-4)


def test_rc41_rms_of_sine_plus_noise(evaluation_of, sine):
    u = sine(230, 50, seconds=10) + np.random.default_rng(11).normal(0, 0.5, 100_000)
    evaluation = evaluation_of(10_000.0, reference="u", u=u)
    assert evaluation.reading(reading_kind("rms"), ["u"]).value == pytest.approx(230.0005434776, abs=0.005)
    assert evaluation.reading(reading_kind("frequency"), ["u"]).value == pytest.approx(50, abs=1e-3)


ORDERS = st.dictionaries(st.integers(2, 40), st.tuples(st.floats(0.01, 0.5), st.floats(-180, 180)), max_size=5)


@given(st.floats(45, 65), st.floats(-180, 180), ORDERS, st.floats(-5, 5), st.floats(0, 400), st.integers(6, 30))
@settings(max_examples=60, deadline=None)
def test_any_periodic_waveform_gives_back_what_it_was_made_of(f, angle, orders, mean, start, n_cycles):
    """Frequency, mean, rms and every order, whatever the frequency, the phase and the place of the interval."""
    rate, t = 10_000.0, np.arange(8000) / 10_000.0
    own = 2 * np.pi * f * t + math.radians(angle)
    x = mean + math.sqrt(2) * 100 * (np.sin(own) + sum(a * np.sin(h * own + math.radians(b)) for h, (a, b) in orders.items()))

    def read(a, b):
        return x[None, a:b]

    cycles = find_cycles(lambda a, b: x[a:b], len(x), rate)
    assert cycles.frequency_hz == pytest.approx(f, rel=2e-6)
    window = evaluation_window(cycles, start, min(start + (n_cycles + 1.2) * rate / f, len(x)))
    found = harmonic_orders(read, len(x), window, cycles, 40)
    assert found.rms[0, 1] == pytest.approx(100, rel=1e-4)
    assert found.rms[0, 0] == pytest.approx(mean, abs=0.02)
    for h, (share, b) in orders.items():
        if h * f < 0.3 * rate / 2:
            assert found.rms[0, h] == pytest.approx(100 * share, rel=2e-3, abs=0.01)
            turn = np.degrees(found.relative_angles(0)[0, h]) - b
            assert (turn + 180) % 360 - 180 == pytest.approx(0, abs=0.5)


@given(st.lists(st.integers(-50, 50).map(lambda n: n / 5), min_size=2, max_size=300), st.floats(0, 3))
def test_crossings_rise_between_samples_and_need_the_whole_band(values, band):
    x = np.array(values)
    found = rising_crossings(x, 0.0, band)
    assert (np.diff(found) > 0).all()
    for place in found:
        k = math.ceil(place) - 1
        assert x[k] < 0 <= x[k + 1]
        assert x[: k + 1].min() <= -band
        assert x[k + 1 :].max() >= band


def test_crossings_with_missing_samples_start_over():
    x = np.array([-1.0, 1.0, -1.0, np.nan, 1.0, -1.0, 1.0])
    assert rising_crossings(x).tolist() == [0.5, 5.5]
    assert len(rising_crossings(np.zeros(1))) == 0


def test_decimation_keeps_amplitude_and_phase_and_counts_missing_as_nothing():
    rate = 400_000
    x = np.sin(2 * np.pi * 50 * np.arange(rate) / rate)
    slow, step = decimated(lambda a, b: x[a:b], len(x), rate, 10_000)
    assert step == 39
    assert np.abs(slow - x[::39])[50:-50].max() < 1e-4
    assert decimated(lambda a, b: np.full(b - a, np.nan), 100, 100, 1000)[0].tolist() == [0.0] * 100


def test_the_band_pass_takes_out_mean_and_harmonics_and_keeps_the_fundamental():
    rate, t = 10_000, np.arange(20_000) / 10_000
    fundamental = np.sin(2 * np.pi * 50 * t + 1)
    out = fundamental_of(5 + fundamental + 0.5 * np.sin(2 * np.pi * 550 * t), rate, 50.0)
    assert np.abs(out - fundamental / (1 + 0.25**4)).max() < 1e-4  # the gain of the band-pass at the fundamental
    assert strongest_line(fundamental, rate, (10, 1000)) == pytest.approx(50, abs=1e-6)
    assert math.isnan(strongest_line(np.zeros(1000), rate, (0.5, 1000)))
    assert math.isnan(strongest_line(fundamental[:4], rate, (0.5, 1000)))


def test_windows_say_what_they_hold(sine):
    u = sine(1, 50, seconds=1)
    cycles = find_cycles(lambda a, b: u[a:b], len(u), 10_000)
    standing = evaluation_window(cycles, 1000, 3000)
    assert (standing.n_cycles, standing.rule) == (10, Rule.RECTANGULAR)
    between = evaluation_window(cycles, 1033.3, 3000)
    assert (between.n_cycles, between.rule) == (9, Rule.TRAPEZOID)
    short = evaluation_window(cycles, 1010, 1100)
    assert (short.n_cycles, short.rule) == (0, Rule.RECTANGULAR)
    assert evaluation_window(None, 10.5, 20).n_cycles == 0
    assert cycles_in(cycles, 1000, 3000) == pytest.approx(10, abs=1e-6)
    assert is_whole(100.004)
    assert not is_whole(68.02)
    assert not is_whole(10.004)
    assert (samples_between(10.2, 20).first, samples_between(10.2, 20).end) == (11, 20)
    assert Window(1.5, 3.0, 0, Rule.TRAPEZOID).on_samples is False


@given(st.lists(st.floats(-1e12, 1e12), max_size=200))
def test_compensated_sums_are_exact_to_the_last_digit(values):
    total = CompensatedSum()
    for value in values:
        total.add(value)
    assert float(total.value) == pytest.approx(math.fsum(values), rel=1e-15, abs=1e-3)


@pytest.mark.parametrize("kind", READINGS, ids=lambda kind: kind.name)
def test_every_reading_of_nothing_is_not_given_and_never_fails(kind, evaluation_of):
    evaluation = evaluation_of(1000.0, u=np.full(500, np.nan), u2=np.zeros(500))
    assert kind.group is Group.SAMPLES or math.isnan(evaluation.reading(kind, ["u"] * len(kind.arguments)).value)
    if kind.group is Group.SAMPLES:
        return
    zero = evaluation.reading(kind, ["u2"] * len(kind.arguments)).value
    assert math.isnan(zero) or zero == 0
