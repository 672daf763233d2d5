"""Dates and times of day as files write them, in the order of their fields, with the zone where one is stated.

Source: ISO 8601 for year-month-day; other orders are told apart by a number above twelve, or by custom: points stand
between day and month, a slash before a time with AM or PM between month and day.
"""

import re
from collections.abc import Sequence
from datetime import UTC, datetime

from pantelos.record.timing import Began

DATE = r"(?P<a>\d{1,4})[-/.](?P<b>\d{1,2})[-/.](?P<c>\d{1,4})"
CLOCK = r"(?P<h>\d{1,2}):(?P<m>\d{2})(?::(?P<s>\d{2})(?:[.,](?P<f>\d{1,9}))?)?(?:\s*(?P<pm>[AaPp][Mm]))?"
ZONE = r"\s*(?P<z>Z|UTC|GMT|[+-]\d{2}:?\d{2})?"
STAMP = rf"{DATE}(?:T|\s+|,\s*){CLOCK}{ZONE}"
_STAMP, _DATE, _CLOCK = (re.compile(pattern) for pattern in (STAMP, DATE, CLOCK + ZONE))
YEAR_FIRST, DAY_FIRST, MONTH_FIRST = "ymd", "dmy", "mdy"


def is_stamp(cell: str) -> bool:
    """Return whether a cell is a date and time of day."""
    match = _STAMP.fullmatch(cell)
    return match is not None and 4 in (len(match["a"]), len(match["c"]))


def is_date(cell: str) -> bool:
    """Return whether a cell is a date."""
    match = _DATE.fullmatch(cell)
    return match is not None and 4 in (len(match["a"]), len(match["c"]))


def is_clock(cell: str) -> bool:
    """Return whether a cell is a time of day."""
    match = _CLOCK.fullmatch(cell)
    return match is not None and int(match["h"]) < 24


def date_order(cells: Sequence[str]) -> tuple[str, bool]:
    """Return (order of the fields of dates, whether that is certain)."""
    found = [match for cell in cells if (match := _DATE.match(cell.strip()))]
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


def zone_s(text: str) -> int | None:
    """Return how far a zone such as `+02:00` or `Z` is ahead of UTC, s; None for none."""
    if not text:
        return None
    if text in ("Z", "UTC", "GMT"):
        return 0
    hours, minutes = int(text[1:3]), int(text[-2:])
    return (1 if text[0] == "+" else -1) * (3600 * hours + 60 * minutes)


def began_at(text: str, order: str | None = None) -> Began | None:
    """Return the date and time in a text, at midnight where it is a date alone; None where there is none."""
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
    return Began(int(stamp.timestamp()) * 10**9 + int(f"{clock.get('f') or 0:0<9}"), zone_s(clock.get("z") or ""))
