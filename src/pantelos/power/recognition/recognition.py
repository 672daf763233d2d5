"""What channels are, as far as their waveforms tell: connections with a certainty for each, and a word for what is left."""

import math
from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from pantelos.power.recognition.looks import Look, Seen, look_at, phasors_of, thinned
from pantelos.power.recognition.pairing import RIPPLE_SAYS, STAR, Scene, Way, shares, three_with_three, two_with_two
from pantelos.power.recognition.quantities import certainty, voltage_evidence
from pantelos.power.recognition.systems import System, pairs, threes
from pantelos.signal.arrays import FloatArray

SURE, LIKELY = 0.95, 0.75  # a probability from which it is said so

_SAME_LINE = 0.6  # of a line: strongest lines closer than that are of one system
_SUM_IS_NEUTRAL = 0.9  # correlation of a channel with the sum of the currents
_SUM_IS_THERE = 0.02  # of a current: a smaller sum proves nothing
_FOLLOWS = 0.97  # correlation over the stretches
_MOVES = 0.1  # change over the stretches from which something can follow it
_LEVEL_AGREES = 0.05
_SWITCHED = 0.15
_BY_UNIT = 0.9


class Recognised(msgspec.Struct, frozen=True):
    """A connection that waveforms suggest."""

    kind: str  # of `power.wirings`
    sockets: dict[str, str]  # channel by socket
    turned: tuple[str, ...]  # channels whose clamps lie the other way round
    certainty: float  # 0 to 1: that all of it is right
    why: dict[str, str]  # by channel, what says so
    of_machine: bool = False  # whether its voltages are switched: behind an inverter

    @property
    def word(self) -> str:
        """How sure that is, in a word."""
        return "sure" if self.certainty >= SURE else "likely" if self.certainty >= LIKELY else "unsure"


class Recognition(msgspec.Struct, frozen=True):
    """What was found: connections, the likeliest first; and by channel, why it is in none."""

    connections: tuple[Recognised, ...]
    left: dict[str, str]


class _Channels:
    """Looks of all channels over all stretches, made once."""

    def __init__(self, seen: Sequence[Seen]) -> None:
        self.seen = {one.name: one for one in seen}
        self.every = {one.name: [look_at(x, one.rate_hz) for x in one.stretches] for one in seen}
        n = len(seen[0].stretches)
        self.best = max(range(n), key=self._swing)
        self.looks = {name: looks[self.best] for name, looks in self.every.items()}

    def _swing(self, at: int) -> float:
        """Return how much is going on in a stretch: alternating channels near their largest."""
        total = 0.0
        for looks in self.every.values():
            largest = max(look.rms for look in looks)
            total += looks[at].rms / largest if largest > 0 and math.isfinite(looks[at].frequency_hz) else 0.0
        return total

    def slow(self, name: str, at: int) -> tuple[np.ndarray, float]:
        one = self.seen[name]
        return thinned(one.stretches[at], one.rate_hz)

    def scene(self, names: Sequence[str], frequency_hz: float) -> Scene:
        """Return what pairing asks for, phasors of every stretch at the frequency that it has there."""
        order = [self.best, *(k for k in range(len(self.every[names[0]])) if k != self.best)]
        phasors = []
        for at in order:
            hz = frequency_hz if at == self.best else self._frequency(names, at, frequency_hz)
            phasors.append({name: phasors_of([(s := self.slow(name, at))[0]], s[1], hz)[0] for name in names})
        return Scene(self.looks, self.seen, phasors, self.best, frequency_hz)

    def _frequency(self, names: Sequence[str], at: int, usual_hz: float) -> float:
        """Return the frequency of a system in another stretch: of its largest channel that has a line there."""
        found = [look for name in names if math.isfinite((look := self.every[name][at]).frequency_hz)]
        return max(found, key=lambda look: look.amplitude / max(look.rms, 1e-300)).frequency_hz if found else usual_hz


def recognise(seen: Sequence[Seen]) -> Recognition:
    """Return what channels are by their waveforms.

    Parameters
    ----------
    seen : channels with the same stretches of a record, samples without gaps
    """
    if not seen or not seen[0].stretches:
        return Recognition((), {})
    channels = _Channels(seen)
    free = [one.name for one in seen]
    found, left = list[Recognised](), dict[str, str]()
    for frequency, names in _by_frequency(channels, free):
        for one in _of_frequency(channels, frequency, names, free, left):
            found.append(one)
            free = [name for name in free if name not in one.sockets.values()]
    found += _shaft(channels, free)
    found += _dc(channels, [name for name in free if channels.looks[name].steady])
    placed = {channel for one in found for channel in one.sockets.values()}
    for name in free:
        if name not in placed and name not in left:
            left[name] = _beside(channels, found, name) or _idle_word(channels.looks[name])
    return Recognition(tuple(sorted(found, key=lambda one: -one.certainty)), left)


def _by_frequency(channels: _Channels, names: Sequence[str]) -> list[tuple[float, list[str]]]:
    """Return channels that alternate at one frequency, the largest group first."""
    waiting = sorted((name for name in names if channels.looks[name].alternates), key=lambda n: channels.looks[n].frequency_hz)
    groups: list[list[str]] = []
    for name in waiting:
        first = channels.seen[name]
        line = first.rate_hz / len(first.stretches[channels.best])
        if groups and channels.looks[name].frequency_hz - channels.looks[groups[-1][-1]].frequency_hz < _SAME_LINE * line:
            groups[-1].append(name)
        else:
            groups.append([name])
    found = [(float(np.median([channels.looks[n].frequency_hz for n in group])), group) for group in groups]
    return sorted(found, key=lambda one: -len(one[1]))


def _of_frequency(
    channels: _Channels, frequency_hz: float, names: list[str], free: Sequence[str], left: dict[str, str]
) -> list[Recognised]:
    """Return the connections among channels of one frequency."""
    scene = channels.scene(names, frequency_hz)
    systems = _of_one_quantity(threes, channels, names, scene)
    in_threes = {name for system in systems for name in system.channels}
    rest = [name for name in names if name not in in_threes]
    found = _paired(channels, scene, systems, free, left)
    placed = {channel for one in found for channel in one.sockets.values()}
    if not systems and len(rest) == 4:
        found += _two_wattmeters(channels, scene, rest)
    elif not systems and len(rest) == 2:
        found += _single(channels, scene, rest)
    for name in names:
        if name not in placed and name not in left and not any(name in one.sockets.values() for one in found):
            left[name] = f"alternates at {frequency_hz:.4g} Hz, but what it belongs to is not clear"
    return found


def _of_one_quantity(find: Callable[..., list[System]], channels: _Channels, names: Sequence[str], scene: Scene) -> list[System]:
    """Return systems whose channels may all be of one quantity, as far as units tell."""
    looks, main = channels.looks, scene.phasors[0]
    quantities = {channels.seen[name].quantity for name in names}
    if len(quantities - {""}) < 2:
        return find([n for n in names if abs(main[n]) > 0], looks, main)
    found = []
    for quantity in sorted(quantities):
        found += find([n for n in names if channels.seen[n].quantity == quantity and abs(main[n]) > 0], looks, main)
    return found


def _odds_of_voltage(channels: _Channels, scene: Scene, one: System, other: System) -> tuple[float, list[str]]:
    """Return the odds that the first is the voltage of the second; units and names decide where they speak."""
    told = {channels.seen[n].quantity for n in one.channels}, {channels.seen[n].quantity for n in other.channels}
    if (told[0] <= {"voltage", ""} and "voltage" in told[0]) or (told[1] <= {"current", ""} and "current" in told[1]):
        return 6.0, ["by their units"]
    if "current" in told[0] or "voltage" in told[1]:
        return -6.0, []
    names = (*one.channels, *other.channels)
    sizes = {name: [abs(p[name]) for p in scene.phasors] for name in names}
    return voltage_evidence(one, other, channels.looks, sizes, {n: channels.seen[n].unit == "V" for n in names})


def _paired(
    channels: _Channels, scene: Scene, systems: list[System], free: Sequence[str], left: dict[str, str]
) -> list[Recognised]:
    """Return connections of three voltages and three currents, each system used once, the clearest first."""
    sides = [
        (*_odds_of_voltage(channels, scene, one, other), one, other) for one in systems for other in systems if one is not other
    ]
    found = []
    used = set[str]()
    for odds, said, volts, amps in sorted((side for side in sides if side[0] > 0), key=lambda side: -side[0]):
        if used & {*volts.channels, *amps.channels}:
            continue
        used.update((*volts.channels, *amps.channels))
        neutral = _neutral(channels, amps, [n for n in free if n not in used])
        best = _best_of(three_with_three(scene, volts, amps, neutral is not None), odds, said, scene, len(systems) > 2)
        if neutral is not None and best.kind == STAR:
            told = best.why | {neutral: "the sum of the three currents"}
            best = msgspec.structs.replace(best, sockets=best.sockets | {"iN": neutral}, why=told)
        found.append(best)
    for system in systems:
        if not used & set(system.channels):
            for name in system.channels:
                left[name] = "one of three that rotate, but whether voltages or currents is not clear"
    return found


def _best_of(ways: list[Way], odds: float, said: list[str], scene: Scene, rivals: bool) -> Recognised:
    """Return the likeliest way with how likely it is, and what says so by channel."""
    best = ways[0]
    sure = certainty(odds) * shares(ways)[0] * (0.9 if rivals else 1.0)
    why = {}
    of_voltage = ", ".join([f"{scene.frequency_hz:.4g} Hz", *said, *(text for text in best.why if text != RIPPLE_SAYS)])
    of_current = ", ".join([f"φ {best.phi_deg:.0f}°".replace("-", "−"), *(text for text in best.why if text == RIPPLE_SAYS)])
    for socket, name in best.sockets.items():
        text = of_voltage if socket.startswith("u") else of_current
        why[name] = text + (", turned over" if name in best.turned else "")
    switched = any(socket.startswith("u") and scene.looks[name].fast > _SWITCHED for socket, name in best.sockets.items())
    return Recognised(best.kind, dict(best.sockets), best.turned, sure, why, switched)


def _two_wattmeters(channels: _Channels, scene: Scene, names: Sequence[str]) -> list[Recognised]:
    systems = _of_one_quantity(pairs, channels, names, scene)
    if len(systems) != 2:
        return []
    one, other = systems
    odds, said = _odds_of_voltage(channels, scene, one, other)
    if odds < 0:
        one, other = other, one
        odds, said = _odds_of_voltage(channels, scene, one, other)
    ways = two_with_two(scene, one, other)
    if not ways[0].sockets or odds <= 0:
        return []
    return [_best_of(ways, odds, said, scene, False)]


def _single(channels: _Channels, scene: Scene, names: Sequence[str]) -> list[Recognised]:
    one, other = (System((name,), (), 0.0) for name in names)
    odds, said = _odds_of_voltage(channels, scene, one, other)
    if odds < 0:
        one, other = other, one
        odds, said = _odds_of_voltage(channels, scene, one, other)
    if odds <= 0:
        return []
    (u,), (i,) = one.channels, other.channels
    main = scene.phasors[0]
    phi = math.degrees(float(np.angle(main[u] / main[i]))) if main[i] else 0.0
    way = Way("single-phase", {"u": u, "i": i}, (), 0.0, phi, ())
    return [_best_of([way], odds, said, scene, False)]


def _neutral(channels: _Channels, amps: System, others: Sequence[str]) -> str | None:
    """Return the channel that is the sum of three currents; None where there is none."""
    rows = [channels.slow(name, channels.best)[0] * (-1 if name in amps.turned else 1) for name in amps.channels]
    total = sum(row - np.mean(row) for row in rows)
    size = float(np.std(total))
    if not size > _SUM_IS_THERE * max(float(np.std(row)) for row in rows):
        return None
    for name in others:
        row = channels.slow(name, channels.best)[0]
        may_be = channels.seen[name].quantity in ("", "current") and float(np.std(row)) > 0
        if may_be and abs(float(np.corrcoef(row, total)[0, 1])) > _SUM_IS_NEUTRAL:
            return name
    return None


def _dc(channels: _Channels, steady: Sequence[str]) -> list[Recognised]:
    """Return the one DC voltage and the one DC current, where units tell."""
    volts = [n for n in steady if channels.seen[n].quantity in ("voltage", "") and channels.seen[n].unit == "V"]
    amps = [n for n in steady if channels.seen[n].quantity == "current"]
    if len(volts) != 1 or len(amps) != 1:
        return []
    why = dict.fromkeys((volts[0], amps[0]), "hardly alternates, by its unit")
    return [Recognised("dc", {"u": volts[0], "i": amps[0]}, (), _BY_UNIT, why)]


def _shaft(channels: _Channels, names: Sequence[str]) -> list[Recognised]:
    """Return the one torque and the one speed, where units tell."""
    of = {quantity: [n for n in names if channels.seen[n].quantity == quantity] for quantity in ("torque", "speed")}
    if any(len(found) != 1 for found in of.values()):
        return []
    sockets = {"M": of["torque"][0], "n": of["speed"][0]}
    return [Recognised("shaft", sockets, (), _BY_UNIT, dict.fromkeys(sockets.values(), "by its unit"))]


def _beside(channels: _Channels, found: Sequence[Recognised], name: str) -> str:
    """Return what a channel without a place is beside the connections, in words; empty where nothing follows."""
    values = np.array([look.mean for look in channels.every[name]])
    for one in found:
        volts = [channel for socket, channel in one.sockets.items() if socket.startswith("u")]
        if not volts or one.kind == "dc":
            continue
        if channels.looks[name].steady and channels.looks[volts[0]].fast > _SWITCHED:
            height = _height(one.kind, channels.seen[volts[0]].stretches[channels.best])
            same = channels.seen[name].unit == channels.seen[volts[0]].unit
            if same and abs(abs(channels.looks[name].mean) - height) < _LEVEL_AGREES * height:
                return f"as high as the pulses of {volts[0]}: a DC link voltage"
        hertz = np.array([look.frequency_hz for look in channels.every[volts[0]]])
        moves = len(hertz) > 2 and np.isfinite(hertz).all() and np.ptp(hertz) > _MOVES * np.max(hertz)
        if moves and float(np.std(values)) > 0 and abs(float(np.corrcoef(values, hertz)[0, 1])) > _FOLLOWS:
            return f"follows the frequency of {volts[0]}: a speed"
    return ""


def _height(kind: str, x: FloatArray) -> float:
    """Return the DC voltage that pulses (n,) come from: of one leg, from line to line, or against the star of the machine."""
    low, high = (float(v) for v in np.quantile(x, (0.002, 0.998)))
    if abs(low) < _LEVEL_AGREES * high:
        return high
    return 0.5 * (high - low) if kind != STAR else 0.75 * (high - low)


def _idle_word(look: Look) -> str:
    """Return what a channel without a place does."""
    if look.steady:
        return "a steady value: a DC voltage, a speed or a torque cannot be told apart by it"
    if not math.isfinite(look.frequency_hz):
        return "nothing periodic in it"
    return f"alternates at {look.frequency_hz:.4g} Hz, alone"


__all__ = ["LIKELY", "SURE", "Recognised", "Recognition", "recognise"]
