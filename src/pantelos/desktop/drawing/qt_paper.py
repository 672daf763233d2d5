"""Paper of Qt: what figures draw comes out in a widget, an image or an SVG, in the colours of a theme."""

from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPen, QPolygonF

from pantelos.desktop.drawing import painting
from pantelos.desktop.parts.labels import breakable
from pantelos.desktop.theme import Theme
from pantelos.paper.paper import Align, Box, Dash, Ink, Role
from pantelos.signal.arrays import AnyArray, FloatArray

_DASHES = {Dash.SOLID: Qt.PenStyle.SolidLine, Dash.DASHED: Qt.PenStyle.DashLine, Dash.DOTTED: Qt.PenStyle.DotLine}
_ALIGN = {
    Align.LEFT: Qt.AlignmentFlag.AlignLeft,
    Align.CENTRE: Qt.AlignmentFlag.AlignHCenter,
    Align.RIGHT: Qt.AlignmentFlag.AlignRight,
}


class QtPaper:
    """Draws with a painter."""

    def __init__(self, painter: QPainter, theme: Theme) -> None:
        self._painter, self._theme = painter, theme

    def _colour(self, ink: Ink) -> QColor:
        return QColor(getattr(self._theme, ink.value)) if isinstance(ink, Role) else self._theme.conductor(ink)

    def _smooth(self, wanted: bool) -> None:
        self._painter.setRenderHint(QPainter.RenderHint.Antialiasing, wanted)

    def line(self, x: FloatArray, y: FloatArray, ink: Ink, width: float = 1.0, dash: Dash = Dash.SOLID) -> None:
        """Draw a line through points; it is broken where one is missing."""
        self._smooth(True)
        self._painter.setPen(QPen(self._colour(ink), width, _DASHES[dash]))
        for a, b in painting.runs(np.isfinite(x) & np.isfinite(y)):
            self._painter.drawPolyline(_polygon(x[a:b], y[a:b]))

    def rule(self, x0: float, y0: float, x1: float, y1: float, ink: Ink, dash: Dash = Dash.SOLID) -> None:
        """Draw a thin upright or level line on whole pixels."""
        self._smooth(False)
        self._painter.setPen(QPen(self._colour(ink), 1, _DASHES[dash]))
        if x0 == x1:
            x0 = x1 = round(x0) + 0.5
        else:
            y0 = y1 = round(y0) + 0.5
        self._painter.drawLine(QPointF(x0, y0), QPointF(x1, y1))

    def shape(self, x: FloatArray, y: FloatArray, ink: Ink) -> None:
        """Fill a shape."""
        self._smooth(True)
        self._painter.setPen(Qt.PenStyle.NoPen)
        self._painter.setBrush(self._colour(ink))
        self._painter.drawPolygon(_polygon(x, y))
        self._painter.setBrush(Qt.BrushStyle.NoBrush)

    def bar(self, box: Box, ink: Ink) -> None:
        """Fill a box on whole pixels."""
        self._smooth(False)
        self._painter.fillRect(_rect(box), self._colour(ink))

    def ring(self, x: float, y: float, radius: float, ink: Ink) -> None:
        """Draw a circle."""
        self._smooth(True)
        self._painter.setPen(QPen(self._colour(ink), 1))
        self._painter.setBrush(Qt.BrushStyle.NoBrush)
        self._painter.drawEllipse(QPointF(x, y), radius, radius)

    def shades(self, box: Box, shares: AnyArray, ink: Ink) -> None:
        """Fill a box with shades of one ink."""
        colour = self._colour(ink)
        shade = (255 * shares).astype(np.uint32)
        red, green, blue = ((shade * part // 255).astype(np.uint32) for part in (colour.red(), colour.green(), colour.blue()))
        pixels = np.ascontiguousarray(((shade << 24) | (red << 16) | (green << 8) | blue)[::-1])  # the lowest row at the foot
        height, width = pixels.shape
        self._painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
        image = QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied)
        self._painter.drawImage(_rect(box), image.copy())  # the pixels belong to NumPy

    def words(
        self, box: Box, text: str, ink: Ink, size: float = 8.0, bold: bool = False, align: Align = Align.LEFT, wrap: bool = False
    ) -> None:
        """Write words in a box."""
        font = painting.tabular(size, bold)
        self._painter.setFont(font)
        self._painter.setPen(self._colour(ink))
        if wrap:
            self._painter.drawText(_rect(box), _ALIGN[align] | Qt.TextFlag.TextWordWrap, breakable(text))
        else:
            shown = QFontMetricsF(font).elidedText(text, Qt.TextElideMode.ElideRight, box.width + 0.5)
            self._painter.drawText(_rect(box), _ALIGN[align] | Qt.AlignmentFlag.AlignVCenter, shown)

    def extent(self, text: str, size: float, bold: bool = False) -> tuple[float, float]:
        """Return width and height of words."""
        metrics = QFontMetricsF(painting.tabular(size, bold))
        return metrics.horizontalAdvance(text), metrics.height()

    @contextmanager
    def clipped(self, box: Box) -> Iterator[None]:
        """Draw nothing outside a box for a while."""
        self._painter.save()
        self._painter.setClipRect(_rect(box))
        yield
        self._painter.restore()


def box_of(rect: QRectF) -> Box:
    """Return a rectangle of Qt as one of ours."""
    return Box(rect.left(), rect.top(), rect.width(), rect.height())


def _rect(box: Box) -> QRectF:
    return QRectF(box.left, box.top, box.width, box.height)


def _polygon(x: FloatArray, y: FloatArray) -> QPolygonF:
    return QPolygonF(list(map(QPointF, np.asarray(x).tolist(), np.asarray(y).tolist())))
