"""A panel that is painted: spectrum, harmonics, phasors, X–Y, histogram, repeats, readout."""

from typing import Any

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.presenter.panels.panel import PanelKind
from pantelos.desktop.presenter.panels.readout import ReadoutPicture
from pantelos.desktop.presenter.panels.spectrum import SpectrumPicture
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.panels.spectral_painters import spectrum_area


class PanelCanvas(QWidget):
    """Draws one panel; a spectrum is zoomed like the traces: wheel, rectangle, double click for all."""

    span_changed = pyqtSignal(object)
    clicked = pyqtSignal(QPoint)  # on a readout, where on the screen

    def __init__(self, kind: PanelKind, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.kind, self.theme = kind, theme
        self.picture: Any = None
        self.message = ""
        self.stale = True
        self.span: tuple[float, float] | None = None
        self._drag: tuple[QPointF, QPointF] | None = None
        self.setMinimumHeight(90)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the picture, or why there is none."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.ground))
        area = QRectF(self.rect())
        if self.message:
            painter.setPen(QColor(self.theme.soft))
            painter.drawText(area.adjusted(16, 8, -16, -8), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.message)
            return
        if self.picture is not None:
            painter.setOpacity(0.45 if self.stale else 1.0)
            self.kind.paint(painter, area, self.picture, self.theme, self.span)
        if self._drag is not None:
            painter.setPen(QPen(QColor(self.theme.edge), 1, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(*self._drag).normalized())

    def _span(self) -> tuple[float, float]:
        assert isinstance(self.picture, SpectrumPicture)
        return self.span or (0.0, self.picture.top_hz)

    def _frequency(self, x: float) -> float:
        area, (low, high) = spectrum_area(QRectF(self.rect())), self._span()
        return low + (x - area.left()) / area.width() * (high - low)

    def _show(self, low: float, high: float) -> None:
        assert isinstance(self.picture, SpectrumPicture)
        top = float(self.picture.frequencies_hz[-1])
        low, high = max(low, 0.0), min(high, top)
        if high - low > 4 * float(self.picture.frequencies_hz[1]):
            self.show_span((low, high))
            self.span_changed.emit(self.span)

    def show_span(self, span: tuple[float, float] | None) -> None:
        """Show a stretch of frequencies, Hz; what is shown at first for None."""
        self.span = span
        self.update()

    def show_picture(self, picture: Any) -> None:
        """Show what was computed."""
        self.picture, self.message, self.stale = picture, "", False
        self.update()

    def show_message(self, text: str) -> None:
        """Say why there is nothing to show."""
        self.message = text
        self.update()

    def grey(self) -> None:
        """Mark what is shown as no longer current."""
        self.stale = True
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.theme = theme
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom in frequency at the pointer."""
        if event is not None and isinstance(self.picture, SpectrumPicture):
            at, factor = self._frequency(event.position().x()), 1.0015 ** -event.angleDelta().y()
            low, high = self._span()
            self._show(at - (at - low) * factor, at + (high - at) * factor)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin a rectangle, or ask what stands behind a readout."""
        if event is not None and isinstance(self.picture, SpectrumPicture):
            self._drag = (event.position(), event.position())
        elif event is not None and isinstance(self.picture, ReadoutPicture):
            self.clicked.emit(event.globalPosition().toPoint())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Draw the rectangle."""
        if event is not None and self._drag is not None:
            self._drag = (self._drag[0], event.position())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Show what the rectangle holds."""
        drag, self._drag = self._drag, None
        if drag is not None and abs(drag[1].x() - drag[0].x()) > 5:
            self._show(*sorted((self._frequency(drag[0].x()), self._frequency(drag[1].x()))))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Show the range shown at first."""
        self._drag = None
        self.show_span(None)
        self.span_changed.emit(None)
