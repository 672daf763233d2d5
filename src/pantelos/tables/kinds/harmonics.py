"""Magnitude, share and angle per order."""

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.quality import declared, quality_channels
from pantelos.errors import PantelosError, StudyError
from pantelos.notation import counted, with_unit
from pantelos.paper.axis import ticks
from pantelos.paper.hues import conductor
from pantelos.paper.paper import Align, Box, Dash, Paper, Role, draw_value_axis
from pantelos.progress import Progress
from pantelos.quality.limits import limit_set, limits_of
from pantelos.quality.requirements import Limit
from pantelos.sheets.blocks import Block, Cell, CellGrid, Figure, GridColumn, GridRow, Sheet
from pantelos.sheets.numbers import plain
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.signal.arrays import FloatArray
from pantelos.study.wired import conductor_of
from pantelos.tables.kind import Given, SheetLayout, TableKind
from pantelos.tables.kinds.orders import HARMONIC_METHOD, NO_FIGURES, SHARE, figures, parts
from pantelos.tables.subjects import windows_used
from pantelos.units import Unit, unit


def harmonics_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return magnitude, share and angle per order of the channels in alternating connections."""
    channels, found_parts, not_given = parts(evaluation, places, progress)
    hues = [conductor_of(evaluation.study, name) for name in channels]
    columns = [TableColumn("interval", "interval"), TableColumn("order", "order"), TableColumn("f", "f", "Hz")]
    columns += [
        TableColumn(name, name, evaluation.names.unit(name).symbol, "rms of the order", hue)
        for name, hue in zip(channels, hues, strict=True)
    ]
    columns += [
        TableColumn(f"{name}_percent", name, SHARE, "share of the fundamental", hue)
        for name, hue in zip(channels, hues, strict=True)
    ]
    columns += [
        TableColumn(f"{name}_angle", f"{name} angle", "°", "angle against the fundamental of the reference", hue)
        for name, hue in zip(channels, hues, strict=True)
    ]
    columns.append(TableColumn("reference", "cycles of", "", "whose cycles the windows hold"))
    rows: list[tuple[TableCell, ...]] = []
    for part in found_parts:
        found = figures(evaluation, part)
        for h in range(1, part.orders.highest + 1):
            row = [found.get(name, NO_FIGURES)[:, h] for name in channels]
            cells = [cell(float(one[quantity])) for quantity in range(3) for one in row]
            rows.append((part.place, h, cell(h * part.orders.frequency_hz), *cells, part.reference))
    method = (*HARMONIC_METHOD, *windows_used(evaluation, places), *not_given)
    return Table(
        "harmonics",
        "Harmonics",
        f"{counted(len(channels), 'channel')}, to order {evaluation.study.highest_order}",
        tuple(columns),
        tuple(rows),
        method,
    )


# as a sheet


_MOST, _HIGHEST_DRAWN = 16, 40  # rows, and bars of each channel
_LEAST, _NEAR, _FEWEST = 0.05, 0.05, 4  # % and share of its limit from which on an order has a row; rows where none has
_ROOM = 0.12  # above the highest bar


class _Shown(msgspec.Struct, frozen=True, eq=False):
    """Orders of one channel, and what they are held against."""

    name: str
    ink: str
    unit: Unit
    rms: FloatArray  # (highest + 1,), in the unit
    percent: FloatArray  # of its fundamental
    limits: dict[int, "_OrderLimit"]

    def allowed(self, h: int) -> float:
        """The limit of an order in % of the fundamental of this channel; infinite where there is none."""
        return self.limits[h].percent if h in self.limits else math.inf


class _OrderLimit(msgspec.Struct, frozen=True):
    """The strictest limit of an order."""

    percent: float  # of the fundamental of the channel
    behind: str = ""  # what it is in the unit of the channel, where it is not of its fundamental


def harmonics_sheet(given: Given) -> Sheet:
    """Return the orders of the channels in the first interval: a block per reference, voltages and currents apart."""
    evaluation = given.evaluation
    _, found, not_given = parts(evaluation, [given.first], Progress())
    if not found:
        raise StudyError(not_given[0] if not_given else "There are no harmonics in this interval.")
    blocks: list[Block] = []
    judged = quality_channels(evaluation)
    stated = {quantity: _stated_limits(evaluation, quantity) for quantity in judged}
    for part in found:
        of = figures(evaluation, part)
        for quantity, symbol in (("voltage", "V"), ("current", "A")):
            names = [name for name in part.channels if evaluation.names.unit(name).like(unit(symbol))]
            if names:
                title = f"{quantity}s" + (f" by the cycles of {part.reference}" if len(found) > 1 and part.reference else "")
                shown = []
                for name in names:
                    shown_in, (rms, percent, _) = evaluation.names.unit(name), of[name]
                    held = stated[quantity] if name in judged.get(quantity, ()) else []
                    limits = _on_its_base(evaluation, held, shown_in, float(rms[1]) * shown_in.factor)
                    shown.append(_Shown(name, conductor(evaluation.study, name), shown_in, rms, percent, limits))
                blocks += _of(given, title, shown, part.orders.frequency_hz)
    highest = evaluation.study.highest_order
    return Sheet("harmonics", "Harmonics", f"{given.first}, to order {highest}, % of the fundamental", tuple(blocks))


def _stated_limits(evaluation: Evaluation, quantity: str) -> list[Limit]:
    """Return the limits of orders that the chosen sets have for a quantity."""
    found = list[Limit]()
    for name in evaluation.study.quality.sets:
        try:
            of = limit_set(name)
            some = limits_of(of, evaluation.study.quality.known_inputs) if of.of == quantity else []
            found += [limit for limit in some if limit.order is not None and limit.high is not None]
        except PantelosError:
            continue  # the sheet of quality says why
    return found


def _on_its_base(evaluation: Evaluation, limits: Sequence[Limit], of: Unit, fundamental: float) -> dict[int, _OrderLimit]:
    """Return the strictest limit of each order, in % of a fundamental, SI."""
    found: dict[int, _OrderLimit] = {}
    inputs = evaluation.study.quality.known_inputs
    for limit in limits:
        relative, high = limit.requirement.relative, limit.high
        assert limit.order is not None and high is not None
        if relative == "fundamental":
            held = _OrderLimit(high)
        else:  # of what is declared, or in units
            try:
                base = declared(evaluation).voltage if relative == "U_din" else inputs[relative] if relative else 100.0
            except PantelosError:
                continue
            size = high / 100 * base
            held = _OrderLimit(100 * size / fundamental if fundamental else math.inf, f" · {with_unit(size, of, 4)}")
        if held.percent < (found[limit.order].percent if limit.order in found else math.inf):
            found[limit.order] = held
    return found


def _of(given: Given, what: str, shown: Sequence[_Shown], f: float) -> list[Block]:
    """Return bars and numbers of channels of one quantity and reference."""
    highest = min(len(shown[0].percent) - 1, _HIGHEST_DRAWN, given.evaluation.study.highest_order)
    limited = any(one.limits for one in shown)

    def draw(paper: Paper, box: Box) -> None:
        _draw_bars(paper, box, shown, highest)

    def largest(h: int) -> float:
        return max((float(one.percent[h]) for one in shown if np.isfinite(one.percent[h])), default=0.0)

    def reached(h: int) -> float:
        """How much of its limit an order reaches, of the worst channel."""
        return max((float(one.percent[h]) / one.allowed(h) for one in shown if np.isfinite(one.percent[h])), default=0.0)

    there = [h for h in range(2, highest + 1) if any(np.isfinite(one.percent[h]) for one in shown)]
    orders = [h for h in there if largest(h) >= _LEAST or reached(h) >= _NEAR] or there[:_FEWEST]
    if given.report.worst_first:
        orders.sort(key=lambda h: (-reached(h), -largest(h)))
    columns = (GridColumn("order", right=False), GridColumn("f"), *(GridColumn(one.name, one.ink) for one in shown))
    columns += (GridColumn("limit"),) if limited else ()
    rows = [_fundamental(shown, f, limited)]
    for h in orders[:_MOST]:
        cells = [Cell(plain(float(one.percent[h]), 3), ink=one.ink, value=float(one.percent[h])) for one in shown]
        strictest = min((one.limits[h] for one in shown if h in one.limits), key=lambda limit: limit.percent, default=None)
        said = "" if strictest is None else f"{strictest.percent:.3g}{strictest.behind}"
        over = reached(h) > 1
        more = (Cell(said, ink=Role.CAUTION if over else Role.SOFT, bold=over),) if limited else ()
        rows.append(GridRow((Cell(str(h), bold=True), Cell(_hertz(h * f, 1), ink=Role.SOFT), *cells, *more)))
    title = f"{what} of {given.first}, % of the fundamental" + (", marks: limits" if limited else "")
    return [Figure(title, 720.0, 160.0, draw), CellGrid(columns, tuple(rows), by_order=True)]


def _fundamental(shown: Sequence[_Shown], f: float, limited: bool) -> GridRow:
    cells = [Cell(with_unit(float(one.rms[1]) * one.unit.factor, one.unit), ink=one.ink, bold=True) for one in shown]
    return GridRow((Cell("1", bold=True), Cell(_hertz(f, 3), ink=Role.SOFT), *cells, *([Cell()] if limited else [])))


def _hertz(f: float, decimals: int) -> str:
    return f"{f:.{decimals}f} Hz" if math.isfinite(f) else ""


def _draw_bars(paper: Paper, box: Box, shown: Sequence[_Shown], highest: int) -> None:
    area = box.within(44, 8, 8, 22)
    seen = [one.percent[2 : highest + 1] for one in shown]
    top = max((float(np.nanmax(x)) for x in seen if np.isfinite(x).any()), default=1.0)
    near = [one.allowed(h) for one in shown for h in one.limits if h <= highest and one.allowed(h) < 4 * top]
    scale = (0.0, max(top, *near, 1e-6) * (1 + _ROOM))
    draw_value_axis(paper, area, ((m.value, m.text) for m in ticks(*scale, 5)), scale, room=40)
    wide = area.width / highest
    bar = 0.8 * wide / len(shown)
    for h in range(2, highest + 1):
        left = area.left + (h - 1.5) * wide
        for k, one in enumerate(shown):
            if np.isfinite(one.percent[h]):
                y = float(area.y(one.percent[h], scale))
                if area.bottom - y > 0.4:
                    paper.bar(Box(left + k * bar, y, bar, area.bottom - y), one.ink)
            if one.allowed(h) <= scale[1]:
                y = float(area.y(np.array(one.allowed(h)), scale))
                ends = np.array([left + k * bar - 0.05 * wide, left + (k + 1) * bar + 0.05 * wide])
                paper.line(ends, np.array([y, y]), Role.FAULT, 1.4, Dash.SOLID)
        if h % 2 or highest <= 25:
            paper.words(Box(left - 8, area.bottom + 2, 0.8 * wide + 16, 12), str(h), Role.SOFT, 6.5, align=Align.CENTRE)
    for k, one in enumerate(shown):
        place = Box(area.right - 60 * (len(shown) - k), area.top, 56, 13)
        paper.words(place, one.name, one.ink, 8, bold=True, align=Align.RIGHT)


HARMONICS_TABLE = TableKind(
    "harmonics",
    "Harmonics",
    "magnitude, share, angle per order",
    harmonics_table,
    layout=SheetLayout(harmonics_sheet, help="bars with limits beside the numbers", of_supply=True, by_order=True, place=5),
    place=3,
)
