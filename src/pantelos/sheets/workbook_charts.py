"""Native charts of a workbook: orders beside their grid, values over time beside their table."""

from itertools import groupby
from typing import Any

from pantelos.paper.paper import Role
from pantelos.paper.svg import colour
from pantelos.sheets.blocks import CellGrid
from pantelos.sheets.table import Table

_FEWEST_BARS = 3
_AHEAD = 4  # columns before the first parameter
_CLOCK, _START = 1, 0
_INKS = ("L1", "L2", "L3")
_WIDE, _HIGH, _ROWS, _COLUMNS = 620, 250, 13, 10  # pixels of a chart, and the cells it covers
_SCALE = 115  # %, of print: two charts on a page


def chart_orders(book: Any, page: Any, grid: CellGrid, places: dict[int, int], first: int, beside: int) -> None:
    """Put a chart of the orders, whose rows begin at `first`, beside the numbers."""
    told = [k for k in places if k and grid.columns[k].title != "f"]
    numbers = [k for k in told if any(row.cells[k].value is not None for row in grid.rows if not row.group)]
    rows = [down for down, row in enumerate(grid.rows) if not row.group and any(row.cells[k].value is not None for k in numbers)]
    if not numbers or len(rows) < _FEWEST_BARS:
        return
    low, high, name = first + rows[0], first + rows[-1], page.get_name()
    chart = book.add_chart({"type": "column"})
    for k in numbers:
        at = places[k]
        series = {"name": [name, first - 1, at], "categories": [name, low, 0, high, 0], "values": [name, low, at, high, at]}
        chart.add_series({**series, "fill": {"color": colour(grid.columns[k].ink)}})
    chart.set_x_axis({"name": "order"})
    _set_up(chart, "% of the fundamental", 560, 260)
    page.insert_chart(first - 1, beside, chart)


def chart_trends(book: Any, page: Any, table: Table) -> None:
    """Put a chart of each parameter beside a table of values over time, and have those printed: a week has a thousand rows."""
    clocked = any(row[_CLOCK] for row in table.rows)
    across, last, beside, name = _CLOCK if clocked else _START, len(table.rows), len(table.columns) + 1, page.get_name()
    n_charts = 0
    # Columns of one parameter stand beside each other, named by it and the conductor.
    for symbol, some in groupby(range(_AHEAD, len(table.columns)), key=lambda at: table.columns[at].title.rpartition(" ")[0]):
        members = list(some)
        head = table.columns[members[0]]
        chart = book.add_chart({"type": "line"})
        for ink, at in zip(_INKS * len(members), members, strict=False):
            series = {"name": [name, 0, at], "categories": [name, 1, across, last, across], "values": [name, 1, at, last, at]}
            chart.add_series({**series, "line": {"color": colour(ink), "width": 1.0}})
        title = symbol or head.title
        chart.set_x_axis({"name": "" if clocked else "s", "interval_unit": max(last // 8, 1), "label_position": "low"})
        _set_up(chart, f"{title}, {head.unit}" if head.unit else title, _WIDE, _HIGH)
        page.insert_chart(n_charts * _ROWS, beside, chart)
        n_charts += 1
    page.freeze_panes(1, 2)
    page.set_print_scale(_SCALE)  # breaks by hand count only where pages are not fitted
    page.set_h_pagebreaks([_ROWS * k for k in range(2, n_charts, 2)])
    page.print_area(0, beside, n_charts * _ROWS, beside + _COLUMNS)


def _set_up(chart: Any, title: str, width: int, height: int) -> None:
    chart.set_y_axis({"name": title, "major_gridlines": {"visible": True, "line": {"color": colour(Role.RULE)}}})
    chart.set_legend({"position": "top"})
    chart.set_size({"width": width, "height": height})
