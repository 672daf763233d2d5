"""A value over two others: a point per interval with its ±, and lines of equal value where the points carry them."""

import math

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.rules import is_alternating
from pantelos.engine.uncertainty import try_accuracy, value_accuracy
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import counted, duration, prefix_for, with_accuracy_once, with_unit
from pantelos.panels.panel import PanelKind, Span
from pantelos.panels.subjects import everything
from pantelos.paper import hues
from pantelos.paper.axis import fitted, ticks
from pantelos.paper.paper import Box, Dash, Ink, Paper, Role, draw_axes
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind
from pantelos.reading.reading import ReadingKind
from pantelos.signal.arrays import FloatArray
from pantelos.study import operations as op
from pantelos.study.shown import Panel
from pantelos.units import Unit

_FEWEST = 4  # points that carry lines between them
_FINE = 64  # cells of the grid that lines are drawn over, across and up
_LINES = 5
_RADIUS, _WORD = 3.5, 13.0


class MapPoint(msgspec.Struct, frozen=True):
    """One interval: where it lies, SI, its value with expanded uncertainty (NaN where not stated), SI, and how long it is."""

    interval: str
    x: float
    y: float
    value: float
    expanded: float
    dwell_s: float


class IsoLine(msgspec.Struct, frozen=True, eq=False):
    """A line of equal value: its points, SI, shape (n, 2)."""

    value: float
    points: FloatArray


class MapPicture(msgspec.Struct, frozen=True, eq=False):
    """Points and lines of a map; units of what goes across, up, and of the value."""

    caption: str
    points: tuple[MapPoint, ...]
    lines: tuple[IsoLine, ...]
    units: tuple[Unit, Unit, Unit]
    ink: Ink


def points_of(evaluation: Evaluation, channels: tuple[str, ...], progress: Progress | None = None) -> tuple[MapPoint, ...]:
    """Return a point for every interval of the study in which all three have a value.

    Raises
    ------
    StudyError
        When there are fewer than three names, or no interval has all of them.
    """
    if len(channels) < 3:
        raise StudyError("Choose what goes across, what goes up, and the value in the title of this panel.")
    study, found = evaluation.study, list[MapPoint]()
    readings = {name: _reading(evaluation, name) for name in channels[:3]}
    for at, interval in enumerate(study.intervals):
        within = evaluation.on(op.activate(study, interval.name))
        try:
            (x, _), (y, _), (value, expanded) = (_held(within, name, readings[name]) for name in channels[:3])
        except PantelosError:
            continue  # a value that is not given there makes no point
        if math.isfinite(x) and math.isfinite(y) and math.isfinite(value):
            found.append(MapPoint(interval.name, x, y, value, expanded, interval.length_s))
        if progress is not None:
            progress.at((at + 1) / len(study.intervals))
    if not found:
        raise StudyError(
            f"No interval has {', '.join(channels[:3])} at once. Make operating points: Interval, Fill by rule, "
            f"every stretch where {channels[0]} and {channels[1]} are steady within 1 % for 2 s."
        )
    return tuple(found)


def _reading(evaluation: Evaluation, name: str) -> ReadingKind | None:
    """Return what is read of a channel: its mean, its rms where it alternates; None for a formula with one value."""
    if evaluation.names.kind(name) is Kind.SCALAR:
        return None
    return reading_kind("rms" if is_alternating(evaluation, name) else "mean")


def _held(within: Evaluation, name: str, kind: ReadingKind | None) -> tuple[float, float]:
    """Return what a formula or a reading of a channel comes to over the active interval, with its ±, SI."""
    if kind is None:
        return within.samples.scalar(name).value, value_accuracy(within, name).expanded
    return within.reading(kind, [name]).value, try_accuracy(within, kind, [name]).expanded


def iso_lines(points: tuple[MapPoint, ...]) -> tuple[IsoLine, ...]:
    """Return lines of equal value between points, never beyond them: none for few points or points on one line.

    Source: linear interpolation over a Delaunay triangulation (SciPy), marching squares (contourpy).
    """
    at = np.array([(p.x, p.y) for p in points])
    size = np.ptp(at, axis=0)
    if len(points) < _FEWEST or not size.all():
        return ()
    from contourpy import contour_generator  # here, for the sake of a quick start
    from scipy.interpolate import LinearNDInterpolator
    from scipy.spatial import QhullError

    low, values = at.min(axis=0), np.array([p.value for p in points])
    across = np.linspace(0.0, 1.0, _FINE + 1)
    try:
        carried = LinearNDInterpolator((at - low) / size, values)(*np.meshgrid(across, across))
    except QhullError:  # all on one line
        return ()
    lines = contour_generator(across, across, np.ma.masked_invalid(carried))
    found = []
    for mark in ticks(float(values.min()), float(values.max()), _LINES):
        found += [IsoLine(mark.value, low + np.asarray(line) * size) for line in lines.lines(mark.value) if len(line) > 1]
    return tuple(found)


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> MapPicture:
    """Return the map of a panel's third name over its first, across, and its second, up."""
    points = points_of(evaluation, panel.channels, progress)
    across, up, value = panel.channels[:3]
    lacking = len(evaluation.study.intervals) - len(points)
    without = f" · {counted(lacking, 'interval')} without a value" if lacking else ""
    return MapPicture(
        f"{value} over {across} and {up} · {counted(len(points), 'operating point')}, dwell from "
        f"{duration(min(p.dwell_s for p in points), 3)}{without}",
        points,
        iso_lines(points),
        (evaluation.names.unit(across), evaluation.names.unit(up), evaluation.names.unit(value)),
        hues.conductor(evaluation.study, value),
    )


def paint(paper: Paper, box: Box, picture: MapPicture, span: Span) -> None:
    """Draw the lines, then the points with their values beside them, as many as have room."""
    area = Box(box.left + 62, box.top + 18, box.width - 62 - 90, box.height - 18 - 34)
    points, unit_of = picture.points, picture.units[2]
    across = fitted(min(p.x for p in points), max(p.x for p in points))
    up = fitted(min(p.y for p in points), max(p.y for p in points))
    draw_axes(paper, area, across, up, picture.units[:2])
    scale, symbol = prefix_for(max(abs(p.value) for p in points), unit_of)
    with paper.clipped(area):
        for line in picture.lines:
            paper.line(area.x(line.points[:, 0], across), area.y(line.points[:, 1], up), Role.SOFT, 1.0, Dash.DASHED)
    taken: list[Box] = []
    for point in points:
        x, y = float(area.x(np.array(point.x), across)), float(area.y(np.array(point.y), up))
        paper.bar(Box(x - _RADIUS, y - _RADIUS, 2 * _RADIUS, 2 * _RADIUS), picture.ink)
        known = math.isfinite(point.expanded) and point.expanded > 0
        said = with_accuracy_once(point.value, point.expanded, unit_of) if known else with_unit(point.value, unit_of, 4)
        wide = paper.extent(said, 8.5)[0] + 4
        words = Box(x + 7, y - _WORD / 2, wide, _WORD)
        if words.right <= box.right and not any(_over(words, other) for other in taken):
            taken.append(words)
            paper.bar(words, Role.GROUND)
            paper.words(words, said, Role.INK, 8.5)
    for line in picture.lines:  # the numbers of lines give way to those of points
        middle = line.points[len(line.points) // 2]
        said = f"{line.value / scale:.4g} {symbol}".rstrip()
        wide = paper.extent(said, 7.5)[0] + 4
        x, y = float(area.x(np.array(middle[0]), across)), float(area.y(np.array(middle[1]), up))
        words = Box(x - wide / 2, y - _WORD / 2, wide, _WORD)
        if not any(_over(words, other) for other in taken):
            taken.append(words)
            paper.bar(words, Role.GROUND)
            paper.words(words, said, Role.SOFT, 7.5)


def _over(one: Box, other: Box) -> bool:
    return one.left < other.right and other.left < one.right and one.top < other.bottom and other.top < one.bottom


MAP = PanelKind(
    id="map",
    title="Map",
    help="A value over two others, a point per interval with its ±, lines of equal value between them",
    subjects=everything,
    picture=picture_of,
    paint=paint,
    numbers="pantelos.tables.maps:map_tables",
    n_channels=3,
    roles=("across", "up", "value"),
    over_interval=False,
    narrowest=320,
    place=45,
)
