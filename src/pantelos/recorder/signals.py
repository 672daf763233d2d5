"""Signals of a source: what an output of a recorder gives, or a recording made without one. Values, and as people write them."""

import math
import re
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from pantelos.amounts import NUMBER, amount, figure
from pantelos.errors import StudyError, clipped
from pantelos.notation import with_unit
from pantelos.signal.arrays import FloatArray
from pantelos.units import unit

# The words people write, and the mnemonics of SCPI-1999 (SOURce:FUNCtion); tones and played samples are ours.
SHAPES = {
    "sine": "SINusoid",
    "square": "SQUare",
    "pulses": "PULSe",
    "noise": "PRNoise",
    "sweep": "SWEep",
    "tones": "TONes",
    "played": "USER",
    "level": "DC",
}
LONGEST_PLAYED = 100_000  # samples
_PERIODIC = ("sine", "square", "pulses")
_MOST_V, _MOST_HZ = 1e6, 1e9
_ROUNDING = 1e-9  # of a turn
_PHASE = rf"{NUMBER}\s*(?:°|deg)"
_SWEEP = re.compile(r"^(?P<low>.+?)\s+to\s+(?P<high>.+?)\s+in\s+(?P<time>.+)$")


class SignalTone(msgspec.Struct, frozen=True):
    """One of several tones."""

    frequency_hz: float
    amplitude: float  # V, peak
    phase_deg: float = 0.0


class Signal(msgspec.Struct, frozen=True):
    """What one output gives."""

    on: bool = False
    shape: str = "sine"
    frequency_hz: float = 50.0
    amplitude: float = 1.0  # V, peak; rms of noise
    offset: float = 0.0  # V
    phase_deg: float = 0.0
    duty: float = 0.5  # of pulses
    sweep: tuple[float, float, float] = (2.0, 80.0, 10.0)  # from, to, Hz, in s
    tones: tuple[SignalTone, ...] = ()  # beside the shape
    noise: float = 0.0  # V rms, beside the shape
    played: tuple[float, ...] = ()  # V, over and over
    played_rate_hz: float = 1000.0

    def volts(self, first: int, n: int, rate_hz: float, seed: int = 0) -> FloatArray:
        """Return what it gives at samples first to first + n, (n,)."""
        if not self.on:
            return np.zeros(n)
        found = np.full(n, self.offset) + self._shape(first, n, rate_hz, seed)
        for tone in self.tones:
            found += tone.amplitude * np.sin(2 * math.pi * _turns(tone.frequency_hz, tone.phase_deg, first, n, rate_hz))
        if self.noise:
            found += self.noise * np.random.default_rng((seed, first, 1)).standard_normal(n)
        return np.asarray(found)

    def _shape(self, first: int, n: int, rate_hz: float, seed: int) -> Any:
        turns = _turns(self.frequency_hz, self.phase_deg, first, n, rate_hz)
        t = (first + np.arange(n)) / rate_hz
        match self.shape:
            case "sine":
                return self.amplitude * np.sin(2 * math.pi * turns)
            case "square":
                return self.amplitude * np.where(_into_turn(turns) < 0.5 - _ROUNDING, 1.0, -1.0)
            case "pulses":
                return self.amplitude * (_into_turn(turns) < self.duty - _ROUNDING)
            case "noise":
                return self.amplitude * np.random.default_rng((seed, first)).standard_normal(n)
            case "sweep":
                low, high, seconds = self.sweep
                into = t % seconds
                return self.amplitude * np.sin(2 * math.pi * (low * into + 0.5 * (high - low) / seconds * into**2))
            case "played" if self.played:
                at = np.floor(t * self.played_rate_hz + 1e-9).astype(np.intp) % len(self.played)
                return self.amplitude * np.array(self.played)[at]
            case "level":
                return self.amplitude
            case _:
                return 0.0

    def check(self) -> None:
        """Refuse amounts that cannot be.

        Raises
        ------
        StudyError
            Naming the first one.
        """
        low, high, seconds = self.sweep
        volts = (self.amplitude, self.offset, self.noise, *(tone.amplitude for tone in self.tones))
        if not all(abs(v) <= _MOST_V for v in volts):
            raise StudyError(f"{self.text()}: no output gives so many volts. Write at most {_MOST_V:g} V.")
        if self.noise < 0 or (self.shape == "noise" and self.amplitude < 0):
            raise StudyError(f"{self.text()}: noise has an rms value of 0 V or more.")
        if not 0 <= self.duty <= 1:
            raise StudyError(f"{self.text()}: a duty lies between 0 % and 100 %.")
        periods = (self.frequency_hz, low, high, *(tone.frequency_hz for tone in self.tones))
        if not all(0 <= f <= _MOST_HZ for f in periods) or (self.shape in _PERIODIC and not self.frequency_hz):
            raise StudyError(f"{self.text()}: a frequency is more than 0 Hz, and at most {_MOST_HZ:g} Hz.")
        if not seconds > 0:
            raise StudyError(f"{self.text()}: a sweep takes more than 0 s.")

    @property
    def highest_hz(self) -> float:
        """The highest frequency that it is made of, leaving out what edges and noise are made of."""
        own = {"sweep": max(self.sweep[:2])}.get(self.shape, self.frequency_hz if self.shape in _PERIODIC else 0.0)
        return max(own, *(tone.frequency_hz for tone in self.tones), 0.0)

    def text(self) -> str:
        """Return it as it is written."""
        parts = [self.shape]
        if self.shape in _PERIODIC:
            parts.append(with_unit(self.frequency_hz, unit("Hz"), 6))
        if self.shape == "sweep":
            low, high, seconds = (with_unit(x, unit(s), 6) for x, s in zip(self.sweep, ("Hz", "Hz", "s"), strict=True))
            parts.append(f"{low} to {high} in {seconds}")
        if self.shape != "tones":
            parts.append(with_unit(self.amplitude, unit("V"), 6))
        parts += [f"{100 * self.duty:g} %"] if self.shape == "pulses" else []
        parts += [f"{self.phase_deg:g}°"] if self.phase_deg else []
        parts += [f"offset {with_unit(self.offset, unit('V'), 6)}"] if self.offset else []
        parts += [f"noise {with_unit(self.noise, unit('V'), 6)}"] if self.noise else []
        for tone in self.tones:
            said = f"tone {with_unit(tone.frequency_hz, unit('Hz'), 6)} {with_unit(tone.amplitude, unit('V'), 6)}"
            parts.append(said + (f" {tone.phase_deg:g}°" if tone.phase_deg else ""))
        return f"{parts[0]} {', '.join(parts[1:])}"


def _turns(frequency_hz: float, phase_deg: float, first: int, n: int, rate_hz: float) -> FloatArray:
    """Return how far a period has come at samples first to first + n, in turns; whole ones before `first` are left out.

    Their place is told in fractions, so that an edge lies where it belongs after hours, too.
    """
    f, rate, phase = (Fraction(repr(float(x))) for x in (frequency_hz, rate_hz, phase_deg))
    begin = (f * first / rate + phase / 360) % 1
    return np.asarray(float(begin) + np.arange(n) * (frequency_hz / rate_hz))


def _into_turn(turns: FloatArray) -> FloatArray:
    """Return how far into its turn each sample is, 0 to 1; one that rounding has left just before a turn begins it."""
    return np.asarray(turns - np.floor(turns + _ROUNDING))


def signal_from(text: str) -> Signal:
    """Return the signal a text states, such as `sine 50 Hz, 1 V, 30°, noise 0.2 V, tone 137 Hz 0.9 V`.

    Amounts are told by their units: Hz the frequency, V the amplitude (peak; rms of noise), % the duty, ° the phase.

    Raises
    ------
    StudyError
        When it cannot be read, with what may stand there.
    """
    word, _, rest = text.strip().partition(" ")
    if word == "played":
        return _played(rest)
    if word not in SHAPES:
        known = ", ".join(SHAPES)
        raise StudyError(f'"{clipped(word)}" is no signal. Known are {known}, as in "sine 50 Hz, 1 V, 30°".')
    made = Signal(True, word)
    for part in (one.strip() for one in rest.split(",") if one.strip()):
        made = _with_part(made, part)
    made.check()
    return made


def _played(text: str) -> Signal:
    """Return a recorded channel played back over and over: `u1 of run.pantelos`, as its recorder put it down.

    Raises
    ------
    StudyError
        When it cannot be read, or is longer than an output holds.
    """
    from pantelos.study.opening import record_of  # here, for the sake of a quick start
    from pantelos.study.storage import load_study

    name, of, path = text.strip().partition(" of ")
    if not of:
        raise StudyError(f'"{clipped(text)}" names no channel of a study. Write it as in "played u1 of run.pantelos".')
    study = load_study(Path(path.strip()))
    record = record_of(study)
    column = record.column(study.channel(name.strip()).column)
    raw = column.parts[0].raw
    n = len(raw.samples)
    if n > LONGEST_PLAYED:
        raise StudyError(f"{name} has {n} samples; an output plays {LONGEST_PLAYED} at most. Export a stretch of it first.")
    values = np.nan_to_num(raw.values(0, n, raw.scale, raw.zero))
    return Signal(True, "played", amplitude=1.0, played=tuple(values.tolist()), played_rate_hz=record.rate_hz)


def outputs_from(texts: Sequence[str], n: int) -> list[Signal]:
    """Return the signals of `n` outputs from texts such as `1 = sine 50 Hz, 1 V`; those not named are off.

    Raises
    ------
    StudyError
        When one cannot be read, or there is no such output.
    """
    found = [Signal() for _ in range(n)]
    for text in texts:
        number, _, said = text.partition("=")
        if not number.strip().isdigit() or not 1 <= int(number) <= n:
            raise StudyError(f'"{clipped(text)}" names no output; there are 1 to {n}. Write it as in "1 = sine 50 Hz, 1 V".')
        found[int(number) - 1] = signal_from(said)
    return found


def _with_part(of: Signal, part: str) -> Signal:
    name, _, rest = part.partition(" ")
    if name in ("offset", "noise"):
        return msgspec.structs.replace(of, **{name: amount(rest, "V")})
    if name == "tone":
        return msgspec.structs.replace(of, tones=(*of.tones, _tone(rest)))
    if part.endswith("%"):
        return msgspec.structs.replace(of, duty=amount(part, "%"))
    if re.fullmatch(_PHASE, part):
        return msgspec.structs.replace(of, phase_deg=_degrees(part))
    if found := _SWEEP.match(part):
        times = amount(found["low"], "Hz"), amount(found["high"], "Hz"), amount(found["time"], "s")
        return msgspec.structs.replace(of, sweep=times)
    if part.endswith("Hz"):
        return msgspec.structs.replace(of, frequency_hz=amount(part, "Hz"))
    return msgspec.structs.replace(of, amplitude=amount(part, "V"))


_TONE = re.compile(rf"(?P<f>{NUMBER}\s*\w*Hz)\s+(?P<level>{NUMBER}\s*\w*V)(?:\s+(?P<phase>{_PHASE}))?")


def _degrees(text: str) -> float:
    return figure(text.rstrip("deg° "))


def _tone(text: str) -> SignalTone:
    found = _TONE.fullmatch(text.strip())
    if found is None:
        raise StudyError(
            f'"{clipped(text)}" is no tone. Write frequency, amplitude, and the phase if wanted: tone 150 Hz 0.1 V 30°.'
        )
    return SignalTone(amount(found["f"], "Hz"), amount(found["level"], "V"), _degrees(found["phase"]) if found["phase"] else 0.0)
