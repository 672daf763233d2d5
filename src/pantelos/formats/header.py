"""What is stated above the numbers or beside them: rate, start, trigger, and ranges, scales and units of channels."""

import re
from collections.abc import Sequence

import msgspec

from pantelos.formats import vocabulary
from pantelos.formats.dates import began_at, is_clock, is_date
from pantelos.formats.heading_names import known_unit, split_name
from pantelos.formats.vocabulary import plain_words
from pantelos.record.timing import Began
from pantelos.units import unit

_LONGEST_LINE = 2000  # that can state something
_KEY_VALUE = re.compile(r"^\s*[#%;/]*\s*(?P<key>[^:=,;\t]+?)\s*[:=,;\t]\s*(?P<value>.*?)[\s,;]*$")
_AMOUNT = re.compile(r"^[±]?\s*(?P<number>[-+]?[\d.,]+(?:[eE][-+]?\d+)?)\s*(?P<unit>\S.*)?$")
_UNIT_APART = re.compile(r"\s*[;\t|,]\s*(?=[A-Za-zµμ])")  # a unit in a cell of its own behind the number
_PREFIXED = re.compile(r"[kMGmuµμn][A-Za-z]")  # nobody writes a thousand of a thousand
_OF_CHANNEL = re.compile(
    r"^(?:(?P<of>.+?)[ _.-]+)?(?P<what>range|full[ _-]scale|scale|scale[ _-]factor|factor|gain|units?)$", re.IGNORECASE
)
FIRST_SAMPLE_KEY = "first sample at"  # as files of ours say it


def key_value(line: str) -> tuple[str, str] | None:
    """Return (key, value) of a preamble line such as `# rate = 20 kHz`, or None."""
    match = _KEY_VALUE.match(re.sub(" +", " ", line)) if len(line) <= _LONGEST_LINE else None
    if match is None or not match["value"]:
        return None
    return match["key"].strip('"'), match["value"].strip('"')


def _amount(value: str, decimal: str, thousands: str = "") -> tuple[float, str] | None:
    """Return (number, unit text) of a value such as `20 kHz` or `±10 V`; the other decimal sign where it is clear."""
    value = value.replace(thousands, "") if thousands and thousands != " " else value
    match = _AMOUNT.match(value.strip())
    if match is None:
        return None
    digits, other = match["number"], "," if decimal == "." else "."
    if not _PREFIXED.match((match["unit"] or "").strip()) and re.fullmatch(
        rf"[-+]?[1-9]\d{{0,2}}(\{other}\d{{3}})+(\{decimal}\d*)?", digits
    ):
        digits = digits.replace(other, "")  # groups of three
    elif digits.count(other) == 1 and decimal not in digits:
        decimal = other
    try:
        return float(digits.replace(decimal, ".")), (match["unit"] or "").strip()
    except ValueError:
        return None


_PER_SECOND = re.compile(r"(?i)(S/s|Sa/s|samples/s(ec)?|samples per second|1/s|/s|s-1|s⁻¹|cps)$")


def _in(given: tuple[float, str], name_unit: str | None, si: str) -> float | None:
    """Return an amount in an SI unit, plain where neither it nor its key states one; None where the unit does not fit."""
    symbol = (given[1] or name_unit or si).split("(")[0].strip()
    if si == "Hz":
        symbol = _PER_SECOND.sub("Hz", symbol)
    found = known_unit(symbol)
    return given[0] * found.factor if found is not None and found.like(unit(si)) else None


_UNITS_BEHIND = {word.lower(): word for word in ("Hz", "kHz", "MHz", "s", "sec", "ms", "us", "ns", "min")} | {"μs": "us"}


def _words_and_unit(key: str) -> tuple[str, str | None]:
    """Return a key in plain words, and the unit in brackets or at its end: `sample_rate_hz`, `dt_us`."""
    name, symbol = split_name(key)
    words = plain_words(name)
    rest, _, last = words.rpartition(" ")
    if symbol is None and last in _UNITS_BEHIND and rest in vocabulary.RATE | vocabulary.INTERVAL | vocabulary.LENGTH:
        return rest, _UNITS_BEHIND[last]
    return words, symbol


def stated_rate(metadata: Sequence[tuple[str, str]], decimal: str) -> tuple[float, str] | None:
    """Return (rate in Hz, the words it was found in) from a rate, a sample interval, or total time and count; or None."""
    total = count = None
    words = []
    for key, value in metadata:
        words_of_key, unit_in_key = _words_and_unit(key)
        given = _amount(_UNIT_APART.sub(" ", value), decimal)
        if given is None or given[0] <= 0:
            continue
        if words_of_key in vocabulary.RATE and (rate := _in(given, unit_in_key, "Hz")):
            return rate, f"{key}: {value}"
        if words_of_key in vocabulary.INTERVAL and (step := _in(given, unit_in_key, "s")):
            return 1.0 / step, f"{key}: {value}"
        if words_of_key in vocabulary.COUNT and not given[1]:
            count = given[0]
            words.append(f"{key}: {value}")
        elif words_of_key in vocabulary.LENGTH and (length := _in(given, unit_in_key, "s")):
            total = length
            words.append(f"{key}: {value}")
    return (count / total, ", ".join(words)) if total and count else None


def stated_count(metadata: Sequence[tuple[str, str]]) -> int | None:
    """Return how many samples are spoken of, or None."""
    return next(
        (int(v) for key, v in metadata if plain_words(split_name(key)[0]) in vocabulary.COUNT and v.strip().isdigit()), None
    )


class OfChannels(msgspec.Struct, frozen=True):
    """What a preamble states of channels: by name, number or order; texts as written."""

    units: dict[str, str] = msgspec.field(default_factory=dict)
    scales: dict[str, float] = msgspec.field(default_factory=dict)
    ranges: dict[str, tuple[float, str]] = msgspec.field(default_factory=dict)


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


def stated_start(metadata: Sequence[tuple[str, str]]) -> Began | None:
    """Return the date and time a recording began, or None; a date and a time of day may stand apart."""
    date = clock = None
    for key, text in metadata:
        if not vocabulary.START & {plain_words(key), *plain_words(key).split()}:
            continue
        value = text.strip()
        if is_date(value):
            date = value
        elif is_clock(value):
            clock = value
        elif (found := began_at(value)) is not None:
            return found
    return began_at(f"{date} {clock or '00:00:00'}") if date else None


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
        if plain_words(key) in vocabulary.TRIGGER and value.strip().isdigit():
            return int(value), f"{key}: {value}"
    return None
