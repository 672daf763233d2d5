"""Known signals: edges against fractions, amounts that cannot be, what does not fit the converter or the rate."""

from fractions import Fraction

import numpy as np
import pytest

from pantelos.errors import StudyError
from pantelos.recorder.signals import Signal, signal_from


def exact_square(f, rate, n, phase_deg, duty):
    """Where a pulse is high, in fractions."""
    turns = [(Fraction(str(f)) * k / Fraction(str(rate)) + Fraction(str(phase_deg)) / 360) % 1 for k in range(n)]
    return np.array([turn < Fraction(str(duty)) for turn in turns])


@pytest.mark.parametrize(("f", "rate"), [(50, 10_000), (60, 50_000), (1000, 249_000), (16.7, 8350), (400, 48_000), (0.1, 7)])
def test_edges_of_squares_and_pulses_lie_where_they_belong(f, rate):
    for phase, duty in ((0, 0.5), (90, 0.25), (30, 0.1), (-45, 0.75)):
        high = Signal(True, "pulses", f, 1.0, phase_deg=phase, duty=duty).volts(0, 3000, rate) > 0.5
        assert (high == exact_square(f, rate, 3000, phase, duty)).all()
        if duty == 0.5:
            square = Signal(True, "square", f, 1.0, phase_deg=phase)
            assert ((square.volts(0, 3000, rate) > 0) == high).all()
            later = 10**9  # the same after hours
            far = square.volts(later, 500, rate) > 0
            turns = [(Fraction(str(f)) * (later + k) / Fraction(str(rate)) + Fraction(phase) / 360) % 1 for k in range(500)]
            assert (far == np.array([turn < Fraction(1, 2) for turn in turns])).all()


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("sine 50 Hz, 1e9 V", "no output gives"), ("noise -1 V", "0 V or more"), ("sine 50 Hz, 1 V, noise -1 V", "0 V or more"),
        ("pulses 50 Hz, 1 V, 150 %", "between 0 % and 100 %"), ("sine -50 Hz, 1 V", "more than 0 Hz"), ("sine 0 Hz", "more than 0 Hz"),
        ("sweep 2 Hz to 80 Hz in 0 s", "more than 0 s"), ("sine 50 Hz, 1 V, tone -3 Hz 1 V", "more than 0 Hz"),
        ("square 1e12 Hz, 1 V", "at most 1e+09 Hz"), ("level 1e300 V", "no output gives"),
    ],
)  # fmt: skip
def test_amounts_that_cannot_be_are_refused(text, said):
    with pytest.raises(StudyError) as error:
        signal_from(text)
    assert said in str(error.value)


def test_known_signals_say_what_was_clipped_and_what_a_rate_cannot_show(invoke, tmp_path):
    to = tmp_path / "k.recording"
    ran = invoke(
        "signal", to, "--channel", "a = sine 50 Hz, 12 V", "--channel", "b = level 1 V", "--rate", "10 kHz", "--time", "1 s"
    )
    beyond = int((np.abs(12 * np.sin(2 * np.pi * 50 * np.arange(10_000) / 10_000)) >= 32766.5 / 32768 * 10).sum())
    assert ran.exit_code == 0 and f"a is clipped: {beyond} samples" in ran.output and "b is" not in ran.output
    ran = invoke("signal", tmp_path / "l.recording", "--channel", "a = sine 6 kHz, 1 V", "--rate", "10 kHz")
    assert "show less than 5000 Hz" in str(ran.exception) and not (tmp_path / "l.recording").exists()
    ran = invoke("signal", tmp_path / "m.recording", "--channel", "a = level 1 V", "--rate", "1 MHz", "--time", "1e7 s")
    assert "its disk has room for" in str(ran.exception) and not (tmp_path / "m.recording").exists()
