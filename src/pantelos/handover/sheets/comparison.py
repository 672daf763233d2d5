"""Intervals compared: the reading chosen beside the lanes, of every channel, its differences and ratios."""

from pantelos.errors import StudyError
from pantelos.handover.blocks import About, Cell, CellGrid, GridColumn, GridRow, Sheet
from pantelos.handover.numbers import plain
from pantelos.handover.sheets.sheet import Given, SheetKind
from pantelos.paper.hues import conductor
from pantelos.paper.paper import Role
from pantelos.report.sheets.comparison import comparison_table


def comparison_sheet(given: Given) -> Sheet:
    """Return the table of comparison as a page: a row each, numbers as they are exported, remarks left out."""
    if len(given.places) < 2:
        raise StudyError("A comparison needs two intervals. Tick another one.")
    table = comparison_table(given.evaluation, given.places, given.progress)
    places = {column.key: k for k, column in enumerate(table.columns)}
    texts = [places[key] for key in ("channel", "reading", "unit")]
    numbers = [
        (places[f"{how}{place}"], place, title)
        for place in given.places
        for how, title in (("", "value"), ("diff:", "Δ"), ("ratio:", "÷"))
        if f"{how}{place}" in places
    ]
    shown = [*texts, *(k for k, _, _ in numbers)]
    columns = (
        *(GridColumn(table.columns[k].title, right=False) for k in texts),
        *(GridColumn(title, Role.INK, place) for _, place, title in numbers),
    )
    rows = []
    for row in table.rows:
        heads = tuple((table.columns[k].key, str(row[k])) for k in texts)
        cells = []
        for k in shown:
            value = row[k]
            if isinstance(value, float):
                cells.append(Cell(plain(value), about=About("comparison", heads, table.columns[k].key), value=value))
            else:
                ink = (
                    conductor(given.evaluation.study, value)
                    if isinstance(value, str) and value in given.evaluation.study.names
                    else ""
                )
                cells.append(Cell("" if value is None else str(value), ink=ink or Role.INK, bold=bool(ink)))
        rows.append(GridRow(tuple(cells)))
    return Sheet("comparison", "Intervals compared", table.subtitle, (CellGrid(columns, tuple(rows)),))


COMPARISON_SHEET = SheetKind(
    "comparison", "Intervals compared", "differences and ratios between intervals", comparison_sheet, usual=False, place=10
)
