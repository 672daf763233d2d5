"""Drawing of spectrum, harmonics and phasors."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from pantelos.desktop import painting
from pantelos.desktop.presenter.axis import decade_ticks, ticks
from pantelos.desktop.presenter.hues import Weight
from pantelos.desktop.presenter.panels.harmonics import HarmonicsPicture
from pantelos.desktop.presenter.panels.phasors import PhasorPicture
from pantelos.desktop.presenter.panels.spectrum import SpectrumPicture
from pantelos.desktop.theme import Theme
from pantelos.notation import with_unit

_FOOT = 20

Span = tuple[float, float] | None


def spectrum_area(rect: QRectF) -> QRectF:
    """Return where the lines of a spectrum lie within a panel."""
    return QRectF(rect.left() + 62, rect.top() + 8, rect.width() - 74, rect.height() - _FOOT - 10)


def draw_spectrum(painter: QPainter, rect: QRectF, picture: SpectrumPicture, theme: Theme, span: Span) -> None:
    """Draw rms lines over frequency; `span` is the stretch of frequencies shown, Hz, None the one shown at first."""
    span = span or (0.0, picture.top_hz)
    area = spectrum_area(rect)
    rms = np.maximum(picture.rms, 1e-300)
    spacing = float(picture.frequencies_hz[1])
    first, last = max(int(span[0] / spacing), 0), min(math.ceil(span[1] / spacing) + 1, len(rms))
    shown = rms[first:last]
    if len(shown) < 2:
        return
    top = math.log10(float(shown.max())) + 0.3
    bottom = max(math.log10(float(np.median(shown))) - 0.8, top - 9)
    scale = (bottom, top)
    _log_axis(painter, area, picture, theme, scale)
    _frequency_axis(painter, area, theme, span)
    columns = np.clip(
        ((np.arange(first, last) * spacing - span[0]) / (span[1] - span[0]) * area.width()).astype(int), 0, int(area.width()) - 1
    )
    starts = np.flatnonzero(np.diff(columns, prepend=-1))
    y = np.log10(np.maximum.reduceat(shown, starts))
    colour = theme.conductor(picture.conductor)
    x = area.left() + columns[starts] + 0.5
    painter.save()
    painter.setClipRect(area)
    painting.draw_samples(painter, x, painting.to_y(y, area, scale), colour, Weight.THIN, points=False)
    painter.restore()


def _log_axis(painter: QPainter, area: QRectF, picture: SpectrumPicture, theme: Theme, scale: tuple[float, float]) -> None:
    painter.setFont(painting.tabular(8))
    decades = decade_ticks(10 ** scale[0], 10 ** scale[1])
    step = max(1, round(len(decades) * 22 / area.height()))
    for value in decades[::-1][::step]:
        y = float(painting.to_y(np.array([math.log10(value)]), area, scale)[0])
        painter.setPen(QColor(theme.rule))
        painter.drawLine(QPointF(area.left(), round(y) + 0.5), QPointF(area.right(), round(y) + 0.5))
        painter.setPen(QColor(theme.soft))
        painter.drawText(QRectF(area.left() - 62, y - 7, 56, 14), Qt.AlignmentFlag.AlignRight, with_unit(value, picture.unit, 1))


def _frequency_axis(painter: QPainter, area: QRectF, theme: Theme, span: tuple[float, float]) -> None:
    painter.setPen(QColor(theme.soft))
    factor, symbol = (1000.0, "kHz") if span[1] >= 5000 else (1.0, "Hz")
    for mark in ticks(*span, area.width() / 70, factor):
        x = area.left() + (mark.value - span[0]) / (span[1] - span[0]) * area.width()
        painter.drawText(QRectF(x - 40, area.bottom() + 4, 80, 14), Qt.AlignmentFlag.AlignCenter, mark.text)
    painter.drawText(QRectF(area.right() - 30, area.bottom() - 15, 30, 14), Qt.AlignmentFlag.AlignRight, symbol)


def draw_harmonics(painter: QPainter, rect: QRectF, picture: HarmonicsPicture, theme: Theme, span: Span) -> None:
    """Draw bars of the share of the fundamental per order."""
    area = QRectF(rect.left() + 44, rect.top() + 8, rect.width() - 54, rect.height() - _FOOT - 10)
    painter.setFont(painting.tabular(10, bold=True))
    painter.setPen(QColor(theme.ink))
    painter.drawText(QRectF(area.left(), rect.top() + 4, area.width(), 18), Qt.AlignmentFlag.AlignRight, picture.headline)
    percent = picture.percent
    if not np.isfinite(percent).any():
        return
    upper = float(np.nanmax(percent[1:])) if np.isfinite(percent[1:]).any() else 1.0
    high = min(max(upper * 1.25, 1.0), 110.0)
    scale = (0.0, high)
    painting.draw_value_axis(
        painter, area, [*ticks(0, high, area.height() / 28)], scale, QColor(theme.soft), QColor(theme.rule), rect.left()
    )
    painter.setPen(QColor(theme.soft))
    painter.drawText(QRectF(rect.left() + 2, rect.top() + 2, 44, 14), Qt.AlignmentFlag.AlignLeft, "% of 1")
    width = area.width() / (len(percent) + 1)
    colour = theme.conductor(picture.conductor)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    for order, value in enumerate(percent.tolist(), start=1):
        if not math.isfinite(value):
            continue
        x = area.left() + order * width
        top = max(float(painting.to_y(np.array([value]), area, scale)[0]), area.top() + 16)
        painter.fillRect(QRectF(x - width * 0.35, top, max(width * 0.7, 1.0), area.bottom() - top), colour)
        if value > high:  # order 1 is cut so that the others can be seen
            painter.fillRect(QRectF(x - width * 0.35 - 1, top + 6, width * 0.7 + 2, 3), QColor(theme.ground))
    painter.setPen(QColor(theme.soft))
    painter.setFont(painting.tabular(8))
    painter.drawText(QRectF(area.right() - 40, area.bottom() - 15, 40, 14), Qt.AlignmentFlag.AlignRight, "order")
    last = -100.0
    for order in range(1, len(percent) + 1):
        x = area.left() + order * width
        if (order == 1 or order % 6 in (1, 5)) and x - last > 20:
            painter.drawText(QRectF(x - 14, area.bottom() + 4, 28, 14), Qt.AlignmentFlag.AlignCenter, str(order))
            last = x


def draw_phasors(painter: QPainter, rect: QRectF, picture: PhasorPicture, theme: Theme, span: Span) -> None:
    """Draw fundamental phasors, and figures beside them."""
    radius = min(rect.height() / 2 - 12, rect.width() / 4)
    centre = QPointF(rect.left() + radius + 24, rect.center().y())
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    painter.setPen(QPen(QColor(theme.rule), 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(centre, radius, radius)
    painter.drawLine(QPointF(centre.x() - radius, centre.y()), QPointF(centre.x() + radius, centre.y()))
    painter.drawLine(QPointF(centre.x(), centre.y() - radius), QPointF(centre.x(), centre.y() + radius))
    for arrow in picture.arrows:
        # The reference points upwards; angles turn against the clock.
        turn = arrow.angle_rad + math.pi / 2
        tip = centre + QPointF(math.cos(turn), -math.sin(turn)) * radius * arrow.length
        colour = theme.conductor(arrow.conductor)
        painter.setPen(QPen(colour, 2.6 if arrow.heavy else 1.3))
        painter.drawLine(centre, tip)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPolygon(_head(tip, turn, 9 if arrow.heavy else 7))
    painter.setFont(painting.tabular(10, bold=True))
    left = centre.x() + radius + 26
    top = rect.center().y() - len(picture.lines) * 11
    for at, (text, conductor) in enumerate(picture.lines):
        painter.setPen(theme.conductor(conductor) if conductor else QColor(theme.ink))
        painter.drawText(QRectF(left, top + at * 22, rect.right() - left, 20), Qt.AlignmentFlag.AlignVCenter, text)


def _head(tip: QPointF, turn: float, size: float) -> QPolygonF:
    back = [QPointF(-math.cos(turn + spread), math.sin(turn + spread)) * size for spread in (-0.35, 0.35)]
    return QPolygonF([tip, tip + back[0], tip + back[1]])
