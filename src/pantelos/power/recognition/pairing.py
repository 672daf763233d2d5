"""Which current belongs to which voltage: by the angle between them, by how power moves, by the ripple a switched voltage drives.

Each way to pair them is a hypothesis with a logarithm of odds; what speaks for one speaks against the others. A load is likelier
than a generator, few clamps turned over likelier than many; where two ways remain about as likely, both are told.
"""

import cmath
import math
from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from pantelos.power.recognition.looks import Look, Seen, phasors_of, thinned
from pantelos.power.recognition.systems import System, is_sixth
from pantelos.signal.arrays import FloatArray

STAR, LINES, TWO_VOLTAGES = "three-phase-4w", "three-phase-3v3i", "three-phase-3w"

_LOAD, _SOURCE = (20.0, 0.0), (180.0, -1.3)  # degrees where most loads and generators lie, and odds there
_PHI_WIDE = 40.0  # degrees from there on which odds fall by one
_PHI_90 = 3.0  # degrees about 90
_NO_POWER = -6.0
_RECTIFIER_FROM, _RECTIFIER = 0.15, (-15.0, 40.0, 0.0, -5.0)  # distortion; degrees from, to: odds inside, beyond
_TURNED = -2.0  # for each clamp turned over
_STAR_LIKELIER = 0.7
_RIPPLE_STEP, _RIPPLE_FROM, _RIPPLE_MOST = 0.03, 0.06, 6.0  # of a correlation, for one unit of odds
_MOVES, _MOVES_FROM, _ONE_WAY, _RAY = 2.5, 0.1, 0.2, 0.003
_SWITCHED = 0.15
_PHASE_SIZES, _LINE_SIZES = ((105.0, 135.0), (205.0, 255.0), (265.0, 290.0)), ((375.0, 425.0), (450.0, 505.0), (560.0, 725.0))
_SIZE_SAYS, _SUM_SAYS, _NEUTRAL_SAYS, _TRIPLEN_SAYS = 2.5, 4.0, 4.0, 3.0
RIPPLE_SAYS = "ripple follows the switching of its own phase"
_COMMON_SUM, _TRIPLEN = 0.1, 0.004
_LOOKED_AT = 1 << 15
_CARRIERS_HZ = 1_200.0


class Way(msgspec.Struct, frozen=True):
    """One way to connect: channels by socket, those turned over, and what speaks for it."""

    kind: str
    sockets: Mapping[str, str]
    turned: tuple[str, ...]
    odds: float  # logarithm, against other ways
    phi_deg: float  # of the whole: current behind voltage
    why: tuple[str, ...]


class Scene(msgspec.Struct, frozen=True):
    """What is known of the channels when currents are paired with voltages."""

    looks: Mapping[str, Look]
    seen: Mapping[str, Seen]
    phasors: Sequence[Mapping[str, complex]]  # a stretch each; the first is the one that is looked at
    best: int  # which stretch that is, of those in `seen`
    frequency_hz: float


def three_with_three(scene: Scene, volts: System, amps: System, neutral: bool) -> list[Way]:
    """Return the ways to pair three voltages with three currents, the likeliest first."""
    kinds = _star_or_lines(scene, volts, neutral)
    distorted = sum(scene.looks[name].six_pulse for name in amps.channels) / 3 > _RECTIFIER_FROM
    switched = _is_switched(scene, volts)
    found = []
    for kind, (kind_odds, kind_why) in kinds.items():
        ripple = _ripple(scene, volts, amps, kind)
        for shift in range(3):
            order = amps.channels[shift:] + amps.channels[:shift]
            for turned in _turned_ways(amps):
                signs = [-1 if name in turned else 1 for name in order]
                powers = [
                    _power(_star(kind, volts, p), [s * p[n] for s, n in zip(signs, order, strict=True)]) for p in scene.phasors
                ]
                phi = math.degrees(cmath.phase(powers[0]))
                odds = kind_odds + _of_angle(phi, distorted and not switched) + _of_moves(powers)
                odds += _TURNED * len((*turned, *volts.turned))
                follows = (
                    sum(s * ripple[amps.channels.index(n)][k] for k, (s, n) in enumerate(zip(signs, order, strict=True))) / 3
                )
                way = Way(kind, _sockets(kind, volts.channels, order), (*volts.turned, *turned), odds, phi, kind_why)
                found.append((follows, way))
    return _by_ripple(found)


def _by_ripple(found: Sequence[tuple[float, Way]]) -> list[Way]:
    """Return ways, the likeliest first, after those whose ripple follows less than that of the best have lost for it."""
    most = max(follows for follows, _ in found)
    ways = []
    for follows, way in found:
        lost = max((follows - most) / _RIPPLE_STEP, -_RIPPLE_MOST) if most > _RIPPLE_FROM else 0.0
        why = (*way.why, RIPPLE_SAYS) if most > _RIPPLE_FROM else way.why
        ways.append(msgspec.structs.replace(way, odds=way.odds + lost, why=why))
    return sorted(ways, key=lambda way: -way.odds)


def two_with_two(scene: Scene, volts: System, amps: System) -> list[Way]:
    """Return the ways to pair two voltages against one conductor with the currents of the other two, the likeliest first."""
    main = scene.phasors[0]
    distorted = sum(scene.looks[name].six_pulse for name in amps.channels) / 2 > _RECTIFIER_FROM
    found = []
    for volts_turned in ((),) if is_sixth(volts, main) else ((name,) for name in volts.channels):
        for amps_turned in ((name,) for name in amps.channels) if is_sixth(amps, main) else ((),):
            turned = (*volts_turned, *amps_turned)
            phasors = [{n: -x if n in turned else x for n, x in p.items()} for p in scene.phasors]
            u = _leading(volts.channels, phasors[0])
            i = _leading(amps.channels, phasors[0])
            powers = [_power(_two(u, p), [p[n] for n in i]) for p in phasors]
            phi = math.degrees(cmath.phase(powers[0]))
            odds = _of_angle(phi, distorted and not _is_switched(scene, volts)) + _TURNED * len(turned) + _of_moves(powers)
            sockets = {"u13": u[0], "i1": i[0], "u23": u[1], "i2": i[1]}
            found.append(Way(TWO_VOLTAGES, sockets, turned, odds, phi, ("two voltages a sixth of a turn apart",)))
    if not is_sixth(volts, main):  # as well two of three phases to neutral, with the third not recorded
        found.append(Way("", {}, (), -0.5, math.nan, ("two phases of three",)))
    return sorted(found, key=lambda way: -way.odds)


def _leading(pair: Sequence[str], phasors: Mapping[str, complex]) -> tuple[str, str]:
    a, b = pair
    return (a, b) if cmath.phase(phasors[a] / phasors[b]) > 0 else (b, a)


def shares(ways: Sequence[Way]) -> list[float]:
    """Return the probability of each of several ways, which sum to one."""
    weights = [math.exp(way.odds - ways[0].odds) for way in ways]
    return [weight / sum(weights) for weight in weights]


def _turned_ways(amps: System) -> list[tuple[str, ...]]:
    """Return which clamps may be turned over: those that must be to rotate, or all the others."""
    return [amps.turned, tuple(n for n in amps.channels if n not in amps.turned)] if amps.turned else [()]


def _sockets(kind: str, volts: Sequence[str], amps: Sequence[str]) -> dict[str, str]:
    names = ("u1", "u2", "u3") if kind == STAR else ("u12", "u23", "u31")
    return dict(zip((*names, "i1", "i2", "i3"), (*volts, *amps), strict=True))


def _star(kind: str, volts: System, phasors: Mapping[str, complex]) -> list[complex]:
    a, b, c = (-phasors[n] if n in volts.turned else phasors[n] for n in volts.channels)
    return [a, b, c] if kind == STAR else [(a - c) / 3, (b - a) / 3, (c - b) / 3]


def _two(u: Sequence[str], phasors: Mapping[str, complex]) -> list[complex]:
    """Return the voltages of the first two phases against the virtual star of three."""
    a, b = (phasors[name] for name in u)
    return [(2 * a - b) / 3, (2 * b - a) / 3]


def _power(volts: Sequence[complex], amps: Sequence[complex]) -> complex:
    return sum((u * i.conjugate() for u, i in zip(volts, amps, strict=True)), 0j) / 2


def _of_angle(phi_deg: float, rectifier: bool) -> float:
    """Return what the angle of the whole says."""
    if rectifier:
        low, high, inside, beyond = _RECTIFIER
        return inside if low <= phi_deg <= high else beyond
    if abs(abs(phi_deg) - 90) < _PHI_90:
        return _NO_POWER
    middle, odds = _LOAD if abs(phi_deg) < 90 else _SOURCE
    off = (phi_deg - middle + 180) % 360 - 180
    return odds - (off / _PHI_WIDE) ** 2


def _of_moves(powers: Sequence[complex]) -> float:
    """Return what the way says in which power changes over the record: P changes more than Q does."""
    points = np.array([[p.real, p.imag] for p in powers])
    size = float(np.max(np.abs(powers)))
    if len(points) < 3 or not size > 0:
        return 0.0
    if float(np.linalg.eigvalsh(points.T @ points)[0]) < _RAY * float(np.sum(points**2)):
        return 0.0  # all of one angle: a load that is switched on says nothing but that angle
    values, axes = np.linalg.eigh(np.cov(points.T))
    if not math.sqrt(max(values[1], 0.0)) > _MOVES_FROM * size or values[0] > _ONE_WAY * values[1]:
        return 0.0
    return _MOVES * (float(axes[0, 1]) ** 2 - 1)


def _is_switched(scene: Scene, volts: System) -> bool:
    return sum(scene.looks[name].fast for name in volts.channels) / len(volts.channels) > _SWITCHED


def _star_or_lines(scene: Scene, volts: System, neutral: bool) -> dict[str, tuple[float, tuple[str, ...]]]:
    """Return what speaks for voltages of phases and for voltages from line to line."""
    xs = [scene.seen[name].stretches[scene.best] * (-1 if name in volts.turned else 1) for name in volts.channels]
    rms = sum(scene.looks[name].rms for name in volts.channels) / 3
    star, why, line_why = _STAR_LIKELIER, list[str](), list[str]()
    total = sum(x - np.mean(x) for x in xs)
    if neutral:
        star += _NEUTRAL_SAYS
        why.append("the current of a neutral is there")
    if float(np.std(total)) > _COMMON_SUM * rms:
        star += _SUM_SAYS
        why.append("their sum is not zero")
    elif _is_switched(scene, volts):
        star -= 1.0
        line_why.append("their sum is zero")
    elif _triplen(scene, xs) > _TRIPLEN:
        star += _TRIPLEN_SAYS
        why.append("orders of 3 are there")
    if all(scene.seen[name].unit == "V" for name in volts.channels) and not _is_switched(scene, volts):
        for sizes, odds, said in ((_PHASE_SIZES, _SIZE_SAYS, why), (_LINE_SIZES, -_SIZE_SAYS, line_why)):
            if any(low <= rms <= high for low, high in sizes):
                star += odds
                said.append(f"{rms:.0f} V")
    return {STAR: (star, tuple(why)), LINES: (0.0, tuple(line_why))}


def _triplen(scene: Scene, xs: Sequence[FloatArray]) -> float:
    """Return the zero sequence of the third order over the fundamental: line voltages have none."""
    slow = [thinned(x, next(iter(scene.seen.values())).rate_hz) for x in xs]
    third = sum(phasors_of([x], rate, 3 * scene.frequency_hz)[0] for x, rate in slow) / 3
    beside = [sum(phasors_of([x], rate, k * scene.frequency_hz)[0] for x, rate in slow) / 3 for k in (2.6, 3.4)]
    one = sum(abs(phasors_of([x], rate, scene.frequency_hz)[0]) for x, rate in slow) / 3
    return abs(third) / one if abs(third) > 4 * max(abs(x) for x in beside) else 0.0


def _ripple(scene: Scene, volts: System, amps: System, kind: str) -> list[list[float]]:
    """Return how much the ripple of each current (rows) is that an inductor takes from each phase voltage (columns), −1 to 1."""
    if not _is_switched(scene, volts):
        return [[0.0] * 3] * 3
    xs = [scene.seen[n].stretches[scene.best][:_LOOKED_AT] * (-1 if n in volts.turned else 1) for n in volts.channels]
    if kind == STAR:
        common = sum(xs) / 3
        phases = [x - common for x in xs]
    else:
        phases = [(xs[k] - xs[k - 1]) / 3 for k in range(3)]
    rate = next(iter(scene.seen.values())).rate_hz
    driven = [_fast(np.cumsum(u - np.mean(u)), rate) for u in phases]
    ripples = [_fast(scene.seen[n].stretches[scene.best][:_LOOKED_AT], rate) for n in amps.channels]
    return [[_correlation(ripple, u) for u in driven] for ripple in ripples]


def _fast(x: FloatArray, rate_hz: float) -> FloatArray:
    """Return what lies above where carriers begin."""
    lines = np.fft.rfft(x)
    lines[: int(_CARRIERS_HZ * len(x) / rate_hz)] = 0
    return np.fft.irfft(lines, len(x))


def _correlation(a: FloatArray, b: FloatArray) -> float:
    size = float(np.linalg.norm(a) * np.linalg.norm(b))
    return float(np.dot(a, b)) / size if size > 0 else 0.0
