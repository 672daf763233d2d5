"""Readings: channels as rows, the readings shown beside the lanes as columns, an interval after the other."""

import math

from pantelos.accuracy.budget import left_out
from pantelos.engine.uncertainty import try_accuracy
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.compiled import Kind
from pantelos.handover.blocks import About, Block, Cell, CellGrid, GridColumn, GridRow, Sheet, Words
from pantelos.handover.numbers import row_cells
from pantelos.handover.sheets.sheet import Given, SheetKind
from pantelos.notation import PARTLY, counted
from pantelos.paper.hues import conductor
from pantelos.paper.paper import Role
from pantelos.reading.kinds import reading_kind


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
    return Sheet("readings", "Readings", said, tuple(blocks))


def _side_by_side(columns: list[GridColumn], rows: list[GridRow], n_kinds: int, given: Given) -> list[Block]:
    """Return grids that fit the width: as many intervals beside each other as there is room for."""
    beside = max(6 // n_kinds, 1)
    grids: list[Block] = []
    for first in range(0, len(given.places), beside):
        kept = slice(1 + first * n_kinds, 1 + (first + beside) * n_kinds)
        grids.append(CellGrid((columns[0], *columns[kept]), tuple(GridRow((row.cells[0], *row.cells[kept])) for row in rows)))
    return grids


READINGS_SHEET = SheetKind("readings", "Readings", "what stands beside the lanes, in every interval", readings_sheet, place=8)
