"""Magnitude, share and angle per order."""

import math
from collections.abc import Sequence
from typing import TypeAlias

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.notation import counted, with_unit
from pantelos.paper.axis import ticks
from pantelos.paper.hues import conductor
from pantelos.paper.paper import Align, Box, Dash, Paper, Role, draw_value_axis
from pantelos.progress import Progress
from pantelos.quality.limits import limit_set, limits_of
from pantelos.sheets.blocks import Block, Cell, CellGrid, Figure, GridColumn, GridRow, Sheet
from pantelos.sheets.numbers import plain
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.signal.arrays import FloatArray
from pantelos.study.wired import conductor_of
from pantelos.tables.kind import Given, Layout, TableKind
from pantelos.tables.kinds.orders import HARMONIC_METHOD, NO_FIGURES, SHARE, figures, parts
from pantelos.tables.subjects import windows_used
from pantelos.units import unit


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


Shares: TypeAlias = dict[str, tuple[FloatArray, FloatArray]]  # rms and % of the fundamental of each order, by channel
_MOST, _HIGHEST_DRAWN = 16, 40  # rows, and bars of each channel
_LEAST, _NEAR, _FEWEST = 0.05, 0.05, 4  # % and share of its limit from which on an order has a row; rows where none has
_ROOM = 0.12  # above the highest bar


def harmonics_sheet(given: Given) -> Sheet:
    """Return the orders of the channels in the first interval, voltages and currents apart."""
    evaluation = given.evaluation
    channels, found, not_given = parts(evaluation, [given.first], Progress())
    if not found:
        raise StudyError(not_given[0] if not_given else "There are no harmonics in this interval.")
    shares: Shares = {}
    for part in found:
        shares |= {name: (of[0], of[1]) for name, of in figures(evaluation, part).items()}
    blocks: list[Block] = []
    for quantity, symbol in (("voltage", "V"), ("current", "A")):
        names = [name for name in channels if name in shares and evaluation.names.unit(name).like(unit(symbol))]
        limits = _limits(evaluation, quantity)
        if names:
            blocks += _of(given, f"{quantity}s", names, shares, limits)
    highest = evaluation.study.highest_order
    return Sheet("harmonics", "Harmonics", f"{given.first}, to order {highest}, % of the fundamental", tuple(blocks))


def _limits(evaluation: Evaluation, quantity: str) -> dict[int, float]:
    """Return the limits of orders in % of the fundamental that the chosen sets have, the strictest of each."""
    found: dict[int, float] = {}
    for name in evaluation.study.quality.sets:
        try:
            of = limit_set(name)
            for limit in limits_of(of, evaluation.study.quality.known_inputs):
                relative = limit.requirement.relative
                if (
                    of.of == quantity
                    and limit.order is not None
                    and limit.high is not None
                    and relative in ("U_din", "fundamental", "I_ref", "I_L")
                ):
                    found[limit.order] = min(limit.high, found.get(limit.order, math.inf))
        except PantelosError:
            continue
    return found


def _of(given: Given, what: str, names: Sequence[str], shares: Shares, limits: dict[int, float]) -> list[Block]:
    """Return bars and numbers of channels of one quantity."""
    evaluation = given.evaluation
    percent = {name: np.asarray(shares[name][1], dtype=np.float64) for name in names}
    highest = min(len(percent[names[0]]) - 1, _HIGHEST_DRAWN, evaluation.study.highest_order)
    inks = {name: conductor(evaluation.study, name) for name in names}

    def draw(paper: Paper, box: Box) -> None:
        _draw_bars(paper, box, [(name, inks[name], percent[name][: highest + 1]) for name in names], limits)

    orders = [h for h in range(2, highest + 1) if any(np.isfinite(percent[name][h]) for name in names)]
    largest = {h: max((float(percent[name][h]) for name in names if np.isfinite(percent[name][h])), default=0.0) for h in orders}
    orders = [h for h in orders if largest[h] >= min(_LEAST, _NEAR * limits.get(h, 1.0))] or orders[:_FEWEST]
    if given.report.worst_first:
        orders.sort(key=lambda h: -largest[h] / limits.get(h, 1e9) if limits else -largest[h])
    orders = orders[:_MOST]
    columns = (GridColumn("order", right=False), GridColumn("f"), *(GridColumn(name, inks[name]) for name in names))
    columns += (GridColumn("limit"),) if limits else ()
    f = evaluation.places.window(given.first, names[:1]).frequency_hz
    rows = [_fundamental(evaluation, names, shares, inks, f, bool(limits))]
    for h in orders:
        cells = [Cell(plain(float(percent[name][h]), 3), ink=inks[name], value=float(percent[name][h])) for name in names]
        over = h in limits and largest[h] > limits[h]
        more = (
            (Cell(f"{limits[h]:g}" if h in limits else "", ink=Role.CAUTION if over else Role.SOFT, bold=over),) if limits else ()
        )
        rows.append(
            GridRow((Cell(str(h), bold=True), Cell(f"{h * f:.1f} Hz" if math.isfinite(f) else "", ink=Role.SOFT), *cells, *more))
        )
    title = f"{what} of {given.first}, % of the fundamental" + (", marks: limits" if limits else "")
    return [Figure(title, 720.0, 190.0, draw), CellGrid(columns, tuple(rows), by_order=True)]


def _fundamental(
    evaluation: Evaluation, names: Sequence[str], shares: Shares, inks: dict[str, str], f: float, limited: bool
) -> GridRow:
    cells = [
        Cell(
            with_unit(float(shares[name][0][1]) * evaluation.names.unit(name).factor, evaluation.names.unit(name)),
            ink=inks[name],
            bold=True,
        )
        for name in names
    ]
    return GridRow(
        (
            Cell("1", bold=True),
            Cell(f"{f:.3f} Hz" if math.isfinite(f) else "", ink=Role.SOFT),
            *cells,
            *([Cell()] if limited else []),
        )
    )


def _draw_bars(paper: Paper, box: Box, bars: Sequence[tuple[str, str, np.ndarray]], limits: dict[int, float]) -> None:
    area = box.within(44, 8, 8, 22)
    highest = len(bars[0][2]) - 1
    top = max((float(np.nanmax(x[2:])) for _, _, x in bars if np.isfinite(x[2:]).any()), default=1.0)
    near = [limits[h] for h in limits if h <= highest and limits[h] < 4 * top]
    scale = (0.0, max(top, *near, 1e-6) * (1 + _ROOM))
    draw_value_axis(paper, area, ((m.value, m.text) for m in ticks(*scale, 5)), scale, room=40)
    wide = area.width / highest
    for h in range(2, highest + 1):
        left = area.left + (h - 1.5) * wide
        for k, (_, ink, x) in enumerate(bars):
            if np.isfinite(x[h]):
                y = float(area.y(x[h], scale))
                if area.bottom - y > 0.4:
                    paper.bar(Box(left + k * 0.8 * wide / len(bars), y, 0.8 * wide / len(bars), area.bottom - y), ink)
        if h in limits and limits[h] <= scale[1]:
            y = float(area.y(np.array(limits[h]), scale))
            paper.line(np.array([left - 0.05 * wide, left + 0.85 * wide]), np.array([y, y]), Role.FAULT, 1.4, Dash.SOLID)
        if h % 2 or highest <= 25:
            paper.words(Box(left - 8, area.bottom + 2, 0.8 * wide + 16, 12), str(h), Role.SOFT, 6.5, align=Align.CENTRE)
    for k, (name, ink, _) in enumerate(bars):
        paper.words(Box(area.right - 60 * (len(bars) - k), area.top, 56, 13), name, ink, 8, bold=True, align=Align.RIGHT)


HARMONICS_TABLE = TableKind(
    "harmonics",
    "Harmonics",
    "magnitude, share, angle per order",
    harmonics_table,
    layout=Layout(harmonics_sheet, help="bars with limits beside the numbers", of_supply=True, by_order=True, place=5),
    place=3,
)
