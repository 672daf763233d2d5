"""What is stated above the numbers or beside them: names, units, rate, start, ranges, scales."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

from pantelos.errors import UnitError
from pantelos.units import Unit, unit

_UNIT_BEHIND_NAME = re.compile(r"^(?P<name>.*?)\s*[\[(]\s*(?P<unit>[^\[\]()]*?)\s*[\])]\s*$")
_UNIT_BEHIND_SLASH = re.compile(r"^(?P<name>[^/]+?)\s+/\s*(?P<unit>[^/\s]+)\s*$")
_KEY_VALUE = re.compile(r"^\s*[#%;/]*\s*(?P<key>[^:=,;\t]+?)\s*[:=,;\t]\s*(?P<value>.*?)[\s,;]*$")
_AMOUNT = re.compile(r"^[±]?\s*(?P<number>[-+]?[\d.,]+(?:[eE][-+]?\d+)?)\s*(?P<unit>\S.*)?$")
_TIME_NAMES = re.compile(r"^(t|time|zeit|temps|elapsed|timestamp|datetime|date)\b|^(time|zeit)[_ ]", re.IGNORECASE)
_INDEX_NAMES = re.compile(r"^(n|no|nr|index|sample|samples|row|point)\.?$", re.IGNORECASE)
_RATE_KEYS = re.compile(
    r"^(sample|sampling|scan)[ _-]*(rate|frequency|freq)$|^(rate|fs|samplerate|samples per second)$", re.IGNORECASE
)
_INTERVAL_KEYS = re.compile(
    r"^(sample|sampling|scan|time)[ _-]*(interval|period|step|increment)$|^(dt|ts|delta ?t|interval)$", re.IGNORECASE
)
_TOTAL_KEYS = re.compile(
    r"^(total|record|recording|acquisition|measurement)[ _-]*(time|duration|length|span)$|^duration$", re.IGNORECASE
)
_COUNT_KEYS = re.compile(
    r"^(number of|no\.? of|total)?[ _-]*(samples|points|rows|records)([ _-]*count)?$|^(sample|point)[ _-]*count$|^record length$",
    re.IGNORECASE,
)
_TRIGGER_KEYS = re.compile(r"^trigger[ _-]*(index|sample|position|point)$", re.IGNORECASE)
_START_KEYS = re.compile(r"\b(start|begin|began|date|time|recorded|trigger)", re.IGNORECASE)
_OF_CHANNEL = re.compile(
    r"^(?:(?P<of>.+?)[ _.-]+)?(?P<what>range|full[ _-]scale|scale|scale[ _-]factor|factor|gain|units?)$", re.IGNORECASE
)
FIRST_SAMPLE_KEY = "first sample at"  # as files of ours say it
_DATE = re.compile(r"(\d{4})-(\d{2})-(\d{2})(?:[T ](\d{2}):(\d{2}):(\d{2})(?:[.,](\d{1,9}))?)?")


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
    return bool(filled) and all(known_unit(cell.strip("[]() ")) for cell in filled)


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


def instant_ns(text: str) -> int | None:
    """Return a date and time, ISO 8601, in ns since 1970 on the clock it was written by, or None where it is none."""
    match = _DATE.search(text)
    if match is None:
        return None
    year, month, day, *clock, part = match.groups(default="0")
    try:
        hour, minute, second = map(int, clock)
        stamp = datetime(int(year), int(month), int(day), hour, minute, second, tzinfo=UTC)
    except ValueError:
        return None
    return int(stamp.timestamp()) * 10**9 + int(f"{part:0<9}")


def _amount(value: str, decimal: str, thousands: str = "") -> tuple[float, str] | None:
    """Return (number, unit text) of a value such as `20 kHz` or `±10 V`."""
    value = value.replace(thousands, "") if thousands and thousands != " " else value
    match = _AMOUNT.match(value.strip())
    try:
        return (float(match["number"].replace(decimal, ".")), (match["unit"] or "").strip()) if match else None
    except ValueError:
        return None


def _in(given: tuple[float, str], name_unit: str | None, si: str) -> float | None:
    """Return an amount in an SI unit, plain where neither it nor its key states one; None where the unit does not fit."""
    symbol = re.sub(r"(?i)(S/s|Sa/s|samples/s)$", "Hz", given[1] or name_unit or si)
    found = known_unit(symbol)
    return given[0] * found.factor if found is not None and found.like(unit(si)) else None


def stated_rate(metadata: Sequence[tuple[str, str]], decimal: str) -> tuple[float, str] | None:
    """Return (rate in Hz, the words it was found in) from a rate, a sample interval, or total time and count; or None."""
    total = count = None
    words = []
    for key, value in metadata:
        name, unit_in_key = split_name(key)
        given = _amount(value, decimal)
        if given is None or given[0] <= 0:
            continue
        if _RATE_KEYS.match(name) and (rate := _in(given, unit_in_key, "Hz")):
            return rate, f"{key}: {value}"
        if _INTERVAL_KEYS.match(name) and (step := _in(given, unit_in_key, "s")):
            return 1.0 / step, f"{key}: {value}"
        if _COUNT_KEYS.match(name) and not given[1]:
            count = given[0]
            words.append(f"{key}: {value}")
        elif _TOTAL_KEYS.match(name) and (length := _in(given, unit_in_key, "s")):
            total = length
            words.append(f"{key}: {value}")
    return (count / total, ", ".join(words)) if total and count else None


def stated_count(metadata: Sequence[tuple[str, str]]) -> int | None:
    """Return how many samples are spoken of, or None."""
    return next(
        (int(value) for key, value in metadata if _COUNT_KEYS.match(split_name(key)[0]) and value.strip().isdigit()), None
    )


@dataclass(frozen=True, slots=True)
class OfChannels:
    """What a preamble states of channels: by name, number or order; texts as written."""

    units: dict[str, str] = field(default_factory=dict)
    scales: dict[str, float] = field(default_factory=dict)
    ranges: dict[str, tuple[float, str]] = field(default_factory=dict)


def stated_of_channels(
    metadata: Sequence[tuple[str, str]], names: Sequence[str], decimal: str, thousands: str = ""
) -> OfChannels:
    """Return units, scales and ranges stated for channels: `u1 range: 10 V`, `ch2 scale = 0.1` or `Range;10 V;5 V`."""
    found = OfChannels()
    for key, value in metadata:
        match = _OF_CHANNEL.match(key.strip())
        if match is None:
            continue
        for name, text in _addressed(match["of"], value, names):
            _take(found, match["what"].lower(), name, text, _amount(text, decimal, thousands))
    return found


def _addressed(of: str | None, value: str, names: Sequence[str]) -> list[tuple[str, str]]:
    """Return (channel, text) for everything one line of a preamble speaks of."""
    if of is not None:
        number = re.fullmatch(r"(?:ch|channel)[ _-]*(\d+)", of.strip(), re.IGNORECASE)
        if number and of not in names:
            at = int(number[1]) - 1
            return [(names[at], value)] if 0 <= at < len(names) else []
        return [(name, value) for name in names if name.lower() == of.strip().lower()]
    parts = [part.strip() for part in re.split(r"[;\t|]|,\s*(?=\D|\d+\s*[A-Za-z])", value)]
    return list(zip(names, parts, strict=True)) if len(parts) == len(names) and len(parts) > 1 else [(n, value) for n in names]


def _take(found: OfChannels, what: str, name: str, text: str, given: tuple[float, str] | None) -> None:
    if what.startswith("unit"):
        if known_unit(text):
            found.units[name] = text
    elif given is None or given[0] <= 0:
        return
    elif what in ("range", "full scale", "full_scale", "full-scale"):
        found.ranges[name] = given
    else:
        found.scales[name] = given[0]
        if given[1] and known_unit(given[1]):
            found.units.setdefault(name, given[1])


def stated_start(metadata: Sequence[tuple[str, str]]) -> int | None:
    """Return the date and time a recording began, ns since 1970, or None; a date and a time of day may stand apart."""
    date = clock = None
    for key, value in metadata:
        if not _START_KEYS.search(key):
            continue
        if re.search(r"\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}", value):
            return instant_ns(value)
        if re.fullmatch(r"\d{4}-\d{2}-\d{2}", value.strip()):
            date = value.strip()
        elif re.fullmatch(r"\d{2}:\d{2}:\d{2}([.,]\d+)?", value.strip()):
            clock = value.strip()
    return instant_ns(f"{date} {clock or '00:00:00'}") if date else None


def stated_first(metadata: Sequence[tuple[str, str]]) -> float:
    """Return the instant of the first sample that is stated, s; 0 where none is."""
    for key, value in metadata:
        given = _amount(value, ".") if key == FIRST_SAMPLE_KEY else None
        if given is not None and (instant := _in(given, None, "s")) is not None:
            return instant
    return 0.0


def stated_trigger(metadata: Sequence[tuple[str, str]]) -> tuple[int, str] | None:
    """Return (index of the sample at the trigger, the words it was found in), or None."""
    for key, value in metadata:
        if _TRIGGER_KEYS.match(key) and value.strip().isdigit():
            return int(value), f"{key}: {value}"
    return None
