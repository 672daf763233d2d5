"""A panel that is painted."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.labels import breakable
from pantelos.desktop.qt_paper import QtPaper, box_of
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.panels.body import PanelBody
from pantelos.panels.panel import PanelKind, Reach


class PanelCanvas(PanelBody):
    """Draws one panel; one that can be zoomed is zoomed like the traces: wheel, rectangle, double click for all."""

    def __init__(self, kind: PanelKind, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(theme, parent)
        self._kind = kind
        self._drag: tuple[QPointF, QPointF] | None = None
        self.setMinimumHeight(90)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the picture, or why there is none."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.ground))
        area = QRectF(self.rect())
        if self.message:
            painter.setPen(QColor(self.theme.soft))
            said = breakable(self.message)
            painter.drawText(area.adjusted(16, 8, -16, -8), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, said)
            return
        if self.picture is not None:
            painter.setOpacity(0.45 if self.stale else 1.0)
            self.draw(painter, area, self.theme)
        if self._drag is not None:
            painter.setPen(QPen(QColor(self.theme.edge), 1, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(*self._drag).normalized())

    def draw(self, painter: QPainter, rect: QRectF, theme: Theme) -> None:
        """Draw the picture."""
        if self._kind.paint is not None:
            self._kind.paint(QtPaper(painter, theme), box_of(rect), self.picture, self.span)

    @property
    def _reach(self) -> Reach | None:
        """How far it can be zoomed."""
        return self._kind.reach(self.picture) if self._kind.reach is not None and self.picture is not None else None

    def _value_at(self, x: float, reach: Reach) -> float:
        """Return what stands across at a place of the widget."""
        area, (low, high) = reach.area(box_of(QRectF(self.rect()))), self.span or reach.first
        return low + (x - area.left) / area.width * (high - low)

    def _zoom(self, low: float, high: float, reach: Reach) -> None:
        low, high = max(low, reach.whole[0]), min(high, reach.whole[1])
        if high - low > reach.least:
            self.show_span((low, high))
            self.span_changed.emit(self.span)

    def show_span(self, span: tuple[float, float] | None) -> None:
        """Show a stretch across; what is shown at first for None."""
        self.span = span
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom at the pointer."""
        reach = self._reach
        if event is not None and reach is not None:
            at, factor = self._value_at(event.position().x(), reach), 1.0015 ** -event.angleDelta().y()
            low, high = self.span or reach.first
            self._zoom(at - (at - low) * factor, at + (high - at) * factor, reach)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin a rectangle, or ask what stands behind."""
        if event is not None and self._reach is not None:
            self._drag = (event.position(), event.position())
        elif event is not None and self._kind.explains and self.picture is not None:
            self.clicked.emit(event.globalPosition().toPoint())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Draw the rectangle."""
        if event is not None and self._drag is not None:
            self._drag = (self._drag[0], event.position())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Show what the rectangle holds."""
        drag, self._drag = self._drag, None
        reach = self._reach
        if drag is not None and reach is not None and abs(drag[1].x() - drag[0].x()) > 5:
            low, high = sorted((self._value_at(drag[0].x(), reach), self._value_at(drag[1].x(), reach)))
            self._zoom(low, high, reach)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Show the range shown at first."""
        self._drag = None
        self.show_span(None)
        self.span_changed.emit(None)
