"""One component among others: tones near a frequency fitted together, with what noise and leakage leave uncertain.

A stretch is looked at through a smooth window in some lines around the frequency. Tones with one frequency for all channels and a
phasor for each are fitted to those lines by least squares (variable projection with Gauss-Newton steps: G. Golub and V. Pereyra
1973), one after another as long as what is left holds a line that stands out. What is left then is noise, and tells how sure the
phasors are.
"""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import ComplexArray, FloatArray, Reader, medians
from pantelos.signal.spectra.narrow_lines import lines_around
from pantelos.signal.validity import with_short_gaps_filled

_HANN, _BLACKMAN_HARRIS = (0.5, 0.5), (0.35875, 0.48829, 0.14128, 0.01168)
_REACH = 24  # lines on either side
_MOST_TONES = 8
_FEWEST_PERIODS, _ENOUGH_PERIODS = 4.0, 10.0  # of the component: for the Hann, and for the Blackman-Harris window
_STANDS_OUT = 4.5  # times the noise of a line, rms of all channels
_OF_LARGEST = 1e-6  # smaller ones are what the model leaves
_STEPS = 25
_CLOSEST = 0.25  # of a line between two tones
_ASIDE = 1.5  # lines that the component may stand off the frequency asked for
_SIDE_LOBES = {_HANN: 0.0, _BLACKMAN_HARRIS: 10 ** (-92 / 20)}
LONGEST = 1 << 26  # samples
_AT_ONCE = 1 << 23  # samples that are transformed as a whole


class Component(msgspec.Struct, frozen=True, eq=False):
    """A component of some channels, found together with the tones beside it."""

    frequency_hz: float
    frequency_u_hz: float  # standard uncertainty
    phasors: ComplexArray  # (n_channels,), rms, cosine-referenced to the middle of the stretch
    covariance: FloatArray  # of place in lines and of the angles, rad: (1 + n_channels, 1 + n_channels)
    leaked: FloatArray  # (n_channels,), what tones further away leak, standard, rms
    others_hz: tuple[float, ...]  # tones beside it that were fitted too
    middle: float  # samples: the instant the phasors refer to
    length: int

    @property
    def rms_u(self) -> FloatArray:
        """Standard uncertainty of the rms of each channel: noise is the same in both quadratures."""
        sizes = np.abs(self.phasors)
        return np.asarray(np.hypot(np.sqrt(np.diag(self.covariance)[1:]) * sizes, self.leaked))

    def phase_of(self, channel: int, at: float, rate_hz: float) -> tuple[float, float]:
        """Return the sine-referenced phase of a channel at a position, samples, and its standard uncertainty, rad."""
        away = at - self.middle
        angle = float(np.angle(self.phasors[channel])) + 0.5 * math.pi + 2 * math.pi * self.frequency_hz * away / rate_hz
        turn = np.zeros(len(self.covariance))
        turn[0], turn[1 + channel] = 2 * math.pi * away / self.length, 1.0
        leak = float(self.leaked[channel] / np.abs(self.phasors[channel]))
        return math.remainder(angle, 2 * math.pi), math.hypot(math.sqrt(float(turn @ self.covariance @ turn)), leak)

    def phase_between(self) -> tuple[float, float]:
        """Return the angle of the first channel against the second, and its standard uncertainty, rad."""
        found = complex(self.phasors[0] * np.conj(self.phasors[1]))
        turn = np.array([0.0, 1.0, -1.0])
        leak = math.hypot(*(self.leaked / np.abs(self.phasors)).tolist())
        return math.atan2(found.imag, found.real), math.hypot(math.sqrt(float(turn @ self.covariance @ turn)), leak)


def component_near(read: Reader, start: int, stop: int, rate_hz: float, frequency_hz: float) -> Component | str:
    """Return the component nearest a frequency, or why there is none.

    Parameters
    ----------
    read : callable (start, stop) -> array (n_channels, stop - start)
    start, stop : at most 2^26 samples of them are looked at, those in the middle
    """
    if stop - start > LONGEST:
        start, stop = (start + stop - LONGEST) // 2, (start + stop + LONGEST) // 2
    n = stop - start
    periods = frequency_hz * n / rate_hz
    if not _FEWEST_PERIODS <= periods:
        return f"it holds {periods:.3g} periods of {frequency_hz:.6g} Hz; {_FEWEST_PERIODS:g} are needed"
    if not frequency_hz < 0.5 * rate_hz:
        return f"{frequency_hz:.6g} Hz is not below half the sample rate"
    weights = _BLACKMAN_HARRIS if periods >= _ENOUGH_PERIODS else _HANN
    first, last = max(round(periods) - _REACH, len(weights)), min(round(periods) + _REACH + 1, n // 2)
    if n > _AT_ONCE:
        found = lines_around(read, start, n, weights, round(periods), first, last)
    else:
        found = _lines(with_short_gaps_filled(read(start, stop)), weights, first, last)
    if found is None:
        return "samples are missing, and a spectrum needs every one"
    data, beyond = found
    scale = float(np.abs(data).max(initial=0.0))
    if not scale > 0:
        return "there is nothing at this frequency"
    fit = _fitted(data, first, weights, periods)
    if fit is None:
        return f"no tone stands out near {frequency_hz:.6g} Hz"
    places, phasors, sigma = fit
    at = int(np.argmin(np.abs(places - periods)))
    if abs(places[at] - periods) > _ASIDE:
        return f"no tone stands out near {frequency_hz:.6g} Hz"
    lines = first + np.arange(data.shape[1], dtype=np.float64)
    covariance = _uncertainty(places, phasors, sigma, lines, weights, at)
    spacing = rate_hz / n
    return Component(
        places[at] * spacing,
        math.sqrt(float(covariance[0, 0])) * spacing,
        phasors[:, at],
        covariance,
        _SIDE_LOBES[weights] * beyond / math.sqrt(3),
        tuple(float(place * spacing) for k, place in enumerate(places.tolist()) if k != at),
        start + n / 2,
        n,
    )


def _lines(x: FloatArray, weights: tuple[float, ...], low: int, high: int) -> tuple[ComplexArray, FloatArray] | None:
    """Return rms phasors (n_channels, n_lines) at the middle, and the largest tone beyond each; None with missing samples."""
    if np.isnan(x).any():
        return None
    n = x.shape[-1]
    turn = 2 * math.pi / n * np.arange(n)
    window = sum((-1) ** m * a * np.cos(m * turn) for m, a in enumerate(weights))
    spectrum = np.fft.rfft((x - x.mean(axis=-1, keepdims=True)) * window) * (math.sqrt(2) / (n * weights[0]))
    lines = np.arange(low, high)
    data = spectrum[:, low:high] * np.exp(1j * math.pi * lines)  # referred to the middle, n / 2 samples on
    sizes = np.abs(spectrum)
    beyond = np.maximum(sizes[:, :low].max(axis=1, initial=0.0), sizes[:, high:].max(axis=1, initial=0.0))
    return data, np.asarray(beyond)


def _shape(away: FloatArray, weights: tuple[float, ...]) -> FloatArray:
    """Return the share of a tone on lines `away` from it, real: the transform of a cosine-sum window about its middle."""
    found = np.zeros(away.shape)
    for m, a in enumerate(weights):
        one = a if m == 0 else 0.5 * a
        for side in {m, -m}:
            found += one * np.sinc(away + side)
    return np.asarray(found / weights[0])


def _slope(away: FloatArray, weights: tuple[float, ...]) -> FloatArray:
    step = 1e-4
    return (_shape(away + step, weights) - _shape(away - step, weights)) / (2 * step)


def _fitted(
    data: ComplexArray, first: int, weights: tuple[float, ...], wanted: float
) -> tuple[FloatArray, ComplexArray, FloatArray] | None:
    """Return places of tones in lines, their phasors (n_channels, n_tones), and the noise of a line per channel."""
    lines = first + np.arange(data.shape[1], dtype=np.float64)
    places, phasors, left = np.zeros(0), np.zeros((len(data), 0), dtype=np.complex128), data
    largest = float(np.abs(data).max())
    for _ in range(_MOST_TONES):
        noise = _noise(left)
        power = np.sqrt((np.abs(left) ** 2 / np.maximum(noise[:, None], _OF_LARGEST * largest) ** 2).sum(axis=0) / len(left))
        top = int(np.argmax(power))
        if power[top] < _STANDS_OUT:
            break
        trial = np.append(places, lines[top])
        trial, made, rest = _refined(data, lines, trial, weights)
        if _too_close(trial):
            break
        places, phasors, left = trial, made, rest
    if not len(places):
        return None
    free = max(data.shape[1] - 1.5 * len(places), 1.0)  # a complex number and half a real one are fitted for each
    return places, phasors, np.maximum(_noise(left), np.sqrt((np.abs(left) ** 2).sum(axis=1) / free))


def _too_close(places: FloatArray) -> bool:
    ordered = np.sort(places)
    return bool(len(ordered) > 1 and float(np.diff(ordered).min()) < _CLOSEST)


def _noise(left: ComplexArray) -> FloatArray:
    """Return the rms of noise per line of each channel, from the median of what is left."""
    return np.sqrt(medians(np.abs(left) ** 2) / math.log(2))


def _refined(
    data: ComplexArray, lines: FloatArray, places: FloatArray, weights: tuple[float, ...]
) -> tuple[FloatArray, ComplexArray, ComplexArray]:
    """Return places, phasors and what is left after Gauss-Newton steps on the places, each step halved until it helps."""
    places, phasors, left = _solved(data, lines, places, weights)
    cost = float((np.abs(left) ** 2).sum())
    for _ in range(_STEPS):
        slopes = -_slope(lines[:, None] - places, weights)  # (n_lines, n_tones), by place
        columns = np.concatenate([slopes * row for row in phasors])
        columns = np.concatenate([columns.real, columns.imag])
        shapes = _shape(lines[:, None] - places, weights)
        projected = _without(columns, shapes, len(data))
        step, *_ = np.linalg.lstsq(projected, np.concatenate([left.real.ravel(), left.imag.ravel()]), rcond=1e-9)
        step = np.clip(step, -1.0, 1.0)
        improved = False
        for _ in range(6):
            trial = _solved(data, lines, places + step, weights)
            spent = float((np.abs(trial[2]) ** 2).sum())
            if spent < cost:
                improved = True
                break
            step = step / 2
        if not improved:
            break
        done = cost - spent <= 1e-14 * cost
        (places, phasors, left), cost = trial, spent
        if done or float(np.abs(step).max()) < 1e-9:
            break
    return places, phasors, left


def _without(columns: FloatArray, shapes: FloatArray, n_channels: int) -> FloatArray:
    """Return columns less what the phasors of the tones can take up, channel by channel, real and imaginary parts."""
    basis, _ = np.linalg.qr(shapes)
    parts = columns.reshape(2 * n_channels, len(shapes), -1)
    return np.asarray((parts - basis @ (basis.T @ parts)).reshape(columns.shape))


def _solved(
    data: ComplexArray, lines: FloatArray, places: FloatArray, weights: tuple[float, ...]
) -> tuple[FloatArray, ComplexArray, ComplexArray]:
    shapes = _shape(lines[:, None] - places, weights)
    phasors = np.linalg.lstsq(shapes, data.T, rcond=1e-9)[0].T
    return places, np.asarray(phasors), np.asarray(data - phasors @ shapes.T)


def _uncertainty(
    places: FloatArray, phasors: ComplexArray, sigma: FloatArray, lines: FloatArray, weights: tuple[float, ...], at: int
) -> FloatArray:
    """Return the covariance of the place of tone `at`, lines, and of the angles of its phasors, rad, (1 + n_channels, the same).

    Of all places and phasors fitted together; noise of neighbouring lines goes together as the window makes it.
    """
    n_channels, n_tones = phasors.shape
    shapes, slopes = _shape(lines[:, None] - places, weights), -_slope(lines[:, None] - places, weights)
    together = 0.5 * _noise_shape(lines[:, None] - lines, weights)  # of real and of imaginary parts
    n = len(lines)
    jacobian = np.zeros((2 * n_channels * n, n_tones * (1 + 2 * n_channels)))
    noise = np.zeros((len(jacobian), len(jacobian)))
    for c, row in enumerate(phasors):
        for part, values in enumerate((row.real, row.imag)):
            rows = slice((2 * c + part) * n, (2 * c + part + 1) * n)
            own = n_tones * (1 + 2 * c + part)
            jacobian[rows, :n_tones] = slopes * values
            jacobian[rows, own : own + n_tones] = shapes
            noise[rows, rows] = sigma[c] ** 2 * together
    solve = np.linalg.pinv(jacobian, rcond=1e-12)
    covariance = solve @ noise @ solve.T
    pick = np.zeros((1 + n_channels, jacobian.shape[1]))
    pick[0, at] = 1.0
    for c in range(n_channels):
        z = complex(phasors[c, at])
        pick[1 + c, n_tones * (1 + 2 * c) + at] = -z.imag / abs(z) ** 2
        pick[1 + c, n_tones * (2 + 2 * c) + at] = z.real / abs(z) ** 2
    return np.asarray(pick @ covariance @ pick.T)


def _noise_shape(away: FloatArray, weights: tuple[float, ...]) -> FloatArray:
    """Return how noise of lines goes together, 1 on the diagonal: the transform of the squared window, about its middle."""
    n = 256
    window = np.asarray(sum((-1) ** m * a * np.cos(m * 2 * math.pi / n * np.arange(n)) for m, a in enumerate(weights)))
    found = np.fft.rfft(window**2)
    shares = (found * np.exp(1j * math.pi * np.arange(len(found)))).real / found[0].real
    return np.asarray(shares[np.abs(away).astype(int)])
