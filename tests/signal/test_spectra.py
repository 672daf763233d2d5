"""Averaged spectra, tones, noise floors, hazards and limits, against what was put in."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.signal.spectra.distortion_limits import DistortionLimit, distortion_limits
from pantelos.signal.spectra.spectral_hazards import hazards_of
from pantelos.signal.spectra.spectral_peaks import noise_density, peaks_of
from pantelos.signal.spectra.spectral_scales import in_decibels, in_scale
from pantelos.signal.spectra.spectral_windows import SpectralWindow, window_weights
from pantelos.signal.spectra.spectrum import Plan, rms_spectrum, spectrum_of

RATE = 10_000.0
SMOOTH = [w for w in SpectralWindow if w not in (SpectralWindow.RECTANGULAR, SpectralWindow.TUKEY)]


def reader(x):
    return lambda a, b: x[a:b]


def tone(rms, f, n, phase=0.0, rate=RATE):
    return math.sqrt(2) * rms * np.sin(2 * np.pi * f * np.arange(n) / rate + phase)


def test_rc23_noise_by_density_and_by_its_integral():
    x = np.random.default_rng(12345).normal(0, 1e-3, 1 << 20)
    found = spectrum_of(reader(x), 0, len(x), 1e5, Plan(SpectralWindow.HANN, 4096, 0.5))
    density = in_scale(found.rms, found, "power density")
    assert math.sqrt(density[5:-5].mean()) == pytest.approx(4.472135955e-06, abs=1e-8)
    assert math.sqrt(density.sum() * 1e5 / 4096) == pytest.approx(1e-3, abs=1e-5)
    assert math.sqrt(noise_density(found)) == pytest.approx(4.472135955e-06, rel=0.01)
    scatter = float(density[50:-50].std() / density[50:-50].mean())
    assert 1 / math.sqrt(found.n_independent) == pytest.approx(scatter, rel=0.1)
    assert found.n_independent / found.n_blocks == pytest.approx(0.948, abs=0.005)


@pytest.mark.parametrize("window", list(SpectralWindow))
def test_the_lines_of_every_window_hold_all_the_power(window):
    x = np.random.default_rng(3).normal(size=1 << 12) + 0.5
    found = rms_spectrum(x, RATE, window)
    weights = window_weights(window, len(x))
    power = float(in_scale(found.rms, found, "power density").sum() * found.spacing_hz)
    assert power == pytest.approx(float(((weights * x) ** 2).sum() / (weights**2).sum()), rel=1e-9)


@given(st.sampled_from(SMOOTH), st.floats(300, 2000), st.floats(-3.1, 3.1), st.floats(0.2, 40.0), st.integers(3000, 6001))
def test_a_tone_is_found_where_and_as_large_as_it_is(window, f, phase, rms, n):
    found, _ = peaks_of(rms_spectrum(tone(rms, f, n, phase) + 3.0, RATE, window))
    assert abs(found[0].frequency_hz - f) < 0.02 * RATE / n
    assert found[0].rms == pytest.approx(rms, rel=2e-3)
    if window is not SpectralWindow.BARTLETT:
        assert abs(math.remainder(found[0].phase - phase, 2 * math.pi)) < 0.02
    assert [p for p in found[1:] if p.rms > 1e-3 * rms] == []  # side lobes are no tones


def test_a_small_tone_beside_a_large_one_is_found_through_the_window_made_for_it():
    x = tone(10, 1000.37, 8192) + tone(10 * 10 ** (-70 / 20), 1060.9, 8192) + np.random.default_rng(2).normal(0, 1e-5, 8192)
    assert len(peaks_of(rms_spectrum(x, RATE, SpectralWindow.BLACKMAN_HARRIS))[0]) == 2
    assert len(peaks_of(rms_spectrum(x, RATE, SpectralWindow.HAMMING))[0]) == 1


def test_blocks_are_kept_apart_highest_lowest_present_and_fading():
    n = 1000
    x = np.concatenate([tone(rms, 1000, n) for rms in (1, 4, 2, 3)])
    found = spectrum_of(reader(x), 0, len(x), RATE, Plan(SpectralWindow.RECTANGULAR, n, 0.0, fading=2.0))
    k = 100
    assert (found.n_blocks, found.highest[k], found.lowest[k], found.present[k]) == pytest.approx((4, 4, 1, 3))
    assert found.rms[k] == pytest.approx(math.sqrt(30 / 4))
    faded = 1.0
    for rms in (4, 2, 3):
        faded += (rms**2 - faded) / 2.0
    assert found.faded is not None and found.faded[k] == pytest.approx(math.sqrt(faded))


def test_blocks_with_missing_samples_are_left_out_and_short_gaps_filled():
    x = tone(2, 1000, 8000)
    x[2500:2600] = np.nan
    x[7000] = np.nan
    found = spectrum_of(reader(x), 0, len(x), RATE, Plan(SpectralWindow.RECTANGULAR, 1000, 0.0))
    assert (found.n_blocks, found.n_left_out) == (7, 1)
    assert found.rms[100] == pytest.approx(2, rel=1e-3)
    assert spectrum_of(reader(x), 2500, 2600, RATE, Plan(SpectralWindow.HANN, 100)).n_blocks == 0


@pytest.mark.parametrize("window", list(SpectralWindow))
@pytest.mark.parametrize("more", [0, 3])
def test_long_blocks_on_two_processors_give_the_same(window, more):
    x = np.random.default_rng(5).normal(size=(1 << 18) + more) + 2
    found = spectrum_of(reader(x), 0, len(x), RATE, Plan(window, len(x)))
    weights = window_weights(window, len(x))
    plain = np.abs(np.fft.rfft(x * weights)) * math.sqrt(2) / weights.sum()
    assert np.allclose(found.rms[1 : len(x) // 2 - 1], plain[1 : len(x) // 2 - 1], rtol=1e-7, atol=1e-14)
    assert found.rms[0] == pytest.approx(plain[0] / math.sqrt(2)) and found.rms[-1] == pytest.approx(
        plain[-1] / (1 if more else math.sqrt(2))
    )
    assert found.noise_bandwidth == pytest.approx(len(x) * (weights @ weights) / weights.sum() ** 2, rel=1e-9)


def test_scales_and_decibels():
    found = rms_spectrum(tone(2, 1000, 1000) + 5, RATE, SpectralWindow.HANN)
    assert in_scale(found.rms, found, "peak")[[0, 100]] == pytest.approx([5, 2 * math.sqrt(2)])
    assert in_decibels(in_scale(found.rms, found, "peak"), "peak", 2.0)[100] == pytest.approx(0, abs=1e-9)
    assert in_decibels(in_scale(found.rms, found, "power"), "power")[100] == pytest.approx(20 * math.log10(2))
    assert in_scale(found.rms, found, "density")[100] == pytest.approx(2 / math.sqrt(1.5 * 10))
    assert in_decibels(np.zeros(1), "rms")[0] == -math.inf


def hazards(x, plan):
    found = spectrum_of(reader(x), 0, len(x), RATE, plan)
    return hazards_of(found, peaks_of(found)[0], reader(x), 0, len(x))


def test_hazards_are_seen_where_they_are_and_nowhere_else():
    rectangular = Plan(SpectralWindow.RECTANGULAR, 2000)
    noise = np.random.default_rng(1).normal(0, 0.05, 20_000)
    assert hazards(tone(230, 49.7, 2000), rectangular).off_line == pytest.approx(0.06, abs=0.01)
    assert hazards(tone(230, 50, 2000), rectangular).off_line < 1e-3
    clean = hazards(tone(230, 50, 20_000) + noise, Plan())
    assert clean.high_share < 1e-3 and clean.spread_db < 0.1
    assert hazards(tone(1, 50, 20_000) + tone(0.2, 4800, 20_000), Plan()).high_share == pytest.approx(0.04 / 1.04, rel=0.05)
    t = np.arange(20_000) / RATE
    assert hazards(np.sin(2 * np.pi * (20 * t + 20 * t**2)), Plan()).spread_db > 6  # a run-up
    grown = tone(1, 400, 20_000) * np.linspace(0.5, 1, 20_000)
    assert hazards(grown, Plan()).spread_db > 3
    assert math.isnan(hazards(tone(1, 400, 20_000) + tone(0.8, 403, 20_000), Plan()).spread_db)  # they beat; nothing changes


def limits(x, highest=50, recorder=0.0, plan=None):
    found = spectrum_of(reader(x), 0, len(x), RATE, plan or Plan(SpectralWindow.HANN, 4000, 0.5))
    peaks, floor = peaks_of(found)
    return distortion_limits(found, peaks, floor, 50.0, highest, recorder)


def test_what_limits_a_distortion():
    rng, n = np.random.default_rng(4), 80_000
    harmonics = tone(230, 50, n) + tone(2.3, 250, n)
    found = limits(harmonics + rng.normal(0, 0.02, n))
    assert found.limit is DistortionLimit.HARMONICS and found.thd == pytest.approx(0.01, rel=1e-3)
    noisy = limits(tone(230, 50, n) + tone(0.01, 250, n) + rng.normal(0, 0.5, n))
    assert noisy.limit is DistortionLimit.NOISE and noisy.blocks_longer > 10
    sigma = 0.5
    expected = math.sqrt(49 * 5 * 2.5 * sigma**2 / (RATE / 2) / 230**2)  # five lines of a Hann lobe per order
    assert noisy.noise_thd == pytest.approx(expected, rel=0.05)
    assert noisy.thd == pytest.approx(expected, rel=0.1)
    steps = 0.5 * np.round(tone(230, 50, n, 0.3) * (1 + 1e-4 * rng.normal(size=n)) / 0.5)
    assert limits(steps, recorder=0.25 / 12 / (RATE / 2)).limit is DistortionLimit.RECORDER
    beside = tone(230, 50, n) + tone(20, 277.3, n)
    assert limits(beside, plan=Plan(SpectralWindow.RECTANGULAR, 4000, 0.0)).limit is DistortionLimit.INTERHARMONICS
    assert limits(tone(230, 50, n), 1) is None
