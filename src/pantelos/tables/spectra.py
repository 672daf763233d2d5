"""The numbers of a spectrum as tables: lines, tones, and what they were computed from."""

import math
from collections.abc import Sequence

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.spectra import SpectrumFound, cautions_of, cross_spectrum_found, spectrogram_found, spectrum_found
from pantelos.notation import number
from pantelos.progress import Progress
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.signal.spectra.cross_spectrum import ENOUGH_BLOCKS
from pantelos.signal.spectra.spectral_windows import traits
from pantelos.study.shown import Panel, Spectral, SpectrumTrace
from pantelos.study.wired import conductor_of

_TRACES = {
    "mean": "root of the mean square over the blocks",
    "present": "of the last block",
    "highest": "of any block",
    "lowest": "of any block",
    "faded": "older blocks count less",
}


def spectrum_tables(evaluation: Evaluation, panel: Panel, progress: Progress) -> tuple[Table, ...]:
    """Return lines and tones of the spectra of a panel."""
    n = len(panel.channels)
    found = [
        spectrum_found(evaluation, name, panel.interval, panel.window, panel.spectral, progress.part(k / n, (k + 1) / n))
        for k, name in enumerate(panel.channels)
    ]
    place = evaluation.times.name(panel.interval)
    return lines_table(evaluation, found, panel.spectral, place), tones_table(evaluation, found, place)


def lines_table(evaluation: Evaluation, found: Sequence[SpectrumFound], settings: Spectral, place: str) -> Table:
    """Return a row per line within the frequencies asked for, a column per channel and trace, as the settings show them."""
    spectrum = found[0].spectrum
    low, high = settings.span_hz or (0.0, 0.5 * spectrum.rate_hz)
    first = math.ceil(low / spectrum.spacing_hz - 1e-9)
    end = min(math.floor(high / spectrum.spacing_hz + 1e-9) + 1, len(spectrum.rms))
    columns, values = [TableColumn("f", "f", "Hz")], [spectrum.frequencies_hz[first:end].tolist()]
    for one in found:
        for trace in settings.traces:
            rms = trace_of(one, trace)
            named = one.channel if settings.traces == ("mean",) else f"{one.channel} {trace}"
            key = f"{one.channel}_{settings.scale.replace(' ', '_')}" + ("" if trace == "mean" else f"_{trace}")
            hue = conductor_of(evaluation.study, one.channel)
            columns.append(TableColumn(key, f"{named} {settings.scale}", one.symbol(settings), _TRACES[trace], hue))
            values.append([cell(x) for x in np.asarray(one.shown(rms, settings))[first:end].tolist()])
    return Table("spectrum", "Spectrum", place, tuple(columns), tuple(zip(*values, strict=True)), method_of(found))


def spectrogram_tables(evaluation: Evaluation, panel: Panel, progress: Progress) -> tuple[Table, ...]:
    """Return a row per column of time, a column per band of frequency, rms."""
    name = panel.channels[0]
    found, first, end = spectrogram_found(evaluation, name, panel.interval, panel.window, panel.spectral, progress)
    shown = evaluation.names.unit(name)
    bands = [k * found.band_hz for k in range(first, end)]
    columns = (
        TableColumn("start", "start", "s"),
        TableColumn("stop", "stop", "s"),
        *(TableColumn(f"f_{f:.6g}", f"{f:.6g} Hz", shown.symbol, "rms, the largest line of the band") for f in bands),
    )
    ends = [evaluation.times.instant(float(edge)) for edge in found.edges]
    values = (found.rms[:, first:end] / shown.factor).tolist()
    rows = tuple((a, b, *map(cell, row)) for a, b, row in zip(ends[:-1], ends[1:], values, strict=True))
    method = (
        f"blocks of {found.n_samples} samples, {panel.window} window, {found.blocks_per_column:.3g} per column",
        f"lines {found.spacing_hz:.9g} Hz apart, the largest of every {round(found.band_hz / found.spacing_hz)} in a band",
    )
    return (Table("spectrogram", "Spectrogram", evaluation.times.name(panel.interval), columns, rows, method),)


def transfer_tables(evaluation: Evaluation, panel: Panel, progress: Progress) -> tuple[Table, ...]:
    """Return gain, phase and coherence of the second channel against the first, a row per line."""
    a, b = panel.channels[:2]
    found = cross_spectrum_found(evaluation, (a, b), panel.interval, panel.window, panel.spectral, progress)
    units = evaluation.names.unit(b), evaluation.names.unit(a)
    ratio = "" if units[0].like(units[1]) else f"{units[0].symbol}/{units[1].symbol}"
    columns = (
        TableColumn("f", "f", "Hz"),
        TableColumn("gain", "gain", ratio, "output over input, H1: noise of the output does not bias it"),
        TableColumn("phase", "phase", "°", "positive where the output leads"),
        TableColumn("coherence", "coherence γ²", "", "share of the output that goes with the input"),
        TableColumn("gain_u", "± of gain", "%", "expanded, k = 2, from the coherence"),
        TableColumn("phase_u", "± of phase", "°", "expanded, k = 2, from the coherence"),
        TableColumn("cross", "cross spectrum", f"{units[0].symbol}·{units[1].symbol}", "magnitude"),
    )
    low, high = panel.spectral.span_hz or (0.0, 0.5 * found.rate_hz)
    kept = (found.frequencies_hz >= low * (1 - 1e-9)) & (found.frequencies_hz <= high * (1 + 1e-9))
    sure = 2 * found.relative_u
    values = (
        found.frequencies_hz,
        np.abs(found.response) * units[1].factor / units[0].factor,
        np.degrees(np.angle(found.response)),
        found.coherence,
        100 * sure,
        np.degrees(sure),
        np.abs(found.cross) / (units[0].factor * units[1].factor),
    )
    rows = tuple(tuple(cell(x) for x in row) for row in np.stack(values, axis=1)[kept].tolist())
    method = (
        f"{found.n_blocks} blocks of {found.n_samples} samples, {panel.window} window, mean of each removed; "
        f"{found.n_independent:.4g} independent blocks"
        + ("" if found.n_independent >= ENOUGH_BLOCKS else ": below 16 coherence reads too high"),
    )
    return (
        Table(
            "transfer", "Output against input", f"{b} against {a}, {evaluation.times.name(panel.interval)}", columns, rows, method
        ),
    )


def trace_of(found: SpectrumFound, trace: SpectrumTrace) -> np.ndarray:
    """Return rms lines of the mean, of the present block, and so on."""
    spectrum = found.spectrum
    faded = spectrum.faded if spectrum.faded is not None else spectrum.rms
    return {
        "mean": spectrum.rms,
        "present": spectrum.present,
        "highest": spectrum.highest,
        "lowest": spectrum.lowest,
        "faded": faded,
    }[trace]


def tones_table(evaluation: Evaluation, found: Sequence[SpectrumFound], place: str) -> Table:
    """Return the tones of the channels, largest first."""
    columns = (
        TableColumn("channel", "channel"),
        TableColumn("f", "f", "Hz", "between lines by interpolation"),
        TableColumn("rms", "rms"),
        TableColumn("unit", "unit"),
        TableColumn("dbc", "level", "dBc", "against the fundamental, the largest tone where there is none"),
        TableColumn("order", "order", "", "of the fundamental, where it stands on one"),
        TableColumn("phase", "phase", "°", "of a sine at the first sample of the first block"),
    )
    rows: list[tuple[TableCell, ...]] = []
    for one in found:
        for peak in one.peaks:
            level = 20 * math.log10(peak.rms / one.carrier_rms) if one.carrier_rms > 0 else math.nan
            rms, angle = cell(peak.rms / one.unit.factor), cell(math.degrees(peak.phase))
            rows.append((one.channel, peak.frequency_hz, rms, one.unit.symbol, cell(level), one.order_of(peak), angle))
    return Table("tones", "Tones", place, columns, tuple(rows), method_of(found))


def method_of(found: Sequence[SpectrumFound]) -> tuple[str, ...]:
    """Return how spectra were made, what limits them and what to be careful about."""
    spectrum = found[0].spectrum
    kind = traits(spectrum.window)
    lines = [
        f"{spectrum.n_blocks} blocks of {spectrum.n_samples} samples, {spectrum.window} window (mean weight "
        f"{kind.coherent_gain:.5g}, {kind.noise_bandwidth:.5g} lines wide for noise, {kind.scalloping_db:.3g} dB at most between "
        f"lines), averaged by power; {spectrum.n_independent:.4g} independent blocks",
        f"lines {spectrum.spacing_hz:.9g} Hz apart, resolution bandwidth {spectrum.resolution_hz:.9g} Hz"
        + (", mean of each block removed" if spectrum.without_mean else ""),
    ]
    for one in found:
        floor = math.sqrt(one.noise_density) / one.unit.factor if one.noise_density >= 0 else math.nan
        if math.isfinite(floor):
            lines.append(f"{one.channel}: noise floor {number(floor, 4)} {one.unit.symbol}/√Hz, from the median between tones")
        if one.limits is not None:
            about = f"THD {100 * one.limits.thd:.6g} % of {one.fundamental_hz:.9g} Hz, orders 2 to {one.limits.highest_order}"
            lines.append(f"{one.channel}: {about}, {one.sentence}")
        lines += [f"{one.channel}: {kind}: {so}: {todo}" for kind, so, todo in cautions_of(one)]
    return tuple(lines)
