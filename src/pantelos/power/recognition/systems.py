"""Channels that belong together: three alike a third of a turn apart, two a sixth or a third, one alone."""

import cmath
import itertools
import math
from collections.abc import Mapping, Sequence

import msgspec

from pantelos.power.recognition.looks import Look
from pantelos.signal.harmonics.sequences import sequences

_UNLIKE = 0.9  # spread of logarithms of sizes and shapes beyond which three are not of one system
_UNBALANCED = 0.4  # negative and zero over positive sequence of what still rotates
_TURNED_COSTS = 0.6  # of the spread, for each channel that has to be turned over
_SIXTH, _THIRD, _NEAR = math.radians(60), math.radians(120), math.radians(12)


class System(msgspec.Struct, frozen=True):
    """Channels of one quantity and one frequency, in the order in which they rotate."""

    channels: tuple[str, ...]
    turned: tuple[str, ...]  # those that rotate with the others only when they are turned over
    spread: float  # how unlike they are, 0 for three equal waveforms


def threes(names: Sequence[str], looks: Mapping[str, Look], phasors: Mapping[str, complex]) -> list[System]:
    """Return three-phase systems without a channel in common, the most alike first."""
    found = []
    for three in itertools.combinations(names, 3):
        unlike = _unlike([looks[name] for name in three])
        if unlike > _UNLIKE:
            continue
        for turned in ((), *((name,) for name in three)):
            order, unbalance = _rotating(three, {n: -phasors[n] if n in turned else phasors[n] for n in three})
            if unbalance < _UNBALANCED:
                found.append(System(order, turned, unlike + unbalance + _TURNED_COSTS * len(turned)))
    return _apart(found)


def pairs(names: Sequence[str], looks: Mapping[str, Look], phasors: Mapping[str, complex]) -> list[System]:
    """Return pairs that a connection of two wattmeters may have: a sixth of a turn apart, or a third, the leading one first."""
    found = []
    for a, b in itertools.combinations(names, 2):
        unlike = _unlike([looks[a], looks[b]])
        apart = cmath.phase(phasors[a] / phasors[b]) if phasors[b] else 0.0
        off = min(abs(abs(apart) - _SIXTH), abs(abs(apart) - _THIRD))
        if unlike < _UNLIKE and off < _NEAR:
            found.append(System((a, b) if apart > 0 else (b, a), (), unlike + off))
    return _apart(found)


def is_sixth(system: System, phasors: Mapping[str, complex]) -> bool:
    """Return whether the two of a pair are a sixth of a turn apart, not a third."""
    a, b = system.channels
    return abs(abs(cmath.phase(phasors[a] / phasors[b])) - _SIXTH) < 2 * _NEAR


def _apart(found: list[System]) -> list[System]:
    """Return the most alike systems of those that share no channel."""
    taken = set[str]()
    kept = []
    for system in sorted(found, key=lambda system: system.spread):
        if taken.isdisjoint(system.channels):
            taken.update(system.channels)
            kept.append(system)
    return kept


def _rotating(three: Sequence[str], phasors: Mapping[str, complex]) -> tuple[tuple[str, ...], float]:
    """Return three channels in the order in which they rotate, the first staying first, and what is left of other sequences."""
    ways = []
    for order in ((three[0], three[1], three[2]), (three[0], three[2], three[1])):
        parts = sequences(*(phasors[name] / max(abs(phasors[name]), 1e-300) for name in order))
        rest = (abs(parts.negative) + abs(parts.zero)) / abs(parts.positive) if abs(parts.positive) > 0 else math.inf
        ways.append((order, rest))
    return min(ways, key=lambda way: way[1])


def _unlike(looks: Sequence[Look]) -> float:
    """Return how unlike channels are: logarithms of size, fundamental, and share of what is fast."""
    spread = 0.0
    for weight, values in (
        (0.6, [look.rms for look in looks]),
        (0.6, [look.amplitude for look in looks]),
        (0.3, [look.fast + 0.02 for look in looks]),
        (0.3, [look.distortion + 0.05 for look in looks]),
    ):
        logs = [math.log(max(value, 1e-300)) for value in values]
        spread += weight * (max(logs) - min(logs))
    return spread
