"""Spectra over frequency: several channels over each other, present, mean and extremes, tones, and what limits them."""

import math
from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.spectra import SpectrumFound, cautions_of, spectrum_found
from pantelos.errors import StudyError
from pantelos.notation import counted, duration, minus, number, with_unit
from pantelos.notice import Notice, Severity
from pantelos.panels.panel import Entry, PanelKind, PanelOption, Reach
from pantelos.panels.spectral_figure import DrawnCurve, SpectralPicture, area_with_list, paint
from pantelos.panels.subjects import place_text, signals
from pantelos.paper import hues
from pantelos.paper.paper import Dash, Ink, Role
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.signal.spectra.spectral_scales import POWERS
from pantelos.signal.spectra.spectral_windows import KINDS, SpectralWindow, traits
from pantelos.study import spectral_words as words
from pantelos.study.shown import Panel, Spectral
from pantelos.units import ONE, Unit, unit

_HERTZ = unit("Hz")
_STYLES: dict[str, tuple[float, Dash, bool]] = {  # width, dash, whether the lowest of a column is drawn
    "present": (0.6, Dash.SOLID, False),
    "faded": (1.0, Dash.DASHED, False),
    "lowest": (1.0, Dash.DOTTED, True),
    "highest": (1.0, Dash.DOTTED, False),
    "mean": (1.4, Dash.SOLID, False),
}
_ORDERS_AT_FIRST = 25
_MOST_MARKED = 50


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> SpectralPicture:
    """Return what is drawn of the spectra of some channels."""
    n = len(panel.channels)
    found = [
        spectrum_found(evaluation, name, panel.interval, panel.window, panel.spectral, progress.part(k / n, (k + 1) / n))
        for k, name in enumerate(panel.channels)
    ]
    return picture_of_found(evaluation, panel, found)


def picture_of_found(evaluation: Evaluation, panel: Panel, found: list[SpectrumFound]) -> SpectralPicture:
    """Return what is drawn of spectra that were found."""
    settings, leading = panel.spectral, found[0]
    for other in found[1:]:
        if settings.decibels not in ("dBc", "dBFS") and not other.unit.like(leading.unit):
            said = f"{leading.channel} is in {leading.unit.symbol}, {other.channel} in {other.unit.symbol}"
            raise StudyError(f"{said}: lay channels of one unit over each other, or show dBc.")
    leading_levels = _levels(leading, leading.spectrum.rms, settings)
    top = _top(leading) if settings.span_hz is None else settings.span_hz[1]
    cautions = tuple(f"{so}: {todo}" for _, so, todo in cautions_of(leading)) if len(found) == 1 else ()
    return SpectralPicture(
        _caption(evaluation, panel, leading),
        leading.spectrum.spacing_hz,
        tuple(curve for one in found for curve in _curves(evaluation, one, settings, len(found) > 1)),
        leading_levels,
        settings.decibels == "logarithmic",
        _shown_unit(leading.unit, settings),
        leading.symbol(settings),
        _per_decade(settings),
        min(top, float(leading.spectrum.frequencies_hz[-1])),
        settings.span_hz[0] if settings.span_hz is not None else 0.0,
        settings,
        _headline(leading) if len(found) == 1 else "",
        _said(leading) if len(found) == 1 else (),
        cautions,
        tuple(_listed(leading, settings)),
        _marked(leading) if settings.orders else (),
        _edges_text(leading, settings),
        tuple((one.channel, _ink(evaluation, one)) for one in found) if len(found) > 1 else (),
    )


def _levels(found: SpectrumFound, rms: FloatArray, settings: Spectral) -> FloatArray:
    """Return rms lines as the axis shows them."""
    shown = np.asarray(found.shown(rms, settings))
    if settings.decibels != "logarithmic":
        return shown
    factor = 1.0 if settings.scale in ("density", *POWERS) else found.unit.factor  # prefixes are of SI values
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(np.log10(shown * factor))


def _shown_unit(shown: Unit, settings: Spectral) -> Unit:
    return shown if settings.scale in ("rms", "peak") else ONE


def _per_decade(settings: Spectral) -> float:
    match settings.decibels:
        case "linear":
            return 0.0
        case "logarithmic":
            return 1.0
    return 10.0 if settings.scale in POWERS else 20.0


def _curves(evaluation: Evaluation, found: SpectrumFound, settings: Spectral, several: bool) -> Iterator[DrawnCurve]:
    """Yield the lines of a channel: those behind first."""
    ink, spectrum = _ink(evaluation, found), found.spectrum
    lines = {
        "present": spectrum.present,
        "faded": spectrum.faded,
        "lowest": spectrum.lowest,
        "highest": spectrum.highest,
        "mean": spectrum.rms,
    }
    for name, (width, dash, lowest) in _STYLES.items():
        rms = lines[name]
        if name in settings.traces and rms is not None:
            own = ink if several or name == "present" or len(settings.traces) == 1 else Role.INK
            yield DrawnCurve(_levels(found, rms, settings), own, width, dash, lowest, f"{found.channel} {name}")


def _ink(evaluation: Evaluation, found: SpectrumFound) -> Ink:
    return hues.conductor(evaluation.study, found.channel)


def _top(found: SpectrumFound) -> float:
    """Return the highest frequency shown at first."""
    half = 0.5 * found.spectrum.rate_hz
    return min(_ORDERS_AT_FIRST * found.fundamental_hz, half) if found.fundamental_hz > 0 else half


def _caption(evaluation: Evaluation, panel: Panel, found: SpectrumFound) -> str:
    """Return what is shown and how it was taken."""
    spectrum, settings = found.spectrum, panel.spectral
    n = spectrum.n_blocks
    how = f"mean of {n} ≙ {spectrum.n_independent:.3g} independent" if n > 1 else "one block"
    parts = [
        " ".join(panel.channels),
        settings.scale,
        place_text(evaluation, panel),
        panel.window,
        f"Δf {spectrum.spacing_hz:.3g} Hz",
        how,
        f"blocks of {duration(spectrum.n_samples / spectrum.rate_hz, 3)}, "
        f"bandwidth {with_unit(spectrum.resolution_hz, _HERTZ, 3)}",
        "mean removed" if spectrum.without_mean else "",
        found.symbol(settings) if settings.decibels not in ("linear", "logarithmic") else "",
    ]
    if settings.decibels == "dBc":
        parts[-1] = f"dBc of {with_unit(found.fundamental_hz, _HERTZ, 4)}"
    return " · ".join(part for part in parts if part)


def _headline(found: SpectrumFound) -> str:
    limits = found.limits
    if limits is None:
        return ""
    decibels = minus(f"{20 * math.log10(limits.thd):.1f}") if limits.thd > 0 else "—"
    share = f"{number(100 * limits.thd, 4)} %, {decibels} dB"
    return f"THD {share} of {with_unit(found.fundamental_hz, _HERTZ, 4)}, to order {limits.highest_order}"


def _said(found: SpectrumFound) -> tuple[str, ...]:
    """Return what limits the THD, SNR and noise floor."""
    said = found.sentence.replace(", averaging", "; averaging").split("; ") if found.sentence else []
    if found.noise_density > 0:
        text = f"noise floor {with_unit(math.sqrt(found.noise_density), found.unit, 3)}/√Hz"
        if found.carrier_rms > 0:
            snr = 10 * math.log10(found.carrier_rms**2 / (found.noise_density * 0.5 * found.spectrum.rate_hz))
            text += f", SNR {minus(f'{snr:.1f}')} dB over all frequencies"
        said.append(text)
    return tuple(said)


def _listed(found: SpectrumFound, settings: Spectral) -> Iterator[tuple[str, ...]]:
    """Yield the largest tones: frequency, rms, dBc, order, phase."""
    for peak in found.peaks[: settings.peaks]:
        order = found.order_of(peak)
        against = 20 * math.log10(peak.rms / found.carrier_rms) if found.carrier_rms > 0 else math.nan
        yield (
            with_unit(peak.frequency_hz, _HERTZ, 5),
            with_unit(peak.rms, found.unit, 3),
            f"{minus(f'{against:.0f}')} dBc" if math.isfinite(against) else "",
            f"h{order}" if order is not None else "",
            f"{minus(f'{math.degrees(peak.phase):.0f}')}°" if math.isfinite(peak.phase) else "",
        )


def _marked(found: SpectrumFound) -> tuple[tuple[str, float], ...]:
    f = found.fundamental_hz
    highest = min(_MOST_MARKED, int(0.5 * found.spectrum.rate_hz / f)) if f > 0 else 0
    return tuple((str(h) if h < 10 or h % 2 else "", h * f) for h in range(1, highest + 1))


def _edges_text(found: SpectrumFound, settings: Spectral) -> str:
    """Return what the two edges read."""
    if settings.edges_hz is None:
        return ""
    spectrum, (a, b) = found.spectrum, settings.edges_hz
    lines = [min(round(f / spectrum.spacing_hz), len(spectrum.rms) - 1) for f in (a, b)]
    at_a, at_b = (float(spectrum.rms[k]) for k in lines)
    levels = [_level_text(found, k, settings) for k in lines]
    text = f"a {with_unit(a, _HERTZ, 5)} {levels[0]}   b {with_unit(b, _HERTZ, 5)} {levels[1]}   Δf {with_unit(b - a, _HERTZ, 5)}"
    if a > 0:
        text += f"   b/a {number(b / a, 4)}"
    if at_a > 0 and at_b > 0:
        text += f"   b is {minus(f'{20 * math.log10(at_b / at_a):.1f}')} dB, {number(100 * at_b / at_a, 3)} % of a"
    return text


def _level_text(found: SpectrumFound, line: int, settings: Spectral) -> str:
    value = float(np.asarray(found.shown(found.spectrum.rms, settings))[line])
    if settings.decibels in ("linear", "logarithmic") and settings.scale in ("rms", "peak"):
        return with_unit(value * found.unit.factor, found.unit, 4)
    return f"{number(value, 4)} {found.symbol(settings)}"


def _reach(picture: SpectralPicture) -> Reach:
    low = picture.spacing_hz if picture.settings.logarithmic else 0.0
    area = area_with_list(picture)
    return Reach(picture.span, (low, picture.half_hz), 4 * picture.spacing_hz, area, picture.settings.logarithmic)


def _concerns(evaluation: Evaluation, panel: Panel) -> Iterator[Notice]:
    """What makes a spectrum say something else than it seems to."""
    for name in panel.channels:
        try:
            found = spectrum_found(evaluation, name, panel.interval, panel.window, panel.spectral)
        except StudyError as error:
            yield Notice(Severity.CAUTION, "spectrum.not-given", f"a spectrum of {name} is not given", str(error), name)
            continue
        for kind, so, todo in cautions_of(found):
            place = evaluation.times.name(panel.interval)
            yield Notice(Severity.CAUTION, f"spectrum.{kind}", f"spectrum of {name}, {place}: {so}", todo, name)


def _follows(panel: Panel) -> tuple[tuple[str, str, str], ...]:
    """Return formulas that follow the tones at the edges over time."""
    name = panel.channels[0] if panel.channels else ""
    found = []
    for edge, f in zip("ab", panel.spectral.edges_hz or (), strict=False):
        said = with_unit(f, _HERTZ, 4)
        found += [
            (f"Follow the tone at {edge}, {said}, over time", f"tone_{edge}", f"tone({name}, {f:.6g} Hz) over blocks(200 ms)"),
            ("Follow its frequency", f"f_{edge}", f"tone_frequency({name}, {f:.6g} Hz) over blocks(200 ms)"),
        ]
    return tuple(found)


def _near(picture: SpectralPicture, value: float, within: float) -> float:
    """Return the frequency of the highest line near a value."""
    first = max(math.floor((value - within) / picture.spacing_hz), 0)
    last = min(math.ceil((value + within) / picture.spacing_hz) + 1, len(picture.leading))
    part = picture.leading[first:last]
    return value if not np.isfinite(part).any() else float((first + int(np.nanargmax(part))) * picture.spacing_hz)


def with_spectral(panel: Panel, **changes: object) -> Panel:
    """Return a panel with other settings of its spectra."""
    return replace(panel, spectral=replace(panel.spectral, **changes))


RESOLUTION = Entry(
    "Resolution",
    "5 Hz, 200 ms, bandwidth 10 Hz, finest",
    lambda panel: words.resolution_text(panel.spectral),
    lambda panel, text: with_spectral(panel, resolution=words.resolution_from(text)),
)
SPAN = Entry(
    "Frequencies",
    "0 Hz to 2.5 kHz; nothing: to order 25",
    lambda panel: words.span_text(panel.spectral.span_hz),
    lambda panel, text: with_spectral(panel, span_hz=words.span_from(text)),
)
OVERLAP = Entry(
    "Overlap of blocks",
    "50 %; nothing: what suits the window",
    lambda panel: words.overlap_text(panel.spectral.overlap),
    lambda panel, text: with_spectral(panel, overlap=words.overlap_from(text)),
)
_FUNDAMENTAL = Entry(
    "Fundamental",
    "50 Hz; nothing: that of the channel",
    lambda panel: f"{panel.spectral.fundamental_hz:.10g} Hz" if panel.spectral.fundamental_hz else "",
    lambda panel, text: with_spectral(panel, fundamental_hz=words.fundamental_from(text)),
)
_FADING = Entry(
    "Fading",
    "8 blocks",
    lambda panel: words.fading_text(panel.spectral),
    lambda panel, text: with_spectral(panel, fading=words.fading_from(text)),
)


def _purpose(window: SpectralWindow) -> str:
    """Return what a window is for, and what it does to noise and to a tone between lines."""
    kind = traits(window)
    return (
        f"{window}: {KINDS[window].purpose} (bandwidth {kind.noise_bandwidth:.2f} lines, "
        f"{kind.scalloping_db:.2g} dB between lines)"
    )


WINDOW = PanelOption("window", tuple((_purpose(window), str(window)) for window in SpectralWindow), title="Window")
_SCALES = (
    ("rms: the size of tones", "rms"),
    ("peak: the amplitude of tones", "peak"),
    ("power: rms squared", "power"),
    ("density: noise, per root of Hz", "density"),
    ("power density: noise, per Hz", "power density"),
)
DECIBELS = PanelOption(
    "spectral.decibels",
    (
        ("logarithmic, in units", "logarithmic"),
        ("linear, in units", "linear"),
        ("dB of 1 unit", "dB"),
        ("dBc, of the fundamental", "dBc"),
        ("dBFS, of the range", "dBFS"),
    ),
    title="Level axis",
)
FREQUENCIES = PanelOption(
    "spectral.logarithmic", (("even frequencies", False), ("logarithmic frequencies", True)), title="Frequency axis"
)
_TRACES = (
    ("mean", ("mean",)),
    ("present, mean, highest", ("present", "mean", "highest")),
    ("present, mean, highest, lowest", ("present", "mean", "highest", "lowest")),
    ("fading mean: older blocks count less", ("faded",)),
    ("mean and fading mean", ("mean", "faded")),
    ("highest of all blocks", ("highest",)),
    ("lowest of all blocks", ("lowest",)),
)

SPECTRUM = PanelKind(
    id="spectrum",
    title="Spectrum",
    help="Lines over frequency, of one channel or several",
    subjects=signals,
    picture=picture_of,
    paint=paint,
    numbers="pantelos.tables.spectra:spectrum_tables",
    live=True,
    reach=_reach,
    concerns=_concerns,
    several=True,
    entries=(RESOLUTION, SPAN, OVERLAP, _FUNDAMENTAL, _FADING),
    edges=lambda panel: panel.spectral.edges_hz,
    with_edges=lambda panel, edges: with_spectral(panel, edges_hz=edges),
    near=_near,
    follows=_follows,
    options=(
        WINDOW,
        PanelOption("spectral.traces", _TRACES, title="Blocks"),
        PanelOption("spectral.scale", _SCALES, title="Scale"),
        DECIBELS,
        FREQUENCIES,
        PanelOption(
            "spectral.without_mean", (("as suits the scale", None), ("as it is", False), ("removed", True)), title="Mean"
        ),
        PanelOption("spectral.orders", (("not marked", False), ("marked", True)), title="Orders of the fundamental"),
        PanelOption(
            "spectral.peaks", tuple((counted(k, "tone") if k else "not listed", k) for k in (0, 5, 10, 20)), title="Tones"
        ),
    ),
    place=1,
)
