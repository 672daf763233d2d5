"""Which of two systems is the voltage where no unit tells: what is switched, steadier, purer and larger is."""

import math
from collections.abc import Mapping, Sequence

from pantelos.power.recognition.looks import Look
from pantelos.power.recognition.systems import System

_SWITCHED = 0.15  # share of energy among the carriers from which a waveform is switched
_SMOOTH = 0.3  # of that of the other: what a switched voltage drives is smoother
_STEADIER, _PURER = 4.0, 2.5  # times
_LEAST_CHANGE, _LEAST_DISTORTION = 0.04, 0.06  # below these, two are alike
_VOLTS = (45.0, 2_000.0)  # rms: numbers in V above are hardly those of a clamp
_NEVER_THAT_LARGE = 30.0  # rms in V of what a clamp or a shunt gives


def voltage_evidence(
    one: System, other: System, looks: Mapping[str, Look], sizes: Mapping[str, Sequence[float]], in_volts: Mapping[str, bool]
) -> tuple[float, list[str]]:
    """Return the logarithm of odds that one system is the voltage and the other the current, and what says so.

    `sizes` are the amplitudes of each channel over the stretches of the record, `in_volts` whether its numbers are volts.
    """
    said, odds = list[str](), 0.0
    fast, other_fast = (_mean([looks[name].fast for name in s.channels]) for s in (one, other))
    if fast > _SWITCHED and other_fast < _SMOOTH * fast:
        odds += 4.5
        said.append("switched, and the other smooth")
    elif other_fast > _SWITCHED and fast < _SMOOTH * other_fast:
        odds -= 4.5
    change, other_change = (_changing([sizes[name] for name in s.channels]) for s in (one, other))
    if other_change > max(_STEADIER * change, _LEAST_CHANGE):
        odds += 2.5 if other_change > 3 * _LEAST_CHANGE else 1.2
        said.append("keeps its size while the other changes")
    elif change > max(_STEADIER * other_change, _LEAST_CHANGE):
        odds -= 2.5 if change > 3 * _LEAST_CHANGE else 1.2
    if max(fast, other_fast) < _SWITCHED:
        impure, other_impure = (_mean([looks[name].distortion for name in s.channels]) for s in (one, other))
        if other_impure > max(_PURER * impure, _LEAST_DISTORTION):
            odds += 2.5 if other_impure > 3 * _LEAST_DISTORTION else 1.2
            said.append("less distorted than the other")
        elif impure > max(_PURER * other_impure, _LEAST_DISTORTION):
            odds -= 2.5 if impure > 3 * _LEAST_DISTORTION else 1.2
    sizes_odds = _by_size(one, other, looks, in_volts)
    if sizes_odds > 0:
        said.append("of the size of a voltage, the other of the size of a clamp's signal")
    return odds + sizes_odds, said


def _by_size(one: System, other: System, looks: Mapping[str, Look], in_volts: Mapping[str, bool]) -> float:
    """Return what sizes say where both are numbers in volts."""
    if not all(in_volts[name] for name in (*one.channels, *other.channels)):
        return 0.0
    rms, other_rms = (_mean([looks[name].rms for name in s.channels]) for s in (one, other))
    if _VOLTS[0] < rms < _VOLTS[1] and other_rms < min(_NEVER_THAT_LARGE, rms / 3):
        return 3.0
    if _VOLTS[0] < other_rms < _VOLTS[1] and rms < min(_NEVER_THAT_LARGE, other_rms / 3):
        return -3.0
    return 0.0


def _mean(values: Sequence[float]) -> float:
    return sum(values) / len(values)


def _changing(sizes: Sequence[Sequence[float]]) -> float:
    """Return how much amplitudes change over the stretches: the range over the largest, mean of the channels."""
    return _mean([(max(one) - min(one)) / max(one) if max(one) > 0 else 0.0 for one in sizes])


def certainty(odds: float) -> float:
    """Return the probability that belongs to a logarithm of odds."""
    return 1 / (1 + math.exp(-odds))
