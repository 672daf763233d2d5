"""Filters, windows that slide, delays, analytic signals, axes, sensors: known answers by another way, ends told honestly."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from pantelos.errors import FormulaError
from pantelos.signal.filters.filtering import butterworth, filtered
from pantelos.signal.sums.sliding import window_extremes, window_means

RATE = 10_000.0
N = 20_000
TIME = np.arange(N) / RATE
TURNS = 5 * TIME + 20 * TIME**2  # 5 Hz to 85 Hz


@pytest.fixture
def asked(evaluation_of):
    rng = np.random.default_rng(3)
    phases = {f"i{k + 1}": 10 * np.cos(2 * np.pi * (50 * TIME - k / 3)) + 0.5 for k in range(3)}
    noisy = 5 + 0.3 * TIME + rng.normal(0, 1, N)
    gapped = noisy.copy()
    gapped[9000:9005] = np.nan
    evaluation = evaluation_of(
        RATE, units={"w": "V", "gap": "V", "T": "degC", "R": "ohm", "M": "N*m", "n": "rpm", "f": "Hz", "chirp": "A"}, reference="u",
        u=325 * np.sin(2 * np.pi * 50 * TIME), w=noisy, gap=gapped, chirp=3 * np.sin(2 * np.pi * TURNS) + 2,
        T=20 + 30 * TIME, R=1.2 * (1 + 0.00393 * 30 * TIME), M=25 + 0 * TIME, n=1500 + 0 * TIME, f=25 + 0 * TIME, **phases,
    )  # fmt: skip
    return evaluation.value


def samples(found):
    return found.read(0, N)


def test_filters_are_those_of_the_reference_once_settled_and_silent_before(asked, evaluation_of):
    x = samples(asked("w"))
    for text, kind, corners in (("lowpass(w, 500 Hz)", "lowpass", 500), ("highpass(w, 300 Hz, 2)", "highpass", 300),
                                ("bandpass(w, 200 Hz, 900 Hz, 3)", "bandpass", [200, 900]), ("bandstop(w, 40 Hz, 60 Hz, 2)", "bandstop", [40, 60])):  # fmt: skip
        order = int(text[-2]) if text[-3] == " " else 4
        sections = signal.butter(order, corners, kind, fs=RATE, output="sos")
        longer = np.pad(x, N // 2, mode="reflect", reflect_type="odd")  # how it goes on beyond its ends
        found, exact = samples(asked(text)), signal.sosfiltfilt(sections, longer)[N // 2 : -N // 2]
        told = np.isfinite(found)
        assert not told[0] and not told[-1] and told[N // 2] and np.count_nonzero(told) > 0.8 * N
        assert found[told] == pytest.approx(exact[told], abs=1e-6)
        causal = samples(asked(text[:-1] + ", causal)" if order != 4 else text[:-1] + ", 4, causal)"))
        settled = np.isfinite(causal)
        zi = signal.sosfilt_zi(sections) * x[0]
        assert causal[settled] == pytest.approx(signal.sosfilt(sections, x, zi=zi)[0][settled], abs=1e-6) and settled[-1]


def test_beside_missing_samples_a_filter_shows_nothing_until_it_has_settled(asked):
    found, whole = samples(asked("lowpass(gap, 500 Hz)")), samples(asked("lowpass(w, 500 Hz)"))
    gone = np.flatnonzero(np.isnan(found[1000:-1000])) + 1000
    assert gone[0] < 8990 and gone[-1] > 9015 and gone[-1] - gone[0] < 200
    told = np.isfinite(found)
    assert found[told] == pytest.approx(whole[told], abs=0.06)


@given(st.integers(0, 900), st.integers(1, 300), st.booleans())
@settings(max_examples=25, deadline=None)
def test_the_size_of_a_block_never_changes_a_filter(first, length, causal):
    x = np.random.default_rng(1).normal(size=1300)
    one = butterworth("lowpass", [1500.0], 4, RATE, causal)
    read = lambda a, b: x[a:b]  # noqa: E731
    part, whole = filtered(read, 1300, one, first, first + length), filtered(read, 1300, one, 0, 1300)
    assert part == pytest.approx(whole[first : first + length], abs=1e-8, nan_ok=True)


@given(st.lists(st.floats(-10, 10), min_size=3, max_size=60), st.floats(0.3, 12), st.integers(0, 3))
@settings(deadline=None)
def test_windows_that_slide_have_the_mean_and_the_extremes_of_what_is_in_them(values, length, n_missing):
    x = np.array(values)
    x[: n_missing // 2] = np.nan
    at = np.arange(len(x), dtype=float)
    lows, highs = at - length / 2, at + length / 2
    means = window_means(x, lows, highs)
    largest = window_extremes(x, np.ceil(lows), np.floor(highs), True)
    for k, (a, b) in enumerate(zip(lows, highs, strict=True)):
        if a < 0 or b > len(x) - 1:
            assert math.isnan(means[k])
            continue
        inside = x[math.ceil(a) : math.floor(b) + 1]
        if not np.isnan(x[max(int(a), 0) : int(b) + 2]).any():
            fine = np.unique(np.concatenate([[a, b], np.arange(math.ceil(a), math.floor(b) + 1)]))
            assert means[k] == pytest.approx(np.trapezoid(np.interp(fine, at, x), fine) / (b - a), abs=1e-9)
            assert largest[k] == (inside.max() if len(inside) else pytest.approx(math.nan, nan_ok=True))


def test_running_values_of_a_time_and_of_a_cycle(asked):
    for text in ("running_rms(u, 20 ms)", "running_rms(u, 1 cycles)", "running_rms(u, 2 cycle)"):
        found = samples(asked(text))
        assert np.isnan(found[[0, 50, -1]]).all() and found[500:-500] == pytest.approx(325 / math.sqrt(2), rel=1e-3)
    assert samples(asked("running_max(u, 20 ms)"))[500:-500] == pytest.approx(325, rel=1e-3)
    assert samples(asked("moving_average(u, 20 ms)"))[500:-500] == pytest.approx(0, abs=1e-3)
    assert samples(asked("mean_removed(w)")).mean() == pytest.approx(0, abs=1e-12)
    rest = samples(asked("trend_removed(w)"))
    assert np.polyfit(TIME, rest, 1) == pytest.approx([0, 0], abs=1e-9)


@pytest.mark.parametrize("text", ["delayed(u, 0.3 ms)", "delayed(u, 137 us)", "delayed(u, -1.23456 ms)"])
def test_a_delay_by_parts_of_a_sample(asked, text):
    shift = {"0.3 ms": 3e-4, "137 us": 137e-6, "-1.23456 ms": -1.23456e-3}[text.split(", ")[1][:-1]]
    found = samples(asked(text))
    told = np.isfinite(found)
    assert np.count_nonzero(~told) == math.ceil(abs(shift) * RATE)
    assert found[told] == pytest.approx(325 * np.sin(2 * np.pi * 50 * (TIME - shift))[told], abs=1e-5)


def test_the_analytic_signal_of_a_swept_frequency_follows_its_law(asked):
    envelope, frequency = samples(asked("envelope(chirp)")), samples(asked("instantaneous_frequency(chirp)"))
    assert math.isnan(envelope[0]) and math.isnan(envelope[-1])
    inner = slice(7000, -1500)
    assert envelope[inner] == pytest.approx(3, rel=0.03)
    assert frequency[inner] == pytest.approx(5 + 40 * TIME[inner], rel=0.05)
    phase = samples(asked("instantaneous_phase(u)"))
    assert np.cos(phase[500:-500]) == pytest.approx(np.sin(2 * np.pi * 50 * TIME[500:-500]), abs=1e-3)


def test_three_phases_as_two_axes_that_stand_or_turn(asked):
    assert samples(asked("alpha(i1, i2, i3)")) == pytest.approx(10 * np.cos(2 * np.pi * 50 * TIME), abs=1e-9)
    assert samples(asked("beta(i1, i2, i3)")) == pytest.approx(10 * np.sin(2 * np.pi * 50 * TIME), abs=1e-9)
    assert samples(asked("zero(i1, i2, i3)")) == pytest.approx(0.5, abs=1e-12)
    turned = "2 * 3.14159265358979 * (integral(u / u) / (1 s)) * 50"
    inside = slice(3, None)
    for name, exact in (("direct", 10), ("quadrature", 0)):
        found = samples(asked(f"{name}(i1, i2, i3, {turned})"))[inside]
        assert found[np.isfinite(found)] == pytest.approx(exact, abs=1.5)  # u / u is missing where u is zero


def test_sensors_and_laws(asked):
    assert samples(asked("lookup(u, [-400 V 0 A, 0 V 5 A, 400 V 20 A])")) == pytest.approx(
        np.interp(samples(asked("u")), [-400, 0, 400], [0, 5, 20])
    )
    assert samples(asked("polynomial(u, 0.5 A, 20 [mA/V], 1e-5 [A/V^2])")) == pytest.approx(
        0.5 + 0.02 * samples(asked("u")) + 1e-5 * samples(asked("u")) ** 2
    )
    assert samples(asked("at_temperature(R, T, 20 degC, 0.00393 [1/K])")) == pytest.approx(1.2, rel=1e-12)
    assert asked("mean(shaft_power(M, n))").value == pytest.approx(25 * 50 * math.pi)
    assert asked("mean(shaft_power(M, f))").value == pytest.approx(25 * 50 * math.pi)
    assert asked("mean(M * f)").unit.symbol == "W/rad"  # no power without a word
    assert asked("mean(f to min⁻¹)").value == pytest.approx(1500 * math.pi / 30)
    assert asked("max(decibel(u, 1 V))").value == pytest.approx(20 * math.log10(325), rel=1e-6)
    assert math.isnan(asked("lookup(9 V, [0 V 1 A, 5 V 2 A])").value)


def test_an_integral_may_begin_later(asked):
    whole, later = samples(asked("integral(w)")), samples(asked("integral(w, 0.5 s)"))
    assert np.isnan(later[:5000]).all() and later[5000:] == pytest.approx(whole[5000:] - whole[5000], abs=1e-9)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("lowpass(u, 6 kHz)", "below half the sample rate, 5.0000 kHz"), ("lowpass(u, 0 Hz)", "above zero"), ("lowpass(u, 5 V)", "f of lowpass is in Hz"), ("bandpass(u, 300 Hz, 200 Hz)", "corners of a band rise"),
        ("lowpass(u, 50 Hz, 2.5)", "whole number from 1 to 10"), ("lowpass(u, 50 Hz, 4, casual)", 'no channel or formula "casual"'), ("lowpass(u, 0.0001 Hz)", "too slow"),
        ("running_mean(u, 3 s)", "no longer than the record"), ("running_mean(u, 1 us)", "as long as a sample"), ("delayed(u, 5 s)", "longer than the record"),
        ("lookup(u, [0 V 1 A, 0 V 2 A])", "have to rise"), ("lookup(u, [0 V 1 A])", "two points or more"), ("lookup(u, [0 V 1 A, 1 A 2 A])", "does not measure the same as V"),
        ("lookup(u, 5 V)", "points of lookup is a row of points"), ("polynomial(u, 1 A, 2 A)", "a1 is in A; so that all parts are in A"), ("at_temperature(R, T, 293 K, 0.004 [1/K])", "same zero"),
        ("shaft_power(u, n)", "M of shaft_power is in"), ("alpha(i1, i2, u)", "three phases of one kind"), ("mean(M * f) to W", "lacks 2π"), ("mean(M) * 25 Hz + 3 W", "do not measure the same"),
        ("decibel(u, 1 V) + u", "dB and V"), ("interpolated(u)", "needs a channel"), ("mean(u, 5)", "takes 1 argument"), ("harmonic(u)", "takes 2 argument"), ("integral(w, 9 s)", "outside the record"),
        ("(u^2) to W", "V² cannot be shown in W.*divide by it, such as"), ("n + f", "min⁻¹ and Hz"), ("rms(uu)", 'no channel or formula "uu"'), ("men(u)", 'no function "men". Did you mean mean'), ("[0 V 1 A]", "points stand in lookup"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_with_its_place(asked, text, said):
    with pytest.raises(FormulaError, match=said):
        found = asked(text)
        found.read(0, 10)


def test_what_a_curve_lacks_at_its_ends_bends_nothing_that_is_taken_of_it(evaluation_of):
    """Known answers: a pure sine through a band around it is itself, up to the last cycle that is shown."""
    f, t = 50.21, np.arange(20_000) / 20_000.0
    u, i = 322.4 * np.sin(2 * np.pi * f * t + 1.1), 10 * np.sin(2 * np.pi * f * t + 0.4)
    ask = evaluation_of(20_000.0, u=u, i=i, slow=(1 + 0.1 * np.sin(2 * np.pi * 7 * t)) * u, units={"slow": "V"}).value
    for text, exact, within in (("envelope(bandpass(u, 30 Hz, 70 Hz))", 322.4, 0.02), ("envelope(u)", 322.4, 0.02),
                                ("instantaneous_frequency(bandpass(u, 30 Hz, 70 Hz))", f, 0.02)):  # fmt: skip
        found = ask(text).read(0, 20_000)
        told = found[~np.isnan(found)]
        assert len(told) > 12_000 and np.abs(told - exact).max() < within, text
    behind = 2 * np.pi * f * 18.75e-6
    assert ask("phase(delayed(i, 18.75 us), u)").value == pytest.approx(-0.7 - behind, abs=1e-7)
    assert ask("reactive(u, delayed(i, 18.75 us))").value == pytest.approx(1612 * np.sin(0.7 + behind), rel=1e-6)
    assert ask("tone_frequency(envelope(slow), 7 Hz)").value == pytest.approx(7, abs=1e-5)
