"""Where things stand across the ledger: the same columns for the ruler and for every lane."""

from dataclasses import dataclass

from PyQt6.QtCore import QRectF

LABELS = 84  # names and unit
AXIS = 46  # numbers of the value axis
READING = 78  # one column of readings
N_READINGS = 3
LEFT = LABELS + AXIS
RIGHT = READING * N_READINGS + 8


@dataclass(frozen=True, slots=True)
class Columns:
    """The columns for a given width of the window."""

    width: int

    @property
    def trace_width(self) -> float:
        """Width of the waveform column."""
        return max(self.width - LEFT - RIGHT, 40)

    @property
    def readings_left(self) -> float:
        """Left edge of the readings."""
        return LEFT + self.trace_width

    def trace(self, top: float, height: float) -> QRectF:
        """Return the waveform rectangle of a lane."""
        return QRectF(LEFT, top, self.trace_width, height)

    def reading(self, column: int, top: float, height: float) -> QRectF:
        """Return the cell of one reading."""
        return QRectF(self.readings_left + READING * column, top, READING - 6, height)
