"""The picture of one lane: its traces in the visible stretch, without the active interval and its edges."""

from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import QLineF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen

from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.ledger import LaneAxis, shown
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.theme import Theme
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Blocks
from pantelos.paper import hues
from pantelos.paper.hues import Weight
from pantelos.record.record import Channel
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.sampling.bands import drawn_bands, parts_of_column
from pantelos.study.shown import Drawing

_CAPS_APART = 4.0  # pixels: clipped samples nearer than that share a cap
_SAMPLES_AS_LINE = 1.5  # per pixel: with fewer, the line between samples matters
_SAMPLES_AS_SMOOTH_LINE = 0.12  # per pixel: with fewer, that line is smoothed; with more, smoothing costs too much
_SAMPLES_AS_POINTS = 0.08  # per pixel: with fewer, each is marked


def draw_traces(
    painter: QPainter,
    rect: QRectF,
    evaluation: Evaluation,
    axes: Sequence[LaneAxis],
    view: TimeView,
    theme: Theme,
    drawing: Drawing = "line",
) -> list[str]:
    """Draw the channels of a lane, each on its axis; return those that cannot be drawn yet."""
    drawn = [(name, axis.scale) for axis in axes for name in axis.channels]
    waiting = []
    painter.save()
    painter.setClipRect(rect)
    for name, scale in drawn:
        if evaluation.names.kind(name) is Kind.SCALAR:
            continue
        if not evaluation.drawing.can_draw(name):
            waiting.append(name)
            continue
        try:
            _Trace(painter, rect, evaluation, name, view, scale, theme).draw(drawing, through=len(drawn) > 1)
        except PantelosError as error:  # a file that was cut while it is open, say: told where the trace would be
            painter.setPen(QColor(theme.fault))
            painter.drawText(rect.adjusted(8, 4, -8, -4), Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, str(error))
    painter.restore()
    return waiting


class _Trace:
    """One channel being drawn."""

    def __init__(
        self,
        painter: QPainter,
        rect: QRectF,
        evaluation: Evaluation,
        name: str,
        view: TimeView,
        scale: tuple[float, float],
        theme: Theme,
    ) -> None:
        self._painter, self._rect, self._scale, self._theme = painter, rect, scale, theme
        self._evaluation, self._name, self._view = evaluation, name, view
        self._wave = evaluation.samples.waveform(name)
        self._colour = theme.conductor(hues.conductor(evaluation.study, name))
        self._look = hues.weight(evaluation.names.unit(name))
        self._start, self._stop = evaluation.times.positions(view.start_s, view.stop_s)

    def draw(self, drawing: Drawing, through: bool) -> None:
        """Draw samples where they can be told apart, else lowest and highest per pixel column."""
        per_pixel = (self._stop - self._start) / max(self._rect.width(), 1)
        if per_pixel < _SAMPLES_AS_LINE and self._evaluation.names.kind(self._name) is Kind.SIGNAL:
            self._draw_samples(per_pixel, drawing)
        elif isinstance(self._wave, Blocks) and drawing != "steps" and self._few(self._wave):
            self._draw_pieces(self._wave, drawing)
        else:
            self._draw_envelope(through)
        wave = self._wave
        if isinstance(wave, Channel) and wave.interpolated:
            colour = self._colour
            _draw_own_samples(self._painter, self._rect, wave, (self._start, self._stop), self._shown, self._scale, colour)

    def _shown(self, values: FloatArray) -> FloatArray:
        return shown(self._evaluation, self._name, values)

    def _draw_samples(self, per_pixel: float, drawing: Drawing) -> None:
        painter, rect, scale = self._painter, self._rect, self._scale
        first, last = max(int(self._start) - 1, 0), min(int(self._stop) + 3, self._wave.n_samples)
        recorded = self._wave.read(first, last)
        values = self._shown(recorded)
        x = rect.left() + (np.arange(first, last) - self._start) / (self._stop - self._start) * rect.width()
        if self._look is Weight.AREA:
            columns = np.interp(np.arange(int(rect.width())) + rect.left(), x, values)
            painting.fill_to_zero(painter, rect, columns, columns, scale, self._colour)
        y = painting.to_y(values, rect, scale)
        if drawing == "points":
            painting.draw_points(painter, x, y, self._colour)
        elif drawing == "steps":
            painting.draw_samples(painter, np.repeat(x, 2)[1:], np.repeat(y, 2)[:-1], self._colour, self._look, points=False)
        elif per_pixel < _SAMPLES_AS_SMOOTH_LINE:
            points = per_pixel < _SAMPLES_AS_POINTS and not _read_between(self._wave)
            painting.draw_samples(painter, x, y, self._colour, self._look, points)
        else:
            width, parts = painting.columns_across(painter, rect), parts_of_column(per_pixel)
            fine = width * parts
            lows, highs = drawn_bands(*line_envelope((x - rect.left()) * (fine / rect.width()), values, fine), parts)
            painting.draw_envelope(painter, rect, lows, highs, scale, self._colour, self._look)
        self._mark_missing(x, recorded)
        self._mark_clipped(x, recorded, recorded)

    def _few(self, series: Blocks) -> bool:
        """Return whether so few pieces of a series are visible that each can be told apart."""
        first, last = np.searchsorted(series.partition.starts, (self._start, self._stop))
        return bool(last - first < self._rect.width())

    def _draw_pieces(self, series: Blocks, drawing: Drawing) -> None:
        """Draw the values of a series in the middles of their pieces: joined, or as points."""
        painter, rect, pieces = self._painter, self._rect, series.partition
        first, last = np.searchsorted(pieces.starts, (self._start, self._stop))
        near = slice(max(int(first) - 2, 0), int(last) + 2)
        at = 0.5 * (pieces.starts + pieces.stops)[near]
        x = rect.left() + (at - self._start) / (self._stop - self._start) * rect.width()
        y = painting.to_y(self._shown(series.values[near]), rect, self._scale)
        if drawing == "points":
            known = np.isfinite(y)
            painting.draw_points(painter, x[known], y[known], self._colour)
            return
        for a, b in painting.runs(np.isfinite(y)):
            painting.draw_samples(
                painter, x[a:b], y[a:b], self._colour, self._look, points=b - a < _SAMPLES_AS_POINTS * rect.width()
            )

    def _draw_envelope(self, through: bool) -> None:
        painter, rect, scale = self._painter, self._rect, self._scale
        width = painting.columns_across(painter, rect)
        recorded = self._evaluation.drawing.envelope(self._name, self._view.start_s, self._view.stop_s, width)
        ends = [self._shown(end) for end in recorded]
        lows, highs = np.minimum(*ends), np.maximum(*ends)  # a negative factor turns them over
        if self._look is Weight.AREA:
            painting.fill_to_zero(painter, rect, lows, highs, scale, self._colour)
        painting.draw_envelope(painter, rect, lows, highs, scale, self._colour, self._look, through)
        x = rect.left() + np.arange(width) * (rect.width() / width)
        self._mark_missing(x, recorded[0])
        self._mark_clipped(x, *recorded)

    def _mark_missing(self, x: AnyArray, values: FloatArray) -> None:
        """Hatch a thin strip where samples are missing, or left out by a formula."""
        if self._evaluation.names.kind(self._name) is Kind.SERIES or not np.isnan(values).any():
            return
        first, last = self._evaluation.times.positions(self._evaluation.record.start_s, self._evaluation.record.stop_s)
        at = self._start + (x - self._rect.left()) / self._rect.width() * (self._stop - self._start)
        gone = np.isnan(values) & (at >= first) & (at < last)
        masked = bool(getattr(self._wave, "masked", False))
        brush = QBrush(self._colour, Qt.BrushStyle.Dense6Pattern if masked else Qt.BrushStyle.BDiagPattern)
        step = self._rect.width() / max(len(x), 1)
        for a, b in painting.runs(gone):
            box = QRectF(float(x[a]), self._rect.bottom() - 5, max(float(x[b - 1]) - float(x[a]) + step, 2.0), 5)
            self._painter.fillRect(box, brush)

    def _mark_clipped(self, x: AnyArray, lows: FloatArray, highs: FloatArray) -> None:
        """Draw a cap where samples stand at the end of the range."""
        for level in self._evaluation.drawing.clip_levels(self._name):
            reach = abs(level) * 1e-9
            touched = np.flatnonzero((highs >= level - reach) if level > 0 else (lows <= level + reach))
            if not len(touched):
                continue
            (y,) = painting.to_y(self._shown(np.array([level])), self._rect, self._scale)
            begins = np.flatnonzero(np.diff(x[touched], prepend=-np.inf) > _CAPS_APART)  # those nearer than that are one
            ends = np.append(begins[1:], len(touched)) - 1
            left, right = (x[touched[begins]] - 1).tolist(), (x[touched[ends]] + 1).tolist()
            self._painter.setPen(QPen(QColor(self._theme.fault), 3))
            self._painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            self._painter.drawLines([QLineF(a, y, b, y) for a, b in zip(left, right, strict=True)])


def _read_between(wave: Waveform) -> bool:
    """Return whether a channel is read between its own samples."""
    return isinstance(wave, Channel) and wave.interpolated


def _draw_own_samples(
    painter: QPainter,
    rect: QRectF,
    channel: Channel,
    span: tuple[float, ...],
    look: Callable[[FloatArray], FloatArray],
    scale: tuple[float, float],
    colour: QColor,
) -> None:
    """Mark the samples as recorded, where they lie far enough apart."""
    start, stop = span
    places, values = channel.own_samples(start, stop)
    if len(places) <= _SAMPLES_AS_POINTS * rect.width():
        x = rect.left() + (places - start) / (stop - start) * rect.width()
        painting.draw_points(painter, x, painting.to_y(look(values), rect, scale), colour)


def line_envelope(x: AnyArray, values: FloatArray, width: int) -> tuple[FloatArray, FloatArray]:
    """Return lowest and highest value per pixel column of the line that joins samples at `x` (pixels, rising)."""
    columns = np.arange(width + 1, dtype=np.float64)
    at_edges = np.interp(columns, x, values, left=np.nan, right=np.nan)
    lows, highs = np.fmin(at_edges[:-1], at_edges[1:]), np.fmax(at_edges[:-1], at_edges[1:])
    inside = (x >= 0) & (x < width)
    np.fmin.at(lows, x[inside].astype(np.intp), values[inside])
    np.fmax.at(highs, x[inside].astype(np.intp), values[inside])
    return lows, highs
