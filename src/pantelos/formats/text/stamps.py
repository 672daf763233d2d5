"""Columns of dates and times to instants, a whole column at a time."""

import re
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from pantelos.formats.dates import BASIC, COLONS, STAMP, WORDED, YEAR_FIRST, knows_zone, month_of, named_zone, plainly, zone_s
from pantelos.signal.arrays import AnyArray

_YEARS = 1678, 2261  # that nanoseconds in 64 bits can tell


class CellError(ValueError):
    """A cell that cannot be what its column holds, what was expected there, and in which row it stands."""

    def __init__(self, cell: str, expected: str, at: int) -> None:
        super().__init__(f'"{cell[:40]}": {expected}')
        self.cell, self.expected, self.at = cell, expected, at


def _normal(text: Any) -> Any:
    """Return dates and times as `dates.plainly` gives them, a whole column at a time; by the first one told which of it to do."""
    import pyarrow as pa
    import pyarrow.compute as pc

    first = text[0].as_py() or "" if len(text) else ""
    if plainly(first) == first:
        return text
    form = next((form for form in WORDED if (match := re.match(form, first)) and month_of(match["mon"])), None)
    if form is not None:
        parts = pc.extract_regex(text, form)
        day, word, year, rest = (pc.struct_field(parts, name) for name in ("d", "mon", "y", "rest"))
        words = word.unique().to_pylist()
        numbers = pa.array([f"{month_of(name or '') or 0:02d}" for name in words], pa.string())
        month = pc.take(numbers, pc.index_in(word, pa.array(words, pa.string())))
        date = pc.binary_join_element_wise(year, month, pc.utf8_lpad(day, 2, "0"), "-")
        text = pc.binary_join_element_wise(date, pc.replace_substring(rest, ",", " ", max_replacements=1), "")
    for pattern, instead in (BASIC, COLONS):
        text = pc.replace_substring_regex(text, pattern, instead)
    return text


def instants_of(text: Any, order: str) -> tuple[AnyArray, int | None]:
    """Return (instants in ns since 1970, by UTC where a zone is stated; the zone of the first one).

    Raises
    ------
    pa.ArrowInvalid
        Where a cell is no date and time.
    CellError
        For the first one that cannot be.
    """
    import pyarrow as pa
    import pyarrow.compute as pc

    given, text = text, _normal(text)
    first = text[0].as_py() if len(text) else ""
    match = re.fullmatch(STAMP, first or "")
    zoned = match is not None and bool(match["z"])  # so must be all
    fixed = zoned and match is not None and (match["z"][0] in "+-" or match["z"] in ("Z", "UTC", "GMT"))
    if order == YEAR_FIRST and re.match(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?!.*[AaPp][Mm])", first or "") and zoned == fixed:
        kind = pa.timestamp("ns", tz="UTC") if zoned else pa.timestamp("ns")  # ISO 8601: at once
        try:
            instants = plain(pc.replace_substring(text, ",", ".").cast(kind).cast(pa.int64())).astype(np.int64)
            return instants, zone_s(match["z"] or "") if match is not None else None
        except pa.ArrowInvalid:
            pass
    parts = pc.extract_regex(text, f"^{STAMP}$")
    if pc.any(pc.is_null(parts)).as_py():
        raise pa.ArrowInvalid("not a date and time")

    def whole(name: str) -> AnyArray:
        return np.asarray(plain(number_or_zero(pc.struct_field(parts, name)).cast(pa.int64())))

    year, month, day = (whole("abc"[order.index(field)]) for field in "ymd")
    afternoon = plain(pc.match_substring_regex(pc.struct_field(parts, "pm"), "[Pp]"))
    halves = plain(pc.match_substring_regex(pc.struct_field(parts, "pm"), "[AaPp]"))
    hours = np.where(halves, whole("h") % 12 + 12 * afternoon, whole("h"))
    minutes, whole_seconds = whole("m"), whole("s")
    _check_fields(given, order, (year, month, day, hours, minutes, whole_seconds))
    days = ((year - 1970) * 12 + month - 1).astype("M8[M]").astype("M8[D]").astype(np.int64) + day - 1
    fraction = pc.utf8_rpad(number_or_zero(pc.struct_field(parts, "f")), width=9, padding="0")
    nanoseconds = plain(fraction.cast(pa.int64()))
    seconds = ((days * 24 + hours) * 60 + minutes) * 60 + whole_seconds
    zones = pc.struct_field(parts, "z")
    _check_zones(given, zones, zoned)
    ahead = _ahead(zones, seconds) if zoned else np.zeros(len(days), np.int64)
    return np.asarray((seconds - ahead) * 10**9 + nanoseconds), int(ahead[0]) if zoned else None


def _check_fields(text: Any, order: str, fields: tuple[AnyArray, ...]) -> None:
    """Refuse the first date and time that no calendar has, or that lies beyond what 64 bits of nanoseconds hold."""
    year, month, day, hours, minutes, seconds = fields
    first = {"dmy": ", with the day first as in the lines before", "mdy": ", with the month first as in the lines before"}
    lengths = np.array([31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31])
    leap = (year % 4 == 0) & ((year % 100 != 0) | (year % 400 == 0))
    fits = (month >= 1) & (month <= 12) & (day >= 1)
    fits &= day <= lengths[np.clip(month - 1, 0, 11)] - ((month == 2) & ~leap)
    for wrong, why in (
        (~fits, f"a day of the calendar{first.get(order, '')}"),
        ((year < _YEARS[0]) | (year > _YEARS[1]), f"a year from {_YEARS[0]} to {_YEARS[1]}"),
        ((hours > 24) | (minutes > 59) | (seconds > 60), "a time of day"),
    ):
        if wrong.any():
            at = int(np.argmax(wrong))
            raise CellError(str(text[at].as_py()), why, at)


def _check_zones(text: Any, zones: Any, zoned: bool) -> None:
    """Refuse the first stamp with a zone that nobody knows, or with one where the others have none."""
    import pyarrow as pa
    import pyarrow.compute as pc

    names = [name or "" for name in zones.unique().to_pylist()]
    wrong = [name for name in names if bool(name) != zoned or not knows_zone(name)]
    if wrong:
        at = int(np.argmax(plain(pc.is_in(pc.fill_null(zones, ""), pa.array(wrong, pa.string())))))
        expected = "a zone as the lines before" if zoned else "no zone, as in the lines before"
        raise CellError(str(text[at].as_py()), expected, at)


def _ahead(zones: Any, local_s: AnyArray) -> AnyArray:
    """Return how far the zone of each stamp is ahead of UTC at that instant, s.

    The hour that comes twice when clocks are set back is the first time the earlier one, until stamps begin it again.
    """
    import pyarrow as pa
    import pyarrow.compute as pc

    names = zones.unique().to_pylist()
    which = plain(pc.index_in(zones, pa.array(names, pa.string()))).astype(np.intp)
    found = np.zeros(len(local_s), np.int64)
    for k, name in enumerate(names):
        own, zone = which == k, named_zone(name or "")
        if zone is None:
            found[own] = zone_s(name or "") or 0
            continue
        quarters, at = np.unique(local_s[own] // 900, return_inverse=True)  # offsets change on the quarter of an hour
        places = [datetime(1970, 1, 1) + timedelta(seconds=int(q) * 900) for q in quarters]
        early, late = (
            np.array([round((zone.utcoffset(place.replace(fold=fold)) or timedelta()).total_seconds()) for place in places])
            for fold in (0, 1)
        )
        twice = (early > late)[at]
        again = np.zeros(len(at), dtype=bool)
        local = local_s[own]
        back = np.flatnonzero((np.diff(local, prepend=local[:1]) < 0) & twice)
        for place in back.tolist():
            again[place : place + int(np.argmin(np.append(twice[place:], False)))] = True
        found[own] = np.where(again, late[at], early[at])
    return found


def plain(column: Any) -> Any:
    """Return a column as an array."""
    return np.asarray(column.to_numpy() if hasattr(column, "chunks") else column.to_numpy(zero_copy_only=False))


def number_or_zero(text: Any) -> Any:
    """Return a column with a zero where nothing stands."""
    import pyarrow.compute as pc

    return pc.if_else(pc.equal(text, ""), "0", text)
