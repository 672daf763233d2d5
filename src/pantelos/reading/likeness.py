"""Readings that compare two waveforms: correlation, and how much later one comes than the other."""

import math

import numpy as np

from pantelos.notation import with_unit
from pantelos.reading.reading import Measured, Stretch
from pantelos.reading.shape import between_samples, crossings_at
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray, median
from pantelos.signal.cycles.window import Window, window_means
from pantelos.signal.levels.levels import levels
from pantelos.signal.shapes.pulses import nearest
from pantelos.units import unit

_MOST = 1 << 22  # samples that are correlated at a time
_EDGES_AGREE = 0.1  # of a period, the distances of rises and of falls
_LIKE = 0.3  # correlation at the best delay: below, the waveforms have nothing in common
_AS_GOOD = 0.98  # of the best correlation: of those delays the shortest is taken
_GRID = 0.01  # samples, standard: what the phases of the lines leave
_APART = 4.0  # times what edges are placed within: rises and falls that differ by more are told
_HELD = 1e-3  # of the strongest line: weaker ones do not count


def correlation(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the correlation coefficient (K. Pearson) over the whole cycles, -1 to 1."""
    x, y = waves
    window = stretch.whole_cycles
    means, coverage = window_means(lambda a, b: np.stack([x.read(a, b), y.read(a, b)]), window, x.n_samples)

    def centred(start: int, stop: int) -> FloatArray:
        u, v = x.read(start, stop) - means[0], y.read(start, stop) - means[1]
        return np.stack([u * v, u * u, v * v])

    (cross, one, other), _ = window_means(centred, window, x.n_samples)
    size = math.sqrt(float(one) * float(other))
    if not size > 0:
        return Measured(math.nan, window, float(coverage.min()), "one of the channels does not change")
    return Measured(float(cross) / size, window, float(coverage.min()))


def delay_between(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return how much later the first waveform comes than the second, s.

    Of two pulse waveforms the median distance of their edges; else the delay at which they correlate best.
    """
    window = stretch.samples
    states = [levels(wave.read, window.first, window.end) for wave in waves]
    if all(one.two_states for one in states):
        return _by_edges(waves, window)
    if window.end - window.first > _MOST:
        return Measured(
            math.nan, window, why_not=f"more than {_MOST} samples are not correlated at once: take a shorter interval"
        )
    return _by_correlation(waves, window)


def _by_edges(waves: list[Waveform], window: Window) -> Measured:
    late, early = (crossings_at(wave, window) for wave in waves)
    method = "median distance of the edges of one direction, 50 % crossings"
    distances = [
        nearest(own, other) for own, other in ((late.rises, early.rises), (late.falls, early.falls)) if len(own) and len(other)
    ]
    if not distances:
        return Measured(math.nan, window, why_not="there are no edges to compare", method=method)
    each = [median(one) for one in distances]
    periods = np.concatenate([np.diff(late.rises), np.diff(early.rises)])
    if len(each) == 2 and len(periods) and abs(each[0] - each[1]) > _EDGES_AGREE * median(periods):
        shown = " and ".join(with_unit(one / waves[0].rate_hz, unit("s")) for one in each)
        why = f"rises and falls lie at different distances, {shown}: the pulses differ in width"
        return Measured(math.nan, window, why_not=why, method=method)
    within = math.hypot(*(between_samples(wave, window) for wave in waves))
    rate, said = waves[0].rate_hz, list[str]()
    found = median(np.concatenate(distances))
    if len(each) == 2 and abs(each[0] - each[1]) > _APART * within:
        found = each[0]
        said.append(f"between rises; falls lie {with_unit(each[1] / rate, unit('s'), 5)} apart: the pulses differ in width")
    return Measured(found / rate, window, method_u=within / rate, method=method, remarks=tuple(said))


def _by_correlation(waves: list[Waveform], window: Window) -> Measured:
    method = "delay of the largest cross-correlation, between samples by the phases of the lines"
    x, y = (np.asarray(wave.read(window.first, window.end)) for wave in waves)
    good = np.isfinite(x) & np.isfinite(y)
    if np.count_nonzero(good) < 8:
        return Measured(math.nan, window, why_not="fewer than eight samples are valid", method=method)
    u, v = (np.where(good, z - z[good].mean(), 0.0) for z in (x, y))
    n = 1 << (2 * len(u) - 1).bit_length()
    found = np.fft.irfft(np.fft.rfft(u, n) * np.conj(np.fft.rfft(v, n)), n)
    lags = np.concatenate([np.arange(n // 2), np.arange(-n // 2, 0)])
    reach = len(u) // 2
    inside = np.abs(lags) <= reach  # beyond, less than half overlaps
    size = math.sqrt(float(u @ u) * float(v @ v))
    shared = (len(u) - np.abs(lags)) / len(u)
    scaled = np.where(inside, found / np.maximum(shared, 0.5), -np.inf)
    best = float(scaled.max())
    tops = np.flatnonzero((scaled >= _AS_GOOD * best) & (scaled >= np.roll(scaled, 1)) & (scaled >= np.roll(scaled, -1)))
    top = (
        int(tops[np.argmin(np.abs(lags[tops]))]) if len(tops) else int(np.argmax(scaled))
    )  # what repeats is alike again and again
    if not size > 0 or scaled[top] < _LIKE * size:
        return Measured(math.nan, window, why_not="the waveforms are not alike at any delay", method=method)
    rate = waves[0].rate_hz
    return Measured((float(lags[top]) + _shift(u, v, int(lags[top]))) / rate, window, method_u=_GRID / rate, method=method)


def _shift(u: FloatArray, v: FloatArray, lag: int) -> float:
    """Return how much later than by whole samples `u` comes than `v`: the slope of the phase between them over frequency.

    Source: the weighted least squares line through the origin of the phases of the cross-spectrum (K. Piersol 1981).
    """
    late, early = (u[lag:], v[: len(v) - lag]) if lag >= 0 else (u[:lag], v[-lag:])
    fade = np.hanning(len(late))
    lines = np.fft.rfft(late * fade) * np.conj(np.fft.rfft(early * fade))
    omega, sizes = 2 * np.pi * np.arange(len(lines)) / len(late), np.abs(lines)
    held = (sizes > _HELD * sizes.max()) & (omega > 0) & (np.abs(np.angle(lines)) < 0.5 * np.pi)
    weights = sizes[held] * omega[held]
    below = float(weights @ omega[held])
    return -float(weights @ np.angle(lines[held])) / below if below > 0 else 0.0
