"""Disturbances: the list, and how deep and long they were, with the cells of the standard and the user's own curve."""

import math
from collections.abc import Sequence

import numpy as np

from pantelos.engine.quality import surveyed
from pantelos.errors import StudyError
from pantelos.handover.blocks import Block, Cell, CellGrid, Figure, GridColumn, GridRow, Sheet, Words
from pantelos.handover.sheets.sheet import Given, SheetKind
from pantelos.notation import minus
from pantelos.paper.paper import Align, Box, Dash, Ink, Paper, Role
from pantelos.quality.disturbances import Disturbance, Happened
from pantelos.report.sheets.disturbances import DEPTHS, disturbances_table
from pantelos.study.model import Quality

_INKS: dict[str, Ink] = {"dip": Role.CAUTION, "swell": Role.EDGE, "interruption": Role.FAULT, "rapid change": Role.SOFT}
_SHORTEST_S, _LONGEST_S = 0.01, 60.0
_HIGHEST = 1.3  # of the declared voltage, at the top of the picture
_MOST = 60
_AROUND_S = 0.1  # that is shown beside an event


def disturbances_sheet(given: Given) -> Sheet:
    """Return what happened, as a picture and a list."""
    if given.evaluation.study.quality == Quality():
        raise StudyError("Nothing is declared of the supply yet. State U_din on the Tables page.")
    table = disturbances_table(given.evaluation, given.places, given.progress)
    found = surveyed(given.evaluation).survey
    points = [(one.kind, (one.stop - one.start) / found.rate_hz, one.extreme) for one in found.found]
    immunity = given.evaluation.study.quality.immunity

    def draw(paper: Paper, box: Box) -> None:
        draw_depths(paper, box, points, immunity)

    blocks: list[Block] = [Figure("Depth and duration", 720.0, 250.0, draw)]
    if not table.rows:
        blocks.append(Words("Nothing happened: the voltage stayed between the thresholds."))
    else:
        blocks += [_said(found.found, found.rate_hz), _grid(given)]
    if immunity:
        blocks.append(Words("dashed: what the machine survives, as stated for this study", Role.SOFT))
    return Sheet("disturbances", "Disturbances", table.subtitle, tuple(blocks))


def _said(found: Sequence[Happened], rate_hz: float) -> Words:
    dips = [one for one in found if one.kind is not Disturbance.SWELL]
    if not dips:
        return Words("No dip and no interruption.")
    worst = min(dips, key=lambda one: one.extreme)
    return Words(f"Deepest: {100 * worst.extreme:.2f} % of U_din for {(worst.stop - worst.start) / rate_hz:.4g} s.", bold=True)


def _grid(given: Given) -> CellGrid:
    table = disturbances_table(given.evaluation, given.places, given.progress.quiet())
    keys = [column.key for column in table.columns]
    dated = any(cell is not None for cell in table.column("clock"))
    columns = (
        GridColumn("", right=False),
        GridColumn("event", right=False),
        GridColumn("begins", right=False),
        GridColumn("lasts, s"),
        GridColumn("V"),
        GridColumn("% of U_din"),
        GridColumn("channels", right=False),
        GridColumn("class", right=False),
    )
    rows = []
    for row in table.rows[:_MOST]:
        of = dict(zip(keys, row, strict=True))
        begins = str(of["clock"]).replace("T", " ") if dated else f"{of['time']:.4f} s"
        start, lasted = of["time"], of["duration"]
        assert isinstance(start, float) and isinstance(lasted, float)
        around = (start - max(lasted, _AROUND_S), start + lasted + max(lasted, _AROUND_S))
        kind = str(of["kind"])
        cells = [Cell(str(of["number"]), ink=Role.SOFT), Cell(kind, ink=_INKS[kind], bold=True, stretch_s=around)]
        cells.append(Cell(begins, stretch_s=around))
        for key, decimals in (("duration", 3), ("extreme", 2), ("share", 2)):
            number = of[key]
            assert isinstance(number, float)
            cells.append(Cell(f"{number:.{decimals}f}", value=number))
        cells += [Cell(str(of["channels"] or "")), Cell(str(of["cell"] or ""), ink=Role.SOFT)]
        rows.append(GridRow(tuple(cells)))
    if len(table.rows) > _MOST:
        rows.append(GridRow((Cell(), Cell(f"and {len(table.rows) - _MOST} more, in the table"), *[Cell()] * 6)))
    return CellGrid(columns, tuple(rows))


def draw_depths(
    paper: Paper, box: Box, points: Sequence[tuple[Disturbance, float, float]], immunity: Sequence[tuple[float, float]]
) -> None:
    """Draw residual voltage or height over duration."""
    area = box.within(48, 10, 12, 34)
    across, up = (math.log10(_SHORTEST_S), math.log10(_LONGEST_S)), (0.0, _HIGHEST)
    for depth in sorted({edge for row in DEPTHS for edge in row} | {110, 120}):
        y = float(area.y(np.array(depth / 100), up))
        paper.rule(area.left, y, area.right, y, Role.RULE)
        paper.words(Box(box.left, y - 7, 42, 14), f"{depth} %", Role.SOFT, 7, align=Align.RIGHT)
    for seconds in (0.01, 0.2, 0.5, 1.0, 5.0, 60.0):
        x = float(area.x(np.array(math.log10(seconds)), across))
        paper.rule(x, area.top, x, area.bottom, Role.RULE)
        text = f"{1000 * seconds:g} ms" if seconds < 1 else f"{seconds:g} s"
        paper.words(Box(x - 30, area.bottom + 3, 60, 13), text, Role.SOFT, 7, align=Align.CENTRE)
    y = float(area.y(np.array(1.0), up))
    paper.rule(area.left, y, area.right, y, Role.SOFT)
    paper.words(
        Box(area.right - 200, area.bottom + 17, 200, 13),
        minus("duration; residual voltage of U_din"),
        Role.SOFT,
        7,
        align=Align.RIGHT,
    )
    if immunity:
        held = sorted(immunity)
        times, survived = [_SHORTEST_S], [held[0][1]]
        for (until, level), (_, then) in zip(held, [*held[1:], held[-1]], strict=True):
            times += [until, until]
            survived += [level, then]
        across_s = area.x(np.log10(np.array([*times, _LONGEST_S])), across)
        paper.line(across_s, area.y(np.array([*survived, survived[-1]]), up), Role.GOOD, 1.4, Dash.DASHED)
    for kind, lasted, extreme in points:
        x = float(area.x(np.array(math.log10(min(max(lasted, _SHORTEST_S), _LONGEST_S))), across))
        y = float(area.y(np.array(min(extreme, _HIGHEST)), up))
        corners = np.array([[0, -5], [5, 0], [0, 5], [-5, 0]])
        paper.shape(x + corners[:, 0], y + corners[:, 1], _INKS[str(kind)])


DISTURBANCES_SHEET = SheetKind(
    "disturbances", "Disturbances", "depth and duration, and the list", disturbances_sheet, of_supply=True, place=7
)
