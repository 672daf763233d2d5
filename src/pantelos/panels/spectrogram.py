"""Level over time and frequency, with the spectrum at an instant and the course of a frequency."""

import math

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.spectra import spectrogram_found
from pantelos.notation import duration, minus, with_unit
from pantelos.panels.panel import PanelKind, PanelOption, Span
from pantelos.panels.spectrum import RESOLUTION, SPAN, WINDOW, with_spectral
from pantelos.panels.subjects import place_text, signals
from pantelos.paper import hues
from pantelos.paper.axis import ticks, value_ticks
from pantelos.paper.paper import Align, Box, Paper, Role, draw_value_axis
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.study.shown import Panel
from pantelos.units import Unit, unit

_HERTZ, _SECOND = unit("Hz"), unit("s")
_DEEPEST_DB = 80.0
_SCALE = 74  # pixels beside the picture, for the scale of levels
_SIDE = 130  # for the spectrum at an instant
_FOOT = 70  # for the course of a frequency
_STEPS = 32  # of the scale


class SpectrogramPicture(msgspec.Struct, frozen=True, eq=False):
    """Levels over time and frequency."""

    caption: str
    levels_db: FloatArray  # (n_columns, n_bands) of 1 unit
    scale_db: tuple[float, float]
    times_s: tuple[float, float]
    low_hz: float
    band_hz: float
    unit: Unit
    conductor: str
    cursor: tuple[int, int] | None  # column and band
    cursor_text: str

    @property
    def high_hz(self) -> float:
        """Where the highest band ends."""
        return float(self.low_hz + self.levels_db.shape[1] * self.band_hz)


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> SpectrogramPicture:
    """Return the levels of a channel over time and frequency."""
    name, settings = panel.channels[0], panel.spectral
    found, first, end = spectrogram_found(evaluation, name, panel.interval, panel.window, settings, progress)
    shown = evaluation.names.unit(name)
    with np.errstate(divide="ignore"):
        levels = 20 * np.log10(found.rms[:, first:end] / shown.factor)
    times = tuple(evaluation.times.instant(float(edge)) for edge in (found.edges[0], found.edges[-1]))
    low_hz = (first - 0.5) * found.band_hz
    cursor = _cursor(settings.cursor, (times[0], times[1]), low_hz, found.band_hz, levels.shape)
    text = _cursor_text(levels, cursor, (times[0], times[1]), low_hz, found.band_hz, shown)
    caption = (
        f"{name} · {place_text(evaluation, panel)} · {panel.window} · Δf {with_unit(found.spacing_hz, _HERTZ, 3)}, blocks of "
        f"{duration(found.n_samples / evaluation.record.rate_hz, 3)} · {len(levels)} columns"
        f" of {duration((times[1] - times[0]) / len(levels), 3)}"
    )
    return SpectrogramPicture(
        caption, levels, _scale_of(levels), (times[0], times[1]), low_hz, found.band_hz, shown,
        hues.conductor(evaluation.study, name), cursor, text,
    )  # fmt: skip


def _scale_of(levels: FloatArray) -> tuple[float, float]:
    """Return the levels that are white and ink: from the noise to the largest, whole tens."""
    finite = levels[np.isfinite(levels)]
    if not len(finite):
        return -1.0, 0.0
    top = 10 * math.ceil(float(finite.max()) / 10)
    floor = 10 * math.floor(float(np.percentile(finite, 20)) / 10)
    return float(max(min(floor, top - 20), top - _DEEPEST_DB)), float(top)


def _cursor(
    wanted: tuple[float, float] | None, times_s: tuple[float, float], low_hz: float, band_hz: float, shape: tuple[int, ...]
) -> tuple[int, int] | None:
    """Return the column and band of a cursor; none where it lies outside."""
    if wanted is None:
        return None
    column = math.floor((wanted[0] - times_s[0]) / (times_s[1] - times_s[0]) * shape[0])
    band = math.floor((wanted[1] - low_hz) / band_hz)
    return (column, band) if 0 <= column < shape[0] and 0 <= band < shape[1] else None


def _cursor_text(
    levels: FloatArray, cursor: tuple[int, int] | None, times_s: tuple[float, float], low_hz: float, band_hz: float, shown: Unit
) -> str:
    if cursor is None:
        return ""
    column, band = cursor
    at = times_s[0] + (column + 0.5) / len(levels) * (times_s[1] - times_s[0])
    level = float(levels[column, band])
    value = with_unit(10 ** (level / 20) * shown.factor, shown, 3) if math.isfinite(level) else "nothing"
    return f"{with_unit(at, _SECOND, 5)}, {with_unit(low_hz + (band + 0.5) * band_hz, _HERTZ, 4)}: {value}"


def _areas(box: Box, with_cursor: bool) -> tuple[Box, Box, Box]:
    """Return where the picture, the spectrum at an instant and the course of a frequency lie."""
    roomy = with_cursor and box.width > 520 and box.height > 220
    side, foot = (_SIDE, _FOOT) if roomy else (0, 0)
    area = box.within(62, 18, _SCALE + side, 32 + foot)
    return area, Box(area.right + 8, area.top, side - 16, area.height), Box(area.left, area.bottom + 32, area.width, foot - 12)


def paint(paper: Paper, box: Box, picture: SpectrogramPicture, span: Span) -> None:
    """Draw the levels, their scale, and what the cursor reads."""
    area, side, foot = _areas(box, picture.cursor is not None)
    low, high = picture.scale_db
    across, up = picture.times_s, (max(picture.low_hz, 0.0), picture.high_hz)
    skipped = max(-picture.low_hz / picture.band_hz, 0.0)  # half a band below 0 Hz
    shares = np.clip((np.nan_to_num(picture.levels_db, nan=low, neginf=low) - low) / (high - low), 0, 1)
    with paper.clipped(area):
        grown = area.height * picture.levels_db.shape[1] / (picture.levels_db.shape[1] - skipped)
        paper.shades(Box(area.left, area.top, area.width, grown), shares.T, Role.INK)
    marks, symbol = value_ticks(*up, _HERTZ, max(area.height / 30, 2))
    draw_value_axis(paper, area, ((mark.value, mark.text) for mark in marks), up, room=62)
    paper.words(Box(area.left - 56, area.top - 16, 50, 14), symbol, Role.SOFT, align=Align.RIGHT)
    for mark in ticks(*across, area.width / 80):
        x = float(area.x(np.array(mark.value), across))
        paper.words(Box(x - 40, area.bottom + 3, 80, 13), mark.text, Role.SOFT, align=Align.CENTRE)
    paper.words(Box(area.right - 20, area.bottom + 14, 20, 13), "s", Role.SOFT, align=Align.RIGHT)
    _draw_scale(paper, Box(box.right - 58, area.top, 12, area.height), picture)
    if picture.cursor is not None:
        _draw_cursor(paper, area, side, foot, picture, up)


def _draw_scale(paper: Paper, bar: Box, picture: SpectrogramPicture) -> None:
    """Draw what the shades stand for."""
    paper.shades(bar, np.linspace(0, 1, _STEPS)[:, None], Role.INK)
    for mark in ticks(*picture.scale_db, bar.height / 26):
        y = float(bar.y(np.array(mark.value), picture.scale_db))
        if bar.top + 6 <= y <= bar.bottom + 1:
            paper.words(Box(bar.right + 3, y - 7, 40, 14), minus(mark.text), Role.SOFT)
    name = "dBV" if picture.unit.symbol == "V" else f"dB of 1 {picture.unit.symbol}"
    paper.words(Box(bar.left - 30, bar.top - 16, 84, 14), name, Role.SOFT, align=Align.RIGHT)


def _draw_cursor(paper: Paper, area: Box, side: Box, foot: Box, picture: SpectrogramPicture, up: tuple[float, float]) -> None:
    """Draw the cursor, the spectrum at its instant and the course of its frequency."""
    assert picture.cursor is not None
    column, band = picture.cursor
    n_columns, n_bands = picture.levels_db.shape
    x = area.left + (column + 0.5) / n_columns * area.width
    y = float(area.y(np.array(picture.low_hz + (band + 0.5) * picture.band_hz), up))
    paper.rule(x, area.top, x, area.bottom, Role.EDGE)
    paper.rule(area.left, y, area.right, y, Role.EDGE)
    paper.words(Box(area.left, area.top - 16, area.width, 14), picture.cursor_text, Role.EDGE, 8.5, bold=True, align=Align.RIGHT)
    if side.width <= 0:
        return
    bands = area.y(picture.low_hz + (np.arange(n_bands) + 0.5) * picture.band_hz, up)
    with paper.clipped(side):
        levels = np.nan_to_num(picture.levels_db[column], neginf=picture.scale_db[0])
        paper.line(side.x(levels, picture.scale_db), bands, picture.conductor, 1.0)
    paper.words(Box(side.left, side.bottom + 3, side.width, 13), "spectrum there", Role.SOFT, align=Align.CENTRE)
    paper.rule(foot.left, foot.bottom, foot.right, foot.bottom, Role.RULE)
    with paper.clipped(foot):
        places = foot.left + (np.arange(n_columns) + 0.5) / n_columns * foot.width
        paper.line(places, foot.y(picture.levels_db[:, band], picture.scale_db), picture.conductor, 1.0)
    paper.words(Box(foot.left - 62, foot.top, 58, 13), "its course", Role.SOFT, align=Align.RIGHT)


def _at(panel: Panel, picture: SpectrogramPicture, box: Box, x: float, y: float) -> Panel:
    """Return the panel with its cursor at a place."""
    area = _areas(box, picture.cursor is not None)[0]
    if not (area.left <= x <= area.right and area.top <= y <= area.bottom):
        return panel
    t = picture.times_s[0] + (x - area.left) / area.width * (picture.times_s[1] - picture.times_s[0])
    low = max(picture.low_hz, 0.0)
    return with_spectral(panel, cursor=(t, low + (area.bottom - y) / area.height * (picture.high_hz - low)))


SPECTROGRAM = PanelKind(
    id="spectrogram",
    title="Spectrogram",
    help="Level over time and frequency; a click shows the spectrum there and the course of that frequency",
    subjects=signals,
    picture=picture_of,
    paint=paint,
    numbers="pantelos.tables.spectra:spectrogram_tables",
    at=_at,
    entries=(RESOLUTION, SPAN),
    options=(WINDOW, PanelOption("spectral.cursor", (("no cursor", None),))),
    narrowest=320,
    place=2,
)
