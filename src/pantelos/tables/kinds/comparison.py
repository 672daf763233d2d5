"""Readings side by side: one column per interval, differences and ratios against the first of them."""

import math
from collections.abc import Iterable, Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import counted
from pantelos.notice import Notice
from pantelos.paper.hues import conductor
from pantelos.paper.paper import Role
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind
from pantelos.reading.reading import general_method
from pantelos.sheets.blocks import About, Cell, CellGrid, GridColumn, GridRow, Sheet
from pantelos.sheets.numbers import plain
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.tables.explaining import Explanation, explain_reading
from pantelos.tables.kind import Given, Heads, SheetLayout, TableKind


def comparison_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the readings shown beside the lanes for every channel, intervals side by side."""
    if len(places) < 2:
        raise StudyError("A comparison needs two intervals. Choose more, or make some.")
    chosen = evaluation.study.columns
    readings = dict.fromkeys([*([chosen.compare] if chosen.compare else []), *chosen.readings])
    names = evaluation.computable(Kind.SIGNAL, Kind.SERIES)
    first = evaluation.study.active if evaluation.study.active in places else places[0]
    others = [place for place in places if place != first]
    rows: list[tuple[TableCell, ...]] = []
    for at, name in enumerate(names):
        for reading in readings:
            kind = reading_kind(reading)
            assert kind is not None
            shown = kind.unit([evaluation.names.unit(name)])
            values: dict[str, float] = {}
            for place in places:
                try:
                    values[place] = evaluation.reading(kind, [name], place).value / shown.factor
                except PantelosError:
                    values[place] = math.nan
            base = values[str(first)]
            rows.append(
                (
                    name,
                    reading,
                    shown.symbol,
                    *(cell(values[place]) for place in places),
                    *(cell(values[place] - base) for place in others),
                    *(cell(values[place] / base if base else math.nan) for place in others),
                )
            )
        progress.at((at + 1) / len(names))
    columns = (
        TableColumn("channel", "channel"),
        TableColumn("reading", "reading"),
        TableColumn("unit", "unit"),
        *(TableColumn(place, place, "", f"in {place}") for place in places),
        *(TableColumn(f"diff:{place}", f"Δ {place}", "", f"{place} minus {first}") for place in others),
        *(TableColumn(f"ratio:{place}", f"÷ {place}", "", f"{place} over {first}") for place in others),
    )
    method = [f"Δ and ÷ are against {first}"]
    method += [f"{kind.title}: {general_method(kind)}" for name in readings if (kind := reading_kind(name)) is not None]
    return Table(
        "comparison", "Comparison", f"{counted(len(places), 'interval')} side by side", columns, tuple(rows), tuple(method)
    )


def _explained(evaluation: Evaluation, heads: Heads, key: str, notices: Iterable[Notice]) -> Explanation | None:
    kind = reading_kind(heads["reading"])
    if kind is None or not any(interval.name == key for interval in evaluation.study.intervals):
        return None
    return explain_reading(evaluation, kind, [heads["channel"]], key, notices)


# as a sheet


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


COMPARISON_TABLE = TableKind(
    "comparison",
    "Comparison",
    "intervals side by side, differences and ratios",
    comparison_table,
    _explained,
    SheetLayout(comparison_sheet, "Intervals compared", "differences and ratios between intervals", usual=False, place=10),
    place=5,
)
