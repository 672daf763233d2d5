"""One value over all records, with its ±, the mean and the limit."""

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from pantelos.campaigns.conditions import Limit
from pantelos.campaigns.report import LEFT, RIGHT, draw_points
from pantelos.desktop.drawing.qt_paper import QtPaper, box_of
from pantelos.desktop.theme import Theme
from pantelos.paper.paper import Role
from pantelos.units import Unit


class Course(QWidget):
    """Draws the chosen column; a click on a point chooses its record."""

    chosen = pyqtSignal(int)  # which of the points

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._points: Sequence[tuple[str, float, float]] = ()
        self._limit: Limit | None = None
        self._unit = Unit("1")
        self._title = ""
        self.marked = -1
        self.setMinimumHeight(150)

    def show_points(self, title: str, points: Sequence[tuple[str, float, float]], limit: Limit | None, unit: Unit) -> None:
        """Show a value of every record that has one."""
        self._title, self._points, self._limit, self._unit = title, points, limit, unit
        self.setAccessibleName(f"{title} over the records")
        self.update()

    def mark(self, at: int) -> None:
        """Mark one of the points."""
        self.marked = at
        self.update()

    def _x(self, at: int) -> float:
        return LEFT + (self.width() - LEFT - RIGHT) * (at + 0.5) / max(len(self._points), 1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the points."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.ground))
        paper, box = QtPaper(painter, self.theme), box_of(QRectF(self.rect()))
        if not self._points:
            paper.words(box.within(12, 8, 8, 8), f"{self._title}: no record has a value yet" if self._title else "", Role.SOFT, 9)
            return
        if 0 <= self.marked < len(self._points):
            half = max(0.5 * (self.width() - LEFT - RIGHT) / len(self._points), 4)
            painter.fillRect(QRectF(self._x(self.marked) - half, 24, 2 * half, self.height() - 54), QColor(self.theme.wash))
        draw_points(paper, box, self._points, self._limit, self._unit)
        paper.words(box.within(LEFT + 70, 4, 8, self.height() - 22), f"{self._title} over the records", Role.INK, 9, bold=True)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose the record nearest to the click."""
        if event is not None and event.button() is Qt.MouseButton.LeftButton and self._points:
            at = round((event.position().x() - LEFT) / (self.width() - LEFT - RIGHT) * len(self._points) - 0.5)
            self.chosen.emit(min(max(at, 0), len(self._points) - 1))
