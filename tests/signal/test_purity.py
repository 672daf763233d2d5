"""Windows against the table of textbooks; purity of tones against what was put in."""

import math

import numpy as np
import pytest

from pantelos.signal.spectra.purity import purity_of
from pantelos.signal.spectra.spectral_windows import SpectralWindow, traits, window_weights
from pantelos.signal.spectra.spectrum import rms_spectrum

W = SpectralWindow


@pytest.mark.parametrize(
    ("window", "gain", "enbw", "scalloping"),
    [(W.RECTANGULAR, 1, 1, 3.922), (W.BARTLETT, 0.5, 1.3333, 1.824), (W.HANN, 0.5, 1.5, 1.4236), (W.HAMMING, 0.54, 1.3628, 1.751),
     (W.BLACKMAN, 0.42, 1.7268, 1.099), (W.BLACKMAN_HARRIS, 0.35875, 2.0044, 0.826), (W.NUTTALL, 0.36358, 1.9761, 0.851),
     (W.FLAT_TOP, 0.21558, 3.7702, 0.0098), (W.KAISER_8, 0.4208, 1.7214, 1.109), (W.KAISER_14, 0.33187, 2.1611, 0.713),
     (W.GAUSSIAN, 0.31331, 2.257, 0.669), (W.TUKEY, 0.75, 1.2222, 2.238)],
)  # fmt: skip
def test_a_window_does_what_its_table_says(window, gain, enbw, scalloping):
    found = traits(window)
    assert found.coherent_gain == pytest.approx(gain, rel=3e-4)
    assert found.noise_bandwidth == pytest.approx(enbw, rel=3e-4)
    assert found.scalloping_db == pytest.approx(scalloping, rel=5e-3)
    weights = window_weights(window, 64)
    assert weights[1:] == pytest.approx(weights[:0:-1], abs=1e-12)  # periodic: symmetric about the middle
    tone = np.sqrt(2) * 3 * np.sin(2 * np.pi * 0.1 * np.arange(1000) + 1)
    assert rms_spectrum(tone, 1000.0, window).rms[100] == pytest.approx(3, rel=1e-4)


def rc25():
    t = np.arange(10_000) / 1e5
    tone = lambda a, f, phi: math.sqrt(2) * a * np.sin(2 * np.pi * f * t + math.radians(phi))  # noqa: E731
    return tone(1, 1000, 0) + tone(1e-4, 2000, 0) + tone(5e-5, 3000, 45) + tone(10**-3.5, 7130, 0)


@pytest.mark.parametrize(
    ("text", "exact", "within"),
    [("sfdr(u)", 70, 1e-7), ("thd_n(u) to %", 0.000335410196625, 1e-11), ("sinad(u)", 69.48847477553, 1e-6),
     ("decibel(thd(u), 1)", -79.03089986992, 1e-6)],
)  # fmt: skip
def test_rc25_figures_of_a_tone_with_orders_and_a_spur(evaluation_of, text, exact, within):
    assert evaluation_of(1e5, u=rc25()).value(text).value == pytest.approx(exact, abs=within)


def test_rc24_an_ideal_converter_has_its_bits(evaluation_of):
    n = 65_536
    x = np.sin(2 * np.pi * 1021 / n * np.arange(n) + 0.1)
    evaluation = evaluation_of(1e5, u=(np.round(2047.5 * x - 0.5) + 0.5) / 2047.5)
    assert evaluation.value("sinad(u)").value == pytest.approx(74.00811154991, abs=0.3)
    assert evaluation.value("enob(u)").value == pytest.approx(12, abs=0.05)


@pytest.mark.parametrize("window", [W.BLACKMAN_HARRIS, W.NUTTALL, W.KAISER_14])
def test_noise_beside_a_tone_between_lines_is_told_by_any_window_that_is_deep_enough(window):
    rng = np.random.default_rng(5)
    t = np.arange(1 << 16) / 1e5
    x = np.sqrt(2) * np.sin(2 * np.pi * 1234.56 * t) + 0.01 * np.sin(2 * np.pi * 2469.12 * t) + rng.normal(0, 1e-3, len(t))
    found = purity_of(rms_spectrum(x, 1e5, window))
    assert found.tone_hz == pytest.approx(1234.56, abs=0.2)
    assert math.sqrt(found.tone) == pytest.approx(1, rel=1e-3)
    assert 10 * math.log10(found.snr) == pytest.approx(60, abs=0.2)
    assert math.sqrt(found.harmonics) == pytest.approx(0.01 / math.sqrt(2), rel=0.02)
    assert found.largest_hz == pytest.approx(2469.12, abs=3)


def test_without_a_tone_or_with_missing_samples_nothing_is_given(evaluation_of):
    for x in (np.zeros(1000), np.full(1000, 5.0), np.where(np.arange(1000) == 500, np.nan, 1.0), np.ones(10)):
        found = evaluation_of(1000.0, u=x).value("sinad(u)")
        assert math.isnan(found.value) and "not given" in " ".join(found.explained)
