"""The scaling chain of a channel: recorder, transducer, direction; readable as a line of text.

x = (raw - offset) * transducer * polarity. The text form, used on the command line and shown in the
window, is a list such as `clamp 100 mV/A, reversed, offset 2 mV, range 5 V, accuracy 0.5 % + 20 mA, resolution 0.5 mV,
noise 1 mV, delay 1 us`.
"""

import math
import re
from enum import StrEnum

import msgspec

from pantelos.accuracy.budget import Input, Shape
from pantelos.errors import ScalingError
from pantelos.units import Unit, ampere, unit


class TransducerKind(StrEnum):
    """What stands between the conductor and the recorder."""

    DIRECT = "direct"
    DIVIDER = "divider"  # ratio : 1
    SHUNT = "shunt"  # ohms
    CLAMP = "clamp"  # volts (or amperes) per ampere
    FACTOR = "factor"  # any unit per recorder unit


class Transducer(msgspec.Struct, frozen=True):
    """One transducer and its figure: `divider 100`, `shunt 0.5 mohm`, `clamp 100 mV/A`, `factor 10 A/V`."""

    kind: TransducerKind = TransducerKind.DIRECT
    value: float = 1.0
    unit: str = "1"

    def factor(self, recorded: Unit) -> tuple[float, Unit]:
        """Return (SI value per SI unit recorded, unit of the quantity) behind this transducer."""
        own = unit(self.unit)
        match self.kind:
            case TransducerKind.DIRECT:
                return 1.0, recorded
            case TransducerKind.DIVIDER:
                return self.value, unit("V") if recorded.like(unit("V")) else recorded
            case TransducerKind.SHUNT:
                if not own.like(unit("ohm")):
                    raise ScalingError(
                        f"shunt {self.value:g} {self.unit}: the figure must be a resistance, as in shunt 0.5 mohm."
                    )
                self._check_recorded(recorded)
                return 1.0 / (self.value * own.factor), ampere()
            case TransducerKind.CLAMP:
                if not own.like(recorded / ampere()):
                    raise ScalingError(
                        f"clamp {self.value:g} {self.unit}: the figure must be in {recorded.symbol} per "
                        "ampere, as in clamp 100 mV/A."
                    )
                return 1.0 / (self.value * own.factor), ampere()
            case TransducerKind.FACTOR:
                return self.value * own.factor, _named(self.unit, recorded * own)

    def _check_recorded(self, recorded: Unit) -> None:
        if not recorded.like(unit("V")):
            raise ScalingError(
                f"A shunt gives volts, but the recorder states {recorded.symbol}. Set the recorder unit, or use a factor."
            )

    def __str__(self) -> str:
        match self.kind:
            case TransducerKind.DIRECT:
                return "direct"
            case TransducerKind.DIVIDER:
                return f"divider {self.value:g}:1"
            case _:
                return f"{self.kind} {self.value:g} {'' if self.unit == '1' else unit(self.unit).symbol}".rstrip()


def _named(text: str, result: Unit) -> Unit:
    """Return the unit that a factor such as `10 rpm/V` leads to, under the name the user gave it."""
    above = text.split("/", maxsplit=1)[0].strip()
    if "/" in text and above not in ("", "1"):
        named = unit(above)
        if named.like(result):
            return named
    return result


class Accuracy(msgspec.Struct, frozen=True):
    """How far the chain may be off: limits of gain and offset, resolution and noise of the recorder, limit of delay."""

    gain_percent: float = 0.0  # limit, share of the reading
    offset: float = 0.0  # limit, in the channel's SI unit
    resolution: float = 0.0  # step of the recorder, in the recorder unit
    noise: float = 0.0  # rms, in the recorder unit
    delay_s: float = 0.0  # limit, against the other channels


class Scaling(msgspec.Struct, frozen=True):
    """How recorded numbers become the quantity; all values as stated, none derived."""

    transducer: Transducer = Transducer()
    reversed: bool = False
    offset: float = 0.0  # in the recorder unit, subtracted first
    recorder_range: float | None = None  # full scale either side of zero, in the recorder unit
    accuracy: Accuracy | None = None

    def resolve(self, recorder_unit: Unit) -> tuple[float, float, Unit]:
        """Return (gain, zero, unit): SI value = gain * recorded + zero, for a recorder in `recorder_unit`."""
        factor, result = self.transducer.factor(recorder_unit)
        gain = factor * recorder_unit.factor * (-1.0 if self.reversed else 1.0)
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
        if self.accuracy is None:
            return ()
        stated, (gain, _, _) = self.accuracy, self.resolve(recorder_unit)
        found = (
            Input("gain", channel, Shape.RECTANGULAR, Shape.RECTANGULAR.standard(stated.gain_percent / 100)),
            Input("offset", channel, Shape.RECTANGULAR, Shape.RECTANGULAR.standard(stated.offset)),
            Input("resolution", channel, Shape.RECTANGULAR, Shape.RECTANGULAR.standard(abs(gain) * stated.resolution / 2)),
            Input("noise", channel, Shape.NORMAL, abs(gain) * stated.noise),
            Input("delay", channel, Shape.RECTANGULAR, Shape.RECTANGULAR.standard(stated.delay_s)),
        )
        return tuple(one for one in found if one.standard > 0)

    def text(self, recorder_unit: Unit) -> str:
        """Return the chain in its text form, parts that say nothing left out."""
        parts = [] if self.transducer.kind is TransducerKind.DIRECT else [str(self.transducer)]
        if self.reversed:
            parts.append("reversed")
        if self.offset:
            parts.append(f"offset {self.offset:g} {recorder_unit.symbol}")
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
        return ", ".join(parts) or "direct"


_NUMBER = r"([-+\N{MINUS SIGN}]?\d+(?:\.\d*)?(?:[eE][-+]?\d+)?)"
_PART = re.compile(rf"(?P<word>[a-z]+)\s*{_NUMBER}\s*(?P<unit>[^\s:,+]*)(?:\s*:\s*1)?$")
_ACCURACY = re.compile(rf"accuracy\s*{_NUMBER}\s*%(?:\s*\+\s*{_NUMBER}\s*(?P<unit>\S+))?$")


def parse_scaling(text: str, recorder_unit: Unit) -> Scaling:
    """Return the chain written as `text`; see the module for the form.

    Raises
    ------
    ScalingError
        When a part is not understood or its unit does not fit.
    """
    scaling = Scaling()
    for part in (part.strip() for part in text.split(",")):
        if part in ("", "direct", "as wired"):
            continue
        if part == "reversed":
            scaling = msgspec.structs.replace(scaling, reversed=True)
        elif match := _ACCURACY.match(part):
            offset = _value(match[2] or "0") * (unit(match["unit"]).factor if match["unit"] else 1.0)
            scaling = _with_accuracy(scaling, gain_percent=_value(match[1]), offset=offset)
        elif match := _PART.match(part):
            scaling = _with_part(scaling, match["word"], _value(match[2]), match["unit"], recorder_unit, part)
        else:
            raise _not_understood(part)
    scaling.resolve(recorder_unit)
    return scaling


def _value(text: str) -> float:
    value = float(text.replace("\N{MINUS SIGN}", "-"))
    if not math.isfinite(value):
        raise ScalingError(f"{text} is too large for a figure of a scaling chain.")
    return value


def _with_accuracy(scaling: Scaling, **stated: float) -> Scaling:
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
    if word not in ("divider", "shunt", "clamp", "factor"):
        raise _not_understood(part)
    if not value:
        raise ScalingError(f'"{part}": the figure must not be zero.')
    kind = TransducerKind(word)
    return msgspec.structs.replace(
        scaling, transducer=Transducer(kind, value, "1" if kind is TransducerKind.DIVIDER else symbol or "1")
    )


def _not_understood(part: str) -> ScalingError:
    return ScalingError(
        f'"{part}" is not a part of a scaling chain. Write for example: clamp 100 mV/A, reversed, '
        "offset 2 mV, range 5 V, accuracy 0.5 % + 20 mA, resolution 0.5 mV, noise 1 mV, delay 1 us; or divider 100:1, "
        "shunt 0.5 mohm, factor 10 A/V."
    )
