"""The scaling chain of a channel: recorder, transducer, direction; readable as a line of text.

x = (raw - offset) * transducer * polarity. The text form, used on the command line and shown in the
window, is a list such as `clamp 100 mV/A, reversed, offset 2 mV, range 5 V, accuracy 0.5 % + 20 mA, resolution 0.5 mV,
noise 1 mV, delay 1 us, phase 0.5 deg, class 0.5, corrected 0.9987, lag 18.75 us`, and of what a certificate says over frequency,
`response 50 Hz 0.9987 ±0.0005 -0.12 ±0.02 deg; 2.5 kHz 0.982 -1.8 deg`.
"""

import math
import re
from collections.abc import Callable
from typing import Any

import msgspec

from pantelos.accuracy.budget import CERTIFIED_GAIN, CERTIFIED_PHASE, NOISE, PHASE, RESOLUTION, Input, Shape
from pantelos.accuracy.instrument_classes import InstrumentClass
from pantelos.amounts import NUMBER, amount_of, figure
from pantelos.errors import ScalingError, StudyError
from pantelos.record.response import RADIANS, Response, parse_response
from pantelos.record.transducer import Transducer, TransducerKind, bare_transducer
from pantelos.units import ONE, Unit, unit


class PhaseLimit(msgspec.Struct, frozen=True):
    """How far the phase may be displaced: at the fundamental, or where the data sheet says it."""

    limit: float  # rad
    at_hz: float = 0.0  # 0: at the fundamental

    @property
    def text(self) -> str:
        """The limit as it is written in a chain."""
        return f"phase {math.degrees(self.limit):.12g} deg" + (f" at {self.at_hz:g} Hz" if self.at_hz else "")


class Accuracy(msgspec.Struct, frozen=True):
    """How far the chain may be off: limits of gain, offset, delay and phase, resolution and noise of the recorder, a class."""

    gain_percent: float = 0.0  # limit, share of the reading
    offset: float = 0.0  # limit, in the channel's SI unit
    resolution: float = 0.0  # step of the recorder, in the recorder unit
    noise: float = 0.0  # rms, in the recorder unit
    delay_s: float = 0.0  # limit, against the other channels
    phase: PhaseLimit | None = None
    grade: InstrumentClass | None = None  # of an instrument transformer


class Scaling(msgspec.Struct, frozen=True):
    """How recorded numbers become the quantity; all values as stated, none derived."""

    transducer: Transducer = Transducer()
    reversed: bool = False
    offset: float = 0.0  # in the recorder unit, subtracted first
    recorder_range: float | None = None  # full scale either side of zero, in the recorder unit
    accuracy: Accuracy | None = None
    corrected: float = 1.0  # what readings are multiplied by, after a calibration
    lag_s: float = 0.0  # known: what is read came so much earlier; taken off
    response: Response | None = None  # known over frequency; taken off

    @property
    def corrections(self) -> str:
        """What is taken off, in a few words; empty where nothing is."""
        parts = [f"corrected {self.corrected:.12g}"] if self.corrected != 1.0 else []
        parts += [f"lag {self.lag_s:.6g} s"] if self.lag_s else []
        return ", ".join([*parts, *([self.response.brief] if self.response is not None else [])])

    @property
    def as_read(self) -> "Scaling":
        """The chain with nothing taken off."""
        return msgspec.structs.replace(self, corrected=1.0, lag_s=0.0, response=None)

    def resolve(self, recorder_unit: Unit) -> tuple[float, float, Unit]:
        """Return (gain, zero, unit): SI value = gain * recorded + zero, for a recorder in `recorder_unit`."""
        factor, result = self.transducer.factor(recorder_unit)
        gain = factor * recorder_unit.factor * (-1.0 if self.reversed else 1.0) * self.corrected
        return gain, -self.offset * gain, result

    def full_scale(self, recorder_unit: Unit) -> float | None:
        """Return the largest magnitude the chain can carry, SI; None when the recorder range is not stated."""
        if self.recorder_range is None:
            return None
        gain, _, _ = self.resolve(recorder_unit)
        return abs(gain) * self.recorder_range

    def inputs(self, channel: str, recorder_unit: Unit) -> tuple[Input, ...]:
        """Return the stated sources of uncertainty of a channel, SI; gain as a share of the reading.

        Source: GUM 4.3.7 (limits without further knowledge are rectangular), 4.3.5 note (a step q has q / sqrt(12)).
        """
        certified = (
            []
            if self.response is None
            else [
                Input(CERTIFIED_GAIN, channel, Shape.NORMAL, self.response.u_gain),
                Input(CERTIFIED_PHASE, channel, Shape.NORMAL, self.response.u_phase),
            ]
        )
        if self.accuracy is None:
            return tuple(one for one in certified if one.standard > 0)
        stated, (gain, _, result) = self.accuracy, self.resolve(recorder_unit)
        ratio, grade_phase = (0.0, None) if stated.grade is None else stated.grade.limits(result.like(unit("A")))
        if self.response is not None:  # a certificate tells more than the class
            ratio, grade_phase = (0.0 if self.response.u_gain else ratio), (None if self.response.u_phase else grade_phase)
        limits = (
            *certified,
            Input("gain", channel, Shape.RECTANGULAR, stated.gain_percent / 100),
            Input("ratio", channel, Shape.RECTANGULAR, ratio / 100),
            Input("offset", channel, Shape.RECTANGULAR, stated.offset),
            Input(RESOLUTION, channel, Shape.RECTANGULAR, abs(gain) * stated.resolution / 2),
            Input(NOISE, channel, Shape.NORMAL, abs(gain) * stated.noise),
            Input("delay", channel, Shape.RECTANGULAR, stated.delay_s),
            *([Input(PHASE, channel, Shape.RECTANGULAR, stated.phase.limit, stated.phase.at_hz)] if stated.phase else []),
            *([Input(PHASE, channel, Shape.RECTANGULAR, grade_phase)] if grade_phase else []),
        )
        return tuple(
            msgspec.structs.replace(one, standard=one.shape.standard(one.standard)) for one in limits if one.standard > 0
        )

    def tells_phase(self, of_current: bool) -> bool:
        """Return whether the chain says how far its phase may be displaced, or that it is not."""
        stated = self.accuracy
        if self.response is not None and self.response.u_phase:
            return True
        if stated is None:
            return False
        by_class = stated.grade is not None and stated.grade.limits(of_current)[1] is not None
        return stated.phase is not None or bool(stated.delay_s) or by_class

    def text(self, recorder_unit: Unit) -> str:
        """Return the chain in its text form, parts that say nothing left out."""
        parts = [] if self.transducer.kind is TransducerKind.DIRECT else [str(self.transducer)]
        if self.reversed:
            parts.append("reversed")
        if self.offset:
            parts.append(f"offset {self.offset:g} {recorder_unit.symbol}")
        if self.corrected != 1.0:
            parts.append(f"corrected {self.corrected:.12g}")
        if self.lag_s:
            parts.append(f"lag {self.lag_s:.12g} s")
        if self.response is not None:
            parts.append(self.response.text)
        if self.recorder_range is not None:
            parts.append(f"range {self.recorder_range:g} {recorder_unit.symbol}")
        if self.accuracy is not None:
            _, _, result = self.resolve(recorder_unit)
            stated = self.accuracy
            if stated.gain_percent or stated.offset:
                parts.append(f"accuracy {stated.gain_percent:g} % + {stated.offset / result.factor:g} {result.symbol}")
            for word, amount in (("resolution", stated.resolution), ("noise", stated.noise)):
                parts += [f"{word} {amount:g} {recorder_unit.symbol}"] if amount else []
            parts += [f"delay {stated.delay_s:g} s"] if stated.delay_s else []
            parts += [stated.phase.text] if stated.phase is not None else []
            parts += [stated.grade.text] if stated.grade is not None else []
        return ", ".join(parts) or "direct"


_BY_RATIO = (TransducerKind.DIVIDER, TransducerKind.TRANSFORMER)
# Words that may stand before two figures: transformer 100 A/5 A, clamp 60 mV/240 A, divider 1000:10.
_RATIOS = {
    "transformer": (TransducerKind.TRANSFORMER,),
    "divider": (TransducerKind.DIVIDER,),
    "clamp": (TransducerKind.CLAMP,),
    "shunt": (TransducerKind.CLAMP,),
    "sensor": (TransducerKind.FACTOR,),
}
_FIGURED = ("sensor",)  # a word that stands before two figures only
_PART = rf"(?P<word>[a-z]+)\s*(?P<number>{NUMBER})\s*(?P<unit>[^\s:,+]*)(?:\s*:\s*1)?$"
_ANGLE = rf"(?P<number>{NUMBER})\s*(?P<unit>deg|°|min|rad|mrad|crad)(?:\s+at\s+(?P<at>{NUMBER}\s*\S+))?$"
_CLASS = rf"class\s*(?P<name>\d+(?:\.\d+)?S?)(?:\s+at\s+(?P<at>{NUMBER})\s*%)?$"
_ACCURACY = rf"accuracy\s*(?P<share>{NUMBER})\s*%(?:\s*\+\s*(?P<offset>{NUMBER}\s*(?P<unit>\S+)))?$"


def parse_scaling(text: str, recorder_unit: Unit) -> Scaling:
    """Return the chain written as `text`; see the module for the form.

    Raises
    ------
    ScalingError
        When a part is not understood or its unit does not fit.
    """
    scaling = Scaling()
    limit: str | None = None  # the unit a limit of error is stated in
    for part in (part.strip() for part in text.split(",")):
        if part in ("", "direct", "as wired"):
            continue
        if part == "reversed":
            scaling = msgspec.structs.replace(scaling, reversed=True)
        elif match := re.match(_ACCURACY, part):
            offset = amount_of(match["offset"])[0] if match["offset"] else 0.0
            scaling = _with_accuracy(scaling, gain_percent=_value(match["share"]), offset=offset)
            limit = match["unit"] or limit
        elif stated := next((take for word, take in _STATED.items() if part.startswith(word)), None):
            scaling = stated(scaling, part)
        elif (match := re.match(_PART, part)) and match["word"] not in _FIGURED:
            scaling = _with_part(scaling, match["word"], _value(match["number"]), match["unit"], recorder_unit, part)
        else:
            word, _, figure = part.partition(" ")
            found = bare_transducer(figure if word in _RATIOS else part, recorder_unit)
            if found is None or (word in _RATIOS and found.kind not in _RATIOS[word]):
                raise _not_understood(part)
            scaling = msgspec.structs.replace(scaling, transducer=found)
    _, _, result = scaling.resolve(recorder_unit)
    if scaling.accuracy is not None and scaling.accuracy.grade is not None:
        scaling.accuracy.grade.limits(result.like(unit("A")))
    if limit is not None and not unit(limit).like(result):
        raise ScalingError(f"The accuracy is stated in {limit}, but the channel reads in {result.symbol}. State it anew.")
    return scaling


def _value(text: str) -> float:
    value = figure(text)
    if math.isnan(value):
        raise ScalingError(f"{text} is too large for a figure of a scaling chain.")
    return value


def _phase(part: str) -> PhaseLimit:
    """Return a limit of phase displacement as it is written."""
    match = re.match(rf"phase\s*{_ANGLE}", part)
    if match is None:
        raise ScalingError(f'"{part}": a phase is an angle, such as phase 0.5 deg, phase 30 min, or phase 0.5 deg at 50 Hz.')
    return PhaseLimit(_value(match["number"]) * RADIANS[match["unit"]], _at_hz(part, match))


def _lag(part: str) -> float:
    """Return a known lag as it is written, as a time or as an angle at a frequency, s."""
    if match := re.match(rf"lag\s*{_ANGLE}", part):
        at_hz = _at_hz(part, match)
        if not at_hz:
            raise ScalingError(f'"{part}": say at which frequency, such as lag 0.12 deg at 50 Hz.')
        return _value(match["number"]) * RADIANS[match["unit"]] / (2 * math.pi * at_hz)
    try:
        value, given = amount_of(part.removeprefix("lag"))
    except StudyError:
        value, given = 0.0, ONE
    if not given.like(unit("s")):
        raise ScalingError(
            f'"{part}": a lag is a time or an angle at a frequency, such as lag 18.75 us or lag 0.12 deg at 50 Hz.'
        )
    return value


def _at_hz(part: str, match: re.Match[str]) -> float:
    """Return the frequency that an angle is stated at; 0 where none is."""
    if not match["at"]:
        return 0.0
    at_hz, given = amount_of(match["at"])
    if not given.like(unit("Hz")) or not at_hz > 0:
        raise ScalingError(f'"{part}": after "at" stands a frequency, such as 50 Hz.')
    return at_hz


def _class(part: str) -> InstrumentClass:
    """Return an accuracy class as it is written."""
    match = re.match(_CLASS, part)
    if match is None:
        raise ScalingError(
            f'"{part}": a class is written as on the rating plate, such as class 0.5, class 0.2S or class 0.5 at 20 %.'
        )
    return InstrumentClass(match["name"], _value(match["at"]) if match["at"] else 100.0)


_STATED: dict[str, Callable[[Scaling, str], Scaling]] = {
    "phase": lambda scaling, part: _with_accuracy(scaling, phase=_phase(part)),
    "class": lambda scaling, part: _with_accuracy(scaling, grade=_class(part)),
    "lag": lambda scaling, part: msgspec.structs.replace(scaling, lag_s=_lag(part)),
    "response": lambda scaling, part: msgspec.structs.replace(scaling, response=parse_response(part.removeprefix("response"))),
}


def _with_accuracy(scaling: Scaling, **stated: Any) -> Scaling:
    """Return the chain with more said about its accuracy."""
    known = scaling.accuracy or Accuracy()
    return msgspec.structs.replace(scaling, accuracy=msgspec.structs.replace(known, **stated))


def _with_part(scaling: Scaling, word: str, value: float, symbol: str, recorder_unit: Unit, part: str) -> Scaling:
    """Return the chain with one more `word value unit` part."""
    if word == "delay":
        given = unit(symbol or "s")
        if not given.like(unit("s")):
            raise ScalingError(f'"{part}": a delay is a time, such as delay 1 us.')
        return _with_accuracy(scaling, delay_s=value * given.factor)
    if word in ("offset", "range", "resolution", "noise"):
        given = unit(symbol) if symbol else recorder_unit
        if not given.like(recorder_unit):
            raise ScalingError(f'"{part}": {word} is in the unit of the recorder, {recorder_unit.symbol}.')
        amount = value * given.factor / recorder_unit.factor
        if word in ("resolution", "noise"):
            return _with_accuracy(scaling, **{word: amount})
        return msgspec.structs.replace(scaling, **{"recorder_range" if word == "range" else "offset": amount})
    if word == "corrected":
        if symbol not in ("", "1") or not value > 0:
            raise ScalingError(f'"{part}": a correction is a factor above 0, such as corrected 0.9987.')
        return msgspec.structs.replace(scaling, corrected=value)
    if word not in ("divider", "transformer", "shunt", "clamp", "factor"):
        raise _not_understood(part)
    if not value:
        raise ScalingError(f'"{part}": the figure must not be zero.')
    kind = TransducerKind(word)
    return msgspec.structs.replace(scaling, transducer=Transducer(kind, value, "1" if kind in _BY_RATIO else symbol or "1"))


def _not_understood(part: str) -> ScalingError:
    return ScalingError(
        f'"{part}" is not a part of a scaling chain. Write for example: clamp 100 mV/A, reversed, '
        "offset 2 mV, range 5 V, accuracy 0.5 % + 20 mA, resolution 0.5 mV, noise 1 mV, "
        "delay 1 us, phase 0.5 deg, class 0.5, corrected 0.9987, lag 18.75 us, response table.csv; or divider 100:1, "
        "transformer 100 A/5 A, shunt 0.5 mohm or 60 mV/240 A, factor 10 A/V."
    )
