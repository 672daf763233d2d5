"""Transducers: what stands between the conductor and the recorder, as a value, and as people write it."""

import re
from enum import StrEnum

import msgspec

from pantelos.amounts import NUMBER, figure
from pantelos.errors import ScalingError
from pantelos.units import Unit, ampere, unit


class TransducerKind(StrEnum):
    """What stands between the conductor and the recorder."""

    DIRECT = "direct"
    DIVIDER = "divider"  # ratio : 1
    TRANSFORMER = "transformer"  # ratio : 1, of currents or of voltages
    SHUNT = "shunt"  # ohms
    CLAMP = "clamp"  # volts (or amperes) per ampere
    FACTOR = "factor"  # any unit per recorder unit


class Transducer(msgspec.Struct, frozen=True):
    """One transducer and its figure, as in `divider 100`, `shunt 0.5 mohm`, `clamp 100 mV/A`, `factor 10 A/V`."""

    kind: TransducerKind = TransducerKind.DIRECT
    value: float = 1.0
    unit: str = "1"

    def factor(self, recorded: Unit) -> tuple[float, Unit]:
        """Return (SI value per SI unit recorded, unit of the quantity) behind this transducer."""
        own = unit(self.unit)
        match self.kind:
            case TransducerKind.DIRECT:
                return 1.0, recorded
            case TransducerKind.DIVIDER | TransducerKind.TRANSFORMER:
                return self.value, recorded if not recorded.like(unit("V")) else unit("V")
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
            case TransducerKind.DIVIDER | TransducerKind.TRANSFORMER:
                return f"{self.kind} {self.value:g}:1"
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


_UNIT = r"\s*([^\s\d/:,+]*)"
# As text: Python compiles them when they are first used, and a command that types no transducer starts sooner.
_RATIO = rf"({NUMBER})\s*[:/]\s*({NUMBER})$"
_QUOTIENT = rf"({NUMBER}){_UNIT}\s*/\s*({NUMBER})?{_UNIT}$"
_FIGURE = rf"({NUMBER}){_UNIT}$"


def bare_transducer(text: str, recorded: Unit) -> Transducer | None:
    """Return the transducer meant by a figure without a word, by its unit and that of the recorder; None where it is none.

    `200:1`; `10 mV/A`, `60 mV/240 A`, `10 mV/degC` (what it gives per quantity); `10 A/V`, `100 degC/V` (quantity per what the
    recorder reads); `100 A/5 A`, `20 kV/100 V` (transformers); `0.25 ohm`.

    Raises
    ------
    ScalingError
        When it is a figure, but of nothing that could stand before this recorder.
    """
    text = text.strip()
    if match := re.match(_RATIO, text):
        return _ratio(text, figure(match[1]), figure(match[2]), recorded)
    text = text.replace("°C", "degC")
    if match := re.match(_QUOTIENT, text):
        return _quotient(text, figure(match[1]), match[2], figure(match[3] or "1"), match[4], recorded)
    if match := re.match(_FIGURE, text):
        if match[2] and unit(match[2]).like(unit("ohm")):
            return _checked(Transducer(TransducerKind.SHUNT, figure(match[1]), match[2]), recorded)
        if not match[2]:
            raise ScalingError(f'"{text}" alone may mean many things. Write for example {text}:1, {text} mV/A or {text} A/V.')
        raise ScalingError(f'"{text}" is no transducer. Write what it gives for what, as in 100 mV/A, or a resistance.')
    return None


def _checked(found: Transducer, recorded: Unit) -> Transducer:
    if not found.value:
        raise ScalingError(f'"{found}": the figure must not be zero.')
    found.factor(recorded)
    return found


def _ratio(text: str, above: float, below: float, recorded: Unit) -> Transducer:
    if not above or not below:
        raise ScalingError(f'"{text}": the figure must not be zero.')
    if abs(above) < abs(below):
        raise ScalingError(f'"{text}" would make it smaller. Write {below:g}:{above:g} when the recorder sees the smaller side.')
    kind = TransducerKind.TRANSFORMER if recorded.like(ampere()) else TransducerKind.DIVIDER
    return _checked(Transducer(kind, above / below), recorded)


def _quotient(text: str, above: float, above_unit: str, below: float, below_unit: str, recorded: Unit) -> Transducer:
    """Return what `60 mV/240 A` means: a clamp, a transformer, a sensor."""
    one, other = unit(above_unit or "1"), unit(below_unit or "1")
    if not above or not below:
        raise ScalingError(f'"{text}": the figure must not be zero.')
    if one.like(other):
        ratio = above * one.factor / (below * other.factor)
        return msgspec.structs.replace(_ratio(text, ratio, 1.0, recorded), kind=TransducerKind.TRANSFORMER)
    if recorded.like(ampere()) and one.like(unit("V")) and other.like(ampere()):
        raise ScalingError(f'"{text}" gives volts, but the recorder reads in {recorded.symbol}. Set the recorder to V first.')
    if one.like(recorded) and other.like(ampere()):
        return _checked(Transducer(TransducerKind.CLAMP, above / below, f"{above_unit}/{below_unit}"), recorded)
    if one.like(recorded):
        return _checked(Transducer(TransducerKind.FACTOR, below / above, f"{below_unit}/{above_unit}"), recorded)
    if other.like(recorded):
        return _checked(Transducer(TransducerKind.FACTOR, above / below, f"{above_unit}/{below_unit}"), recorded)
    raise ScalingError(
        f'"{text}" does not fit a recorder that reads in {recorded.symbol}: one of the two units must be a {recorded.symbol}.'
    )
