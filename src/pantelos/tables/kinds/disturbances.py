"""Dips, swells, interruptions and rapid changes, and how many of them fall into each cell of depth and duration."""

import math
from collections.abc import Callable, Sequence
from typing import TypeAlias

import numpy as np

from pantelos.engine.clock import clock_at
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.quality import Surveyed, cycle_accuracy, surveyed
from pantelos.errors import StudyError
from pantelos.notation import counted, minus
from pantelos.paper.paper import Align, Box, Dash, Ink, Paper, Role
from pantelos.progress import Progress
from pantelos.quality.disturbances import Disturbance, Happened, without_interrupted
from pantelos.quality.rapid_changes import RapidChange
from pantelos.sheets.blocks import Block, Cell, CellGrid, Figure, GridColumn, GridRow, Sheet, Words
from pantelos.sheets.numbers import beside_limit
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.study.model import Quality, Study
from pantelos.tables.kind import Given, SheetLayout, TableKind
from pantelos.tables.kinds.quality import survey_method

# Cells after EN 50160: residual voltage in % of the reference, and duration in s; the upper edge belongs to a cell.
DEPTHS = ((80, 90), (70, 80), (40, 70), (5, 40), (0, 5))
DURATIONS = ((0.01, 0.2), (0.2, 0.5), (0.5, 1.0), (1.0, 5.0), (5.0, 60.0))
HEIGHTS = ((120, math.inf), (110, 120))
SWELL_DURATIONS = ((0.01, 0.5), (0.5, 5.0), (5.0, 60.0))
_LONG_INTERRUPTION_S = 180.0
Accuracy: TypeAlias = Callable[[int, float], float]  # from a voltage, by its place, and an rms, V, to the expanded uncertainty, V
_MINUTE = 60.0


def _found(evaluation: Evaluation, progress: Progress) -> Surveyed:
    if evaluation.study.quality == Quality():
        raise StudyError(
            "Nothing is declared of the supply yet. State U_din on the Tables page, or with --declare 'U_din = 230 V'."
        )
    found = surveyed(evaluation, progress)
    if evaluation.study.quality.trends:
        raise StudyError("Imported trends hold no waveform, so no dips. Their records are studies of their own.")
    return found


def disturbances_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return every disturbance of the record in the order of time."""
    found = _found(evaluation, progress)
    columns = (
        TableColumn("number", "no."),
        TableColumn("kind", "event"),
        TableColumn("time", "begins", "s"),
        TableColumn("clock", "date and time"),
        TableColumn("duration", "lasts", "s"),
        TableColumn("U_duration", "U of lasts", "s", "half a cycle at the begin and at the end"),
        TableColumn("extreme", "residual or highest", "V", "lowest or highest rms of a cycle; of a rapid change the largest"),
        TableColumn("U", "U", "V", "expanded uncertainty of the residual, highest or largest"),
        TableColumn("share", "of U_din", "%"),
        TableColumn("depth", "depth", "%", "of U_din; of a rapid change the difference of the steady states"),
        TableColumn("channels", "channels"),
        TableColumn("cell", "class"),
        TableColumn("remarks", "remarks"),
    )
    survey = found.survey
    both: list[Happened | RapidChange] = [*survey.found, *survey.changes]
    both.sort(key=lambda one: one.start)
    accuracy = cycle_accuracy(evaluation, found)
    cycle_s = survey.cycle_s
    rows = [_row(k, one, evaluation, found, accuracy, cycle_s) for k, one in enumerate(both, start=1)]
    n = {kind: sum(one.kind is kind for one in survey.found) for kind in Disturbance}
    subtitle = ", ".join([counted(n[kind], str(kind)) for kind in Disturbance] + [counted(len(survey.changes), "rapid change")])
    method = (
        *survey_method(survey),
        "rms of each cycle every half-cycle; all channels together: begins with the first beyond, ends when all are back",
        "begin and end are the starts of the cycles whose rms is the first beyond and the first back",
        "begin and end: each within half a cycle; residual: accuracy of the channel and noise of one cycle",
        f"rapid changes beyond {100 * survey.declared.rapid:g} % of U_din from the mean of the second before",
    )
    return Table("disturbances", "Disturbances", subtitle, columns, tuple(rows), method)


def _row(
    k: int, one: Happened | RapidChange, evaluation: Evaluation, found: Surveyed, accuracy: Accuracy, cycle_s: float
) -> tuple[TableCell, ...]:
    rate, U = found.survey.rate_hz, found.survey.declared.voltage
    start, length = evaluation.times.instant(one.start), (one.stop - one.start) / rate
    clock = clock_at(evaluation, start, 3)
    names = ", ".join(found.voltages[c] for c in one.channels if c < len(found.voltages))
    if isinstance(one, RapidChange):
        share, steady = 100 * one.largest / U, 100 * one.steady / U
        within = cell(accuracy(one.channel, one.largest))  # a difference of two values of one channel
        return k, "rapid change", start, clock, length, cycle_s, one.largest, within, share, steady, names, None, None
    said = [] if one.ended else ["the record ends before it does"]
    said += [] if one.begun else ["it had begun when the record began"]
    return (
        k,
        str(one.kind),
        start,
        clock,
        length,
        cycle_s if one.begun and one.ended else None,
        one.extreme * U,
        cell(accuracy(one.worst, one.extreme * U)),
        100 * one.extreme,
        100 * one.depth,
        names,
        cell_of(one, length),
        "; ".join(said) or None,
    )


def cell_of(one: Happened, length_s: float) -> str | None:
    """Return the class of a disturbance: residual voltage and duration, as in the table of cells."""
    if one.kind is Disturbance.INTERRUPTION:
        return "long" if length_s > _LONG_INTERRUPTION_S else "short"
    if length_s > _MINUTE:
        return "under-voltage" if one.kind is Disturbance.DIP else "over-voltage"
    rows, columns = (DEPTHS, DURATIONS) if one.kind is Disturbance.DIP else (HEIGHTS, SWELL_DURATIONS)
    left = 100 * one.extreme
    row = next((r for r in rows if r[0] <= left < r[1]), rows[-1])
    column = next((c for c in columns if length_s <= c[1]), columns[-1])
    return f"{_of_row(row)}, {_of_column(column)}"


def _of_row(row: tuple[float, float]) -> str:
    low, high = row
    return f"≥ {low:g} %" if math.isinf(high) else f"< {high:g} %" if low == 0 else f"{max(row):g}–{min(row):g} %"


def _of_column(column: tuple[float, float]) -> str:
    low, high = column
    return f"{1000 * low:g}–{1000 * high:g} ms" if high < 1 else f"{low:g}–{high:g} s"


def cells_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return how many dips and swells fall into each cell."""
    found = _found(evaluation, progress)
    rate = found.survey.rate_hz
    counted_ones = without_interrupted(list(found.survey.found))
    counts: dict[str, int] = {}
    for one in counted_ones:
        name = cell_of(one, (one.stop - one.start) / rate) or ""
        counts[name] = counts.get(name, 0) + 1
    columns = (
        TableColumn("voltage", "voltage of U_din"),
        *(TableColumn(f"d{k}", _of_column(c)) for k, c in enumerate(DURATIONS)),
    )
    rows: list[tuple[TableCell, ...]] = [
        (_of_row(row), *(counts.get(f"{_of_row(row)}, {_of_column(c)}", 0) for c in DURATIONS)) for row in DEPTHS
    ]
    n_short, n_long = counts.get("short", 0), counts.get("long", 0)
    swells = [
        f"swell {_of_row(row)}, {_of_column(c)}: {n}"
        for row in HEIGHTS
        for c in SWELL_DURATIONS
        if (n := counts.get(f"{_of_row(row)}, {_of_column(c)}"))
    ]
    method = (
        "residual voltage and duration of dips, cells after EN 50160; a dip that becomes an interruption is counted as that",
        *swells,
        f"interruptions: {n_short} up to 3 min, {n_long} longer",
    )
    dips = sum(int(x) for row in rows for x in row[1:] if isinstance(x, int))
    return Table("dip_cells", "Dips by depth and duration", counted(dips, "dip"), columns, tuple(rows), method)


CELLS_TABLE = TableKind("dip_cells", "Dips by depth and duration", "how many dips fall into each cell", cells_table, place=9)


# as a sheet


_INKS: dict[str, Ink] = {"dip": Role.CAUTION, "swell": Role.EDGE, "interruption": Role.FAULT, "rapid change": Role.SOFT}
_SHORTEST_S, _LONGEST_S = 0.01, 60.0
_HIGHEST = 1.3  # of the declared voltage, at the top of the picture
_MOST = 60
_AROUND_S = 0.1  # that is shown beside an event


def without_supply(study: Study) -> str:
    """Return what a study lacks to say anything of the quality of a supply."""
    return "" if study.quality != Quality() else "Nothing is declared of the supply yet. State U_din on the Tables page."


def disturbances_sheet(given: Given) -> Sheet:
    """Return what happened, as a picture and a list."""
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
    dated = any(clock is not None for clock in table.column("clock"))
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
        for key, within, decimals in (("duration", "U_duration", 3), ("extreme", "U", 2), ("share", "", 2)):
            cells.append(_number(of[key], of.get(within) if given.report.accuracy else None, decimals))
        cells += [Cell(str(of["channels"] or "")), Cell(str(of["cell"] or ""), ink=Role.SOFT)]
        rows.append(GridRow(tuple(cells)))
    if len(table.rows) > _MOST:
        rows.append(GridRow((Cell(), Cell(f"and {len(table.rows) - _MOST} more, in the table"), *[Cell()] * 6)))
    return CellGrid(columns, tuple(rows))


def _number(number: TableCell, within: TableCell, decimals: int) -> Cell:
    assert isinstance(number, float)
    if isinstance(within, float):
        text, small = beside_limit(number, within)
        return Cell(text, small, value=number)
    return Cell(f"{number:.{decimals}f}", value=number)


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


DISTURBANCES_TABLE = TableKind(
    "disturbances",
    "Disturbances",
    "dips, swells, interruptions, rapid changes",
    disturbances_table,
    layout=SheetLayout(
        disturbances_sheet, help="depth and duration, and the list", of_supply=True, place=7, lacks=without_supply
    ),
    place=8,
)
