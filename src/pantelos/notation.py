"""How numbers are written: engineering prefixes, significant digits, times.

The one place that turns an SI value into text; axis labels, table cells and messages all come here.
"""

import math

from pantelos.units import Unit

_PREFIXES = {-12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M", 9: "G", 12: "T"}
_TAKE_PREFIX = frozenset({"V", "A", "W", "Ω", "J", "s", "Hz", "C", "F", "H", "VA", "var", "N·m", "N", "Wb", "S"})
MISSING = "—"
PARTLY = "*"  # behind an accuracy that leaves something out
_NOTHING = 1e-12  # below that a number in the unit it is shown in is rounding


def prefix_for(magnitude: float, unit: Unit) -> tuple[float, str]:
    """Return (scale, symbol): a value in SI divided by `scale` reads well with `symbol` behind it."""
    if unit.symbol not in _TAKE_PREFIX or unit.factor != 1.0:
        return unit.factor, unit.symbol if unit.symbol != "1" else ""
    if not math.isfinite(magnitude) or magnitude == 0:
        return 1.0, unit.symbol
    power = min(max(3 * math.floor(math.log10(abs(magnitude) * (1 + 1e-12)) / 3), -12), 12)
    return 10.0**power, _PREFIXES[power] + unit.symbol


def digits_after_point(magnitude: float, digits: int) -> int:
    """Return how many decimals show `digits` significant digits of a number of that size."""
    if not math.isfinite(magnitude) or magnitude == 0:
        return max(digits - 1, 0)
    return min(max(digits - 1 - math.floor(math.log10(abs(magnitude))), 0), 12)


def minus(text: str) -> str:
    """Return the text with a true minus sign; none before a number that is rounded to zero."""
    if text.startswith("-") and not text.strip("-0."):
        text = text[1:]
    return text.replace("-", "\N{MINUS SIGN}")


def number(value: float | None, digits: int = 5) -> str:
    """Return a plain number with `digits` significant digits; a missing one as a dash."""
    if value is None or not math.isfinite(value):
        return MISSING
    if abs(value) < _NOTHING:
        return "0"
    return minus(f"{value:.{digits_after_point(value, digits)}f}")


def with_unit(value: float | None, unit: Unit, digits: int = 5) -> str:
    """Return an SI value with prefix and unit, such as `14.620 A` or `3.21 kW`."""
    if value is None or not math.isfinite(value):
        return MISSING
    scale, symbol = prefix_for(value, unit)
    return f"{number(value / scale, digits)} {symbol}".rstrip()


def beside(value: float, size: float, unit: Unit, digits: int = 5) -> str:
    """Return an SI value with the prefix and the decimals of one of that size: what is nothing beside it reads as nothing."""
    if not (math.isfinite(value) and math.isfinite(size)) or not max(abs(value), abs(size)):
        return with_unit(value, unit, digits)
    largest = max(abs(value), abs(size))
    scale, symbol = prefix_for(largest, unit)
    return f"{minus(f'{value / scale:.{digits_after_point(largest / scale, digits)}f}')} {symbol}".rstrip()


def count(samples: float) -> str:
    """Return a count in words that fit a line: `480 k`, `2.5 M`."""
    scale, prefix = prefix_for(samples, Unit("S"))
    return f"{samples / scale:.4g} {prefix.removesuffix('S')}".rstrip()


def counted(n: int, what: str) -> str:
    """Return how many there are of something, in words: `1 connection`, `2 connections`."""
    return f"{n} {what}" + ("" if n == 1 else "s")


def sized(n_bytes: float) -> str:
    """Return a number of bytes as people read it."""
    for factor, symbol in ((1e12, "TB"), (1e9, "GB"), (1e6, "MB"), (1e3, "kB")):
        if n_bytes >= factor:
            return f"{n_bytes / factor:.3g} {symbol}"
    return f"{n_bytes:.0f} B"


def seconds(value: float, resolution_s: float = 1e-4) -> str:
    """Return an instant or a duration in seconds with the decimals that `resolution_s` deserves."""
    decimals = min(max(math.ceil(-math.log10(resolution_s)), 0), 9) if resolution_s > 0 else 6
    return minus(f"{value:.{decimals}f} s")


def from_to(start_s: float, stop_s: float, form: str = ".6g") -> str:
    """Return two instants in seconds as a stretch of time: `−0.05 s to 0.2 s`."""
    return minus(f"{start_s:{form}} s to {stop_s:{form}} s")


def duration(value: float, digits: int = 4) -> str:
    """Return a duration with a prefix that suits it: `60.00 ms`, `2.000 s`."""
    return with_unit(value, Unit("s"), digits)


def decimals_of(uncertainty: float) -> int:
    """Return how many decimals show two significant digits of an uncertainty; negative ones round before the point.

    Source: GUM 7.2.6.
    """
    power = math.floor(math.log10(uncertainty))
    rounded_up = round(uncertainty / 10.0 ** (power - 1)) >= 100  # 0.0996 becomes 0.10
    return 1 - power - rounded_up


def rounded(value: float, decimals: int) -> str:
    """Return a number rounded half to even to that many decimals, which may be negative."""
    return minus(f"{round(value, decimals):.{max(decimals, 0)}f}")


def with_accuracy(value: float, expanded: float, unit: Unit) -> str:
    """Return value and expanded uncertainty with digits that belong together: `575.0 W ± 1.5 W`; SI given."""
    if not math.isfinite(value):
        return MISSING
    if not math.isfinite(expanded) or expanded <= 0:
        return with_unit(value, unit)
    scale, symbol = prefix_for(max(abs(value), expanded), unit)
    decimals = decimals_of(expanded / scale)
    return f"{rounded(value / scale, decimals)} {symbol} ± {rounded(expanded / scale, decimals)} {symbol}".replace(
        "  ", " "
    ).strip()


def within_seen(value: float, seen: float, unit: Unit, digits: int = 8) -> str:
    """Return a value without accuracy with the digits that steps and noise of the record leave (`seen`, NaN: all); SI given."""
    if not math.isfinite(value) or not math.isfinite(seen) or seen <= 0:
        return with_unit(value, unit, digits)
    scale, symbol = prefix_for(max(abs(value), seen), unit)
    decimals = min(decimals_of(seen / scale), digits_after_point(value / scale, digits))
    return f"{rounded(value / scale, decimals)} {symbol}".strip()


def accuracy_apart(value: float, expanded: float, unit: Unit, digits: int = 5) -> tuple[str, str]:
    """Return value and accuracy for two lines, in one unit: `575.0 W` and `± 1.5 W`; the second empty where none is stated."""
    if not math.isfinite(expanded) or expanded <= 0:
        return with_unit(value, unit, digits), ""
    figure, sign, accuracy = with_accuracy(value, expanded, unit).partition(" ± ")
    return figure, f"± {accuracy}" if sign else ""


def with_accuracy_once(value: float, expanded: float, unit: Unit) -> str:
    """Return the same with the unit once, for narrow places: `575.0 ± 1.5 W`."""
    text = with_accuracy(value, expanded, unit)
    figure, sign, accuracy = text.partition(" ± ")
    return f"{figure.partition(' ')[0]}{sign}{accuracy}" if sign else text


def between(value: float, expanded: float, unit: Unit) -> str:
    """Return the lowest and highest value it could be: `between 573.5 W and 576.5 W`; SI given."""
    if not (math.isfinite(value) and math.isfinite(expanded)) or expanded <= 0:
        return MISSING
    scale, symbol = prefix_for(max(abs(value), expanded), unit)
    decimals = decimals_of(expanded / scale)
    low, high = (rounded((value + side * expanded) / scale, decimals) for side in (-1, 1))
    return f"between {low} {symbol}".rstrip() + f" and {high} {symbol}".rstrip()


def in_letters(text: str) -> str:
    """Return a text with a mark for each half of a letter that stands alone: a file may hold such, but none can be written."""
    return text if text.isascii() else text.encode("utf-16", "surrogatepass").decode("utf-16", "replace")
