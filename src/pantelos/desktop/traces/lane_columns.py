"""Where things stand across the ledger: the same columns for the ruler and for every lane."""

import msgspec
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QFontMetrics

from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.reading_columns import reading_columns
from pantelos.study.model import Study

LABELS = 84  # names and unit, at the least
AXIS = 46  # numbers of the value axis
LEFT = LABELS + AXIS
_MOST_LABELS = 168  # unasked; names that need more are shortened in the middle
_SHARE = 8  # of the width: as much of it names have unasked
_READING = 84  # one column of readings
_WITH_ACCURACY = 116
_LEAST_TRACE = 240


class LaneColumns(msgspec.Struct, frozen=True):
    """The columns for a given width of the window."""

    width: int
    n_readings: int = 3
    reading_width: float = _READING
    labels: int = LABELS

    @classmethod
    def of(cls, study: Study, width: int) -> "LaneColumns":
        """Return the columns that a study asks for; readings become narrower before the traces do. Asked for at every move."""
        if _kept and _kept[0][0] is study and _kept[0][1] == width:
            return _kept[0][2]
        n = len(reading_columns(study))
        wanted = _WITH_ACCURACY if study.columns.accuracy else _READING
        labels = _labels(study, width)
        fitting = (width - labels - AXIS - _LEAST_TRACE - 8) / max(n, 1)
        made = cls(width, n, max(min(wanted, fitting), 48), labels)
        _kept[:] = [(study, width, made)]
        return made

    @property
    def trace_width(self) -> float:
        """Width of the waveform column."""
        return max(self.width - self.left - self.reading_width * self.n_readings - 8, 40)

    @property
    def left(self) -> int:
        """Left edge of the traces."""
        return self.labels + AXIS

    @property
    def readings_left(self) -> float:
        """Left edge of the readings."""
        return self.left + self.trace_width

    def trace(self, top: float, height: float) -> QRectF:
        """Return the waveform rectangle of a lane."""
        return QRectF(self.left, top, self.trace_width, height)

    def reading(self, column: int, top: float, height: float) -> QRectF:
        """Return the cell of one reading."""
        return QRectF(self.readings_left + self.reading_width * column, top, self.reading_width - 6, height)

    def column_at(self, x: float) -> int | None:
        """Return which column of readings is at a place, or None."""
        if x < self.readings_left or not self.n_readings:
            return None
        return min(int((x - self.readings_left) // self.reading_width), self.n_readings - 1)


def _labels(study: Study, width: int) -> int:
    """Return the width of the names: as dragged, else as the longest of them needs, within a share of the window."""
    if study.columns.names_width is not None:
        return min(max(study.columns.names_width, LABELS), max(width // 2, LABELS))
    advance = QFontMetrics(painting.tabular(10, bold=True)).horizontalAdvance
    longest = max((advance(name) for lane in study.lanes for name in lane.channels), default=0)
    return min(max(longest + 20, LABELS), max(min(_MOST_LABELS, width // _SHARE), LABELS))


_kept: list[tuple[Study, int, LaneColumns]] = []  # the columns made last
