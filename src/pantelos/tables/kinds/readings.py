"""Readings per channel and interval."""

import math
from collections.abc import Iterable, Sequence

from pantelos.accuracy.budget import left_out
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import try_accuracy
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import PARTLY, counted
from pantelos.notice import Notice
from pantelos.paper.hues import conductor
from pantelos.paper.paper import Role
from pantelos.progress import Progress
from pantelos.reading.kinds import READINGS, reading_kind
from pantelos.reading.reading import ReadingKind, Suits, general_method
from pantelos.sheets.blocks import About, Block, Cell, CellGrid, GridColumn, GridRow, Sheet, Words
from pantelos.sheets.numbers import row_cells
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.tables.explaining import Explanation, explain_reading
from pantelos.tables.kind import Given, Heads, SheetLayout, TableKind
from pantelos.tables.subjects import windows_used
from pantelos.units import unit


def _shown(evaluation: Evaluation) -> tuple[ReadingKind, ...]:
    """Return the readings every table has, and those the user shows beside the lanes."""
    wanted = {*evaluation.study.columns.readings, evaluation.study.columns.compare}
    return tuple(kind for kind in READINGS if (kind.usual or kind.name in wanted) and kind.tabled)


def readings_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the usual readings, and those shown beside the lanes, of every channel in every interval."""
    names = evaluation.computable(Kind.SIGNAL, Kind.SERIES)
    shown_readings = _shown(evaluation)
    columns = [
        TableColumn("interval", "interval"),
        TableColumn("channel", "channel"),
        TableColumn("unit", "unit"),
        *(
            TableColumn(
                kind.name, kind.title, "" if kind.unit([unit("V")]) == unit("V") else kind.unit([unit("V")]).symbol, kind.help
            )
            for kind in shown_readings
        ),
        TableColumn("missing", "missing", "", "samples of the interval that have no value"),
        TableColumn("reference", "cycles of", "", "whose whole cycles the readings are taken over"),
        TableColumn("remarks", "remarks", "", "what is not given and why, and what a review should know"),
    ]
    rows: list[tuple[TableCell, ...]] = []
    for place in places:
        for name in names:
            shown = evaluation.names.unit(name)
            cells: list[TableCell] = [place, name, shown.symbol]
            remarks: dict[str, list[str]] = {}
            for kind in shown_readings:
                if not _applies(evaluation, kind, name):
                    cells.append(None)
                    continue
                found = evaluation.reading(kind, [name], place)
                cells.append(cell(found.value / kind.unit([shown]).factor))
                for said in (f"not given: {found.why_not}" if found.why_not else "", *found.remarks):
                    remarks.setdefault(said, []).append(kind.title)
            said = "; ".join(f"{', '.join(kinds)}: {text}" for text, kinds in remarks.items() if text)
            reference = evaluation.references.of([name])
            cycles = reference.channel if reference.cycles is not None else f"none: {reference.why}"
            rows.append((*cells, evaluation.n_missing(name, place), cycles, said or None))
            progress.at(len(rows) / (len(places) * len(names)))
    method = [f"{kind.title}: {general_method(kind)}" for kind in shown_readings]
    subtitle = f"{counted(len(names), 'channel')}, {counted(len(places), 'interval')}"
    method.append("missing samples are left out; a reading with more than 5 % of them missing is not given")
    method += windows_used(evaluation, places)
    return Table("readings", "Readings", subtitle, tuple(columns), tuple(rows), tuple(method))


def _applies(evaluation: Evaluation, kind: ReadingKind, name: str) -> bool:
    """Return whether a reading says something of a channel."""
    if kind.suits is Suits.HARMONIC:
        return name in evaluation.references.harmonic_channels()
    if kind.suits is Suits.ELECTRICAL:
        shown = evaluation.names.unit(name)
        return evaluation.names.kind(name) is Kind.SIGNAL and (shown.like(unit("V")) or shown.like(unit("A")))
    return True


def _explained(evaluation: Evaluation, heads: Heads, key: str, notices: Iterable[Notice]) -> Explanation | None:
    kind = reading_kind(key)
    return explain_reading(evaluation, kind, [heads["channel"]], heads["interval"], notices) if kind is not None else None


# as a sheet


def readings_sheet(given: Given) -> Sheet:
    """Return the readings beside the lanes, of the channels in them."""
    evaluation, study = given.evaluation, given.evaluation.study
    kinds = [kind for name in study.columns.readings if (kind := reading_kind(name)) is not None and len(kind.arguments) == 1]
    names = [
        n
        for lane in study.lanes
        for n in lane.channels
        if n in evaluation.names.types and evaluation.names.kind(n) is not Kind.SCALAR
    ]
    if not kinds or not names:
        raise StudyError("No readings are shown beside the lanes. Choose some on the Traces page.")
    columns = [GridColumn("channel", right=False)]
    columns += [GridColumn(kind.title, Role.INK, place) for place in given.places for kind in kinds]
    rows, silent = [], set[str]()
    for name in dict.fromkeys(names):
        ink, cells = conductor(study, name) or Role.INK, list[Cell]()
        for place in given.places:
            for kind in kinds:
                about = About("readings", (("interval", place), ("channel", name)), kind.name)
                try:
                    found = evaluation.reading(kind, (name,), place)
                    stated = try_accuracy(evaluation, kind, (name,), place)
                    silent |= set(stated.without_phase)
                    symbol, (cell,) = row_cells(
                        [found.value],
                        [stated.expanded],
                        found.unit,
                        [ink],
                        [about],
                        given.report.accuracy,
                        [False],
                        [bool(stated.leaves_out)],
                        [stated.seen],
                    )
                    if math.isfinite(found.value) and symbol:
                        cell = Cell(f"{cell.text} {symbol}", cell.within, cell.ink, about=about, value=cell.value)
                except PantelosError:
                    cell = Cell("—", ink=Role.SOFT)
                cells.append(cell)
        rows.append(GridRow((Cell(name, ink=ink, bold=True), *cells)))
    said = f"{counted(len(rows), 'channel')}, {counted(len(given.places), 'interval')}"
    blocks = _side_by_side(columns, rows, len(kinds), given)
    if silent and given.report.accuracy:
        blocks.append(Words(f"{PARTLY} ± {left_out(sorted(silent))}: their chains state none", Role.SOFT))
    return Sheet("readings", "Readings", said, tuple(blocks), abreast=2)


def _side_by_side(columns: list[GridColumn], rows: list[GridRow], n_kinds: int, given: Given) -> list[Block]:
    """Return grids that fit the width: as many intervals beside each other as there is room for."""
    beside = max(6 // n_kinds, 1)
    grids: list[Block] = []
    for first in range(0, len(given.places), beside):
        kept = slice(1 + first * n_kinds, 1 + (first + beside) * n_kinds)
        grids.append(CellGrid((columns[0], *columns[kept]), tuple(GridRow((row.cells[0], *row.cells[kept])) for row in rows)))
    return grids


READINGS_TABLE = TableKind(
    "readings",
    "Readings",
    "every channel in every interval",
    readings_table,
    _explained,
    SheetLayout(readings_sheet, help="what stands beside the lanes, in every interval", place=8),
    place=1,
)
