"""Spectra of a study: what is asked for turned into blocks, what they hold, and what to be careful about."""

import math

import msgspec

from pantelos.accuracy.budget import NOISE, RESOLUTION
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.remembered import remembered
from pantelos.errors import StudyError
from pantelos.notation import count, duration, number, with_unit
from pantelos.progress import Progress
from pantelos.signal.cycles.window import samples_between
from pantelos.signal.spectra.cross_spectrum import CrossSpectrum, cross_spectrum
from pantelos.signal.spectra.distortion_limits import DistortionLimit, DistortionLimits, distortion_limits
from pantelos.signal.spectra.spectral_hazards import ALIASED, CHANGING_DB, OFF_LINE, Hazards, hazards_of
from pantelos.signal.spectra.spectral_peaks import Peak, peaks_of
from pantelos.signal.spectra.spectral_scales import DENSITIES, in_decibels, in_scale, symbol_of
from pantelos.signal.spectra.spectral_windows import SpectralWindow, traits
from pantelos.signal.spectra.spectrogram import Spectrogram, spectrogram
from pantelos.signal.spectra.spectrum import FEWEST_SAMPLES, MOST_OVERLAP, MOST_SAMPLES, Plan, Spectrum
from pantelos.study.shown import Spectral
from pantelos.units import Unit, unit

_HERTZ = unit("Hz")


class SpectrumFound(msgspec.Struct, frozen=True, eq=False):
    """A spectrum of a channel, its tones, and what limits it."""

    channel: str
    unit: Unit
    spectrum: Spectrum
    peaks: tuple[Peak, ...]
    noise_density: float  # unit²/Hz, SI
    hazards: Hazards
    fundamental_hz: float  # whose orders are spoken of; NaN where there is none
    carrier_rms: float  # what dBc is against: the fundamental, the largest tone where there is none; NaN without either
    full_scale: float | None  # peak, SI
    limits: DistortionLimits | None

    def order_of(self, peak: Peak) -> int | None:
        """Return the order of a tone: where it stands within a main lobe of one."""
        if not self.fundamental_hz > 0:
            return None
        order = round(peak.frequency_hz / self.fundamental_hz)
        near = abs(peak.frequency_hz - order * self.fundamental_hz) < max(self.spectrum.resolution_hz, self.spectrum.spacing_hz)
        return order if order and near else None

    def shown(self, rms: object, settings: Spectral) -> object:
        """Return rms lines as the settings show them: in a scale of the unit the channel is shown in, or in dB."""
        values = in_scale(rms, self.spectrum, settings.scale)  # type: ignore[arg-type]
        if settings.decibels in ("linear", "logarithmic"):
            return values / self.factor(settings)
        return in_decibels(values, settings.scale, self.reference_rms(settings))

    def factor(self, settings: Spectral) -> float:
        """Return what SI values of a scale are divided by for the unit of the channel."""
        return self.unit.factor**2 if "power" in settings.scale else self.unit.factor

    def reference_rms(self, settings: Spectral) -> float:
        """Return the rms that dB are against, SI.

        Raises
        ------
        StudyError
            Where there is no carrier, or the range is not stated.
        """
        match settings.decibels:
            case "dBc":
                if not self.carrier_rms > 0:
                    raise StudyError(f"No tone stands out in {self.channel}, so there are no dBc. Choose dB or a linear scale.")
                return self.carrier_rms
            case "dBFS":
                if not self.full_scale:
                    raise StudyError(f"The range of {self.channel} is not stated, so there are no dBFS. State it: range 10 V.")
                return self.full_scale / math.sqrt(2)
        return self.unit.factor

    def symbol(self, settings: Spectral) -> str:
        """Return the unit of what is shown."""
        return symbol_of(self.unit.symbol, settings.scale, settings.decibels)

    @property
    def sentence(self) -> str:
        """What limits its THD, and how far longer blocks would help; empty where there is no THD."""
        return _limit_sentence(self) if self.limits is not None else ""


def plan_of(evaluation: Evaluation, window: str, settings: Spectral, n_samples: int, place: str) -> Plan:
    """Return how a stretch of so many samples is cut into blocks.

    Raises
    ------
    StudyError
        When the resolution asked for cannot be had, and what can.
    """
    rate, kind = evaluation.record.rate_hz, SpectralWindow(window)
    without_mean = settings.without_mean if settings.without_mean is not None else settings.scale in DENSITIES
    fading = settings.fading if "faded" in settings.traces else 0.0
    if n_samples < FEWEST_SAMPLES:
        raise StudyError(f'"{place}" holds {n_samples} samples; a spectrum needs {FEWEST_SAMPLES}.')
    overlap = settings.overlap
    if overlap is not None and not 0 <= overlap <= MOST_OVERLAP:
        raise StudyError(f"{100 * overlap:g} % is no overlap; expected 0 to {100 * MOST_OVERLAP:g} %.")
    if settings.resolution is None:
        return Plan(kind, None, overlap, without_mean, fading)
    by, value = settings.resolution
    enbw = traits(kind).noise_bandwidth
    length = round({"spacing": rate / value, "length": rate * value, "bandwidth": enbw * rate / value}[by])
    if not FEWEST_SAMPLES <= length <= min(n_samples, MOST_SAMPLES):
        least = {"spacing": 1.0, "length": math.nan, "bandwidth": enbw}[by] * rate / min(n_samples, MOST_SAMPLES)
        asked = duration(value) if by == "length" else f"{by} {with_unit(value, _HERTZ, 4)}"
        if length < FEWEST_SAMPLES:
            raise StudyError(f"{asked} makes blocks of {length} samples; a spectrum needs {FEWEST_SAMPLES}. Ask for a finer one.")
        has = (
            f'"{place}" holds {duration(n_samples / rate)}'
            if n_samples < length
            else f"a block holds {count(MOST_SAMPLES)} at most"
        )
        best = (
            f"at most {duration(min(n_samples, MOST_SAMPLES) / rate)}"
            if by == "length"
            else f"{with_unit(least, _HERTZ, 4)} or more"
        )
        raise StudyError(
            f"{asked} needs blocks of {duration(length / rate)}, and {has}. Ask for {best}, or take a longer stretch."
        )
    return Plan(kind, length, overlap, without_mean, fading)


def spectrum_found(
    evaluation: Evaluation, channel: str, interval: str | None, window: str, settings: Spectral, progress: Progress | None = None
) -> SpectrumFound:
    """Return the spectrum of a channel over an interval with its tones and limits.

    Raises
    ------
    StudyError
        When the resolution cannot be had, or samples are missing in every block.
    """
    span = samples_between(*evaluation.times.span(interval))
    place = evaluation.times.name(interval)
    plan = plan_of(evaluation, window, settings, span.end - span.first, place)
    evaluation.spectrum(channel, interval, plan, progress)  # says why there is none, and is kept
    fundamental = settings.fundamental_hz or _fundamental(evaluation, channel, interval)
    return _looked_at(evaluation, channel, interval, plan, fundamental, progress)


@remembered()
def _looked_at(
    evaluation: Evaluation, channel: str, interval: str | None, plan: Plan, fundamental: float, progress: Progress | None
) -> SpectrumFound:
    wave, span = evaluation.samples.waveform(channel), samples_between(*evaluation.times.span(interval))
    spectrum = evaluation.spectrum(channel, interval, plan, progress)
    peaks, floor = peaks_of(spectrum)
    if not math.isfinite(fundamental) and peaks:
        fundamental = peaks[0].frequency_hz
    limits = None
    if math.isfinite(fundamental):
        recorder = _recorder_density(evaluation, channel)
        limits = distortion_limits(spectrum, peaks, floor, fundamental, evaluation.study.highest_order, recorder)
    carrier = math.sqrt(limits.fundamental) if limits is not None else peaks[0].rms if peaks else math.nan
    hazards = hazards_of(spectrum, peaks, wave.read, span.first, span.end)
    shown = evaluation.names.unit(channel)
    return SpectrumFound(channel, shown, spectrum, peaks, floor, hazards, fundamental, carrier, wave.full_scale, limits)


def _fundamental(evaluation: Evaluation, channel: str, interval: str | None) -> float:
    """Return the frequency of the cycles that count for a channel in an interval; NaN where there are none."""
    cycles = evaluation.references.of([channel]).cycles
    if cycles is None:
        return math.nan
    here = cycles.frequency_between(*evaluation.times.span(interval))
    return here if math.isfinite(here) else cycles.frequency_hz


def _recorder_density(evaluation: Evaluation, channel: str) -> float:
    """Return the density of what the recorder adds by its steps and its stated noise, unit²/Hz; 0 where nothing is known."""
    if evaluation.study.formula(channel) is not None:
        return 0.0
    setup, wave = evaluation.study.channel(channel), evaluation.samples.channel(channel)
    inputs = setup.scaling.inputs(channel, unit(setup.recorder_unit))
    stated = math.hypot(0.0, *(one.standard for one in inputs if one.name in (NOISE, RESOLUTION)))
    return max(stated, evaluation.samples.step(channel) / math.sqrt(12)) ** 2 / (0.5 * wave.rate_hz)


_LIMITED = {
    DistortionLimit.HARMONICS: "limited by the harmonics",
    DistortionLimit.NOISE: "limited by noise",
    DistortionLimit.INTERHARMONICS: "limited by tones between the orders that leak into them",
    DistortionLimit.RECORDER: "limited by the recorder: its steps and noise make what is found",
}
_SMALLEST_SHARE = 1e-9  # below it lies the rounding of numbers, no recorder
_WORTH_SAYING = 1.2  # times longer


def _limit_sentence(found: SpectrumFound) -> str:
    limits, spectrum = found.limits, found.spectrum
    assert limits is not None
    text = f"{_LIMITED[limits.limit]}; noise alone would read {_ratio(limits.noise_thd)}"
    longer = limits.blocks_longer
    if limits.limit in (DistortionLimit.NOISE, DistortionLimit.RECORDER) and _WORTH_SAYING < longer < math.inf:
        block = duration(spectrum.n_samples / spectrum.rate_hz * longer, 2)
        least = " or more" if limits.found <= 1.1 * limits.noise else ""
        text += f"; blocks of {block}{least} would show the harmonics alone, averaging more blocks only steadies the reading"
    elif limits.limit is DistortionLimit.INTERHARMONICS:
        text += "; longer blocks or a window with lower side lobes keep them apart"
    return text


def _ratio(share: float) -> str:
    if 0 < share < _SMALLEST_SHARE:
        return "less than 0.0000001 %"
    return f"{number(100 * share, 2)} %" if share > 0 else "nothing"


def cautions_of(found: SpectrumFound) -> tuple[tuple[str, str, str], ...]:
    """Return what to be careful about in a spectrum: (what kind, what is so, what to do)."""
    said, hazards, spectrum = [], found.hazards, found.spectrum
    tone = f"the largest tone, {with_unit(found.peaks[0].frequency_hz, _HERTZ, 5)}," if found.peaks else ""
    if hazards.off_line > OFF_LINE:
        loss = 100 * (1 - math.sin(math.pi * hazards.off_line) / (math.pi * hazards.off_line))
        said.append((
            "leakage",
            f"{tone} stands {hazards.off_line:.2f} lines off a line: its line reads {loss:.2g} % low and it leaks into others",
            "snap the stretch to whole cycles, or use a Hann window",
        ))  # fmt: skip
    if hazards.high_share > ALIASED:
        top = with_unit(0.45 * spectrum.rate_hz, _HERTZ, 4)
        said.append((
            "aliasing",
            f"{100 * hazards.high_share:.2g} % of the alternating power lies above {top}: "
            "lines may stand for what lies above half the rate",
            "record faster, or with a filter before the recorder",
        ))  # fmt: skip
    if hazards.spread_db > CHANGING_DB:
        by = f"by {hazards.spread_db:.2g} dB" if hazards.spread_db < 60 else "altogether"
        said.append((
            "changing",
            f"{tone} changes {by} within this stretch: a line is the mean of what comes and goes",
            "take a shorter stretch, a spectrogram, or values per cycle",
        ))  # fmt: skip
    if spectrum.n_left_out:
        n = spectrum.n_left_out
        said.append(
            (
                "missing",
                f"{n} of {n + spectrum.n_blocks} blocks are left out: samples are missing in them",
                "take a stretch without them",
            )
        )
    return tuple(said)


_USUAL_COLUMNS = 100.0  # blocks side by side in a spectrogram where no resolution is asked for
_USUAL_SPACING_HZ = 20.0
_SHORTEST, _LONGEST = 256, 1 << 16
_MOST_COLUMNS = 1000


def spectrogram_found(
    evaluation: Evaluation, channel: str, interval: str | None, window: str, settings: Spectral, progress: Progress | None = None
) -> tuple[Spectrogram, int, int]:
    """Return the spectrogram of a channel over an interval, the first band of those asked for, and one past the last.

    Raises
    ------
    StudyError
        When the resolution cannot be had, or all samples are missing.
    """
    span = samples_between(*evaluation.times.span(interval))
    n, place, wave = span.end - span.first, evaluation.times.name(interval), evaluation.samples.waveform(channel)
    plan = plan_of(evaluation, window, settings, n, place)
    if plan.length is None:
        wanted = max(n / _USUAL_COLUMNS, wave.rate_hz / _USUAL_SPACING_HZ, _SHORTEST)
        plan = msgspec.structs.replace(plan, length=min(1 << round(math.log2(min(wanted, _LONGEST, max(n / 8, 8)))), n))
    low, high = settings.span_hz or (0.0, 0.5 * wave.rate_hz)
    found = _spectrogram(evaluation, channel, interval, plan, high, progress)
    if math.isnan(found.largest):
        raise StudyError(
            f'{channel} has no stretch without missing samples in "{place}". Take another interval, or shorter blocks.'
        )
    return found, round(low / found.band_hz), found.rms.shape[1]


@remembered()
def _spectrogram(
    evaluation: Evaluation, channel: str, interval: str | None, plan: Plan, high: float, progress: Progress | None
) -> Spectrogram:
    span, wave = samples_between(*evaluation.times.span(interval)), evaluation.samples.waveform(channel)
    return spectrogram(wave.read, span.first, span.end, wave.rate_hz, plan, _MOST_COLUMNS, high, progress)


@remembered()
def _cross(
    evaluation: Evaluation, channels: tuple[str, str], interval: str | None, plan: Plan, progress: Progress | None
) -> CrossSpectrum | None:
    span, read = samples_between(*evaluation.times.span(interval)), evaluation.stacked(channels)
    return cross_spectrum(read, span.first, span.end, evaluation.record.rate_hz, plan, progress)


_USUAL_BLOCKS = 32  # side by side, for two channels against each other where no resolution is asked for


def cross_spectrum_found(
    evaluation: Evaluation,
    channels: tuple[str, str],
    interval: str | None,
    window: str,
    settings: Spectral,
    progress: Progress | None = None,
) -> CrossSpectrum:
    """Return what goes from the first channel to the second over frequency.

    Raises
    ------
    StudyError
        When there are fewer than two blocks: one alone is always coherent.
    """
    span, place = samples_between(*evaluation.times.span(interval)), evaluation.times.name(interval)
    n, rate = span.end - span.first, evaluation.record.rate_hz
    plan = plan_of(evaluation, window, settings, n, place)
    if plan.length is None:
        plan = msgspec.structs.replace(plan, length=max(min(1 << max(n // _USUAL_BLOCKS, 1).bit_length() - 1, _LONGEST), 8))
    found = _cross(evaluation, channels, interval, plan, progress)
    if found is None:
        blocks = duration(plan.block_of(n) / rate)
        raise StudyError(
            f'"{place}" holds fewer than two whole blocks of {blocks}, and one alone is always coherent. Ask for shorter.'
        )
    return found
