"""A panel that is painted."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.drawing.qt_paper import QtPaper, box_of
from pantelos.desktop.parts.labels import breakable
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.panels.body import PanelBody
from pantelos.panels.panel import PanelKind, Reach
from pantelos.study.shown import Panel

_GRIP = 6  # pixels beside an edge where it is taken


class PanelCanvas(PanelBody):
    """Draws one panel; one that can be zoomed is zoomed like the traces: wheel, rectangle, double click for all."""

    def __init__(self, kind: PanelKind, panel: Panel, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(theme, parent)
        self._kind, self._panel = kind, panel
        self._drag: tuple[QPointF, QPointF] | None = None
        self._pan: tuple[QPointF, tuple[float, float]] | None = None
        self._edge: tuple[int, float] | None = None  # which one is dragged, and where it stands
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
        painter.setOpacity(1.0)
        if self._drag is not None:
            painter.setPen(QPen(QColor(self.theme.edge), 1, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(*self._drag).normalized())
        if self._edge is not None and self._reach is not None:
            x = self._place_of(self._edge[1], self._reach)
            painter.setPen(QPen(QColor(self.theme.edge), 2))
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))

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
        area = reach.area(box_of(QRectF(self.rect())))
        return reach.value_at((x - area.left) / area.width, self.span or reach.first)

    def _place_of(self, value: float, reach: Reach) -> float:
        """Return where a value stands across the widget."""
        area = reach.area(box_of(QRectF(self.rect())))
        return area.left + reach.share_of(value, self.span or reach.first) * area.width

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
        """Zoom at the pointer; with Shift move across."""
        reach = self._reach
        if event is None or reach is None:
            return
        turn, span = event.angleDelta().y() or event.angleDelta().x(), self.span or reach.first
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._move(-turn / 1200, span, reach)
            return
        area = reach.area(box_of(QRectF(self.rect())))
        share, factor = (event.position().x() - area.left) / area.width, 1.0015**-turn
        ends = share - share * factor, share + (1 - share) * factor
        self._zoom(reach.value_at(ends[0], span), reach.value_at(ends[1], span), reach)

    def _move(self, share: float, span: tuple[float, float], reach: Reach) -> None:
        """Show a span moved by a share of its width, as far as there is something."""
        low, high = (reach.value_at(end + share, span) for end in (0.0, 1.0))
        if low >= reach.whole[0] * (1 - 1e-9) and high <= reach.whole[1] * (1 + 1e-9):
            self._zoom(low, high, reach)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take an edge, begin a rectangle or move across, or ask what stands behind."""
        if event is None:
            return
        reach = self._reach
        if reach is None:
            if self._kind.explains and self.picture is not None:
                self.clicked.emit(event.globalPosition().toPoint())
            elif self._kind.at is not None and self.picture is not None:
                place, box = event.position(), box_of(QRectF(self.rect()))
                self.panel_changed.emit(self._kind.at(self._panel, self.picture, box, place.x(), place.y()))
        elif event.button() is Qt.MouseButton.MiddleButton or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._pan = event.position(), self.span or reach.first
        elif (edge := self._edge_at(event.position().x(), reach)) is not None:
            self._edge = edge
        elif event.button() is Qt.MouseButton.LeftButton:
            self._drag = (event.position(), event.position())

    def _edge_at(self, x: float, reach: Reach) -> tuple[int, float] | None:
        """Return the edge under a place: which one, and its value."""
        edges = self._kind.edges(self._panel) if self._kind.edges is not None else None
        found = [(abs(self._place_of(value, reach) - x), k, value) for k, value in enumerate(edges or ())]
        nearest = min(found, default=None)
        return nearest[1:] if nearest is not None and nearest[0] <= _GRIP else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Draw the rectangle, move the edge or what is shown."""
        reach = self._reach
        if event is None or reach is None:
            return
        if self._drag is not None:
            self._drag = (self._drag[0], event.position())
        elif self._edge is not None:
            value = min(max(self._value_at(event.position().x(), reach), reach.whole[0]), reach.whole[1])
            self._edge = self._edge[0], value
        elif self._pan is not None:
            width = reach.area(box_of(QRectF(self.rect()))).width
            self._move((self._pan[0].x() - event.position().x()) / width, self._pan[1], reach)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Show what the rectangle holds; leave the edge where it is, or on what stands out beside it."""
        drag, edge, self._drag, self._edge, self._pan = self._drag, self._edge, None, None, None
        reach = self._reach
        if drag is not None and reach is not None and abs(drag[1].x() - drag[0].x()) > 5:
            low, high = sorted((self._value_at(drag[0].x(), reach), self._value_at(drag[1].x(), reach)))
            self._zoom(low, high, reach)
        elif edge is not None and reach is not None:
            self._set_edge(*edge, reach)
        self.update()

    def _set_edge(self, which: int, value: float, reach: Reach) -> None:
        edges = self._kind.edges(self._panel) if self._kind.edges is not None else None
        if edges is None or self._kind.with_edges is None:
            return
        x = self._place_of(value, reach)
        within = abs(self._value_at(x + _GRIP, reach) - self._value_at(x, reach))
        if self._kind.near is not None:
            value = self._kind.near(self.picture, value, within)
        placed = [*edges]
        placed[which] = value
        self.panel_changed.emit(self._kind.with_edges(self._panel, (placed[0], placed[1])))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Show the range shown at first."""
        self._drag = None
        self.show_span(None)
        self.span_changed.emit(None)
