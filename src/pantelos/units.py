"""Units as values: a symbol to show, a factor to SI, a dimension to check.

pint knows the units; it is asked when a unit is named or a formula is compiled, never per sample.
Samples are held in coherent SI units throughout, prefixes are chosen when a number is shown.
"""

import math
import re
from collections.abc import Mapping
from fractions import Fraction
from functools import cache
from types import MappingProxyType
from typing import TYPE_CHECKING, TypeAlias

import msgspec

from pantelos.errors import UnitError, clipped
from pantelos.folders import cache_directory

if TYPE_CHECKING:
    import pint

Dimension: TypeAlias = tuple[tuple[str, Fraction], ...]


class Unit(msgspec.Struct, frozen=True):
    """A unit of measure: `1 symbol = factor` in coherent SI units of `dimension`."""

    symbol: str
    factor: float = 1.0
    dimension: Dimension = ()

    def like(self, other: "Unit") -> bool:
        """Return whether the two measure the same kind of quantity: a speed of rotation and a frequency do not."""
        return measured(self.dimension) == measured(other.dimension)

    def __mul__(self, other: "Unit") -> "Unit":
        return coherent(_combine(self.dimension, other.dimension, 1))

    def __truediv__(self, other: "Unit") -> "Unit":
        return coherent(_combine(self.dimension, other.dimension, -1))

    def __pow__(self, exponent: Fraction) -> "Unit":
        return coherent(tuple((base, power * exponent) for base, power in self.dimension))


def _combine(left: Dimension, right: Dimension, sign: int) -> Dimension:
    powers = dict(left)
    for base, power in right:
        powers[base] = powers.get(base, Fraction(0)) + sign * power
    return tuple(sorted((base, power) for base, power in powers.items() if power))


@cache
def measured(dimension: Dimension) -> Dimension:
    """Return what a dimension measures.

    An angle is a pure number, as in SI, except where leaving it out would hide a 2π: in speeds of rotation (rad/s is not Hz),
    and in torque (J/rad), so that torque times frequency is no power.
    """
    powers = dict(dimension)
    angle = powers.pop("radian", Fraction(0))
    if not angle or (angle, tuple(sorted(powers.items()))) in _ANGULAR:
        return dimension
    return tuple(sorted(powers.items()))


def turned(own: Unit, other: Unit) -> float | None:
    """Return by what an SI value is multiplied to be said in another unit: 1 where both measure the same; None where neither can.

    Between a frequency and a speed of rotation one cycle is one turn, 2π; torque and work of a lever differ in nothing else.
    """
    if own.like(other):
        return 1.0
    mine, its = measured(own.dimension), measured(other.dimension)
    if {mine, its} == {_TORQUE, _JOULE}:
        return 1.0
    if {mine, its} == {_HERTZ, _SPEED}:
        return 2 * math.pi if mine == _HERTZ else 0.5 / math.pi
    return None


# Spellings found on recorders and in files that pint does not read, or reads as something else.
_SPELLINGS: Mapping[str, str] = MappingProxyType(
    {"Nm": "N*m", "N m": "N*m", "1/min": "rpm", "min-1": "rpm", "min⁻¹": "rpm",
     "min^-1": "rpm", "min**-1": "rpm", "mNm": "mN*m", "kNm": "kN*m", "cycles": "cycle", "s^-1": "1/s", "s⁻¹": "1/s",
     "r/min": "rpm",
     "%": "percent", "°": "degree", "deg": "degree", "Ω": "ohm", "Ohm": "ohm", "°C": "celsius_reading",
     "degC": "celsius_reading", "Vrms": "V", "Arms": "A", "U/min": "rpm", "Umin": "rpm", "tr/min": "rpm", "r.p.m.": "rpm",
     "": "dimensionless", "1": "dimensionless"}
)  # fmt: skip
# Units written out, in small letters; prefixes are not told apart by letters of either size there.
_WORDS: Mapping[str, str] = MappingProxyType(
    {"volt": "V", "volts": "V", "millivolt": "mV", "millivolts": "mV", "kilovolt": "kV", "amp": "A", "amps": "A", "ampere": "A",
     "amperes": "A", "ampère": "A", "ampères": "A", "amperio": "A", "amperios": "A", "voltio": "V", "voltios": "V",
     "milliamp": "mA", "milliamps": "mA", "milliampere": "mA", "watt": "W", "watts": "W", "kilowatt": "kW", "vatio": "W",
     "sec": "s", "secs": "s", "second": "s", "seconds": "s", "sekunde": "s", "sekunden": "s", "sek": "s", "seconde": "s",
     "secondes": "s", "segundo": "s", "segundos": "s", "secondi": "s", "msec": "ms", "millisecond": "ms", "milliseconds": "ms",
     "millisekunden": "ms", "usec": "us", "microseconds": "us", "mikrosekunden": "us", "nsec": "ns", "nanoseconds": "ns",
     "hertz": "Hz", "kilohertz": "kHz", "ohms": "ohm", "joules": "J"}
)  # fmt: skip
# Signs of one look and two code points, brought to one.
_SAME_LOOK = str.maketrans({"\N{OHM SIGN}": "Ω", "\N{MICRO SIGN}": "u", "\N{GREEK SMALL LETTER MU}": "u", "\N{MIDDLE DOT}": "*",
                            "\N{DOT OPERATOR}": "*"})  # fmt: skip
# The symbol shown for a coherent SI unit; the first that fits the dimension wins.
_PREFERRED = ("V", "A", "W", "ohm", "J", "s", "Hz", "C", "F", "H", "Wb", "N", "kg", "m", "K", "S",
              "m/s", "V/s", "A/s", "W/s", "ohm/s", "Hz/s", "V**2", "A**2",
              "rad", "rad/s", "N*m", "W/rad", "rad/s**2", "cycle", "dB")  # fmt: skip
_SHOWN: Mapping[str, str] = MappingProxyType(
    {"ohm": "Ω", "N*m": "N·m", "mN*m": "mN·m", "kN*m": "kN·m", "cycle": "cycles", "rad/s**2": "rad/s²",
     "rpm": "min⁻¹", "percent": "%", "degree": "°", "dimensionless": "1",
     "celsius_reading": "°C", "V**2": "V²", "A**2": "A²"}
)  # fmt: skip


def _of(**powers: int) -> Dimension:
    return tuple(sorted((base, Fraction(power)) for base, power in powers.items()))


_VOLT = _of(kilogram=1, meter=2, second=-3, ampere=-1)
_WATT = _of(kilogram=1, meter=2, second=-3)
_OHM = _of(kilogram=1, meter=2, second=-3, ampere=-2)
_JOULE, _TORQUE = _of(kilogram=1, meter=2, second=-2), _of(kilogram=1, meter=2, second=-2, radian=-1)
_HERTZ, _SPEED = _of(second=-1), _of(radian=1, second=-1)
_ANGULAR = frozenset(
    (powers.pop("radian"), tuple(sorted(powers.items())))
    for powers in map(dict, (_SPEED, _of(radian=1, second=-2), _TORQUE, _of(kilogram=1, meter=2, second=-3, radian=-1)))
)  # speed and acceleration of rotation, torque, torque times frequency
# What nearly every record uses, so that opening one does not wait for pint; a test holds them against it.
_COMMON: Mapping[str, tuple[float, Dimension]] = MappingProxyType(
    {"dimensionless": (1.0, ()), "percent": (0.01, ()), "V": (1.0, _VOLT), "mV": (1e-3, _VOLT),
     "degree": (math.pi / 180, _of(radian=1)), "rad": (1.0, _of(radian=1)),
     "kV": (1e3, _VOLT), "A": (1.0, _of(ampere=1)), "mA": (1e-3, _of(ampere=1)), "kA": (1e3, _of(ampere=1)), "W": (1.0, _WATT),
     "kW": (1e3, _WATT), "VA": (1.0, _WATT), "var": (1.0, _WATT), "ohm": (1.0, _OHM), "mohm": (1e-3, _OHM), "mV/A": (1e-3, _OHM),
     "V/A": (1.0, _OHM), "J": (1.0, _JOULE), "N*m": (1.0, _TORQUE), "mN*m": (1e-3, _TORQUE), "kN*m": (1e3, _TORQUE),
     "s": (1.0, _of(second=1)), "ms": (1e-3, _of(second=1)), "us": (1e-6, _of(second=1)), "Hz": (1.0, _of(second=-1)),
     "ns": (1e-9, _of(second=1)), "kHz": (1e3, _of(second=-1)), "MHz": (1e6, _of(second=-1)), "uV": (1e-6, _VOLT),
     "uA": (1e-6, _of(ampere=1)), "rpm": (math.pi / 30, _SPEED), "cycle": (1.0, _of(cycle=1)), "dB": (1.0, _of(decibel=1)),
     "K": (1.0, _of(kelvin=1)),
     "C": (1.0, _of(second=1, ampere=1))}
)  # fmt: skip
# What products of them are shown in.
_SELDOM: Mapping[str, tuple[float, Dimension]] = MappingProxyType(
    {"kg": (1.0, _of(kilogram=1)), "m": (1.0, _of(meter=1)), "N": (1.0, _of(kilogram=1, meter=1, second=-2)),
     "F": (1.0, _of(kilogram=-1, meter=-2, second=4, ampere=2)), "H": (1.0, _of(kilogram=1, meter=2, second=-2, ampere=-2)),
     "Wb": (1.0, _of(kilogram=1, meter=2, second=-2, ampere=-1)), "S": (1.0, _of(kilogram=-1, meter=-2, second=3, ampere=2))}
)  # fmt: skip
_LONGEST = 60  # letters of a unit
_SHAPE = re.compile(r"(1\s*/\s*)?[A-Za-z_]+(\*\*-?\d)?(\s*[*/]\s*[A-Za-z_]+(\*\*-?\d)?)*")


@cache
def _registry() -> "pint.UnitRegistry[float]":
    import pint  # here, for the sake of a quick start: most runs need units late or from the cache

    registry: pint.UnitRegistry[float] = pint.UnitRegistry(cache_folder=str(cache_directory() / "units"))
    registry.define("var = volt * ampere")
    registry.define("varh = volt * ampere * hour")
    registry.define("VAh = volt * ampere * hour")
    registry.define("celsius_reading = kelvin")  # differences only: no offset is applied
    return registry


@cache
def unit(text: str) -> Unit:
    """Return the unit written as `text`, such as `mV/A`, `kW`, `Ω`, `N·m` or `min⁻¹`.

    Raises
    ------
    UnitError
        When the text names no unit.
    """
    if len(text) > _LONGEST:
        raise UnitError(f'"{clipped(text)}" is not a unit. Write it like V, mA, mV/A, kW or ohm.')
    bare = text.strip().strip("[]()").strip()
    word = _WORDS.get(bare.lower())
    bare = (word or bare).translate(_SAME_LOOK)
    plain = _SPELLINGS.get(bare, bare).replace("Ω", "ohm").replace("²", "**2").replace("^", "**")
    factor, dimension = _known(plain) or _quotient(plain) or ask_pint(plain, text)
    shown = _SHOWN.get(plain, bare.replace("**", "^").replace("*", "·").replace("Ohm", "Ω").replace("ohm", "Ω"))
    return Unit(re.sub(r"\bu(?=[VAWsHFNmJCΩ])", "µ", shown), factor, dimension)


def _known(plain: str) -> tuple[float, Dimension] | None:
    """Return factor and dimension of a common unit or its square, or None."""
    base = plain.removesuffix("**2")
    found = _COMMON.get(base) or _SELDOM.get(base)
    if found is None or base == plain:
        return found
    if not base.isalpha():  # the last factor's square alone
        return None
    return found[0] ** 2, _combine(found[1], found[1], 1)


def _quotient(plain: str) -> tuple[float, Dimension] | None:
    """Return factor and dimension of a common unit per common unit, such as `rpm/V`, or None."""
    above, below = (_known(part.strip()) for part in plain.partition("/")[::2])
    if above is None or below is None:
        return None
    return above[0] / below[0], _combine(above[1], below[1], -1)


def ask_pint(plain: str, text: str) -> tuple[float, Dimension]:
    """Return (factor to SI, dimension) of a unit in pint's spelling; `text` is what the user wrote, for the message.

    Raises
    ------
    UnitError
        When pint does not know it.
    """
    if not _SHAPE.fullmatch(plain):
        raise UnitError(f'"{text}" is not a unit. Write it like V, mA, mV/A, kW or ohm.')
    import pint

    try:
        quantity = _registry().Quantity(1.0, plain).to_base_units()
    except (pint.PintError, AttributeError, ValueError) as cause:
        raise UnitError(f'"{text}" is not a known unit. Write it like V, mA, mV/A, kW or ohm.') from cause
    bases = ((str(base), Fraction(str(power))) for base, power in quantity.unit_items())
    return float(quantity.magnitude), tuple(sorted(bases))


@cache
def coherent(dimension: Dimension) -> Unit:
    """Return the coherent SI unit of a dimension under the symbol the trade uses for it."""
    if not dimension:
        return ONE
    shown = measured(dimension) or dimension
    for name in _PREFERRED:  # the common ones first: asking pint takes its time
        found = unit(name)
        if found.dimension == shown and found.factor == 1.0:
            return Unit(found.symbol, 1.0, dimension)  # an angle that is not shown may yet cancel
    base = {"kilogram": "kg", "meter": "m", "second": "s", "ampere": "A", "kelvin": "K", "radian": "rad", "decibel": "dB"}
    # Voltage is what our users think in, so kg·m² leaves as V·A·s³ wherever a mass remains.
    powers = dict(shown)
    mass = powers.pop("kilogram", Fraction(0))
    if mass and powers.get("meter", Fraction(0)) == 2 * mass:
        powers.pop("meter")
        powers["second"] = powers.get("second", Fraction(0)) + 3 * mass
        powers["ampere"] = powers.get("ampere", Fraction(0)) + mass
        powers["V"] = mass
    elif mass:
        powers["kilogram"] = mass
    parts = [base.get(name, name) + (f"^{power}" if power != 1 else "")
             for name, power in sorted(powers.items(), key=lambda item: (-item[1], item[0])) if power]  # fmt: skip
    return Unit("·".join(parts), 1.0, dimension)


ONE = Unit("1")


def common_symbols() -> tuple[str, ...]:
    """Return the units that nearly every record uses, as they are typed."""
    return tuple(dict.fromkeys(unit(name).symbol for name in _COMMON if name not in ("dimensionless", "celsius_reading")))


def ampere() -> Unit:
    """Return the ampere."""
    return unit("A")
