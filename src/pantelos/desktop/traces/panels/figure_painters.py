"""Drawing of X–Y, histogram, repeats and of one number large."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPen, QPolygonF

from pantelos.desktop import painting
from pantelos.desktop.presenter.axis import value_ticks
from pantelos.desktop.presenter.panels.histogram import HistogramPicture
from pantelos.desktop.presenter.panels.readout import ReadoutPicture
from pantelos.desktop.presenter.panels.repeats import RepeatsPicture
from pantelos.desktop.presenter.panels.xy import XYPicture
from pantelos.desktop.theme import Theme
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.units import Unit, unit

_LEFT, _FOOT, _TEXT = 58, 30, 150
_FAINTEST = 50  # of 255: a single sample is still seen


def _density_image(density: AnyArray, colour: QColor) -> QImage:
    """Return counts as shades of one hue; the scale is that of roots, so that the rare is seen beside the frequent."""
    most = float(density.max()) or 1.0
    shade = np.where(density > 0, _FAINTEST + (255 - _FAINTEST) * np.sqrt(density / most), 0.0).astype(np.uint32)
    red, green, blue = ((shade * part // 255).astype(np.uint32) for part in (colour.red(), colour.green(), colour.blue()))
    pixels = np.ascontiguousarray(((shade << 24) | (red << 16) | (green << 8) | blue)[::-1])  # the lowest value at the foot
    image = QImage(pixels.data, pixels.shape[1], pixels.shape[0], 4 * pixels.shape[1], QImage.Format.Format_ARGB32_Premultiplied)
    owned: QImage = image.copy()  # the pixels belong to NumPy
    return owned


def _axes(
    painter: QPainter, area: QRectF, across: tuple[float, float], up: tuple[float, float], units: tuple[Unit, Unit], theme: Theme
) -> None:
    """Draw both axes with numbers and units."""
    painter.setFont(painting.tabular(8))
    marks, symbol = value_ticks(*up, units[1], max(area.height() / 26, 2))
    painting.draw_value_axis(painter, area, marks, up, QColor(theme.soft), QColor(theme.rule), area.left() - _LEFT + 4)
    painter.setPen(QColor(theme.soft))
    painter.drawText(QRectF(area.left() - _LEFT + 4, area.top() - 15, _LEFT - 8, 14), Qt.AlignmentFlag.AlignRight, symbol)
    marks, symbol = value_ticks(*across, units[0], max(area.width() / 70, 2))
    for mark in marks:
        x = area.left() + (mark.value - across[0]) / (across[1] - across[0]) * area.width()
        painter.setPen(QColor(theme.rule))
        painter.drawLine(QPointF(round(x) + 0.5, area.top()), QPointF(round(x) + 0.5, area.bottom()))
        painter.setPen(QColor(theme.soft))
        painter.drawText(QRectF(x - 40, area.bottom() + 3, 80, 13), Qt.AlignmentFlag.AlignCenter, mark.text)
    painter.drawText(QRectF(area.right() - 60, area.bottom() + 15, 60, 13), Qt.AlignmentFlag.AlignRight, symbol)


def _text(painter: QPainter, rect: QRectF, lines: tuple[str, ...], theme: Theme, warning: str = "") -> None:
    """Write a few lines of figures, and below them what to be careful about."""
    painter.setFont(painting.tabular(9, bold=True))
    painter.setPen(QColor(theme.ink))
    y = rect.top()
    for line in lines:
        painter.drawText(QRectF(rect.left(), y, rect.width(), 16), Qt.AlignmentFlag.AlignLeft, line)
        y += 17
    if warning:
        painter.setFont(painting.tabular(8))
        painter.setPen(QColor(theme.caution))
        box = QRectF(rect.left(), y + 4, rect.width(), max(rect.bottom() - y - 4, 10))
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, warning)


def draw_xy(painter: QPainter, rect: QRectF, picture: XYPicture, theme: Theme, span: object = None) -> None:
    """Draw a figure of samples with its ellipse, and the phases beside it."""
    found = picture.found
    area = QRectF(rect.left() + _LEFT, rect.top() + 16, max(rect.width() - _LEFT - _TEXT - 14, 60), rect.height() - _FOOT - 18)
    _axes(painter, area, found.span_x, found.span_y, picture.units, theme)
    painter.save()
    painter.setClipRect(area)
    painter.drawImage(area, _density_image(found.density, theme.conductor(picture.conductors[1])))
    if found.ellipse is not None:
        x, y = found.ellipse.points()
        across = area.left() + (x - found.span_x[0]) / (found.span_x[1] - found.span_x[0]) * area.width()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.setPen(QPen(QColor(theme.edge), 1.2, Qt.PenStyle.DashLine))
        painter.drawPolyline(_polygon(across, painting.to_y(y, area, found.span_y)))
    painter.restore()
    _text(painter, QRectF(area.right() + 12, area.top(), _TEXT, area.height() + _FOOT), picture.lines, theme, picture.warning)


def _polygon(x: FloatArray, y: FloatArray) -> QPolygonF:
    return QPolygonF(list(map(QPointF, x.tolist(), y.tolist())))


def draw_histogram(painter: QPainter, rect: QRectF, picture: HistogramPicture, theme: Theme, span: object = None) -> None:
    """Draw bars per class, the mean and one standard deviation either side."""
    found = picture.found.found
    area = QRectF(rect.left() + _LEFT, rect.top() + 10, max(rect.width() - _LEFT - _TEXT - 14, 60), rect.height() - _FOOT - 12)
    if not found.n:
        return
    across = (float(found.edges[0]), float(found.edges[-1]))
    up = (0.0, float(found.counts.max()) * 1.08)
    _axes(painter, area, across, up, (picture.unit, unit("1")), theme)
    colour = theme.conductor(picture.conductor)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    per_pixel = max(int(len(found.counts) / max(area.width(), 1)), 1)
    starts = np.arange(0, len(found.counts), per_pixel)
    tallest = np.maximum.reduceat(found.counts, starts)
    width = area.width() / len(starts)
    tops = painting.to_y(tallest.astype(np.float64), area, up)
    for at in np.flatnonzero(tallest).tolist():
        painter.fillRect(
            QRectF(area.left() + at * width, tops[at], max(width - (1 if width > 3 else 0), 1.0), area.bottom() - tops[at]),
            colour,
        )
    painter.save()
    painter.setClipRect(area)
    for value, style in (
        (picture.found.mean, Qt.PenStyle.SolidLine),
        (picture.found.mean - picture.found.sigma, Qt.PenStyle.DashLine),
        (picture.found.mean + picture.found.sigma, Qt.PenStyle.DashLine),
    ):
        x = area.left() + (value - across[0]) / (across[1] - across[0]) * area.width()
        painter.setPen(QPen(QColor(theme.edge), 1, style))
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
    painter.restore()
    _text(painter, QRectF(area.right() + 12, area.top() + 2, _TEXT, area.height()), picture.lines, theme)


def draw_repeats(painter: QPainter, rect: QRectF, picture: RepeatsPicture, theme: Theme, span: object = None) -> None:
    """Draw the density of repeats, their mean, and lowest and highest."""
    found = picture.found
    area = QRectF(rect.left() + _LEFT, rect.top() + 16, max(rect.width() - _LEFT - _TEXT - 14, 60), rect.height() - _FOOT - 18)
    across = (float(found.offsets[0]) / picture.rate_hz, float(found.offsets[-1]) / picture.rate_hz)
    _axes(painter, area, across, found.span, (unit("s"), picture.unit), theme)
    colour = theme.conductor(picture.conductor)
    painter.save()
    painter.setClipRect(area)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
    painter.drawImage(area, _density_image(found.density, colour))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    x = area.left() + np.linspace(0, 1, len(found.offsets)) * area.width()
    for line, style, width in (
        (found.low, Qt.PenStyle.DotLine, 1.0),
        (found.high, Qt.PenStyle.DotLine, 1.0),
        (found.mean, Qt.PenStyle.SolidLine, 1.4),
    ):
        painter.setPen(QPen(QColor(theme.ink), width, style))
        given = np.isfinite(line)
        painter.drawPolyline(_polygon(x[given], painting.to_y(line[given], area, found.span)))
    event = area.left() - across[0] / (across[1] - across[0]) * area.width()
    painting.line_through(painter, event, area.top(), area.bottom(), QColor(theme.edge))
    painter.restore()
    odd = "The events of the odd ones can be stepped through: see the menu of this panel." if picture.outliers_s else ""
    _text(painter, QRectF(area.right() + 12, area.top(), _TEXT, area.height()), picture.lines, theme, odd)


def draw_readout(painter: QPainter, rect: QRectF, picture: ReadoutPicture, theme: Theme, span: object = None) -> None:
    """Write one number as large as there is room, its unit beside it, its accuracy below."""
    size = 12.0
    room = rect.adjusted(16, 8, -16, -40)
    while size < 96:
        big = QFontMetricsF(painting.tabular(size + 2, bold=True))
        wide = big.horizontalAdvance(picture.value) + QFontMetricsF(painting.tabular(0.5 * size + 1)).horizontalAdvance(
            f" {picture.unit}"
        )
        if wide > room.width() or big.height() > room.height():
            break
        size += 2
    painter.setFont(painting.tabular(size, bold=True))
    metrics = QFontMetricsF(painter.font())
    small = QFontMetricsF(painting.tabular(0.5 * size))
    width = metrics.horizontalAdvance(picture.value) + small.horizontalAdvance(f" {picture.unit}")
    base = QPointF(rect.center().x() - width / 2, room.center().y() + metrics.ascent() / 2 - metrics.descent() / 2)
    painter.setPen(theme.conductor(picture.conductor) if picture.conductor else QColor(theme.ink))
    painter.drawText(base, picture.value)
    painter.setFont(painting.tabular(0.5 * size))
    painter.drawText(base + QPointF(metrics.horizontalAdvance(picture.value), 0), f" {picture.unit}")
    painter.setFont(painting.tabular(9.5))
    painter.setPen(QColor(theme.soft))
    for at, line in enumerate((picture.accuracy, picture.range)):
        box = QRectF(rect.left() + 8, rect.bottom() - 38 + 17 * at, rect.width() - 16, 16)
        painter.drawText(
            box,
            Qt.AlignmentFlag.AlignHCenter,
            QFontMetricsF(painter.font()).elidedText(line, Qt.TextElideMode.ElideRight, box.width()),
        )
