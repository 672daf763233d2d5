"""Amplitude spectra: a stretch in blocks, each through a window, averaged by power; highest and lowest beside the mean.

Source: textbook DFT relations; averaging of overlapping blocks P. D. Welch 1967.
"""

import math
from collections.abc import Callable, Iterator
from functools import lru_cache

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import AnyArray, ComplexArray, FloatArray, Reader
from pantelos.signal.sharing import WORTH_SHARING, both
from pantelos.signal.spectra.spectral_windows import KINDS, SpectralWindow, tone_between, window_weights
from pantelos.signal.sums.integrals import blocks
from pantelos.signal.validity import with_short_gaps_filled

# Longer stretches are averaged over blocks of this length where no resolution is asked for: no picture has pixels for more lines.
LONGEST_BLOCK = 1 << 20
FEWEST_SAMPLES = 8  # of a block
MOST_SAMPLES = 1 << 25  # of a block: what a transform of them takes is held in memory several times
MOST_OVERLAP = 0.95
_AT_ONCE = 1 << 17  # samples transformed at a time
_LINES_AT_ONCE = 1 << 15  # they stay in the cache while their neighbours are joined
_KEPT_WEIGHTS = 1 << 20


class Plan(msgspec.Struct, frozen=True):
    """How a stretch is cut into blocks and what is done to each."""

    window: SpectralWindow = SpectralWindow.HANN
    length: int | None = None  # samples of a block; None: the stretch, up to 2^20
    overlap: float | None = None  # share of a block, 0 to 0.95; None: what suits the window
    without_mean: bool = False  # the mean of each block is taken off
    fading: float = 0.0  # blocks after which the past has faded to 1/e; 0: nothing fades

    def block_of(self, n_samples: int) -> int:
        """Return the length of a block in a stretch of so many samples."""
        return min(n_samples, LONGEST_BLOCK) if self.length is None else self.length

    def starts(self, start: int, stop: int) -> list[int]:
        """Return where blocks begin; the last one overlaps more, so that every sample counts."""
        n = self.block_of(stop - start)
        overlap = KINDS[self.window].overlap if self.overlap is None else self.overlap
        starts = list(range(start, stop - n + 1, max(round(n * (1 - overlap)), 1)))
        return starts if starts[-1] + n == stop else [*starts, stop - n]


class Spectrum(msgspec.Struct, frozen=True, eq=False):
    """One-sided rms spectra of a stretch: a line reads the rms of the tone on it, in the unit of the channel."""

    rms: FloatArray  # (n_lines,), root of the mean square over the blocks
    highest: FloatArray  # (n_lines,), of any block
    lowest: FloatArray
    present: FloatArray  # of the last block
    faded: FloatArray | None  # older blocks count less; None where not asked for
    first: ComplexArray  # (n_lines,), rms phasors of the first block, cosine-referenced to its first sample
    first_start: int  # the sample where that block begins
    rate_hz: float
    window: SpectralWindow
    n_samples: int  # in one block
    n_blocks: int
    n_left_out: int  # blocks in which samples are missing
    n_independent: float  # blocks that would average noise as well if they did not overlap
    noise_bandwidth: float  # of the window, in lines (ENBW)
    without_mean: bool = False

    @property
    def spacing_hz(self) -> float:
        """From one line to the next: line k stands at k times that."""
        return self.rate_hz / self.n_samples

    @property
    def frequencies_hz(self) -> FloatArray:
        """Frequency of each line, Hz."""
        return np.asarray(np.arange(len(self.rms)) * self.spacing_hz, dtype=np.float64)

    @property
    def resolution_hz(self) -> float:
        """Resolution bandwidth: line spacing times the noise bandwidth of the window."""
        return self.spacing_hz * self.noise_bandwidth

    def __str__(self) -> str:
        top = (len(self.rms) - 1) * self.spacing_hz
        return f"Spectrum: {len(self.rms)} lines, 0 to {top:g} Hz by {self.spacing_hz:g} Hz, {self.window} window"


def rms_spectrum(x: FloatArray, rate_hz: float, window: SpectralWindow = SpectralWindow.HANN) -> Spectrum:
    """Return the one-sided rms spectrum of one block.

    A[k] = c_k |X[k]| / sum w with c = sqrt 2, but 1 at 0 Hz and at half an even rate. No mean is removed.

    Parameters
    ----------
    x : array (n_samples,), unit of the channel, at least 2 samples, none missing
    """
    return spectrum_of(lambda a, b: x[a:b], 0, len(x), rate_hz, Plan(window, len(x)))


def spectrum_of(
    read: Reader, start: int, stop: int, rate_hz: float, plan: Plan | None = None, progress: Progress | None = None
) -> Spectrum:
    """Return the spectra of samples start to stop. Blocks with missing samples are left out; without any other, all is NaN.

    Gaps of up to three samples are filled.
    """
    plan, progress = plan or Plan(), progress or Progress()
    n, starts = plan.block_of(stop - start), plan.starts(start, stop)
    shape = _Shape.of(plan.window, n, len(starts) == 1)
    transform = _Transform(read, n, plan, shape.weights)
    found = _Totals(n // 2 + 1, plan.fading)
    batches = list(_batches(starts, n))
    for at in range(0, len(batches), 2):
        pair = batches[at : at + 2]
        if len(pair) == 2 and plan.fading == 0:
            for half in both(lambda pair=pair: transform(pair[0]), lambda pair=pair: transform(pair[1])):  # type: ignore[misc]
                found.add(*half)
        else:
            for batch in pair:
                found.add(*transform(batch))
        progress.at(min(at + 2, len(batches)) / len(batches))
    total = shape.total

    def scaled(lines: AnyArray, of: Callable[[FloatArray], object] = lambda _: None) -> AnyArray:
        """Give lines the scale of an rms, after `of`: the first and, of an even number, the last one stand for themselves."""
        numbers = lines.view(np.float64)

        def scale(part: slice) -> None:
            of(numbers[part])
            numbers[part] *= math.sqrt(2) / total

        _in_halves(len(numbers), scale)
        lines[0] /= math.sqrt(2)
        if n % 2 == 0:
            lines[-1] /= math.sqrt(2)
        return lines

    if not found.n_blocks:
        found.squares, found.first = np.full(n // 2 + 1, np.nan), found.first.copy()
    if found.n_blocks > 1:
        found.squares /= found.n_blocks
    others = [found.highest, found.lowest, found.last]
    highest, lowest, present = [found.squares] * 3 if found.n_blocks == 1 else [scaled(np.sqrt(one)) for one in others]
    rms = scaled(found.squares, lambda x: np.sqrt(x, out=x))  # in place: nothing else is made of the squares
    return Spectrum(
        rms,
        highest,
        lowest,
        present,
        scaled(np.sqrt(found.faded)) if plan.fading and found.faded is not None else None,
        scaled(found.first),
        found.first_start,
        rate_hz,
        plan.window,
        n,
        found.n_blocks,
        len(starts) - found.n_blocks,
        shape.independent(starts, found.n_blocks),
        n * shape.energy / total**2,
        plan.without_mean,
    )


def _batches(starts: list[int], n: int) -> Iterator[list[int]]:
    """Yield starts of blocks that are transformed together."""
    step = max(_AT_ONCE // n, 1)
    for at in range(0, len(starts), step):
        yield starts[at : at + step]


@lru_cache(maxsize=8)
def _kept_weights(window: SpectralWindow, n: int) -> FloatArray:
    weights = window_weights(window, n)
    weights.setflags(write=False)
    return weights


def _weights(window: SpectralWindow, n: int) -> FloatArray:
    if n <= _KEPT_WEIGHTS:
        return _kept_weights(window, n)
    kind, middle = KINDS[window], n // 2 + 1
    quarter, made = middle // 2, np.empty(n)
    both(
        lambda: np.copyto(made[:quarter], kind.weights(np.arange(quarter) / n)),
        lambda: np.copyto(made[quarter:middle], kind.weights(np.arange(quarter, middle) / n)),
    )
    made[middle:] = made[1 : n - middle + 1][::-1]  # periodic windows are the same on both sides of their middle
    return made


class _Shape(msgspec.Struct, frozen=True, eq=False):
    """The weights of blocks, their sum and that of their squares."""

    weights: FloatArray | None  # None: one long block, weighted by a sum of neighbouring lines after its transform
    total: float
    energy: float

    @classmethod
    def of(cls, window: SpectralWindow, n: int, alone: bool) -> "_Shape":
        """Return the weights of blocks of `n` samples; of a long one alone they are not made where they are a sum of cosines."""
        a = KINDS[window].cosines
        if alone and a and n >= WORTH_SHARING:
            return cls(None, n * a[0], n * (a[0] ** 2 + 0.5 * sum(one**2 for one in a[1:])))
        weights = _weights(window, n)
        return cls(weights, float(weights.sum()), float(weights @ weights))

    def independent(self, starts: list[int], n_blocks: int) -> float:
        """Return how many blocks without overlap average noise as well."""
        if len(starts) < 2 or self.weights is None:
            return float(n_blocks)
        return independent_blocks(self.weights, starts[1] - starts[0], n_blocks)


class _Transform:
    """Transforms blocks: phasors before scaling."""

    def __init__(self, read: Reader, n: int, plan: Plan, weights: FloatArray | None) -> None:
        self._read, self._n, self._without_mean = read, n, plan.without_mean
        self._weights, self._cosines = weights, KINDS[plan.window].cosines

    def __call__(self, starts: list[int]) -> tuple[list[int], ComplexArray]:
        """Return the blocks that are whole, and their phasors (n_blocks, n_lines)."""
        x = self._read(starts[0], starts[-1] + self._n)
        lines = self._lines(x, starts)
        whole = ~np.isnan(lines[:, 0])
        if not whole.all():
            lines = self._lines(with_short_gaps_filled(x), starts)
            whole = ~np.isnan(lines[:, 0])
        if whole.all():
            return starts, lines
        return [start for start, kept in zip(starts, whole.tolist(), strict=True) if kept], lines[whole]

    def _lines(self, x: FloatArray, starts: list[int]) -> ComplexArray:
        if self._weights is None:
            return _weighted_lines(np.fft.rfft(x - x.mean() if self._without_mean else x), self._n, self._cosines)[None]
        rows = np.lib.stride_tricks.sliding_window_view(x, self._n)[np.array(starts) - starts[0]]
        return np.fft.rfft((rows - rows.mean(axis=1, keepdims=True) if self._without_mean else rows) * self._weights)


def _weighted_lines(lines: ComplexArray, n: int, cosines: tuple[float, ...]) -> ComplexArray:
    """Return the transform of weighted samples from that of plain ones, in its place.

    Each cosine of the window joins two neighbours: line k becomes the sum of (-1)^m a_m / 2 (line k - m + line k + m).
    """
    reach, last, middle = len(cosines) - 1, len(lines) - 1, len(lines) // 2
    factors = [(-1) ** m * 0.5 * a for m, a in enumerate(cosines)]
    factors[0] = cosines[0]

    def plain(first: int, end: int) -> FloatArray:
        """Return lines from `first` to `end` as they are, real and imaginary parts in turn; that of reals is mirrored."""
        k = np.arange(first, end)
        values = lines[np.where(k > last, n - k, np.abs(k))]
        return np.where((k < 0) | (k > last), np.conj(values), values).view(np.float64)

    def join(first: int, end: int, before: FloatArray, behind: FloatArray) -> None:
        beside = 2 * reach
        for low, high in blocks(first, end, _LINES_AT_ONCE):
            made = lines[low:high].view(np.float64)
            after = np.concatenate([lines[high : min(high + reach, end)].view(np.float64), behind])[:beside]
            held = np.concatenate([before, made, after])
            before = held[-2 * beside : -beside].copy()
            np.multiply(held[beside:-beside], factors[0], out=made)
            for m, factor in enumerate(factors[1:], start=1):
                pair = held[beside - 2 * m : len(held) - beside - 2 * m] + held[beside + 2 * m : len(held) - beside + 2 * m]
                pair *= factor
                made += pair

    if not reach:
        lines *= cosines[0]
        return lines
    edges = [(plain(at - reach, at), plain(at, at + reach)) for at in (0, middle, len(lines))]
    both(lambda: join(0, middle, edges[0][0], edges[1][1]), lambda: join(middle, len(lines), edges[1][0], edges[2][1]))
    return lines


class _Totals:
    """Gathers the squares of blocks in their order."""

    def __init__(self, n_lines: int, fading: float) -> None:
        self.squares, self.n_blocks = np.zeros(n_lines), 0
        self.highest = self.lowest = self.last = np.broadcast_to(np.nan, n_lines)
        self.faded: FloatArray | None = None
        self.first: ComplexArray = np.broadcast_to(np.nan + 0j, n_lines)
        self.first_start = 0
        self._fading = fading

    def add(self, starts: list[int], lines: ComplexArray) -> None:
        """Add blocks that begin at `starts`, phasors (n_blocks, n_lines)."""
        if not starts:
            return
        squares = _squared(lines)
        if not self.n_blocks:
            self.first, self.first_start = lines[0] if len(lines) == 1 else lines[0].copy(), starts[0]
        self.last = squares[-1].copy() if len(squares) > 1 else squares[0]
        if len(squares) == 1 and not self.n_blocks:
            self.squares = self.highest = self.lowest = squares[0]
        else:
            self.squares = self.squares + squares.sum(axis=0)
            self.highest = np.fmax(self.highest, squares.max(axis=0))
            self.lowest = np.fmin(self.lowest, squares.min(axis=0))
        if self._fading:
            for row in squares:
                self.faded = row.copy() if self.faded is None else self.faded + (row - self.faded) / max(self._fading, 1.0)
        self.n_blocks += len(starts)


def _squared(lines: ComplexArray) -> FloatArray:
    """Return squared magnitudes."""
    made = np.empty(lines.shape)

    def square(part: slice) -> None:
        np.multiply(lines.real[:, part], lines.real[:, part], out=made[:, part])
        made[:, part] += lines.imag[:, part] ** 2

    _in_halves(lines.shape[-1], square)
    return made


def _in_halves(n: int, do: Callable[[slice], None]) -> None:
    """Do something with all of `n` numbers, many of them on two processors, and as many at a time as stay in the cache."""
    if n < WORTH_SHARING:
        do(slice(None))
        return

    def part(first: int, end: int) -> None:
        for low, high in blocks(first, end, _LINES_AT_ONCE):
            do(slice(low, high))

    both(lambda: part(0, n // 2), lambda: part(n // 2, n))


def independent_blocks(weights: FloatArray, step: int, n_blocks: int) -> float:
    """Return how many blocks without overlap average noise as well: K / (1 + 2 sum (1 - m/K) rho_m²), P. D. Welch 1967."""
    n, energy, more = len(weights), float(weights @ weights), 0.0
    for m in range(1, n_blocks):
        if m * step >= n:
            break
        rho = float(weights[: n - m * step] @ weights[m * step :]) / energy
        more += (1 - m / n_blocks) * rho**2
    return n_blocks / (1 + 2 * more)


def interpolated_peak(spectrum: Spectrum, k: int) -> tuple[float, float]:
    """Return (place in lines, rms) of the tone whose highest line is `k`, from the ratio of its two largest lines.

    For the Hann window in closed form, for others by the shape of the main lobe; on the line itself where the window is
    rectangular, whose two lines say little beside noise, or where `k` is no maximum.
    """
    lines = spectrum.rms
    if spectrum.window is SpectralWindow.RECTANGULAR or not 0 < k < len(lines) - 1 or not lines[k] >= lines[k - 1 : k + 2].max():
        return float(k), float(lines[k])
    side = 1 if lines[k + 1] > lines[k - 1] else -1
    ratio = float(lines[k + side] / lines[k]) if lines[k] > 0 else 0.0
    if spectrum.window is not SpectralWindow.HANN:
        off, share = tone_between(spectrum.window, ratio)
        return k + side * off, float(lines[k]) / share
    delta = (2 * ratio - 1) / (ratio + 1)
    gain = 1.0 if abs(delta) < 1e-9 else math.pi * delta * (1 - delta**2) / math.sin(math.pi * delta)
    return float(k + side * delta), float(lines[k] * gain)
