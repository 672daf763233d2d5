"""Distortion in all its kinds: the reference cases of harmonics, typed as text where they are readings."""

import math

import numpy as np
import pytest

from pantelos.signal.harmonics.groups import grouped

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
    found = grouped(at_50**2, 10, 10)
    assert found.harmonic[[5, 6]] == pytest.approx([10.20686043796, 1.676305461424], abs=1e-10)
    assert found.subgroup[5] == pytest.approx(10.0369318021, abs=1e-10)
    assert (found.interharmonic[5], found.centred[5]) == (pytest.approx(2.596150997149, abs=1e-10), pytest.approx(2.5, abs=1e-10))
    at_60 = lines_of(
        wave(*((f, a, f) for f, a in ((60, 120), (300, 6), (305, 0.4), (310, 0.3), (330, 1.0), (350, 0.2), (355, 0.6))))
    )
    found = grouped(at_60**2, 12, 10)
    assert found.harmonic[5] == pytest.approx(6.062177826491, abs=1e-10)
    assert found.subgroup[5] == pytest.approx(6.013318551349, abs=1e-10)
    assert found.interharmonic[5] == pytest.approx(1.284523257867, abs=1e-10)
    assert found.centred[5] == pytest.approx(1.063014581273, abs=1e-10)
    assert np.isnan(grouped(at_50[:40] ** 2, 10, 10).harmonic[4:]).all() and np.isnan(found.harmonic[0])


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


LINES = ((50, 230), (245, 0.5), (250, 10), (255, 0.7), (265, 1.2), (275, 2.0), (285, 0.9))
GROUPS = {"harmonic_group": 10.20686043796, "harmonic_subgroup": 10.0369318021, "interharmonic_group": 2.596150997149, "interharmonic_subgroup": 2.5}  # fmt: skip


@pytest.mark.parametrize("mains", [16.7, 49.83, 50.0, 50.3, 400.0])
def test_groups_of_an_order_typed_as_text_at_any_mains(evaluation_of, mains):
    scale = mains / 50  # tones move with the fundamental, so their groups stay what they are in RC-28
    asked = evaluation_of(
        RATE * max(scale, 1), u=wave(*((f * scale, a, f) for f, a in LINES), rate=RATE * max(scale, 1), seconds=2.0)
    )
    for name, exact in GROUPS.items():
        found = asked.value(f"{name}(u, 5)")
        if mains != 400:  # 80 cycles in 200 ms: lines 5 Hz apart, the neighbours lie outside its subgroups
            assert found.value == pytest.approx(exact, abs=230e-6)
        assert ("the standard has 10 of 50 Hz" in " ".join(found.explained)) == (mains not in (49.83, 50.0, 50.3))
    assert asked.value("harmonic_subgroup(u, 5) over blocks(10 cycles)").values == pytest.approx(
        10.0369318021, abs=3e-3 if mains != 400 else 1
    )


def test_orders_beyond_the_sample_rate_are_said_whatever_they_are_taken_over(evaluation_of):
    # 2 kS/s reach order 17 of 50.3 Hz: a resampled cycle has lines above, which nobody measured.
    asked = evaluation_of(2000.0, u=wave((50.3, 230, 10), (251.5, 10, 3), (905.4, 5, 0), rate=2000.0, seconds=1.0)).value
    for text in ("pohc(u)", "harmonic(u, 18)", "harmonic(u, 40)"):
        assert math.isnan(asked(text).value) and not np.isfinite(asked(f"{text} over cycles(u)").values).any()
    for text in ("thd(u)", "pwhd(u)", "k_factor(u)"):
        assert "orders above 17 lie beyond" in " ".join(asked(text).explained)
    assert asked("thd(u)").value == pytest.approx(10 / 230, rel=1e-4)
    assert asked("harmonic(u, 5) over cycles(u)").values == pytest.approx(10, rel=1e-2)


def test_a_reason_names_what_is_the_matter(evaluation_of):
    gap = wave((50, 230, 10), rate=20_000.0, seconds=1.0)
    gap[5000:5400] = np.nan
    asked = evaluation_of(20_000.0, u=gap).value
    for text in ("fundamental(u)", "harmonic(u, 5)", "thd(u)", "k_factor(u)"):
        assert "samples are missing" in " ".join(asked(text).explained)
    short = evaluation_of(20_000.0, u=wave((50, 230, 0), rate=20_000.0, seconds=0.012)).value("snr(u)")
    assert math.isnan(short.value) and "periods of the tone" in " ".join(short.explained)  # 0.6 of a cycle


def test_a_group_is_given_only_where_it_was_measured(evaluation_of):
    asked = evaluation_of(4000.0, u=wave((50.3, 230, 10), (251.5, 10, 3), rate=4000.0, seconds=1.0)).value
    assert asked("harmonic_subgroup(u, 39)").value < 0.01 and asked("harmonic_group(u, 5)").value == pytest.approx(10, abs=1e-3)
    for text, why in (
        ("harmonic_subgroup(u, 40)", "does not reach"), ("interharmonic_group(u, 39)", "does not reach"), ("harmonic_group(u, 0)", "from 1 to 180"),
        ("interharmonic_group(u, 2.5)", "from 0 to 180"), ("harmonic_group(u, 5) over cycles(u)", "4 cycles or more"),
    ):  # fmt: skip
        found = asked(text)
        assert not np.isfinite(getattr(found, "values", getattr(found, "value", 0.0))).any()
        assert why in " ".join(found.explained)


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
