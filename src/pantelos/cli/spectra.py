"""The command spectrum."""

import os
from pathlib import Path
from typing import Annotated, Any, get_args

from msgspec.structs import replace

from pantelos.cli.command import Argument, Option, say
from pantelos.cli.opened import AsJson, OneInterval, StudyPath, opened
from pantelos.cli.reporting import say_json
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.saving import write_whole
from pantelos.signal.spectra.spectral_windows import KINDS, SpectralWindow
from pantelos.study import spectral_words as words
from pantelos.study.shown import Decibels, Panel, Spectral, SpectrumScale, SpectrumTrace

_PICTURES = (".png", ".svg")


def _one_of(kind: Any) -> str:
    return ", ".join(get_args(kind))


def _windows() -> str:
    return "Window: " + "; ".join(f"{window} ({KINDS[window].purpose})" for window in SpectralWindow) + "."


def spectrum(
    study: StudyPath,
    channel: Annotated[list[str], Argument(help="Channels or formulas.", metavar="CHANNEL")],
    interval: OneInterval = None,
    stretch: Annotated[str | None, Option(help="A stretch in place of an interval, as in '1.2 s to 1.4 s'.")] = None,
    window: Annotated[SpectralWindow, Option(help=_windows)] = SpectralWindow.HANN,
    resolution: Annotated[
        str, Option(help="From line to line ('5 Hz'), length of a block ('200 ms') or 'bandwidth 10 Hz'.")
    ] = "",
    overlap: Annotated[str, Option(help="Of blocks, as in '50 %' (what suits the window).")] = "",
    blocks: Annotated[list[str] | None, Option(help=f"What is shown of the blocks: {_one_of(SpectrumTrace)} (mean).")] = None,
    fading: Annotated[str, Option(help="Blocks after which the past has faded, with --blocks faded.")] = "8",
    frequencies: Annotated[str, Option(help="Start and stop, as in '0 Hz to 2.5 kHz' (all).")] = "",
    scale: Annotated[str, Option(help=f"{_one_of(SpectrumScale)} (rms).")] = "rms",
    level: Annotated[str, Option(help=f"{_one_of(Decibels)} (linear).")] = "linear",
    fundamental: Annotated[str, Option(help="What orders and dBc refer to, as in '50 Hz' (that of the channel).")] = "",
    without_mean: Annotated[bool, Option("--without-mean", help="Take the mean of each block off.")] = False,
    logarithmic: Annotated[bool, Option("--logarithmic", help="Logarithmic frequencies, in pictures.")] = False,
    orders: Annotated[bool, Option("--orders", help="Mark orders of the fundamental, in pictures.")] = False,
    tones: Annotated[int | None, Option(help="Print so many tones in place of lines; list them in pictures.")] = None,
    against: Annotated[str | None, Option(help="Gain, phase and coherence of the channel against this one, its input.")] = None,
    over_time: Annotated[bool, Option("--over-time", help="Level over time and frequency: a spectrogram.")] = False,
    as_json: AsJson = False,
    to: Annotated[
        list[Path] | None,
        Option("--to", help="Write to this file: CSV, XLSX, JSON, HDF5 or Parquet, a picture as PNG or SVG. Repeatable."),
    ] = None,
) -> None:
    """Print the amplitude spectrum of channels over an interval as lines of frequency and rms."""
    evaluation = opened(study)
    settings = Spectral(
        resolution=words.resolution_from(resolution),  # type: ignore[arg-type]
        overlap=words.overlap_from(overlap),
        without_mean=True if without_mean else None,
        fading=words.fading_from(fading),
        traces=tuple(_known(name, SpectrumTrace) for name in blocks or ("mean",)),
        span_hz=words.span_from(frequencies),
        logarithmic=logarithmic,
        scale=_known(scale, SpectrumScale),
        decibels=_known(level, Decibels),
        fundamental_hz=words.fundamental_from(fundamental),
        orders=orders,
        peaks=min(max(tones or 0, 0), 200),
    )
    own = words.stretch_from(stretch) if stretch is not None else None
    kind = "spectrogram" if over_time else "spectrum" if against is None else "transfer"
    names = tuple(channel) if against is None else (against, channel[0])
    panel = Panel(kind, names, interval, str(window), stretch_s=own, spectral=settings)
    for path in to or []:
        if path.suffix.lower() in _PICTURES:
            _draw(evaluation, panel, path, as_json)
        else:
            _write(evaluation, panel, tones, path, as_json)
    if as_json or not to:
        _say(evaluation, panel, tones, as_json)


def _known(text: str, kind: Any) -> Any:
    if text not in get_args(kind):
        raise StudyError(f'"{text}" is not known; there are {_one_of(kind)}.')
    return text


def _draw(evaluation: Evaluation, panel: Panel, to: Path, as_json: bool) -> None:
    if panel.spectral.decibels == "linear" and panel.spectral.scale == "rms":
        panel = replace(panel, spectral=replace(panel.spectral, decibels="logarithmic"))
    if to.suffix.lower() == ".svg":
        from pantelos.tables.panel_figures import panel_svg  # here, for the sake of a quick start

        write_whole(to, panel_svg(evaluation, panel))
    else:
        from pantelos.desktop.pictures.panel_pictures import save_panel  # pixels are the toolkit's

        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        save_panel(evaluation, panel, to)
    say(f"{to}: a picture", err=as_json)


def _say(evaluation: Evaluation, panel: Panel, tones: int | None, as_json: bool) -> None:
    """Print tables of a spectrum."""
    from pantelos.sheets.writers import csv_lines, json_of
    from pantelos.tables.panel_tables import panel_tables  # here, for the sake of a quick start

    found = panel_tables(evaluation, panel)
    if as_json:
        say_json(json_of(found))
    else:
        say("\n".join(csv_lines(found.tables[-1], tones) if tones is not None else csv_lines(found.tables[0])))


def _write(evaluation: Evaluation, panel: Panel, tones: int | None, to: Path, as_json: bool) -> None:
    """Write tables of a spectrum."""
    from pantelos.sheets.writers import csv_lines, write_tables
    from pantelos.tables.panel_tables import panel_tables  # here, for the sake of a quick start

    found = panel_tables(evaluation, panel)
    if to.suffix.lower() != ".csv":
        write_tables(found, to)
        return
    lines = found.tables[0]
    shown = csv_lines(found.tables[-1], tones) if tones is not None else csv_lines(lines)
    write_whole(to, ("\n".join(shown) + "\n").encode())
    say(f"{to}: {len(shown) - 1} rows; {'; '.join(lines.method[:2])}", err=as_json)
