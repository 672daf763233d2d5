"""Distortion in all its kinds: the reference cases of harmonics, typed as text where they are readings."""

import math

import numpy as np
import pytest

from pantelos.signal.groups import grouped

RATE = 25_600.0


def wave(*parts, rate=RATE, seconds=0.2):
    t = np.arange(round(rate * seconds)) / rate
    return sum(math.sqrt(2) * a * np.sin(2 * np.pi * f * t + math.radians(phi)) for f, a, phi in parts)


def lines_of(x):
    lines = np.abs(np.fft.rfft(x)) * math.sqrt(2) / len(x)
    lines[0] /= math.sqrt(2)
    return lines


def test_rc28_groups_and_what_lies_between():
    at_50 = lines_of(
        wave(*((f, a, f) for f, a in ((50, 230), (245, 0.5), (250, 10), (255, 0.7), (265, 1.2), (275, 2.0), (285, 0.9))))
    )
    found = grouped(at_50, 10, 10)
    assert found.harmonic[[5, 6]] == pytest.approx([10.20686043796, 1.676305461424], abs=1e-10)
    assert found.subgroup[5] == pytest.approx(10.0369318021, abs=1e-10)
    assert (found.interharmonic[5], found.centred[5]) == (pytest.approx(2.596150997149, abs=1e-10), pytest.approx(2.5, abs=1e-10))
    at_60 = lines_of(
        wave(*((f, a, f) for f, a in ((60, 120), (300, 6), (305, 0.4), (310, 0.3), (330, 1.0), (350, 0.2), (355, 0.6))))
    )
    found = grouped(at_60, 12, 10)
    assert found.harmonic[5] == pytest.approx(6.062177826491, abs=1e-10)
    assert found.subgroup[5] == pytest.approx(6.013318551349, abs=1e-10)
    assert found.interharmonic[5] == pytest.approx(1.284523257867, abs=1e-10)
    assert found.centred[5] == pytest.approx(1.063014581273, abs=1e-10)
    assert np.isnan(grouped(at_50[:40], 10, 10).harmonic[4:]).all() and np.isnan(found.harmonic[0])


CURRENT = {"i": wave(*((50 * h, a, 17 * h) for h, a in ((1, 100), (5, 20), (7, 14), (11, 9), (13, 7))))}
SQUARE = {"u": wave(*((50 * h, 100 / h, 0) for h in range(1, 50, 2)))}
MIXED = {"u": wave((50, 230, 0), (150, 11.5, 0), (250, 9.2, 30), (350, 6.9, -100))}
BETWEEN = {"i": wave((50, 100, 0), (250, 10, 0), (255, 3, 0), (265, 4, 0))}


@pytest.mark.parametrize(
    ("channels", "text", "exact", "within"),
    [
        (CURRENT, "k_factor(i)", 4.445832556405, 1e-9), (CURRENT, "k_factor(i, 125 A)", 3.051904, 1e-9), (CURRENT, "tdd(i, 125 A)", 0.2155550973649, 1e-11),
        (CURRENT, "thd(i)", 0.2694438717061, 1e-11), (CURRENT, "stray_loss_factor(i)", 1.241113495511, 1e-9), (CURRENT, "thc(i)", math.sqrt(400 + 196 + 81 + 49), 1e-9),
        (MIXED, "thd_r(u)", 0.07053456158586, 1e-11), (SQUARE, "thd(u)", 0.4729713339345, 1e-10), (SQUARE, "pwhd(u)", 0.724250961498, 1e-10),
        (SQUARE, "pohc(u)", math.sqrt(sum((100 / h) ** 2 for h in range(21, 40, 2))), 1e-9), (BETWEEN, "thd(i)", 0.1, 1e-11),
        (BETWEEN, "thd_s(i)", math.sqrt(109) / 100, 1e-10), (BETWEEN, "thd_g(i)", math.sqrt(125) / 100, 1e-10),
    ],
)  # fmt: skip
def test_rc27_and_rc29_typed_as_text(evaluation_of, channels, text, exact, within):
    evaluation = evaluation_of(RATE, **channels)
    assert evaluation.value(text).value == pytest.approx(exact, abs=within)


def test_distortion_per_block_and_what_is_refused(evaluation_of):
    long = wave((50, 100, 0), (250, 20, 0), seconds=1.0)
    asked = evaluation_of(RATE, i=long, i0=0 * long).value
    blocks = asked("k_factor(i) over blocks(10 cycles)")
    assert blocks.values == pytest.approx((100**2 + 25 * 400) / (100**2 + 400), rel=1e-6)
    assert asked("tdd(i, 50 A) over blocks(10 cycles)").values == pytest.approx(0.4, rel=1e-6)
    for text in ("thd_g(i0)", "k_factor(i0)", "thd_r(i0)"):
        assert math.isnan(asked(text).value) and "not given" in " ".join(asked(text).explained)
    with pytest.raises(Exception, match="takes 2 arguments"):
        asked("tdd(i)")
