"""Columns of text to numbers and seconds, a whole column at a time."""

from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from pantelos.formats import remarks
from pantelos.formats.dates import COLONS, YEAR_FIRST
from pantelos.formats.dialect import Dialect, TimeForm, time_factor
from pantelos.formats.text.cells import (
    BEYOND_CELLS,
    INFINITE,
    MINUS_SIGN,
    MISSING_CELLS,
    NOT_A_NUMBER,
    PREFIXES,
    UNITS_IN_CELLS,
    Style,
    number_pattern,
)
from pantelos.formats.text.stamps import instants_of, number_or_zero, plain
from pantelos.notice import Notice
from pantelos.record.timing import Began
from pantelos.signal.arrays import AnyArray, FloatArray

if TYPE_CHECKING:
    import pyarrow as pa

_OVER = r"^[<>≤≥]\s*[-+]?\d"  # a bound is no value
_DAY_S = 86_400
_DAY_ZERO_NS = -25_569 * _DAY_S * 10**9  # 1899-12-30
_EPOCH_S = (1e9, 4e9)  # seconds since 1970 that can be meant as such
_CODES_FROM = 9e37  # below, no number stands for anything but itself
_HOUR_NS = 3_600 * 10**9


def style_of(dialect: Dialect) -> Style:
    """Return how the cells of a dialect are written."""
    return Style(dialect.delimiter, dialect.decimal, dialect.thousands, dialect.suffixes)


class ParsedNumbers(NamedTuple):
    """A column as numbers, what of it is beyond the range, and the words that stand for no value."""

    values: FloatArray  # (n,), NaN where there is none
    n_beyond: int = 0
    strange: tuple[str, ...] = ()  # cells that are no numbers, in their order
    where: AnyArray = np.zeros(0, dtype=np.intp)  # rows of those


def numbers(column: "pa.ChunkedArray", style: Style) -> ParsedNumbers:
    """Return a column as float64; cells without a value are NaN, be they empty, beyond the range, or words."""
    import pyarrow as pa
    import pyarrow.compute as pc

    if not pa.types.is_string(column.type):
        parts = [chunk.to_numpy(zero_copy_only=False) for chunk in column.chunks]
        return ParsedNumbers(
            *_without_codes(np.asarray(parts[0] if len(parts) == 1 else np.concatenate(parts), dtype=np.float64))
        )
    text: Any = pc.utf8_trim_whitespace(column)
    beyond = pc.or_(pc.is_in(text, pa.array(BEYOND_CELLS)), pc.match_substring_regex(text, _OVER))
    n_beyond = int(pc.sum(beyond).as_py() or 0)
    text = pc.if_else(pc.or_(beyond, pc.is_in(text, pa.array(MISSING_CELLS))), pa.scalar(None, pa.string()), text)
    strange = pc.invert(pc.match_substring_regex(text, number_pattern(style)))
    where = np.flatnonzero(plain(pc.fill_null(strange, False)))
    words = tuple(map(str, text.take(pa.array(where)).to_pylist()))
    text = pc.if_else(strange, pa.scalar(None, pa.string()), text)
    factor: Any = None
    text = pc.replace_substring_regex(text, '^"|"$', "")
    if style.suffixes:
        found = pc.extract_regex(text, rf"^(?P<n>.*?\d[.,]?)\s*(?P<p>[{''.join(PREFIXES)}]?)(?:{'|'.join(UNITS_IN_CELLS)})?$")
        text = pc.if_else(pc.is_valid(found), pc.struct_field(found, "n"), text)
        prefixes = list(PREFIXES)
        at = pc.index_in(pc.fill_null(pc.struct_field(found, "p"), ""), pa.array(prefixes))
        factor = np.array([PREFIXES[p] for p in prefixes])[plain(at).astype(np.intp)]
    if style.thousands:
        text = pc.replace_substring(text, style.thousands, "")
    if style.decimal != ".":
        text = pc.replace_substring(text, style.decimal, ".")
    text = pc.replace_substring(text, MINUS_SIGN, "-")
    values = plain(text.cast(pa.float64()))
    found_values, n_codes = _without_codes(np.asarray(values if factor is None else values * factor, dtype=np.float64))
    return ParsedNumbers(found_values, n_beyond + n_codes, words, where)


def _without_codes(values: FloatArray) -> tuple[FloatArray, int]:
    """Return numbers without those that stand for infinite or for none, and how many were infinite."""
    if not len(values) or not max(np.fmax.reduce(values), -np.fmin.reduce(values)) > _CODES_FROM:
        return values, 0
    size = np.abs(values)
    infinite = np.isinf(values) | np.isclose(size, INFINITE, rtol=1e-4)
    return np.where(infinite | np.isclose(size, NOT_A_NUMBER, rtol=1e-4), np.nan, values), int(np.count_nonzero(infinite))


class ParsedTimes:
    """Times of one piece after the other, s; date and time as seconds from the first one, which is kept."""

    def __init__(self, dialect: Dialect) -> None:
        at = dialect.time_column
        assert at is not None
        self._column, self._style, self._dialect = dialect.columns[at], style_of(dialect), dialect
        self._first: float | None = None
        self._first_whole: int | None = None
        self._last: float | None = None  # the last time of day of the piece before
        self._days_s = 0.0  # midnights passed
        self._last_ns: int | None = None
        self._usual_ns = 0  # the middle step
        self._set_back_ns = 0
        self._n_set_back = 0
        self.began: Began | None = None  # date and time of time zero

    @property
    def as_text(self) -> bool:
        """Whether the cells are needed as text."""
        form = self._column.form
        return form not in (TimeForm.NUMBER, TimeForm.DAYS, TimeForm.INDEX) or not self._style.plain

    @property
    def told(self) -> tuple[Notice, ...]:
        """What was odd about the times taken so far."""
        return (remarks.clock_set_back(self._n_set_back),) if self._n_set_back else ()

    def __call__(self, column: "pa.ChunkedArray", dates: "pa.ChunkedArray | None" = None) -> FloatArray:
        """Return the times in a column, s, shape (n,); `dates` holds the days that times of day belong to."""
        match self._column.form:
            case TimeForm.STAMP:
                return self._of_stamps(column)
            case TimeForm.CLOCK if dates is not None:
                return self._of_stamps(_joined(dates, column))
            case TimeForm.ELAPSED | TimeForm.CLOCK:
                return self._of_elapsed(column)
            case TimeForm.SINCE_1970:
                return self._since_1970(column)
            case TimeForm.DAYS:
                return self._of_days(self._numbers(column))
            case TimeForm.INDEX:
                assert self._dialect.rate_hz is not None
                return self._of_index(self._numbers(column), self._dialect.rate_hz)
            case _:
                return self._of_numbers(self._numbers(column) * time_factor(self._dialect))

    def _numbers(self, column: "pa.ChunkedArray") -> FloatArray:
        found = numbers(column, self._style)
        if found.strange:
            import pyarrow as pa

            raise pa.ArrowInvalid(found.strange[0])  # a row without a time is none
        return found.values

    def _of_numbers(self, times: FloatArray) -> FloatArray:
        """Return times; seconds since 1970 as seconds from the first one."""
        if self._first is None:
            first = float(times[0]) if len(times) else 0.0
            since_1970 = _EPOCH_S[0] < first < _EPOCH_S[1]
            self._first = first if since_1970 else 0.0
            self.began = Began(round(first * 1e9), 0) if since_1970 else None
        return times - self._first if self._first else times

    def _since_1970(self, column: "pa.ChunkedArray") -> FloatArray:
        """Return seconds from the first instant; whole and fraction apart, as together they outgrow float64."""
        import pyarrow as pa
        import pyarrow.compute as pc

        text: Any = pc.replace_substring(pc.utf8_trim_whitespace(column), self._style.decimal, ".")
        parts = pc.extract_regex(text, r"^\+?(?P<whole>\d{1,19})(?P<part>\.\d*)?$")
        if pc.any(pc.is_null(parts)).as_py():
            return self._of_numbers(self._numbers(column) * time_factor(self._dialect))  # with an exponent, say
        whole = plain(pc.struct_field(parts, "whole").cast(pa.int64()))
        part = pc.struct_field(parts, "part")
        part = plain(pc.if_else(pc.match_substring_regex(part, r"\d"), part, "0").cast(pa.float64()))
        unit_s = time_factor(self._dialect)
        if self._first_whole is None and len(whole):
            self._first_whole, self._first = int(whole[0]), float(part[0])
            self.began = Began(round(self._first_whole * round(unit_s * 1e9) + self._first * unit_s * 1e9), 0)
        return np.asarray(((whole - (self._first_whole or 0)) + (part - (self._first or 0.0))) * unit_s)

    def _of_index(self, index: FloatArray, rate_hz: float) -> FloatArray:
        if self._first is None:
            self._first = float(index[0]) if len(index) else 0.0
        return np.asarray(self._dialect.start_s + (index - self._first) / rate_hz)

    def _of_days(self, days: FloatArray) -> FloatArray:
        if self._first is None and len(days):
            self._first = float(days[0])
            self.began = Began(_DAY_ZERO_NS + round(self._first * _DAY_S * 1e6) * 1000)
        return np.asarray((days - (self._first or 0.0)) * _DAY_S)

    def _of_stamps(self, column: "pa.ChunkedArray") -> FloatArray:
        import pyarrow.compute as pc

        stamps, zone = instants_of(pc.utf8_trim_whitespace(column), self._column.order or YEAR_FIRST)
        if zone is None:
            stamps = self._without_clock_changes(stamps)
        if self.began is None and len(stamps):
            self._first_whole = int(stamps[0])
            self.began = Began(self._first_whole + (zone or 0) * 10**9, zone)
        return np.asarray((stamps - (self._first_whole or 0)) / 1e9)

    def _without_clock_changes(self, stamps: AnyArray) -> AnyArray:
        """Return stamps that go on where the clock was set back by an hour; forward an hour cannot be told from a gap."""
        before = stamps[:1] if self._last_ns is None else np.array([self._last_ns])
        if len(stamps):
            self._last_ns = int(stamps[-1])
        steps = np.diff(np.concatenate([before, stamps]))
        rising = steps[steps > 0]
        if self._usual_ns == 0 and len(rising):
            self._usual_ns = int(np.median(rising))
        usual = self._usual_ns if self._usual_ns <= _HOUR_NS else 0  # a step goes on as usual, but an hour earlier
        back = (steps < max(usual // 2, 1)) & (np.abs(steps + _HOUR_NS - usual) < max(usual // 4, _HOUR_NS // 60))
        self._n_set_back += int(np.count_nonzero(back))
        moved = np.cumsum(back) * _HOUR_NS + self._set_back_ns
        self._set_back_ns = int(moved[-1]) if len(moved) else self._set_back_ns
        return np.asarray(stamps + moved)

    def _of_elapsed(self, column: "pa.ChunkedArray") -> FloatArray:
        import pyarrow as pa
        import pyarrow.compute as pc

        text: Any = pc.replace_substring(pc.utf8_trim_whitespace(column), ",", ".")
        text = pc.replace_substring_regex(text, *COLONS)
        parts = pc.extract_regex(text, r"^(?P<sign>-?)(?:(?P<h>\d+):)?(?P<m>\d+):(?P<s>\d+(?:\.\d+)?)$")
        if pc.sum(pc.is_null(parts)).as_py():
            raise pa.ArrowInvalid("not a time")
        hours, minutes, seconds = (plain(number_or_zero(pc.struct_field(parts, name)).cast(pa.float64())) for name in "hms")
        sign = np.where(plain(pc.equal(pc.struct_field(parts, "sign"), "-")), -1.0, 1.0)
        return self._past_midnight(np.asarray(sign * (hours * 3600 + minutes * 60 + seconds)))

    def _past_midnight(self, times: FloatArray) -> FloatArray:
        """Return times that go on where a time of day begins anew at midnight."""
        before = times[:1] if self._last is None else np.array([self._last])
        if len(times):
            self._last = float(times[-1])
        passed = np.diff(np.concatenate([before, times])) < -0.5 * _DAY_S
        days_s = np.cumsum(passed) * float(_DAY_S) + self._days_s
        self._days_s = float(days_s[-1]) if len(days_s) else self._days_s
        return np.asarray(times + days_s)


def _joined(dates: Any, clocks: Any) -> Any:
    """Return dates and times of day as one text each."""
    import pyarrow.compute as pc

    return pc.binary_join_element_wise(pc.utf8_trim_whitespace(dates), pc.utf8_trim_whitespace(clocks), " ")


def seconds_of(rows: "list[tuple[str, ...]]", dialect: Dialect) -> list[float]:
    """Return the times in some rows of cells, s; none where they cannot be read."""
    import pyarrow as pa

    at, day = dialect.time_column, dialect.date_column
    try:
        cells = [
            pa.chunked_array([pa.array([row[k] for row in rows], pa.string())]) if k is not None else None for k in (at, day)
        ]
        return [float(t) for t in ParsedTimes(dialect)(*cells)]
    except (pa.ArrowInvalid, ValueError, AssertionError, IndexError):  # CellError is a ValueError
        return []
