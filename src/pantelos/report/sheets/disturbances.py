"""Dips, swells, interruptions and rapid changes, and how many of them fall into each cell of depth and duration."""

import math
from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.quality import Surveyed, surveyed
from pantelos.errors import StudyError
from pantelos.notation import counted
from pantelos.progress import Progress
from pantelos.quality.disturbances import Disturbance, Happened, without_interrupted
from pantelos.quality.rapid_changes import RapidChange
from pantelos.report.sheets.quality import survey_method
from pantelos.report.sheets.sheet import TableKind
from pantelos.report.table import Cell, Table, TableColumn
from pantelos.study.model import Quality

# Cells after EN 50160: residual voltage in % of the reference, and duration in s; the upper edge belongs to a cell.
DEPTHS = ((80, 90), (70, 80), (40, 70), (5, 40), (0, 5))
DURATIONS = ((0.01, 0.2), (0.2, 0.5), (0.5, 1.0), (1.0, 5.0), (5.0, 60.0))
HEIGHTS = ((120, math.inf), (110, 120))
SWELL_DURATIONS = ((0.01, 0.5), (0.5, 5.0), (5.0, 60.0))
_LONG_INTERRUPTION_S = 180.0
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
        TableColumn("extreme", "residual or highest", "V", "lowest or highest rms of a cycle; of a rapid change the largest"),
        TableColumn("share", "of U_din", "%"),
        TableColumn("depth", "depth", "%", "of U_din; of a rapid change the difference of the steady states"),
        TableColumn("channels", "channels"),
        TableColumn("cell", "class"),
        TableColumn("remarks", "remarks"),
    )
    survey, U = found.survey, found.survey.declared.voltage
    both: list[Happened | RapidChange] = [*survey.found, *survey.changes]
    both.sort(key=lambda one: one.start)
    rows = [_row(k, one, evaluation, found, U) for k, one in enumerate(both, start=1)]
    n = {kind: sum(one.kind is kind for one in survey.found) for kind in Disturbance}
    subtitle = ", ".join([counted(n[kind], str(kind)) for kind in Disturbance] + [counted(len(survey.changes), "rapid change")])
    method = (
        *survey_method(survey),
        "rms of each cycle every half-cycle; all channels together: begins with the first beyond, ends when all are back",
        "begin and end are the starts of the cycles whose rms is the first beyond and the first back",
        f"rapid changes beyond {100 * survey.declared.rapid:g} % of U_din from the mean of the second before",
    )
    return Table("disturbances", "Disturbances", subtitle, columns, tuple(rows), method)


def _row(k: int, one: Happened | RapidChange, evaluation: Evaluation, found: Surveyed, U: float) -> tuple[Cell, ...]:
    rate, began = found.survey.rate_hz, evaluation.record.began
    start, length = evaluation.times.instant(one.start), (one.stop - one.start) / rate
    clock = began.moved(round(start * 1e9)).text(3) if began is not None else None
    names = ", ".join(found.voltages[c] for c in one.channels if c < len(found.voltages))
    if isinstance(one, RapidChange):
        share = 100 * one.largest / U
        return k, "rapid change", start, clock, length, one.largest, share, 100 * one.steady / U, names, None, None
    said = [] if one.ended else ["the record ends before it does"]
    said += [] if one.begun else ["it had begun when the record began"]
    cell = cell_of(one, length)
    return (
        k,
        str(one.kind),
        start,
        clock,
        length,
        one.extreme * U,
        100 * one.extreme,
        100 * one.depth,
        names,
        cell,
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
    rows: list[tuple[Cell, ...]] = [
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


DISTURBANCES_TABLE = TableKind(
    "disturbances", "Disturbances", "dips, swells, interruptions, rapid changes", disturbances_table, place=8
)
CELLS_TABLE = TableKind("dip_cells", "Dips by depth and duration", "how many dips fall into each cell", cells_table, place=9)
