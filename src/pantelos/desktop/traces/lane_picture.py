"""The picture of one lane: its traces in the visible stretch, without the active interval and its edges."""

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QPainter

from pantelos.desktop import painting
from pantelos.desktop.presenter import hues
from pantelos.desktop.presenter.hues import Weight
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.theme import Theme
from pantelos.formula.compile import Kind
from pantelos.record.record import Channel
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.study.evaluation import Evaluation

_SAMPLES_AS_LINE = 1.5  # per pixel: with fewer, the line between samples matters
_SAMPLES_AS_SMOOTH_LINE = 0.12  # per pixel: with fewer, that line is smoothed; with more, smoothing costs too much
_SAMPLES_AS_POINTS = 0.08  # per pixel: with fewer, each is marked


def draw_traces(
    painter: QPainter, rect: QRectF, evaluation: Evaluation, channels: tuple[str, ...], view: TimeView,
    scale: tuple[float, float], theme: Theme,
) -> list[str]:  # fmt: skip
    """Draw the channels of a lane; return those that cannot be drawn yet."""
    waiting = []
    painter.save()
    painter.setClipRect(rect)
    for name in channels:
        if name not in evaluation.types or evaluation.kind(name) is Kind.SCALAR:
            continue
        if not evaluation.can_draw(name):
            waiting.append(name)
            continue
        _draw(painter, rect, evaluation, name, view, scale, theme, through=len(channels) > 1)
    painter.restore()
    return waiting


def _draw(
    painter: QPainter, rect: QRectF, evaluation: Evaluation, name: str, view: TimeView, scale: tuple[float, float],
    theme: Theme, through: bool,
) -> None:  # fmt: skip
    wave = evaluation.waveform(name)
    _draw_wave(painter, rect, evaluation, name, wave, view, scale, theme, through)
    if isinstance(wave, Channel) and wave.interpolated:
        colour = theme.conductor(hues.conductor(evaluation.study, name))
        _draw_own_samples(painter, rect, wave, evaluation.positions(view.start_s, view.stop_s), scale, colour)


def _draw_wave(
    painter: QPainter, rect: QRectF, evaluation: Evaluation, name: str, wave: Waveform, view: TimeView,
    scale: tuple[float, float], theme: Theme, through: bool,
) -> None:  # fmt: skip
    colour = theme.conductor(hues.conductor(evaluation.study, name))
    look = hues.weight(evaluation.unit(name))
    start, stop = evaluation.positions(view.start_s, view.stop_s)
    per_pixel = (stop - start) / max(rect.width(), 1)
    if per_pixel < _SAMPLES_AS_LINE and evaluation.kind(name) is Kind.SIGNAL:
        first, last = max(int(start) - 1, 0), min(int(stop) + 3, wave.n_samples)
        values = wave.read(first, last)
        x = rect.left() + (np.arange(first, last) - start) / (stop - start) * rect.width()
        if look is Weight.AREA:
            columns = np.interp(np.arange(int(rect.width())) + rect.left(), x, values)
            painting.fill_to_zero(painter, rect, columns, columns, scale, colour)
        if per_pixel < _SAMPLES_AS_SMOOTH_LINE:
            points = per_pixel < _SAMPLES_AS_POINTS and not _read_between(wave)
            painting.draw_samples(painter, x, painting.to_y(values, rect, scale), colour, look, points)
        else:
            lows, highs = line_envelope(x - rect.left(), values, int(rect.width()))
            painting.draw_envelope(painter, rect, lows, highs, scale, colour, look)
        return
    lows, highs = evaluation.envelope(name, view.start_s, view.stop_s, max(int(rect.width()), 1))
    if look is Weight.AREA:
        painting.fill_to_zero(painter, rect, lows, highs, scale, colour)
    painting.draw_envelope(painter, rect, lows, highs, scale, colour, look, through)


def _read_between(wave: Waveform) -> bool:
    """Return whether a channel is read between its own samples."""
    return isinstance(wave, Channel) and wave.interpolated


def _draw_own_samples(
    painter: QPainter, rect: QRectF, channel: Channel, span: tuple[float, ...], scale: tuple[float, float], colour: QColor
) -> None:
    """Mark the samples as recorded, where they lie far enough apart."""
    start, stop = span
    places, values = channel.own_samples(start, stop)
    if len(places) <= _SAMPLES_AS_POINTS * rect.width():
        x = rect.left() + (places - start) / (stop - start) * rect.width()
        painting.draw_points(painter, x, painting.to_y(values, rect, scale), colour)


def line_envelope(x: AnyArray, values: FloatArray, width: int) -> tuple[FloatArray, FloatArray]:
    """Return lowest and highest value per pixel column of the line that joins samples at `x` (pixels, rising)."""
    columns = np.arange(width + 1, dtype=np.float64)
    at_edges = np.interp(columns, x, values, left=np.nan, right=np.nan)
    lows, highs = np.fmin(at_edges[:-1], at_edges[1:]), np.fmax(at_edges[:-1], at_edges[1:])
    inside = (x >= 0) & (x < width)
    np.fmin.at(lows, x[inside].astype(np.intp), values[inside])
    np.fmax.at(highs, x[inside].astype(np.intp), values[inside])
    return lows, highs
