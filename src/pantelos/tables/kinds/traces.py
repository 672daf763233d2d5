"""The traces: the whole record as the lanes show it, and the interval that is looked at."""

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.paper.axis import fitted, ticks, value_ticks
from pantelos.paper.hues import conductor
from pantelos.paper.paper import Align, Box, Paper, Role, draw_value_axis
from pantelos.sheets.blocks import Block, Figure, SectionHeading, Sheet
from pantelos.study.model import WHOLE_RECORD
from pantelos.tables.kind import Given, SheetLayout, TableKind

_WIDTH, _LEFT, _FOOT = 720.0, 66.0, 26.0
_HALF_A_LABEL = 12.0
_LANE, _ALL_LANES = 92.0, 296.0  # height of a lane at most, and of all of them
_CLOSE_CYCLES = 5.0  # cycles of the close view


def traces_sheet(given: Given) -> Sheet:
    """Return the lanes over the whole record, and a few cycles of the first interval."""
    evaluation = given.evaluation
    shown = [lane.channels for lane in evaluation.study.lanes if not lane.collapsed]
    lanes = [kept for names in shown if (kept := tuple(n for n in names if _drawn(evaluation, n)))]
    if not lanes:
        raise StudyError("No lane is shown, so there are no traces. Show a channel on the Traces page.")
    whole = evaluation.times.interval(WHOLE_RECORD)
    marks = [(i.name, i.start_s, i.stop_s) for i in evaluation.study.intervals if i.name in given.places]
    blocks: list[Block] = [_figure(given, lanes, "whole record", whole.start_s, whole.stop_s, marks)]
    place = evaluation.times.interval(given.first)
    f = evaluation.places.window(given.first).frequency_hz
    if np.isfinite(f) and f > 0 and place.length_s > _CLOSE_CYCLES / f:
        stop = place.start_s + _CLOSE_CYCLES / f
        blocks += [
            SectionHeading(f"The first {_CLOSE_CYCLES:g} cycles of {place.name}"),
            _figure(given, lanes, place.name, place.start_s, stop, []),
        ]
    return Sheet("traces", "Traces", "lowest and highest sample of each column of the picture", tuple(blocks))


def _drawn(evaluation: Evaluation, name: str) -> bool:
    """Return whether a channel can be drawn; what that needs is made."""
    try:
        evaluation.drawing.prepare(name)
    except PantelosError:
        return False
    return evaluation.drawing.can_draw(name)


def _figure(
    given: Given, lanes: list[tuple[str, ...]], title: str, start: float, stop: float, marks: list[tuple[str, float, float]]
) -> Figure:
    def draw(paper: Paper, box: Box) -> None:
        area = box.within(_LEFT, 4, 8, _FOOT)
        high = area.height / len(lanes)
        for k, names in enumerate(lanes):
            _draw_lane(paper, Box(area.left, area.top + k * high + 11, area.width, high - 15), given, names, start, stop)
        for name, a, b in marks:
            left, right = (float(area.x(np.array(t), (start, stop))) for t in (a, b))
            paper.rule(left, area.top, left, area.bottom, Role.EDGE)
            paper.bar(Box(left, area.bottom - 3, max(right - left, 1.0), 3), Role.EDGE)
            paper.words(Box(left, area.bottom - 17, max(right - left, 40.0), 13), name, Role.EDGE, 6.5)
        for mark in ticks(start, stop, 8):
            x = min(float(area.x(np.array(mark.value), (start, stop))), area.right - _HALF_A_LABEL)  # the last one is not cut off
            paper.words(Box(x - 30, area.bottom + 5, 60, 13), f"{mark.text} s", Role.SOFT, 7, align=Align.CENTRE)

    return Figure(title, _WIDTH, min(_LANE * len(lanes), _ALL_LANES) + _FOOT, draw)


def _draw_lane(paper: Paper, area: Box, given: Given, names: tuple[str, ...], start: float, stop: float) -> None:
    """Draw the channels of a lane, bands where there are many samples."""
    evaluation, n = given.evaluation, 360
    shown = []
    for name in names:
        try:
            shown.append((name, evaluation.drawing.envelope(name, start, stop, n)))
        except PantelosError:
            continue
    if not shown:
        return
    low = min((float(np.nanmin(e[0])) for _, e in shown if np.isfinite(e[0]).any()), default=-1.0)
    high = max((float(np.nanmax(e[1])) for _, e in shown if np.isfinite(e[1]).any()), default=1.0)
    scale, of = fitted(low, high), evaluation.names.unit(names[0])
    marks, symbol = value_ticks(*scale, of, 3)
    draw_value_axis(paper, area, ((m.value, m.text) for m in marks), scale)
    paper.words(Box(area.left - 62, area.top - 2, 30, 13), symbol, Role.SOFT, 7)
    paper.words(Box(area.left + 2, area.top - 12, 300, 11), ", ".join(names), Role.SOFT, 6.5)
    x = np.linspace(area.left, area.right, n)
    with paper.clipped(area):
        for name, (lowest, highest) in shown:
            ink = conductor(evaluation.study, name)
            across = np.repeat(x, 2)
            up = np.empty(2 * n)
            up[::2], up[1::2] = area.y(lowest, scale), area.y(highest, scale)
            paper.line(across, up, ink, 0.8)


TRACES_SHEET = TableKind("traces", "Traces", "the whole record, and a few cycles", layout=SheetLayout(traces_sheet, place=2))
