"""Dates and times of day as files write them, in the order of their fields, with the zone where one is stated.

Source: ISO 8601 for year-month-day; other orders are told apart by a number above twelve, or by custom: points stand
between day and month, a slash before a time with AM or PM between month and day.
"""

import re
from collections.abc import Sequence
from datetime import UTC, datetime
from functools import cache
from zoneinfo import ZoneInfo

from pantelos.formats.vocabulary import MONTHS, plain_words
from pantelos.record.timing import Began

DATE = r"(?P<a>\d{1,4})[-/.](?P<b>\d{1,2})[-/.](?P<c>\d{1,4})"
CLOCK = r"(?P<h>\d{1,2}):(?P<m>\d{2})(?::(?P<s>\d{2})(?:[.,](?P<f>\d{1,9}))?)?(?:\s*(?P<pm>[AaPp][Mm]))?"
ZONE = r"\s*(?P<z>[+-]\d{2}:?\d{2}|[A-Z][A-Za-z]*(?:[/_+-][A-Za-z0-9]+)*)?"  # a name of the tz database, or short for an offset
STAMP = rf"{DATE}(?:T|\s+|,\s*){CLOCK}{ZONE}"
_STAMP, _DATE, _CLOCK = (re.compile(pattern) for pattern in (STAMP, DATE, CLOCK + ZONE))
# Other ways to write a date and time, each with what it is turned into before it is read; month names are numbers then.
_MONTH = r"(?P<mon>[^\W\d_]{3,10})\.?"
_WEEKDAY = r"^(?:[^\W\d_]{2,10}\.?,?\s+)?"
WORDED = (
    (_WEEKDAY + rf"(?P<d>\d{{1,2}})\.?[-/ ]\s?{_MONTH}[-/, ]\s?(?P<y>\d{{4}})(?P<rest>\b.*)$"),
    (_WEEKDAY + rf"{_MONTH}[-/ ]\s?(?P<d>\d{{1,2}}),?[-/ ]\s?(?P<y>\d{{4}})(?P<rest>\b.*)$"),
    (rf"^(?P<y>\d{{4}})[-/ ]{_MONTH}[-/ ](?P<d>\d{{1,2}})(?P<rest>\b.*)$"),
)
BASIC = r"^(\d{4})(\d{2})(\d{2})T(\d{2})(\d{2})(\d{2})", r"\1-\2-\3T\4:\5:\6"  # ISO 8601, basic form
COLONS = r"(\d{1,2}:\d{2}:\d{2}):(\d{1,9})", r"\1.\2"  # of a second behind a colon
_OFFSETS_H = {"Z": 0, "UTC": 0, "GMT": 0, "WET": 0, "WEST": 1, "CET": 1, "CEST": 2, "EET": 2, "EEST": 3, "MSK": 3,
              "EST": -5, "EDT": -4, "CDT": -5, "MST": -7, "MDT": -6, "PST": -8, "PDT": -7}  # fmt: skip
_WRITTEN_OTHERWISE = re.compile(r"[^\W\d_]{3}|\dT\d|:\d\d:\d\d:")
_COULD_BE = re.compile(r":|[^\W\d_]{3}|\dT\d|\d[-/.]\d{1,2}[-/.]\d")
YEAR_FIRST, DAY_FIRST, MONTH_FIRST = "ymd", "dmy", "mdy"


def month_of(word: str) -> int | None:
    """Return the month that a word names, from 1; None for none."""
    return MONTHS.get(plain_words(word)[:3]) or MONTHS.get(plain_words(word)[:4])


def plainly(cell: str) -> str:
    """Return a date and time with its month as a number, in the extended form of ISO 8601, parts of a second behind a point."""
    if not _WRITTEN_OTHERWISE.search(cell):  # most cells are numbers
        return cell
    for form in WORDED:
        if (match := re.match(form, cell)) is not None and (month := month_of(match["mon"])) is not None:
            cell = f"{match['y']}-{month:02d}-{int(match['d']):02d}{match['rest'].replace(',', ' ', 1)}"
            break
    else:
        cell = re.sub(*BASIC, cell)
    return re.sub(*COLONS, cell)


def could_be(cell: str) -> bool:
    """Return whether a cell is worth a look: no number is a date or a time of day."""
    return _COULD_BE.search(cell) is not None


def is_stamp(cell: str) -> bool:
    """Return whether a cell is a date and time of day."""
    match = _STAMP.fullmatch(plainly(cell))
    return match is not None and 4 in (len(match["a"]), len(match["c"])) and knows_zone(match["z"] or "")


def is_date(cell: str) -> bool:
    """Return whether a cell is a date."""
    match = _DATE.fullmatch(plainly(cell))
    return match is not None and 4 in (len(match["a"]), len(match["c"]))


def is_clock(cell: str) -> bool:
    """Return whether a cell is a time of day."""
    match = _CLOCK.fullmatch(plainly(cell))
    return match is not None and int(match["h"]) < 24 and knows_zone(match["z"] or "")


def date_order(cells: Sequence[str]) -> tuple[str, bool]:
    """Return (order of the fields of dates, whether that is certain)."""
    found = [match for cell in cells if (match := _DATE.match(plainly(cell.strip())))]
    if not found or any(len(match["a"]) == 4 for match in found):
        return YEAR_FIRST, True
    if any(int(match["a"]) > 12 for match in found):
        return DAY_FIRST, True
    if any(int(match["b"]) > 12 for match in found):
        return MONTH_FIRST, True
    if any("." in match[0] for match in found):
        return DAY_FIRST, True
    american = any(cell.strip().lower().endswith(("am", "pm")) for cell in cells)
    return MONTH_FIRST if american else DAY_FIRST, american


def knows_zone(text: str) -> bool:
    """Return whether a text is empty, an offset, short for one, or a name of the tz database."""
    return not text or text[0] in "+-" or text in _OFFSETS_H or named_zone(text) is not None


@cache
def named_zone(text: str) -> ZoneInfo | None:
    """Return the zone of the tz database that a text names, such as Europe/Zurich; None where it names none."""
    try:
        return ZoneInfo(text) if "/" in text else None
    except (ValueError, OSError, KeyError):
        return None


def zone_s(text: str, local: datetime | None = None) -> int | None:
    """Return how far a zone such as `+02:00`, `Z` or `CEST` is ahead of UTC, s; None for none.

    That of a named one is as it was at a date and time of its own.
    """
    if not text:
        return None
    if text in _OFFSETS_H:
        return 3600 * _OFFSETS_H[text]
    if text[0] not in "+-":
        zone = named_zone(text)
        ahead = zone.utcoffset(local or datetime(2000, 1, 1)) if zone is not None else None
        return round(ahead.total_seconds()) if ahead is not None else None
    hours, minutes = int(text[1:3]), int(text[-2:])
    return (1 if text[0] == "+" else -1) * (3600 * hours + 60 * minutes)


def began_at(text: str, order: str | None = None) -> Began | None:
    """Return the date and time in a text, at midnight where it is a date alone; None where there is none."""
    text = plainly(text)
    match = _STAMP.search(text)
    date = match or _DATE.search(text)
    if date is None or 4 not in (len(date["a"]), len(date["c"])):
        return None
    order = order or date_order([text[date.start() :]])[0]
    fields = dict(zip(order, (int(date[part]) for part in "abc"), strict=True))
    clock = match.groupdict() if match is not None else {}
    try:
        hour = int(clock.get("h") or 0)
        if clock.get("pm"):
            hour = hour % 12 + 12 * (clock["pm"][0] in "pP")
        stamp = datetime(
            fields["y"], fields["m"], fields["d"], hour, int(clock.get("m") or 0), int(clock.get("s") or 0), tzinfo=UTC
        )
    except ValueError:
        return None
    zone = zone_s(clock.get("z") or "", stamp.replace(tzinfo=None))
    return Began(int(stamp.timestamp()) * 10**9 + int(f"{clock.get('f') or 0:0<9}"), zone)
