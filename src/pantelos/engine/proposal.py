"""Connections that names, units and waveforms suggest: three voltages a third of a turn apart look like three phases."""

import cmath
import math
from collections.abc import Sequence
from itertools import permutations

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.power.wirings import WIRINGS, Wiring
from pantelos.study.suggestion import Suggestion, free_channels, spot_of, spot_of_socket, suggestions
from pantelos.units import unit

_LOOKED_AT = 1 << 16  # samples in the middle of the record
_FEWEST_CYCLES = 2
_THIRD = 2 * math.pi / 3
_NEAR = math.radians(20)
_ALIKE = 2.0  # voltages of three phases differ by less than this factor
_STEADY = 0.25  # of the mean: what alternates less is DC
_MOST = 12  # channels whose waveforms are compared
_ORDERED = 0.05  # of a turn: orders of currents whose angles differ less are the same, and the first one counts


def proposals(evaluation: Evaluation) -> list[Suggestion]:
    """Return the connections that look right for the channels without a place: by names, else by units and waveforms."""
    by_name = suggestions(evaluation.study)
    if by_name:
        return by_name
    names = [name for name in free_channels(evaluation.study) if name in evaluation.names.types]
    volts, amps = _quantities(evaluation, names)
    try:
        return _by_waveform(evaluation, volts[:_MOST], amps[:_MOST])
    except PantelosError:  # a file that is gone, say: there is nothing to look at
        return []


def _quantities(evaluation: Evaluation, names: list[str]) -> tuple[list[str], list[str]]:
    """Return the voltages and the currents, as units and names tell; a name that says current wins over volts of a clamp."""
    volts, amps = list[str](), list[str]()
    for name in names:
        spot, shown = spot_of(name), evaluation.names.unit(name)
        if shown.like(unit("A")) or (shown.like(unit("V")) and spot is not None and spot.quantity == "current"):
            amps.append(name)
        elif shown.like(unit("V")):
            volts.append(name)
    return volts, amps


def _by_waveform(evaluation: Evaluation, volts: list[str], amps: list[str]) -> list[Suggestion]:
    if not volts or not amps:
        return []
    frequency = _frequency(evaluation, volts[0])
    if frequency is None:
        steady = [name for name in (volts[0], amps[0]) if _is_steady(evaluation, name)]
        return [_placed(_kind(False, 1), [volts[0]], [amps[0]])] if len(steady) == 2 and len(volts) == len(amps) == 1 else []
    phasors = {name: _phasor(evaluation, name, frequency) for name in (*volts, *amps)}
    if len(volts) == 3 and len(amps) >= 3:
        ordered = _ordered(volts, phasors)
        if ordered is not None:
            currents = _matched(ordered, amps[:3], phasors)
            return [_placed(_kind(True, 3), ordered, currents)]
    if len(volts) == len(amps) == 1:
        return [_placed(_kind(True, 1), volts, amps)]
    return []


def _kind(alternating: bool, n_elements: int) -> Wiring:
    """Return the kind of connection with that many elements of phase and neutral."""
    return next(w for w in WIRINGS if w.alternating is alternating and len(w.elements) == n_elements and _to_neutral(w))


def _to_neutral(wiring: Wiring) -> bool:
    return all(len(spot_of_socket(socket).place) <= 1 or not wiring.alternating for socket in wiring.sockets)


def _placed(wiring: Wiring, volts: list[str], amps: list[str]) -> Suggestion:
    """Return the channels in the sockets of a connection, element by element."""
    sockets: dict[str, str] = {}
    for element, voltage, current in zip(wiring.elements, volts, amps, strict=True):
        sockets |= {element.voltage: voltage, element.current: current}
    return Suggestion(wiring, sockets, "by their units and waveforms")


def _stretch(evaluation: Evaluation, name: str) -> tuple[int, int]:
    n = evaluation.samples.waveform(name).n_samples
    first = max((n - _LOOKED_AT) // 2, 0)
    return first, min(first + _LOOKED_AT, n)


def _frequency(evaluation: Evaluation, name: str) -> float | None:
    """Return the frequency a voltage alternates with in the middle of the record; None where it does not."""
    found = evaluation.cycles.within(evaluation.samples.waveform(name), name, _stretch(evaluation, name))
    return found.frequency_hz if np.count_nonzero(found.measured) >= _FEWEST_CYCLES else None


def _phasor(evaluation: Evaluation, name: str, frequency_hz: float) -> complex:
    wave = evaluation.samples.waveform(name)
    first, last = _stretch(evaluation, name)
    x = np.nan_to_num(wave.read(first, last))
    whole = int(math.floor((last - first) * frequency_hz / wave.rate_hz) * wave.rate_hz / frequency_hz)
    turn = np.exp(-2j * np.pi * frequency_hz / wave.rate_hz * np.arange(whole))
    return complex(np.dot(x[:whole], turn) * 2 / max(whole, 1))


def _is_steady(evaluation: Evaluation, name: str) -> bool:
    x = evaluation.samples.waveform(name).read(*_stretch(evaluation, name))
    return bool(np.nanstd(x) < _STEADY * abs(np.nanmean(x))) if np.isfinite(x).any() else False


def _ordered(volts: list[str], phasors: dict[str, complex]) -> list[str] | None:
    """Return three voltages in the order L1 L2 L3, the first staying first; None where they do not rotate."""
    sizes = [abs(phasors[name]) for name in volts]
    if not min(sizes) > 0 or max(sizes) / min(sizes) > _ALIKE:
        return None
    for order in permutations(volts[1:]):
        lags = [cmath.phase(phasors[volts[0]] / phasors[name]) % (2 * math.pi) for name in order]
        if abs(lags[0] - _THIRD) < _NEAR and abs(lags[1] - 2 * _THIRD) < _NEAR:
            return [volts[0], *order]
    return None


def _matched(volts: list[str], amps: list[str], phasors: dict[str, complex]) -> list[str]:
    """Return three currents beside their voltages: in the order in which their angles agree best and are smallest."""

    def misfit(order: Sequence[str]) -> int:
        turns = [phasors[u] / phasors[i] if phasors[i] else 1.0 for u, i in zip(volts, order, strict=True)]
        unit_turns = [turn / abs(turn) if turn else 1.0 for turn in turns]
        mean = sum(unit_turns) / 3
        spread, angle = 1 - abs(mean), abs(cmath.phase(mean)) / (2 * math.pi) if mean else 1.0
        return round((2 * spread + angle) / _ORDERED)

    return min((list(order) for order in permutations(amps)), key=misfit)
