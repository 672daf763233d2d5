"""What the lines above the numbers say: names, units, rate, and whatever else is stated."""

import re

from pantelos.errors import UnitError
from pantelos.units import Unit, unit

_UNIT_BEHIND_NAME = re.compile(r"^(?P<name>.*?)\s*[\[(]\s*(?P<unit>[^\[\]()]*?)\s*[\])]\s*$")
_UNIT_BEHIND_SLASH = re.compile(r"^(?P<name>[^/]+?)\s+/\s*(?P<unit>[^/\s]+)\s*$")
_KEY_VALUE = re.compile(r"^\s*[#%;/]*\s*(?P<key>[^:=,;\t]+?)\s*[:=,;\t]\s*(?P<value>.*?)[\s,;]*$")
_AMOUNT = re.compile(r"^(?P<number>[-+]?[\d.,]+(?:[eE][-+]?\d+)?)\s*(?P<unit>\S.*)?$")
_TIME_NAMES = re.compile(r"^(t|time|zeit|temps|elapsed|timestamp)\b|^(time|zeit)[_ ]", re.IGNORECASE)
_INDEX_NAMES = re.compile(r"^(n|no|nr|index|sample|samples|row|point)\.?$", re.IGNORECASE)
_RATE_KEYS = re.compile(r"^(sample|sampling|scan)[ _-]*(rate|frequency|freq)$|^(rate|fs|samplerate)$", re.IGNORECASE)
_INTERVAL_KEYS = re.compile(
    r"^(sample|sampling|scan|time)[ _-]*(interval|period|step|increment)$|^(dt|ts|delta ?t|interval)$", re.IGNORECASE
)


def split_name(cell: str) -> tuple[str, str | None]:
    """Return (name, unit text) of a header cell such as `I1 [mA]`, `U2 (V)` or `i3 / A`; unit None when absent."""
    cell = cell.strip().strip('"').strip()
    match = _UNIT_BEHIND_NAME.match(cell)
    if match and match["name"]:
        return match["name"], match["unit"]
    match = _UNIT_BEHIND_SLASH.match(cell)
    if match and known_unit(match["unit"]):
        return match["name"], match["unit"]
    return cell, None


def known_unit(text: str) -> Unit | None:
    """Return the unit a text names, or None."""
    try:
        return unit(text)
    except UnitError:
        return None


def looks_like_units(cells: list[str]) -> bool:
    """Return whether a row is a row of units: at least one, and every filled cell is one."""
    filled = [cell.strip().strip('"') for cell in cells if cell.strip().strip('"')]
    return bool(filled) and all(known_unit(cell) for cell in filled)


def is_time(name: str, unit_text: str | None) -> bool:
    """Return whether a column is the time, by its name or by its unit."""
    found = known_unit(unit_text) if unit_text else None
    return bool(_TIME_NAMES.match(name)) or (found is not None and found.like(unit("s")))


def is_index(name: str) -> bool:
    """Return whether a column merely counts the samples."""
    return bool(_INDEX_NAMES.match(name))


def key_value(line: str) -> tuple[str, str] | None:
    """Return (key, value) of a preamble line such as `# rate = 20 kHz`, or None."""
    match = _KEY_VALUE.match(line)
    if match is None or not match["value"]:
        return None
    return match["key"].strip('"'), match["value"].strip('"')


def stated_rate(metadata: list[tuple[str, str]], decimal: str) -> tuple[float, str] | None:
    """Return (rate in Hz, the words it was found in) from a stated rate or sample interval, or None."""
    for key, value in metadata:
        name, unit_in_key = split_name(key)
        match = _AMOUNT.match(value.strip())
        if not match or not (_RATE_KEYS.match(name) or _INTERVAL_KEYS.match(name)):
            continue
        symbol = (match["unit"] or unit_in_key or "").strip()
        try:
            amount = float(match["number"].replace(decimal, "."))
        except ValueError:
            continue
        if amount <= 0:
            continue
        if _RATE_KEYS.match(name):
            found = known_unit(re.sub(r"(?i)(S/s|Sa/s|samples/s)$", "Hz", symbol) or "Hz")
            if found is not None and found.like(unit("Hz")):
                return amount * found.factor, f"{key}: {value}"
        else:
            found = known_unit(symbol or "s")
            if found is not None and found.like(unit("s")):
                return 1.0 / (amount * found.factor), f"{key}: {value}"
    return None
