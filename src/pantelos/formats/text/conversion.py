"""Columns of text to numbers and seconds, a whole column at a time."""

from typing import TYPE_CHECKING, Any

import numpy as np

from pantelos.formats.dialect import Dialect, TimeForm, time_factor
from pantelos.formats.text.cells import MISSING_CELLS, PREFIXES, UNITS_IN_CELLS, Style
from pantelos.signal.arrays import FloatArray

if TYPE_CHECKING:
    import pyarrow as pa

_DAY_S = 86_400
_DAY_ZERO_NS = -25_569 * _DAY_S * 10**9  # 1899-12-30
_EPOCH_S = (1e9, 4e9)  # seconds since 1970 that can be meant as such


def style_of(dialect: Dialect) -> Style:
    """Return how the cells of a dialect are written."""
    return Style(dialect.delimiter, dialect.decimal, dialect.thousands, dialect.suffixes)


def numbers(column: "pa.ChunkedArray", style: Style) -> FloatArray:
    """Return a column as float64, shape (n,), missing cells NaN; text that is no number raises `pa.ArrowInvalid`."""
    import pyarrow as pa
    import pyarrow.compute as pc

    if not pa.types.is_string(column.type):
        parts = [chunk.to_numpy(zero_copy_only=False) for chunk in column.chunks]
        return np.asarray(parts[0] if len(parts) == 1 else np.concatenate(parts), dtype=np.float64)
    text: Any = pc.utf8_trim_whitespace(column)
    text = pc.if_else(pc.is_in(text, pa.array(MISSING_CELLS)), pa.scalar(None, pa.string()), text)
    factor: Any = None
    if style.suffixes:
        found = pc.extract_regex(text, rf"^(?P<n>.*?\d[.,]?)\s*(?P<p>[{''.join(PREFIXES)}]?)(?:{'|'.join(UNITS_IN_CELLS)})?$")
        text = pc.if_else(pc.is_valid(found), pc.struct_field(found, "n"), text)
        prefixes = list(PREFIXES)
        at = pc.index_in(pc.fill_null(pc.struct_field(found, "p"), ""), pa.array(prefixes))
        factor = np.array([PREFIXES[p] for p in prefixes])[_plain(at).astype(np.intp)]
    if style.thousands:
        text = pc.replace_substring(text, style.thousands, "")
    if style.decimal != ".":
        text = pc.replace_substring(text, style.decimal, ".")
    values = _plain(text.cast(pa.float64()))
    return np.asarray(values if factor is None else values * factor, dtype=np.float64)


def _plain(column: Any) -> Any:
    return np.asarray(column.to_numpy() if hasattr(column, "chunks") else column.to_numpy(zero_copy_only=False))


class Times:
    """Times of one piece after the other, s; date and time as seconds from the first one, which is kept."""

    def __init__(self, dialect: Dialect) -> None:
        at = dialect.time_column
        assert at is not None
        self._form, self._style, self._dialect = dialect.columns[at].form, style_of(dialect), dialect
        self._first: float | None = None
        self.began_ns: int | None = None  # date and time of time zero

    @property
    def as_text(self) -> bool:
        """Whether the cells are needed as text."""
        return self._form in (TimeForm.STAMP, TimeForm.ELAPSED) or not self._style.plain

    def __call__(self, column: "pa.ChunkedArray") -> FloatArray:
        """Return the times in a column, s, shape (n,)."""
        match self._form:
            case TimeForm.STAMP:
                return self._of_stamps(column)
            case TimeForm.ELAPSED:
                return self._of_elapsed(column)
            case TimeForm.DAYS:
                return self._of_days(numbers(column, self._style))
            case TimeForm.INDEX:
                assert self._dialect.rate_hz is not None
                return self._of_index(numbers(column, self._style), self._dialect.rate_hz)
            case _:
                return self._of_numbers(numbers(column, self._style) * time_factor(self._dialect))

    def _of_numbers(self, times: FloatArray) -> FloatArray:
        """Return times; seconds since 1970 as seconds from the first one."""
        if self._first is None:
            first = float(times[0]) if len(times) else 0.0
            since_1970 = _EPOCH_S[0] < first < _EPOCH_S[1]
            self._first = first if since_1970 else 0.0
            self.began_ns = round(first * 1e9) if since_1970 else None
        return times - self._first if self._first else times

    def _of_index(self, index: FloatArray, rate_hz: float) -> FloatArray:
        if self._first is None:
            self._first = float(index[0]) if len(index) else 0.0
        return np.asarray(self._dialect.start_s + (index - self._first) / rate_hz)

    def _of_days(self, days: FloatArray) -> FloatArray:
        if self._first is None and len(days):
            self._first = float(days[0])
            self.began_ns = _DAY_ZERO_NS + round(self._first * _DAY_S * 1e6) * 1000
        return np.asarray((days - (self._first or 0.0)) * _DAY_S)

    def _of_stamps(self, column: "pa.ChunkedArray") -> FloatArray:
        import pyarrow as pa
        import pyarrow.compute as pc

        text: Any = pc.replace_substring_regex(pc.utf8_trim_whitespace(column), r"(Z|[+-]\d\d:?\d\d)$", "")
        text = pc.replace_substring(text, ",", ".")
        stamps = _plain(text.cast(pa.timestamp("ns")).cast(pa.int64())).astype(np.int64)
        if self.began_ns is None and len(stamps):
            self.began_ns = int(stamps[0])
        return np.asarray((stamps - (self.began_ns or 0)) / 1e9)

    def _of_elapsed(self, column: "pa.ChunkedArray") -> FloatArray:
        import pyarrow as pa
        import pyarrow.compute as pc

        text: Any = pc.replace_substring(pc.utf8_trim_whitespace(column), ",", ".")
        parts = pc.extract_regex(text, r"^(?P<sign>-?)(?:(?P<h>\d+):)?(?P<m>\d+):(?P<s>\d+(?:\.\d+)?)$")
        if pc.sum(pc.is_null(parts)).as_py():
            raise pa.ArrowInvalid("not a time")
        hours, minutes, seconds = (
            _plain(pc.if_else(pc.equal(pc.struct_field(parts, name), ""), "0", pc.struct_field(parts, name)).cast(pa.float64()))
            for name in "hms"
        )
        sign = np.where(_plain(pc.equal(pc.struct_field(parts, "sign"), "-")), -1.0, 1.0)
        return np.asarray(sign * (hours * 3600 + minutes * 60 + seconds))


def seconds_of(cells: list[str], dialect: Dialect) -> list[float]:
    """Return the times in some cells, s; none where they cannot be read."""
    import pyarrow as pa

    try:
        return [float(t) for t in Times(dialect)(pa.chunked_array([pa.array(cells, pa.string())]))]
    except (pa.ArrowInvalid, ValueError, AssertionError):
        return []
