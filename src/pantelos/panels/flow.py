"""Where the power goes: received, lost per stage, delivered or returned, to scale; and the efficiency over time."""

import math

import msgspec
import numpy as np

from pantelos.engine.chain import Chain, ChainStage, chain_of, chain_over_time
from pantelos.engine.evaluation import Evaluation
from pantelos.notation import MISSING, PARTLY, accuracy_apart, minus, number, with_accuracy_once, with_unit
from pantelos.panels.panel import PanelKind, Span, Takes
from pantelos.panels.subjects import nothing, place_text
from pantelos.paper.axis import fitted, ticks
from pantelos.paper.paper import Align, Box, Ink, Paper, Role, draw_value_axis
from pantelos.power.wirings import wiring
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.study.shown import Panel
from pantelos.units import Unit, unit

_WATT, _PERCENT = unit("W"), unit("%")
_HEAD, _FOOT = 66.0, 62.0  # pixels above and below the bands, for words
_NARROWEST = 1.0  # percent: the axis of the efficiency spans that at least
_TREND = 110.0  # for the efficiency over time, where the panel is high enough


class FlowPicture(msgspec.Struct, frozen=True, eq=False):
    """A chain, and its efficiency over time."""

    caption: str
    chain: Chain
    inks: tuple[Ink, ...]
    times_s: FloatArray
    efficiency: FloatArray  # percent, NaN where there is none
    reverse: bool


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> FlowPicture:
    """Return the chain over an interval."""
    found = chain_of(evaluation, panel.interval, progress.part(0.0, 0.6))
    over_time = chain_over_time(evaluation, panel.interval, progress.part(0.6, 1.0))
    middles = 0.5 * (over_time.starts + over_time.stops)
    times = np.array([evaluation.times.instant(at) for at in middles.tolist()])
    inks = []
    for point in evaluation.study.chain:
        kind = wiring(evaluation.study.connection(point.connection).wiring)
        inks.append(kind.elements[0].conductor if not kind.alternating else "")
    reverse = found.whole is not None and found.whole.reverse
    caption = f"{place_text(evaluation, panel)} · means of whole cycles · band height is power"
    return FlowPicture(caption, found, tuple(inks), times, 100 * over_time.efficiency(), reverse)


def paint(paper: Paper, box: Box, picture: FlowPicture, span: Span) -> None:
    """Draw bands from point to point, what is lost below each, and the efficiency over time."""
    points = picture.chain.points
    trend = box.height > 380 and np.isfinite(picture.efficiency).any()
    room = Box(box.left + 70, box.top + _HEAD, box.width - 140, box.height - _HEAD - _FOOT - 24 - (_TREND if trend else 0))
    largest = max((abs(p.P) for p in points if math.isfinite(p.P)), default=0.0)
    if not largest > 0 or room.height < 30 or room.width < 60 * len(points):
        said = "no power flows here" if room.height >= 30 and room.width >= 60 * len(points) else "make this panel larger"
        paper.words(box, said, Role.SOFT, 10, align=Align.CENTRE)
        return
    places = [room.left + room.width * k / (len(points) - 1) for k in range(len(points))]
    most_lost = max((abs(s.loss) / largest for s in picture.chain.stages if math.isfinite(s.loss)), default=0.0)
    height = room.height / (1 + most_lost)
    words = room.top + height * (1 + most_lost) + 4
    tall = [abs(p.P) / largest * height if math.isfinite(p.P) else 0.0 for p in points]
    for k, stage in enumerate(picture.chain.stages):
        _draw_stage(paper, (places[k], places[k + 1]), (tall[k], tall[k + 1]), (room.top + height, words), stage, picture.reverse)
    for point, x, high, ink in zip(points, places, tall, picture.inks, strict=True):
        paper.line(np.array([x, x]), np.array([room.top + height - high - 6, room.top + height + 4]), Role.INK, 2.0)
        top = room.top + height - high - 8
        said, sure = accuracy_apart(point.P, point.expanded, _WATT)
        lines = (
            (point.name, ink or Role.INK, True),
            (f"P {said}", Role.INK, False),
            (sure + (PARTLY if sure and point.without_phase else ""), Role.SOFT, False),
        )
        for at, (text, role, bold) in enumerate(reversed(lines)):
            paper.words(Box(x - 75, top - 16 * (at + 1), 150, 16), text, role, 10 if bold else 9, bold=bold, align=Align.CENTRE)
    _write_whole(paper, Box(box.left + 16, words + _FOOT - 8, box.width - 32, 18), picture)
    if trend:
        _draw_trend(paper, Box(box.left + 70, box.bottom - _TREND + 14, box.width - 100, _TREND - 44), picture)


def _draw_stage(
    paper: Paper, x: tuple[float, float], tall: tuple[float, float], level: tuple[float, float], stage: ChainStage, reverse: bool
) -> None:
    """Draw the band between two points, and what is lost in it; `level` is where bands stand and where words begin."""
    (foot, top), middle = level, 0.5 * (x[0] + x[1])
    paper.shape(np.array([x[0], middle, x[1], x[1], x[0]]), foot - np.array([tall[0], tall[0], tall[1], 0.0, 0.0]), Role.RULE)
    if reverse:  # hatched: power comes back
        for at in np.arange(x[0] + 4, x[1], 9.0).tolist():
            high = np.interp(at, [x[0], middle, x[1]], [tall[0], tall[0], tall[1]])
            paper.line(np.array([at, at + min(6.0, x[1] - at)]), np.array([foot, foot - float(high)]), Role.GROUND, 1.0)
    lost = abs(tall[0] - tall[1])
    if lost > 0.5 and stage.loss > 0:
        wide = min(26.0, 0.25 * (x[1] - x[0]))
        paper.bar(Box(middle - wide / 2, foot, wide, max(lost, 2.0)), Role.CAUTION)
    loss = f"loss {_once(stage.loss, stage.loss_u, _WATT)}"
    lines = ((stage.name, Role.INK, True), (loss, Role.CAUTION, False), (_share(stage), Role.INK, False))
    for at, (text, ink, bold) in enumerate(lines):
        paper.words(Box(x[0] + 2, top + 15 * at, x[1] - x[0] - 4, 15), text, ink, 9, bold=bold, align=Align.CENTRE)


def _share(stage: ChainStage) -> str:
    if not math.isfinite(stage.efficiency):
        return f"η {MISSING}  {stage.remark}" if stage.remark else f"η {MISSING}"
    return f"η {_once(stage.efficiency, stage.efficiency_u, _PERCENT)}" + (" ⚑" if stage.remark else "")


def _once(value: float, expanded: float, unit_of: Unit) -> str:
    known = math.isfinite(expanded) and expanded > 0
    return with_accuracy_once(value, expanded, unit_of) if known else with_unit(value, unit_of, 4)


def _write_whole(paper: Paper, box: Box, picture: FlowPicture) -> None:
    whole = picture.chain.whole
    if whole is None:
        return
    way = f"{whole.stop} → {whole.start}, in reverse" if whole.reverse else f"{whole.start} → {whole.stop}"
    energy = f"   η of energy {number(100 * whole.energy_efficiency, 4)} %" if math.isfinite(whole.energy_efficiency) else ""
    text = f"{way}   {_share(whole)}   loss {_once(whole.loss, whole.loss_u, _WATT)}{energy}"
    paper.words(box, minus(text) if text.startswith("-") else text, Role.INK, 10, bold=True)
    if whole.remark:
        paper.words(Box(box.left, box.bottom, box.width, 14), f"⚑ {whole.remark}", Role.CAUTION, 8)


def _draw_trend(paper: Paper, area: Box, picture: FlowPicture) -> None:
    """Draw the efficiency over time."""
    values, times = picture.efficiency, picture.times_s
    across = (float(times[0]), float(times[-1])) if len(times) > 1 else (float(times[0]) - 0.5, float(times[0]) + 0.5)
    low, high = float(np.nanmin(values)), float(np.nanmax(values))
    more = max(_NARROWEST - (high - low), 0.0) / 2  # what noise leaves is no change
    scale = fitted(low - more, high + more)
    paper.words(Box(area.left - 60, area.top - 18, 300, 14), "efficiency over time, %", Role.INK, 9, bold=True)
    draw_value_axis(paper, area, ((mark.value, mark.text) for mark in ticks(*scale, max(area.height / 24, 2))), scale, room=60)
    for mark in ticks(*across, area.width / 90):
        x = float(area.x(np.array(mark.value), across))
        paper.words(Box(x - 40, area.bottom + 3, 80, 13), f"{mark.text} s", Role.SOFT, align=Align.CENTRE)
    with paper.clipped(area):
        paper.line(area.x(times, across), area.y(values, scale), Role.INK, 1.4)


FLOW = PanelKind(
    id="flow",
    title="Power chain",
    help="Power, losses and efficiency along the power chain, to scale",
    subjects=nothing,
    picture=picture_of,
    paint=paint,
    takes=Takes.NOTHING,
    n_channels=0,
    narrowest=420,
    place=4,
)
