"""Drawing of traces and axes. Cost follows pixels: envelopes are filled column by column, without antialiasing."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFont, QImage, QPaintEngine, QPainter, QPen, QPolygonF

from pantelos.paper.axis import Tick, fitted
from pantelos.paper.hues import Weight
from pantelos.signal.arrays import AnyArray, FloatArray

_HALF_WIDTH = {Weight.THIN: 0.5, Weight.HEAVY: 1.0, Weight.AREA: 0.5, Weight.PLAIN: 0.7}
_DENSE = 12.0  # pixels between lowest and highest: from there on a trace is a band rather than a line
_SHARED = 0.5  # of a column that its neighbour covers too
_THROUGH = 0.41  # opacity of such a band


def tabular(size: float, bold: bool = False) -> QFont:
    """Return the window's font with figures of equal width."""
    font = QFont()
    font.setPointSizeF(size)
    font.setBold(bold)
    font.setStyleStrategy(QFont.StyleStrategy.PreferAntialias)
    return font


def to_y(values: FloatArray, rect: QRectF, scale: tuple[float, float]) -> FloatArray:
    """Return heights in pixels of values on a scale, shape as given; far values are kept near the picture."""
    low, high = scale
    y = rect.bottom() - (values - low) / (high - low) * rect.height()
    return np.asarray(np.clip(y, rect.top() - 4000, rect.bottom() + 4000))


def runs(valid: np.ndarray) -> list[tuple[int, int]]:
    """Return (start, stop) of stretches that are true."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], valid.astype(np.int8), [0]))))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def joined(lows: FloatArray, highs: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return an envelope in which neighbouring columns touch, as the waveform between them does."""
    low, high = lows.copy(), highs.copy()
    np.fmin(low[1:], highs[:-1], out=low[1:], where=~np.isnan(lows[1:]))
    np.fmax(high[1:], lows[:-1], out=high[1:], where=~np.isnan(highs[1:]))
    return low, high


def device_ratio(painter: QPainter) -> float:
    """Return the number of pixels of the device in one of the painter's."""
    device = painter.device()
    return device.devicePixelRatioF() if device is not None else 1.0


def columns_across(painter: QPainter, rect: QRectF) -> int:
    """Return how many columns of pixels of the device a rectangle is wide: what an envelope to be drawn there has."""
    return max(int(rect.width() * device_ratio(painter)), 1)


def draw_envelope(
    painter: QPainter,
    rect: QRectF,
    lows: FloatArray,
    highs: FloatArray,
    scale: tuple[float, float],
    colour: QColor,
    look: Weight,
    through: bool = False,
) -> None:
    """Fill the band between lowest and highest sample of each column of pixels of the device, `columns_across` of them.

    With `through`, dense bands let those below shine through: several channels overlaid stay visible.
    """
    low, high = joined(lows, highs)
    ratio = device_ratio(painter)
    rect = QRectF(rect.topLeft() * ratio, rect.size() * ratio)
    half = _HALF_WIDTH[look] * ratio
    given = np.flatnonzero(np.isfinite(low) & np.isfinite(high))
    if not len(given):
        return
    x = (round(rect.left()) + given * (rect.width() / len(low))).astype(int)
    top = np.round(to_y(high[given], rect, scale) - half).astype(int)
    bottom = np.maximum(np.round(to_y(low[given], rect, scale) + half).astype(int), top + 1)
    engine = painter.paintEngine()
    if engine is not None and engine.type() is QPaintEngine.Type.SVG:
        _draw_outline(painter, given, x.astype(np.float64), top, bottom, colour, 0.55 if through else 1.0)
        return
    dense = through and _is_band(top, bottom)
    fill = _premultiplied(colour, _THROUGH if dense else 1.0)
    picture = _Band(rect, x, top, bottom, fill, _premultiplied(colour, 1.0) if dense else None)  # the outline can be followed
    picture.image.setDevicePixelRatio(ratio)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
    painter.drawImage(picture.place / ratio, picture.image)


def _is_band(top: AnyArray, bottom: AnyArray) -> bool:
    """Return whether columns make a band rather than a steep line: high, and covering mostly what their neighbours cover."""
    height = bottom - top
    if float(np.median(height)) < _DENSE or len(top) < 2:
        return False
    shared = np.minimum(bottom[1:], bottom[:-1]) - np.maximum(top[1:], top[:-1])
    return float(np.median(shared / np.minimum(height[1:], height[:-1]))) >= _SHARED


def _draw_outline(
    painter: QPainter, given: AnyArray, x: AnyArray, top: AnyArray, bottom: AnyArray, colour: QColor, opacity: float
) -> None:
    """Fill the same band as one shape per unbroken stretch: a vector picture holds no pixels."""
    fill = QColor(colour)
    fill.setAlphaF(opacity)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(fill)
    cuts = np.flatnonzero(np.diff(given) > 1) + 1
    for part in np.split(np.arange(len(given)), cuts):
        painter.drawPolygon(
            _band(
                np.append(x[part], x[part[-1]] + 1),
                np.append(top[part], top[part[-1]]),
                np.append(bottom[part], bottom[part[-1]]),
            )
        )


def _premultiplied(colour: QColor, opacity: float) -> int:
    """Return a colour as a pixel of a premultiplied image."""
    alpha = round(colour.alpha() * opacity)
    red, green, blue = (round(part * alpha / 255) for part in (colour.red(), colour.green(), colour.blue()))
    return (alpha << 24) | (red << 16) | (green << 8) | blue


class _Band:
    """The pixels between two heights per column, made by NumPy: several times faster than a rectangle per column in Qt."""

    def __init__(self, rect: QRectF, x: AnyArray, top: AnyArray, bottom: AnyArray, fill: int, outline: int | None) -> None:
        left, above = int(x[0]), math.floor(rect.top())
        width, height = int(x[-1]) - left + 1, math.ceil(rect.bottom()) - above
        tops, bottoms = np.zeros(width, dtype=np.int32), np.zeros(width, dtype=np.int32)
        tops[x - left] = np.clip(top - above, 0, height)
        bottoms[x - left] = np.clip(bottom - above, 0, height)
        rows = np.arange(height, dtype=np.int32)[:, None]
        inside = (rows >= tops) & (rows < bottoms)
        self._pixels = np.multiply(inside, np.uint32(fill), dtype=np.uint32)
        if outline is not None:
            columns = np.flatnonzero(bottoms > tops)
            self._pixels[tops[columns], columns] = outline
            self._pixels[bottoms[columns] - 1, columns] = outline
        self.place = QPointF(left, above)
        self.image = QImage(self._pixels.data, width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied)


def _band(x: AnyArray, top: AnyArray, bottom: AnyArray) -> QPolygonF:
    xs = np.concatenate([x, x[::-1]]).tolist()
    ys = np.concatenate([top, bottom[::-1]]).tolist()
    return QPolygonF(list(map(QPointF, xs, ys)))


def draw_samples(painter: QPainter, x: AnyArray, y: AnyArray, colour: QColor, look: Weight, points: bool) -> None:
    """Draw a polyline through samples, antialiased; a dot on each where they lie far apart."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    painter.setPen(QPen(colour, 2 * _HALF_WIDTH[look] + 0.2))
    painter.setBrush(colour)
    for a, b in runs(np.isfinite(y)):
        polygon = QPolygonF(list(map(QPointF, x[a:b].tolist(), y[a:b].tolist())))
        painter.drawPolyline(polygon)
        if points:
            draw_points(painter, x[a:b], y[a:b], colour)


def draw_points(painter: QPainter, x: AnyArray, y: AnyArray, colour: QColor) -> None:
    """Mark samples with a dot each; missing ones have none."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    for at in np.flatnonzero(np.isfinite(y)).tolist():
        painter.drawEllipse(QPointF(x[at], y[at]), 2.2, 2.2)


def fill_to_zero(
    painter: QPainter, rect: QRectF, lows: FloatArray, highs: FloatArray, scale: tuple[float, float], colour: QColor
) -> None:
    """Fill from zero to the envelope: plain where positive, hatched where negative (energy returned)."""
    low, high = joined(lows, highs)
    x = rect.left() + (np.arange(len(low)) + 0.5) * (rect.width() / len(low))
    zero = float(to_y(np.zeros(1), rect, scale)[0])
    plain, hatched = QColor(colour), QColor(colour)
    plain.setAlpha(70)
    hatched.setAlpha(170)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.setPen(Qt.PenStyle.NoPen)
    for values, brush in (
        (np.maximum(high, 0.0), QBrush(plain)),
        (np.minimum(low, 0.0), QBrush(hatched, Qt.BrushStyle.BDiagPattern)),
    ):
        y = to_y(values, rect, scale)
        painter.setBrush(brush)
        for a, b in runs(np.isfinite(y)):
            if b - a > 1:
                painter.drawPolygon(_band(x[a:b], np.minimum(y[a:b], zero), np.maximum(y[a:b], zero)))


def draw_value_axis(
    painter: QPainter, rect: QRectF, marks: list[Tick], scale: tuple[float, float], ink: QColor, rule: QColor, label_left: float
) -> None:
    """Draw thin rules across and the numbers left of them; the rule at zero is stronger."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.setFont(tabular(8))
    metrics = painter.fontMetrics()
    for mark in marks:
        y = float(to_y(np.array([mark.value]), rect, scale)[0])
        if not rect.top() + 2 <= y <= rect.bottom() - 2:
            continue
        painter.setPen(QPen(rule, 1))
        painter.drawLine(QPointF(rect.left(), round(y) + 0.5), QPointF(rect.right(), round(y) + 0.5))
        top = min(max(y - metrics.height() / 2, rect.top()), rect.bottom() - metrics.height())
        painter.setPen(ink)
        box = QRectF(label_left, top, rect.left() - label_left - 5, metrics.height())
        painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, mark.text)


def line_through(painter: QPainter, x: float, top: float, bottom: float, colour: QColor, width: float = 1.0) -> None:
    """Draw an upright line on whole pixels."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.setPen(QPen(colour, width))
    place = math.floor(x) + 0.5
    painter.drawLine(QPointF(place, top), QPointF(place, bottom))


def waveform(values: FloatArray, rect: QRectF, zero: bool = True) -> tuple[AnyArray, FloatArray] | None:
    """Return places in pixels of a few values that fill a rectangle, zero in it or not; None where there is nothing to draw."""
    good = values[np.isfinite(values)]
    if not len(good):
        return None
    x = rect.left() + np.arange(len(values)) * rect.width() / max(len(values) - 1, 1)
    return x, to_y(values, rect, fitted(float(good.min()), float(good.max()), zero=zero))
