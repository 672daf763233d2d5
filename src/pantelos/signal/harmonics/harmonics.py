"""Phasors per harmonic order over whole cycles, and the distortion figures made of them."""

import math

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import ComplexArray, FloatArray, Reader
from pantelos.signal.cycles.coherent import coherent_windows, split_window
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import Window
from pantelos.signal.harmonics.window_lines import window_lines
from pantelos.signal.sharing import both


class Orders(msgspec.Struct, frozen=True, eq=False):
    """Rms phasors per window, channel and order; every window spans whole cycles of the reference."""

    phasors: ComplexArray  # (n_windows, n_channels, highest_order + 1), rms, column 0 is the mean
    weights: FloatArray  # (n_windows,), cycles in the window
    frequency_hz: float
    on_samples: bool

    @property
    def highest(self) -> int:
        """The highest order held."""
        return int(self.phasors.shape[-1]) - 1

    @property
    def rms(self) -> FloatArray:
        """Rms per channel and order over all windows: root of the mean of squares; column 0 is the mean."""
        squares = np.average(np.abs(self.phasors) ** 2, axis=0, weights=self.weights)
        result = np.sqrt(squares)
        result[:, 0] = np.average(self.phasors[:, :, 0].real, axis=0, weights=self.weights)
        return np.asarray(result)

    def relative_angles(self, reference: int) -> FloatArray:
        """Return the sine-referenced angle of each order against the fundamental of channel `reference`.

        arg(X_h) - h arg(U_1), rad in (-pi, pi], shape (n_channels, highest + 1): independent of where the
        window begins. Mean over windows in the complex plane; column 0 is NaN.
        """
        order = np.arange(self.highest + 1)
        to_sine = 0.5 * math.pi
        start = np.angle(self.phasors[:, reference, 1]) + to_sine
        turned = self.phasors * np.exp(1j * (to_sine - order[None, None, :] * start[:, None, None]))
        angles = np.angle(np.average(turned, axis=0, weights=self.weights))
        angles[:, 0] = np.nan
        return np.asarray(angles)

    def mean_product(self, a: ComplexArray, b: ComplexArray) -> complex:
        """Return the mean over windows of a conj(b), for phasors of one order, shape (n_windows,) each."""
        return complex(np.average(a * np.conj(b), weights=self.weights))


def window_phasors(x: FloatArray, n_cycles: int, highest_order: int) -> ComplexArray:
    """Return the rms phasors of orders 0 to `highest_order` of one window, cosine-referenced to its first sample.

    X = (sqrt 2 / N) sum x[n] exp(-j 2 pi h M n / N), M cycles in N samples; order 0 is the mean.

    Parameters
    ----------
    x : array (..., N), unit of the channel, spanning exactly `n_cycles` cycles
    n_cycles : int, 1 or more
    highest_order : int; orders at or above half the sample rate come out as NaN

    Returns
    -------
    array (..., highest_order + 1), complex, unit of x
    """
    lines = np.fft.rfft(x, axis=-1) * (math.sqrt(2) / x.shape[-1])
    result = np.full((*x.shape[:-1], highest_order + 1), np.nan, dtype=np.complex128)
    wanted = np.arange(highest_order + 1) * n_cycles
    held = wanted[2 * wanted < x.shape[-1]]
    result[..., : len(held)] = lines[..., held]
    result[..., 0] /= math.sqrt(2)
    return result


# Samples of a part, and of all, above which lines are found in single precision.
_MANY, _MANY_IN_ALL = 1 << 16, 1 << 22
_REACHED = 0.45  # of the sample rate: where the anti-alias filter of a recorder, and interpolation, leave an amplitude alone


def with_reached_only(phasors: ComplexArray, samples_per_cycle: float) -> ComplexArray:
    """Return phasors (..., orders) with NaN for orders above 0.45 of the sample rate: a resampled window has lines there too."""
    phasors[..., int(_REACHED * samples_per_cycle) + 1 :] = np.nan
    return phasors


def harmonic_orders(
    read: Reader, n_samples: int, window: Window, cycles: Cycles, highest_order: int = 50, progress: Progress | None = None
) -> Orders:
    """Return the phasors of several channels over the whole cycles of `window`.

    Source: IEC 61000-4-7, rectangular windows synchronised to the measured fundamental. Departures: windows
    hold about 10 or 12 cycles rather than exactly so, in order that every cycle of the interval is used.

    Parameters
    ----------
    read : callable (start, stop) -> array (n_channels, stop - start)
    window : must hold at least one cycle
    highest_order : orders above 0.45 of the sample rate come out as NaN
    """
    parts, progress = split_window(window, cycles), progress or Progress()
    many = window.stop - window.start > max(_MANY * len(parts), _MANY_IN_ALL)
    phasors = (_of_lines if many else _of_windows)(read, n_samples, parts, cycles, highest_order, progress)
    with_reached_only(phasors, cycles.rate_hz / window.frequency_hz)
    weights = np.array([part.n_cycles for part in parts], dtype=np.float64)
    return Orders(phasors, weights, window.frequency_hz, all(part.on_samples for part in parts))


def _of_windows(
    read: Reader, n_samples: int, parts: list[Window], cycles: Cycles, highest_order: int, progress: Progress
) -> ComplexArray:
    """Return the phasors of parts, (n_parts, ..., orders), in double precision."""
    phasors = []
    for part, x in zip(parts, coherent_windows(read, n_samples, parts, highest_order, cycles), strict=True):
        phasors.append(window_phasors(x, part.n_cycles, highest_order))
        progress.at(len(phasors) / len(parts))
    return np.array(phasors)


def _of_lines(
    read: Reader, n_samples: int, parts: list[Window], cycles: Cycles, highest_order: int, progress: Progress
) -> ComplexArray:
    """Return the same as far as single precision tells: rounding of many samples averages out, and takes a third of the time."""
    phasors = np.full((len(parts), *read(0, 0).shape[:-1], highest_order + 1), np.nan + 0j)

    def fill(first: int, last: int, said: Progress) -> None:
        at, wanted = first, max((part.n_cycles for part in parts[first:last]), default=0) * (highest_order + 1) + 2
        for lines in window_lines(read, n_samples, parts[first:last], cycles, highest_order + 1, wanted):
            held = lines.every(parts[at].n_cycles)[..., : highest_order + 1]
            phasors[at : at + len(lines), ..., : held.shape[-1]] = held
            at += len(lines)
            said.at((at - first) / (last - first))

    middle = (len(parts) + 1) // 2
    both(lambda: fill(0, middle, progress), lambda: fill(middle, len(parts), progress.quiet()))
    return phasors
