"""The frequency of a waveform over time: the ridge of a picture of time against the logarithm of frequency.

Source: a constant-Q transform (Gaussian weights, as J. Morlet's wavelets, 1984) and the best path through it by dynamic
programming (R. Bellman 1957). It serves where one spectrum of the whole record cannot: run-ups, late beginnings, dips.
"""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray, percentiles, quick_length

_VOICES = 6  # frequencies per octave
_CYCLES = 0.8  # standard deviation of the weights in time, in cycles: harmonics stay apart, a run-up is followed
_REACH = 4.0  # standard deviations after which a weight counts as nothing
_MOST_FRAMES = 2048
_STEP_COST = 0.1  # of the largest score, for a change by one voice between two frames
_QUARTILE = (
    1.55  # median over lower quartile of the magnitude of noise (Rayleigh): tones fill up to three quarters of the picture
)
_STANDS_OUT = 4.0  # times the noise in a voice: less is noise
_HIGHEST = 0.25  # of the sample rate


class Track(msgspec.Struct, frozen=True, eq=False):
    """Frequency and amplitude frame by frame along the strongest ridge."""

    positions: FloatArray  # (n_frames,), samples
    frequencies_hz: FloatArray  # (n_frames,)
    amplitudes: FloatArray  # (n_frames,), peak, unit of the waveform
    stands_out: float  # amplitude at 1 Hz above which it is not noise; grows with the root of the frequency

    @property
    def sure(self) -> np.ndarray:
        """Return in which frames the ridge stands out, of noise and of its own largest amplitude."""
        least = self.stands_out * np.sqrt(self.frequencies_hz)
        return np.asarray(self.amplitudes > np.maximum(least, 1e-9 * self.amplitudes.max(initial=0.0)))


def frequency_track(x: FloatArray, rate_hz: float, band_hz: tuple[float, float]) -> Track | None:
    """Return the strongest ridge of `x` within a band, or None where the band holds no frequency that could be told.

    Parameters
    ----------
    x : array (n_samples,), any unit, none missing, its mean removed
    band_hz : lowest and highest frequency, Hz; above a quarter of the rate nothing is looked for
    """
    low, high = max(band_hz[0], 1.5 * rate_hz / max(len(x), 1)), min(band_hz[1], _HIGHEST * rate_hz)
    if len(x) < 16 or not low < high:
        return None
    voices = low * 2 ** np.arange(0.0, math.log2(high / low) + 1 / _VOICES, 1 / _VOICES)
    voices = voices[voices <= high * 1.01]
    frames = np.linspace(0.5, len(x) - 0.5, min(max(len(x) // 4, 4), _MOST_FRAMES))
    picture = _amplitudes(x, rate_hz, voices, frames)
    noise = _QUARTILE * percentiles(picture / np.sqrt(voices)[:, None], 25)[0]
    stands_out = _STANDS_OUT * noise
    path = _best_path(picture, stands_out * np.sqrt(voices)[:, None])
    at = np.arange(len(frames))
    return Track(frames, _between_voices(picture, voices, path), picture[path, at], stands_out)


def _amplitudes(x: FloatArray, rate_hz: float, voices: FloatArray, frames: FloatArray) -> FloatArray:
    """Return the amplitude of each voice at each frame, shape (n_voices, n_frames).

    The spectrum around a voice is cut out and transformed back alone; folded, where it is wider than the picture is fine, which
    leaves the values at every so manieth sample as they are. At its ends an amplitude is taken over the weights that lie within
    the record.
    """
    pad = min(int(2 * _REACH * _CYCLES * rate_hz / voices[0]), len(x))
    length = quick_length(len(x) + pad)
    finest = quick_length(math.ceil(len(frames) * length / len(x)))
    lines = np.fft.rfft(x, length)
    spacing = rate_hz / length
    found = np.empty((len(voices), len(frames)))
    for k, voice in enumerate(voices.tolist()):
        sigma = voice / (2 * math.pi * _CYCLES)
        first = max(math.floor((voice - _REACH * sigma) / spacing), 1)
        end = min(math.ceil((voice + _REACH * sigma) / spacing) + 1, len(lines))
        cut = lines[first:end] * np.exp(-0.5 * ((np.arange(first, end) * spacing - voice) / sigma) ** 2)
        size = min(quick_length(end - first), finest)
        folded = np.zeros((-(-len(cut) // size), size), dtype=np.complex128)
        folded.reshape(-1)[: len(cut)] = cut
        envelope = np.abs(np.fft.ifft(folded.sum(axis=0))) * (2 * size / length)
        inside = sum(_share_below(side / rate_hz * voice / _CYCLES) for side in (frames, len(x) - frames)) - 1
        found[k] = envelope[np.minimum((frames * (size / length)).astype(np.intp), size - 1)] / inside
    return found


def _share_below(z: FloatArray) -> FloatArray:
    """Return the share of a normal distribution below `z` (n,) standard deviations, within 1 %."""
    return np.asarray(1 / (1 + np.exp(-1.702 * np.minimum(z, 40.0))))


def _best_path(picture: FloatArray, least: FloatArray) -> np.ndarray:
    """Return the voice of each frame along the path that gathers the most of what stands out; changes cost."""
    score = np.where(picture > least, _contrast(picture), 0.0).T
    score = np.ascontiguousarray(score / max(float(score.max()), 1e-300))
    voice, first, last = _undisputed(score)
    if first > last:
        return _gathered(score)
    # The path stands on this voice from `first` to `last`: what lies before and behind is found by itself.
    for end in (first, last):
        score[end, voice] += score.shape[1]
    before, behind = _gathered(score[: first + 1]), _gathered(score[last:])
    return np.concatenate([before[:-1], np.full(last - first + 1, voice), behind[1:]])


def _undisputed(score: FloatArray) -> tuple[int, int, int]:
    """Return the strongest voice, and first and last frame of the longest stretch where every best path stands on it.

    No other voice is stronger there in any frame, and all of them together gather more than the way there and back costs. The
    stretch is empty, the last frame before the first, where that cannot be said.
    """
    voice = int(score.sum(axis=0).argmax())
    others = np.delete(score, voice, axis=1)
    lead = score[:, voice] - others.max(axis=1, initial=0.0)
    edges = np.flatnonzero(np.diff(np.concatenate([[False], lead >= 0, [False]]).astype(np.int8)))
    stretches = edges.reshape(-1, 2)
    first, end = stretches[int(np.argmax(stretches[:, 1] - stretches[:, 0]))].tolist() if len(stretches) else (0, 0)
    clear = float(lead[first:end].sum()) > 2 * _STEP_COST * score.shape[1]
    return voice, first, end - 1 if clear else first - 1


def _gathered(score: FloatArray) -> np.ndarray:
    """Return the path (n_frames,) with the highest sum of `score` (n_frames, n_voices) less the cost of its changes.

    A cost that grows with the distance lets the best way to every voice be found in two sweeps, up and down the voices.
    """
    n_frames, n_voices = score.shape
    ramp = _STEP_COST * np.arange(n_voices)
    best = np.empty_like(score)
    best[0] = score[0]
    for at in range(1, n_frames):
        before = best[at - 1]
        from_below = np.maximum.accumulate(before + ramp) - ramp
        from_above = np.maximum.accumulate((before - ramp)[::-1])[::-1] + ramp
        np.add(np.maximum(from_below, from_above), score[at], out=best[at])
    path = np.empty(n_frames, dtype=np.intp)
    path[-1] = int(best[-1].argmax())
    costs = np.abs(ramp[:, None] - ramp)
    for at in range(n_frames - 1, 0, -1):
        path[at - 1] = int((best[at - 1] - costs[path[at]]).argmax())
    return path


def _contrast(picture: FloatArray) -> FloatArray:
    """Return by how much each place rises above the mean of those half an octave below and above: tones do, steps do not."""
    reach = _VOICES // 2
    beside = np.pad(picture, ((reach, reach), (0, 0)), mode="edge")
    return np.maximum(picture - 0.5 * (beside[: len(picture)] + beside[2 * reach :]), 0.0)


def _between_voices(picture: FloatArray, voices: FloatArray, path: np.ndarray) -> FloatArray:
    """Return the frequency of the ridge: the top of the parabola through the logarithms of three neighbours."""
    inner = np.clip(path, 1, len(voices) - 2) if len(voices) > 2 else path
    if len(voices) < 3:
        return np.asarray(voices[path])
    at = np.arange(picture.shape[1])
    with np.errstate(divide="ignore", invalid="ignore"):
        below, middle, above = (np.log(picture[inner + k, at]) for k in (-1, 0, 1))
        shift = 0.5 * (below - above) / (below - 2 * middle + above)
    shift = np.where(np.isfinite(shift), np.clip(shift, -1, 1), 0.0)
    return np.asarray(voices[inner] * 2 ** (shift / _VOICES))
