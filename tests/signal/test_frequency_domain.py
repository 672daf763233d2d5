"""Reference cases of spectra and harmonics."""

import math

import numpy as np
import pytest

from pantelos.signal.cycles.coherent import coherent_windows, windows_of
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.signal.cycles.window import Window, evaluation_window
from pantelos.signal.harmonics.distortion import PWHD, total_harmonic_distortion
from pantelos.signal.harmonics.harmonic_windows import harmonic_windows, over_windows
from pantelos.signal.harmonics.harmonics import harmonic_orders, window_phasors
from pantelos.signal.spectra.spectral_windows import SpectralWindow
from pantelos.signal.spectra.spectrum import Plan, interpolated_peak, rms_spectrum, spectrum_of
from pantelos.signal.sums.integrals import Rule


def test_rc22_line_scaling_interpolation_alias(sine):
    at = {"rate_hz": 10_000, "seconds": 1}
    x = 2 + sine(1, 1000, **at) + 0.5 * (-1.0) ** np.arange(10_000)
    lines = rms_spectrum(x, 10_000, SpectralWindow.RECTANGULAR).rms
    assert lines[[0, 1000, 5000]] == pytest.approx([2, 1, 0.5], abs=1e-11)
    assert math.sqrt((lines**2).sum()) == pytest.approx(2.291287847478, abs=1e-11)
    assert math.sqrt((lines**2).sum()) == pytest.approx(math.sqrt(np.mean(x**2)), abs=1e-11)
    off_bin = sine(1, 1000.5, **at)
    assert rms_spectrum(off_bin, 10_000, SpectralWindow.HANN).rms.max() == pytest.approx(0.8488263631568, abs=1e-4)
    assert rms_spectrum(off_bin, 10_000, SpectralWindow.FLAT_TOP).rms.max() == pytest.approx(0.998872369558, abs=2e-4)
    hann = rms_spectrum(sine(1, 1000.3, **at), 10_000, SpectralWindow.HANN)
    place, rms = interpolated_peak(hann, int(hann.rms.argmax()))
    frequency = place * hann.spacing_hz
    assert frequency == pytest.approx(1000.3, abs=1e-4)
    assert rms == pytest.approx(1, abs=1e-4)
    alias = rms_spectrum(sine(1, 9000, **at), 10_000)
    assert alias.frequencies_hz[alias.rms.argmax()] == 1000
    assert str(alias) == "Spectrum: 5001 lines, 0 to 5000 Hz by 1 Hz, hann window"
    assert alias.resolution_hz == pytest.approx(1.5)


def test_long_stretches_are_averaged_without_losing_samples(monkeypatch, sine):
    monkeypatch.setattr("pantelos.signal.spectra.spectrum.LONGEST_BLOCK", 1000)
    x = sine(1, 1000, seconds=0.33)
    x[-50:] += 5
    found = spectrum_of(lambda a, b: x[a:b], 0, len(x), 10_000, Plan(SpectralWindow.RECTANGULAR))
    assert (found.n_samples, found.n_blocks, found.spacing_hz) == (1000, 4, 10)
    assert found.rms[100] == pytest.approx(1, abs=1e-2)
    assert found.rms[0] > 0.1  # the step at the very end is in


def test_rc26_phase_of_a_delayed_waveform(evaluation_of):
    t = np.arange(50_000) / 50_000
    a = math.sqrt(2) * np.sin(2 * np.pi * 1000 * t + np.radians(170))
    b = 2 * math.sqrt(2) * np.sin(2 * np.pi * 1000 * (t - 137e-6) + np.radians(170))
    evaluation = evaluation_of(50_000.0, reference="ua", ua=a, ub=b)
    assert math.degrees(evaluation.value("phase(ub, ua)").value) == pytest.approx(-49.32, abs=1e-8)
    cosine = window_phasors(a, 1000, 1)[1]
    assert np.degrees(np.angle(cosine)) == pytest.approx(80, abs=1e-8)


def test_rc27_thd_with_known_answer(sine):
    at = {"rate_hz": 25_600}
    u = sine(230, 50, **at) + sine(11.5, 150, **at) + sine(9.2, 250, 30, **at) + sine(6.9, 350, -100, **at)
    phasors = window_phasors(u, 10, 40)
    rms = np.abs(phasors)
    thd = float(total_harmonic_distortion(rms))
    assert 100 * thd == pytest.approx(7.071067811865, abs=1e-9)
    assert 100 * thd / math.hypot(1, thd) == pytest.approx(7.053456158586, abs=1e-9)
    assert 100 * rms[5] / rms[1] == pytest.approx(4, abs=1e-10)
    sine_angle = np.degrees(np.angle(phasors)) + 90
    assert (sine_angle[5] - 5 * sine_angle[1] + 180) % 360 - 180 == pytest.approx(30, abs=1e-8)
    square = sum(sine(100 / h, 50 * h, **at) for h in range(1, 50, 2))
    rms = np.abs(window_phasors(square, 10, 50))
    assert 100 * total_harmonic_distortion(rms) == pytest.approx(47.29713339345, abs=1e-8)
    assert 100 * total_harmonic_distortion(rms[:41]) == pytest.approx(47.03223915876, abs=1e-8)
    assert 100 * PWHD.of(rms) == pytest.approx(72.4250961498, abs=1e-8)


def test_rc27_4_angle_against_the_fundamental_wherever_the_window_begins(evaluation_of, sine):
    at = {"rate_hz": 25_600, "seconds": 0.5}
    u = sine(230, 50, 77, **at) + sine(9.2, 250, 5 * 77 + 30, **at)
    evaluation = evaluation_of(25_600.0, reference="u", u=u)
    angles = evaluation.harmonics(["u"], None).relative_angles(1)
    assert math.degrees(angles[0, 5]) == pytest.approx(30, abs=1e-6)


def test_rc31_off_nominal_coherent_analysis(sine):
    at = {"rate_hz": 20_000, "seconds": 0.4}
    u = sine(230, 49.7, **at) + sine(11.5, 149.1, 20, **at) + sine(4.6, 248.5, -60, **at)
    length = 10 / 49.7
    assert length == pytest.approx(0.2012072434608, abs=1e-12)
    window = Window(0.05 * 20_000, (0.05 + length) * 20_000, 10, Rule.TRAPEZOID, 49.7)
    (x,) = coherent_windows(lambda a, b: u[a:b], len(u), [window], 50)
    assert len(x) == 4096
    rms = np.abs(window_phasors(x, 10, 50))
    assert rms[1] == pytest.approx(230, abs=1e-4)
    assert 100 * rms[[3, 5]] / rms[1] == pytest.approx([5, 2], abs=1e-5)
    assert 100 * total_harmonic_distortion(rms) == pytest.approx(5.385164807135, abs=1e-5)
    wrong = math.sqrt(2) / 4000 * abs(np.fft.rfft(u[:4000])[10])
    assert wrong == pytest.approx(228.6404121885, abs=1)


def test_off_nominal_harmonics_through_cycle_detection_use_every_cycle(sine):
    at = {"rate_hz": 20_000, "seconds": 2}
    u = sine(230, 49.7, 17, **at) + sine(11.5, 149.1, 20, **at)
    cycles = find_cycles(lambda a, b: u[a:b], len(u), 20_000)
    window = evaluation_window(cycles, 1234.5, 30_000)
    found = harmonic_orders(lambda a, b: u[None, a:b], len(u), window, cycles, 50)
    assert found.weights.sum() == window.n_cycles == 70
    assert found.rms[0, [1, 3]] == pytest.approx([230, 11.5], abs=1e-4)


@pytest.mark.parametrize(("rate_hz", "n_cycles", "within"), [(50_000, 997, 1e-10), (500_000, 499, 3e-7)])
def test_a_long_interval_on_samples_is_resolved_in_windows_like_any_other(rate_hz, n_cycles, within):
    """A prime number of cycles has no divisor: it is cut at shares of it, not taken whole, however long it is."""
    n = 20 * rate_hz if rate_hz == 50_000 else 10 * rate_hz
    at = 2 * np.pi * n_cycles / n * np.arange(n)
    x = np.stack([325 * np.sin(at) + 3.25 * np.sin(5 * at + 0.4) + 0.5, 10 * np.sin(at - 0.5)])
    most = 0

    def read(start, stop):
        nonlocal most
        most = max(most, stop - start)
        return x[:, start:stop]

    cycles = find_cycles(lambda a, b: x[0, a:b], n, rate_hz)
    window = Window(0.0, float(n), n_cycles, Rule.RECTANGULAR, n_cycles * rate_hz / n, 0.0)
    most = 0
    found = harmonic_orders(read, n, window, cycles)
    assert most < 2 * rate_hz and len(found.phasors) > 40 and found.weights.sum() == n_cycles
    assert np.allclose(found.rms[:, 1], np.array([325, 10]) / math.sqrt(2), rtol=within, atol=0)
    assert found.rms[0, 5] == pytest.approx(3.25 / math.sqrt(2), rel=within)
    assert np.allclose(found.rms[0, [2, 3, 4, 6, 7]], 0, atol=within * 325)


def test_windows_follow_a_mains_frequency_that_strays_by_millihertz_over_a_minute():
    """On samples at both ends, steady as mains are: yet equal shares of it would not hold whole cycles."""
    rate_hz, n = 20_000, 1_200_000
    t = np.arange(n) / rate_hz
    phase = 2 * np.pi * np.cumsum(49.97 + 0.008 * np.sin(2 * np.pi * t / 60)) / rate_hz
    u = (325 * np.sin(phase) + 3.25 * np.sin(5 * phase + 0.3) + np.sin(49 * phase))[None]
    cycles = find_cycles(lambda a, b: u[0, a:b], n, rate_hz)
    start = cycles.crossings[3]
    stop = next(c for c in cycles.crossings[:-2:-1] if abs(np.rint(c - start) - (c - start)) < 0.1)
    window = evaluation_window(cycles, np.rint(start), np.rint(start) + np.rint(stop - start))
    assert window.rule is Rule.RECTANGULAR and window.n_cycles > 2900
    wanted = np.array([325, 3.25, 1]) / math.sqrt(2)
    found = harmonic_orders(lambda a, b: u[:, a:b], n, window, cycles)
    assert np.allclose(found.rms[0, [1, 5, 49]], wanted, rtol=3e-5)
    groups = harmonic_windows(lambda a, b: u[:, a:b], n, windows_of(10, window, cycles), cycles, 50)
    assert np.allclose(over_windows(groups.sizes("component"))[0, 0, [1, 5, 49]], wanted, rtol=3e-5)
