"""The reference cases of power, spectra, harmonics and quality: expected, computed, tolerance. `make cases` writes them into the page.

Waveforms S(A, f, φ) are sines of rms A, frequency f and angle φ in degrees; expected values come from other programs.
"""

import cmath
import math
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from quality_cases import numbers as quality

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.spectra import cross_spectrum_found
from pantelos.power.quantities import unbalance_of_lines
from pantelos.power.wirings import wiring
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.signal.harmonics.harmonic_windows import BAND_CENTRES_HZ, smoothed
from pantelos.signal.harmonics.sequences import sequences
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.signal.spectra.purity import purity_of
from pantelos.signal.spectra.spectral_peaks import noise_density
from pantelos.signal.spectra.spectral_scales import in_scale
from pantelos.signal.spectra.spectral_windows import SpectralWindow
from pantelos.signal.spectra.spectrum import Plan, interpolated_peak, rms_spectrum, spectrum_of
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, Study
from pantelos.study.shown import Spectral
from pantelos.units import unit

THETA = (0, -120, 120)
MARK = "<!-- cases: made by `make cases` -->"


class Case(NamedTuple):
    """One number: what it is, what it should be, what it is, how far it may be off."""

    id: str
    what: str
    expected: float
    computed: float
    tolerance: float

    @property
    def holds(self) -> bool:
        return abs(self.computed - self.expected) <= self.tolerance


def S(a: float, f: float, phi: float = 0.0, rate: float = 10_000.0, seconds: float = 0.2) -> np.ndarray:
    t = np.arange(round(rate * seconds)) / rate
    return math.sqrt(2) * a * np.sin(2 * np.pi * f * t + math.radians(phi))


def evaluation(rate: float, kind: str | None = None, units: dict[str, str] | None = None, **channels: np.ndarray) -> Evaluation:
    raws, setups = [], []
    for name, x in channels.items():
        symbol = (units or {}).get(name) or {"u": "V", "i": "A"}[name[0]]
        raws.append(RawChannel(name, x, unit(symbol), build_pyramid(lambda a, b, x=x: x[a:b], len(x))))
        setups.append(ChannelSetup(name, name, symbol))
    study = Study(channels=tuple(setups), reference=None if kind else next(iter(channels)))
    if kind:
        study = op.add_connection(study, "c", kind)
        for socket in {one.name for one in wiring(kind).sockets} & set(channels):
            study = op.place_channel(study, "c", socket, socket)
    return Evaluation(study, record_of_arrays(tuple(raws), rate, Path("made.csv"), "0" * 64))


def power(of: Evaluation) -> Any:
    return of.power(of.study.connections[0], None)


def value(of: Evaluation, text: str) -> float:
    found = of.value(text)
    return float(found.value) / found.unit.factor  # type: ignore[union-attr]


def powers() -> Iterator[Case]:
    one = evaluation(10_000, "single-phase", u=S(230, 50), i=S(230 / math.sqrt(200), 50, -45))
    p = power(one).total
    for k, (what, expected, computed, off) in enumerate((
        ("P, W", 2645, p.P, 1e-8), ("S, VA", 3740.594872477, p.S, 1e-8), ("Q1, var", 2645, p.Q1, 1e-8),
        ("PF", 0.7071067811865, p.PF, 1e-12), ("φ1, °", 45, p.phi1, 1e-9), ("R, Ω", 10, value(one, "resistance(u, i)"), 1e-11),
    ), start=1):  # fmt: skip
        yield Case(f"09.{k}", what, expected, computed, off)
    yield Case("09.8", "L, H", 0.03183098861838, value(one, "inductance(u, i)"), 1e-9)
    at = {"rate": 12_000.0}
    u = 1 + S(120, 60, 0, **at) + S(3, 180, 70, **at) + S(6, 300, -20, **at)
    i = S(10, 60, -30, **at) + S(3, 180, -10, **at) + S(2, 300, 160, **at) + S(1, 420, 30, **at)
    two = evaluation(12_000, "single-phase", u=u, i=i)
    p = power(two).total
    for k, (what, expected, computed) in enumerate((
        ("U, V", 120.1915138435, p.U), ("I, A", 10.67707825203, p.I), ("P, W", 1028.79331814, p.P), ("S, VA", 1283.294198537, p.S),
        ("N, var", 767.0908085421, p.N), ("P1, W", 1039.230484541, p.P1), ("Q1, var", 600, p.Q1), ("S1, VA", 1200, p.S1),
        ("P_H, W", -10.437166401, p.P_H), ("P5, W", -12, _order_power(two, 5)), ("S_N, VA", 454.8010554077, p.S_N),
        ("D_I, var", 448.9988864129, p.D_I), ("D_V, var", 67.82329983125, p.D_V), ("S_H, VA", 25.3771550809, p.S_H),
        ("D_H, var", 23.13148411836, p.D_H), ("PF", 0.8016815780144, p.PF), ("DPF", 0.8660254037844, p.DPF),
        ("THD of u, %", 5.590169943749, value(two, "thd(u)")), ("THD of i, %", 37.41657386774, value(two, "thd(i)")),
    ), start=1):  # fmt: skip
        yield Case(f"10.{k}", what, expected, computed, 1e-8)
    zero = power(evaluation(10_000, "single-phase", u=S(230, 50), i=np.zeros(2000))).total
    yield Case("11.1", "P at zero current, W", 0, zero.P, 0)
    dc = power(evaluation(10_000, "dc", u=12 + S(0.1, 100), i=5 + S(0.5, 100, 60))).total
    yield Case("11.3", "P of DC with ripple, W", 60.025, dc.P, 1e-10)
    yield Case("11.4", "S of DC with ripple, VA", 60.30134741446, dc.S, 1e-10)
    yield from three_phases()


def _order_power(of: Evaluation, order: int) -> float:
    found = of.harmonics(["u", "i"], None).phasors[:, :, order]
    return float(np.mean(found[:, 0] * found[:, 1].conj()).real)


def three_phases() -> Iterator[Case]:
    volts = {f"u{k}": S(230, 50, a) for k, a in enumerate(THETA, 1)}
    amps = {f"i{k}": S(10, 50, a - 25) + S(4, 150, 3 * a) + S(2, 250, 5 * a + 10) for k, a in enumerate(THETA, 1)}
    found = power(evaluation(10_000, "three-phase-4w", **volts, **amps))
    t = found.total
    neutral = math.sqrt(3 * t.I**2 - sum(e.I**2 for e in found.elements))
    for k, (what, expected, computed, off) in enumerate((
        ("P, W", 6253.523730553, t.P, 1e-7), ("I_N, A", 12, neutral, 1e-9), ("I1, A", 10.9544511501, found.elements[0].I, 1e-10),
        ("S_A, VA", 7558.571293571, found.S_A, 1e-7), ("I_e, A", 12.96148139682, t.I, 1e-10), ("U_e, V", 230, t.U, 1e-10),
        ("S_e, VA", 8943.422163803, t.S, 1e-7), ("S_e1, VA", 6900, t.S1, 1e-7), ("S_eN, VA", 5689.885763352, t.S_N, 1e-7),
        ("PF_e", 0.6992316381824, t.PF, 1e-11),
    ), start=1):  # fmt: skip
        yield Case(f"12.{k}", what, expected, computed, off)
    sizes, currents = ((230, 0), (225, -121), (236, 118)), ((10, -30), (6, -150), (14, 105))
    volts = {f"u{k}": S(a, 50, b) for k, (a, b) in enumerate(sizes, 1)}
    amps = {f"i{k}": S(a, 50, b) for k, (a, b) in enumerate(currents, 1)}
    found = power(evaluation(10_000, "three-phase-4w", **volts, **amps))
    s, t = found.system, found.total
    for k, (what, expected, computed) in enumerate((
        ("U1, V", 230.3096779593, s.voltages[0]), ("arg U1, °", -1.008683519024, math.degrees(s.angle_u1)),
        ("U2, V", 1.775991403457, s.voltages[1]), ("U0, V", 5.288171657633, s.voltages[2]), ("u2, %", 0.7711319034414, 100 * s.u2),
        ("u0, %", 2.296113521798, 100 * s.u0), ("U12, V", 396.0194954206, s.lines[0]), ("U23, V", 401.2705366152, s.lines[1]),
        ("U31, V", 399.4519155744, s.lines[2]), ("u2 of lines, %", 0.7711319034414, 100 * unbalance_of_lines(*s.lines)),
        ("P, W", 6391.913727393, t.P), ("I_N, A", 5.525260327853, math.sqrt(3 * t.I**2 - sum(e.I**2 for e in found.elements))),
        ("U_e, V", 230.3468781793, t.U), ("I_e, A", 10.99285376492, t.I), ("S_e, VA", 7596.508641089, t.S),
        ("S1+, VA", 6850.444241332, s.S1_plus), ("P1+, W", 6351.881978245, s.P1_plus), ("Q1+, var", 2565.576277963, s.Q1_plus),
        ("S_U1, VA", 3283.040851184, s.S_U1), ("S_A, VA", 6954, found.S_A), ("S_V, VA", 6880.951658534, found.S_V),
    ), start=1):  # fmt: skip
        yield Case(f"13.{k}", what, expected, computed, 1e-7)
    e = [S(400 / math.sqrt(3), 50, a) + S(5, 250, 5 * a) for a in THETA]
    i1, i2 = S(10, 50, -40) + S(2, 250, 30), S(8, 50, -165) + S(1.5, 250, 100)
    found = power(evaluation(10_000, "three-phase-3w", u13=e[0] - e[2], i1=i1, u23=e[1] - e[2], i2=i2))
    star = power(
        evaluation(10_000, "three-phase-3v3i", u12=e[0] - e[1], u23=e[1] - e[2], u31=e[2] - e[0], i1=i1, i2=i2, i3=-i1 - i2)
    )
    for k, what, expected, computed in (
        (1, "W1, W", 3956.551520125, found.elements[0].P), (2, "W2, W", 841.0139723074, found.elements[1].P),
        (3, "P, two wattmeters, W", 4797.565492432, found.total.P), (4, "P, virtual star, W", 4797.565492432, star.total.P),
        (5, "I3, A", 8.973844830606, star.elements[2].I), (7, "u1 of the virtual star, V", 230.9942279221, star.elements[0].U),
        (8, "Q1, var", 3785.555354793, found.total.Q1),
    ):  # fmt: skip
        yield Case(f"14.{k}", what, expected, computed, 1e-7)
    at = {"rate": 12_000.0}
    split = {"u1": S(120, 60, 0, **at), "i1": S(15, 60, -20, **at), "u2": S(120, 60, 180, **at), "i2": S(10, 60, 150, **at)}
    yield Case("15.1", "P, split-phase, W", 2730.677201956, power(evaluation(12_000, "split-phase", **split)).total.P, 1e-8)
    three = {f"u{k}": S(230, 50, a) for k, a in enumerate(THETA, 1)} | {f"i{k}": S(7, 50, a - 28) for k, a in enumerate(THETA, 1)}
    yield Case("16.1", "P of a machine, W", 4264.636873509, power(evaluation(10_000, "three-phase-4w", **three)).total.P, 1e-7)
    t25 = np.arange(2000) / 10_000
    torque, speed = 25 + 2 * np.sin(2 * np.pi * 25 * t25), 50 * np.pi + 1.5 * np.sin(2 * np.pi * 25 * t25 + math.radians(60))
    shaft = evaluation(10_000, "shaft", {"M": "N*m", "n": "rad/s"}, M=torque, n=speed)
    yield Case("16.5", "P of a shaft with ripple, W", 3927.740816987, power(shaft).total.P, 1e-8)
    turned = sequences(*(cmath.rect(230, math.radians(a)) for a in (0, 120, -120)))
    yield Case("39.2", "U2 of a reversed sequence, V", 230, abs(turned.negative), 1e-9)


def spectra() -> Iterator[Case]:
    at = {"rate": 10_000.0, "seconds": 1.0}
    x = 2 + S(1, 1000, 0, **at) + 0.5 * (-1.0) ** np.arange(10_000)
    lines = rms_spectrum(x, 10_000, SpectralWindow.RECTANGULAR).rms
    for k, what, expected, computed in (
        (1, "line at 0 Hz, V", 2, lines[0]), (2, "line at 1 kHz, V", 1, lines[1000]), (3, "line at half the rate, V", 0.5, lines[5000]),
        (4, "root of all lines, V", 2.291287847478, math.sqrt((lines**2).sum())),
    ):  # fmt: skip
        yield Case(f"22.{k}", what, expected, float(computed), 1e-11)
    off = S(1, 1000.5, 0, **at)
    yield Case("22.5", "hann, half a line off, V", 0.8488263631568, float(rms_spectrum(off, 10_000).rms.max()), 1e-4)
    flat = rms_spectrum(off, 10_000, SpectralWindow.FLAT_TOP)
    yield Case("22.6", "flat top, half a line off, V", 0.998872369558, float(flat.rms.max()), 2e-4)
    place, size = interpolated_peak(rms_spectrum(S(1, 1000.3, 0, **at), 10_000), 1000)
    yield Case("22.7", "frequency between lines, Hz", 1000.3, place, 1e-4)
    yield Case("22.8", "size between lines, V", 1, size, 1e-4)
    noise = np.random.default_rng(12345).normal(0, 1e-3, 1 << 20)
    found = spectrum_of(lambda a, b: noise[a:b], 0, len(noise), 1e5, Plan(SpectralWindow.HANN, 4096, 0.5))
    density = in_scale(found.rms, found, "power density")
    yield Case("23.1", "noise density, V/√Hz", 4.472135955e-06, math.sqrt(density[5:-5].mean()), 1e-8)
    yield Case("23.1a", "the same by the noise floor, V/√Hz", 4.472135955e-06, math.sqrt(noise_density(found)), 2e-8)
    yield Case("23.2", "rms of the density, V", 1e-3, math.sqrt(density.sum() * 1e5 / 4096), 1e-5)
    t = np.arange(65_536)
    q = (np.round(2047.5 * np.sin(2 * np.pi * 1021 * t / 65_536 + 0.1) - 0.5) + 0.5) / 2047.5
    pure = purity_of(rms_spectrum(q, 1e5, SpectralWindow.RECTANGULAR))
    assert pure is not None
    yield Case("24.1", "SINAD of 12 bits, dB", 74.00811154991, 10 * math.log10(pure.sinad), 0.3)
    at = {"rate": 1e5, "seconds": 0.1}
    x = S(1, 1000, 0, **at) + S(1e-4, 2000, 0, **at) + S(5e-5, 3000, 45, **at) + S(10**-3.5, 7130, 0, **at)
    pure = purity_of(rms_spectrum(x, 1e5, SpectralWindow.RECTANGULAR))
    assert pure is not None
    yield Case("25.1", "THD, dB", -79.03089986992, 10 * math.log10(pure.harmonics / pure.tone), 1e-7)
    yield Case("25.2", "SFDR, dB", 70, 10 * math.log10(pure.tone / pure.largest**2), 1e-7)
    yield Case("25.3", "THD+N, %", 0.0335410196625, 100 / math.sqrt(pure.sinad), 1e-9)
    yield Case("25.4", "SINAD, dB", 69.48847477553, 10 * math.log10(pure.sinad), 1e-6)
    t = np.arange(50_000) / 50_000
    a, b = (g * math.sqrt(2) * np.sin(2 * np.pi * 1000 * (t - d) + math.radians(170)) for g, d in ((1, 0.0), (2, 137e-6)))
    two = evaluation(50_000, ua=a, ub=b)
    yield Case("26.1", "phase of b against a, °", -49.32, value(two, "phase(ub, ua)"), 1e-8)
    yield Case("26.1a", "the same at a frequency, °", -49.32, value(two, "phase(ub, ua, 1 kHz)"), 1e-6)
    yield Case("26.2", "phase of a, °", 170, value(two, "tone_phase(ua, 1 kHz)"), 1e-6)
    g = np.random.default_rng(7)
    x = g.normal(size=1 << 20)
    noisy = evaluation(50_000, ua=x, ub=x + g.normal(size=1 << 20))
    found_cross = cross_spectrum_found(noisy, ("ua", "ub"), None, "hann", Spectral(resolution=("spacing", 50_000 / 1024)))
    yield Case("26.4", "coherence", 0.5, float(np.nanmean(found_cross.coherence)), 0.01)


def harmonics() -> Iterator[Case]:
    at = {"rate": 25_600.0}
    u = S(230, 50, 0, **at) + S(11.5, 150, 0, **at) + S(9.2, 250, 30, **at) + S(6.9, 350, -100, **at)
    one = evaluation(25_600, u=u)
    one = one.on(op.set_highest_order(one.study, 40))
    orders = one.harmonics(["u"], None)
    yield Case("27.1", "THD, %", 7.071067811865, value(one, "thd(u)"), 1e-9)
    yield Case("27.2", "THD_R, %", 7.053456158586, value(one, "thd_r(u)"), 1e-9)
    yield Case("27.3", "U5, %", 4, float(100 * orders.rms[0, 5] / orders.rms[0, 1]), 1e-10)
    yield Case("27.4", "angle of U5, °", 30, value(one, "harmonic_angle(u, 5)"), 1e-8)
    square = evaluation(25_600, u=sum(S(100 / h, 50 * h, 0, **at) for h in range(1, 50, 2)))
    yield Case("27.5", "THD of a square to 50, %", 47.29713339345, value(square, "thd(u)"), 1e-8)
    yield Case("27.7", "PWHD, %", 72.4250961498, value(square, "pwhd(u)"), 1e-8)
    x = sum(S(a, f, 0, **at) for f, a in ((50, 230), (245, 0.5), (250, 10), (255, 0.7), (265, 1.2), (275, 2.0), (285, 0.9)))
    yield from _groups("28", (1, 2, 3, 4, 5, 6), evaluation(25_600, u=x), (
        10, 10.20686043796, 10.0369318021, 2.596150997149, 2.5, 1.676305461424,
    ))  # fmt: skip
    x = sum(S(a, f, 0, **at) for f, a in ((60, 120), (300, 6), (305, 0.4), (310, 0.3), (330, 1.0), (350, 0.2), (355, 0.6)))
    yield from _groups("28", (None, 7, 8, 9, 10, None), evaluation(25_600, u=x), (
        0, 6.062177826491, 6.013318551349, 1.284523257867, 1.063014581273, 0,
    ))  # fmt: skip
    i = sum(S(a, 50 * h, 17 * h, **at) for h, a in ((1, 100), (5, 20), (7, 14), (11, 9), (13, 7)))
    load = evaluation(25_600, i=i)
    for k, what, expected, text in (
        (1, "K", 4.445832556405, "k_factor(i)"), (2, "K of 125 A", 3.051904, "k_factor(i, 125 A)"),
        (3, "TDD of 125 A, %", 21.55550973649, "tdd(i, 125 A)"), (4, "THD, %", 26.94438717061, "thd(i)"),
        (5, "stray loss factor", 1.241113495511, "stray_loss_factor(i)"),
    ):  # fmt: skip
        yield Case(f"29.{k}", what, expected, value(load, text), 1e-9)
    at = {"rate": 51_200.0}
    x = S(230, 50, 0, **at) + S(0.3, 2105, 0, **at) + S(0.4, 2300, 0, **at) + S(1.2, 2305, 0, **at)
    bands = dict(zip(BAND_CENTRES_HZ, evaluation(51_200, u=x).harmonic_windows(["u"], None).bands[0, 0], strict=True))
    yield Case("30.1", "band at 2100 Hz, V", 0.3, float(bands[2100]), 1e-10)
    yield Case("30.2", "band at 2300 Hz, V", 1.264911064067, float(bands[2300]), 1e-10)
    yield Case("30.3", "smoothing, 8 windows", 0.6558024819319, float(smoothed(np.ones(8), np.array(0.0))[-1]), 1e-12)
    at = {"rate": 20_000.0, "seconds": 0.4}
    x = S(230, 49.7, 0, **at) + S(11.5, 149.1, 20, **at) + S(4.6, 248.5, -60, **at)
    found = evaluation(20_000, u=x).harmonics(["u"], None).rms[0]
    yield Case("31.2", "U1 at 49.7 Hz, V", 230, float(found[1]), 1e-4)
    yield Case("31.3", "U3/U1, %", 5, float(100 * found[3] / found[1]), 1e-5)
    yield Case("31.4", "U5/U1, %", 2, float(100 * found[5] / found[1]), 1e-5)


def _groups(case: str, numbers: tuple[int | None, ...], of: Evaluation, expected: tuple[float, ...]) -> Iterator[Case]:
    calls = ("harmonic(u, 5)", "harmonic_group(u, 5)", "harmonic_subgroup(u, 5)", "interharmonic_group(u, 5)",
             "interharmonic_subgroup(u, 5)", "harmonic_group(u, 6)")  # fmt: skip
    for number, call, wanted in zip(numbers, calls, expected, strict=True):
        if number is not None:
            yield Case(f"{case}.{number}", f"{call.replace('_', ' ')}, V", wanted, value(of, call), 1e-10)


def cases() -> list[Case]:
    """Return all cases, computed."""
    return [*powers(), *spectra(), *harmonics(), *(Case(*number) for number in quality())]


def table(found: list[Case]) -> str:
    """Return the cases as a table."""
    rows = [f"| RC-{c.id} | {c.what} | {c.expected:.13g} | {c.computed:.13g} | {c.tolerance:g} |" for c in found]
    return "\n".join(("| case | quantity | expected | computed | tolerance |", "|---|---|---|---|---|", *rows))


if __name__ == "__main__":
    computed = cases()
    off = [case for case in computed if not case.holds]
    for case in off:
        print(f"RC-{case.id} {case.what}: {case.computed!r}, expected {case.expected!r} ± {case.tolerance:g}", file=sys.stderr)
    if len(sys.argv) > 1:
        page = Path(sys.argv[1])
        head, _, rest = page.read_text().partition(MARK)
        tail = rest.partition("\n## ")
        page.write_text(f"{head}{MARK}\n\n{table(computed)}\n" + (f"\n## {tail[2]}" if tail[1] else ""))
    print(f"{len(computed)} cases, {len(off)} off")
    sys.exit(bool(off))
