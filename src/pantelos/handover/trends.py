"""Values of ten minutes in a workbook: numbers in full, and a native chart of each parameter, which is what is printed."""

import math
from itertools import groupby
from typing import Any

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.paper.paper import Role
from pantelos.paper.svg import colour
from pantelos.progress import Progress
from pantelos.report.sheets.quality_values import ten_minutes_table
from pantelos.report.table import Table
from pantelos.report.writers import harmless, number_sheet

TITLE = "Values of 10 min"
_FEWEST, _AHEAD = 3, 4  # values of a chart; columns before the first parameter
_CLOCK, _START = 1, 0
_INKS = ("L1", "L2", "L3")
_WIDE, _HIGH, _ROWS, _COLUMNS = 620, 250, 13, 10  # pixels of a chart, and the cells it covers
_SCALE = 115  # %, of print: two charts on a page


def trends_of(evaluation: Evaluation) -> Table | None:
    """Return the values of ten minutes, or None where there are too few for a chart."""
    try:
        found = ten_minutes_table(evaluation, (), Progress())
    except PantelosError:
        return None
    return found if len(found.rows) >= _FEWEST else None


def write_trends(book: Any, table: Table, name: str, paper: int) -> None:
    """Write a sheet with the values and a chart of each parameter beside them."""
    page = book.add_worksheet(name, number_sheet())
    bold, plain = book.add_format({"bold": True, "bottom": 1, "text_wrap": True}), book.add_format({"num_format": "0.000"})
    for at, column in enumerate(table.columns):
        page.write_string(0, at, harmless(f"{column.title} [{column.unit}]" if column.unit else column.title), bold)
        page.set_column(at, at, 19 if at == _CLOCK else 10)
        for down, row in enumerate(table.rows, start=1):
            value = row[at]
            if isinstance(value, int | float) and math.isfinite(value):
                page.write_number(down, at, value, plain)
            elif isinstance(value, str):
                page.write_string(down, at, harmless(value))
    page.freeze_panes(1, 2)
    clocked = any(row[_CLOCK] for row in table.rows)
    across, last, beside = _CLOCK if clocked else _START, len(table.rows), len(table.columns) + 1
    n_charts = 0
    # Columns of one parameter stand beside each other, named by it and the conductor.
    for symbol, some in groupby(range(_AHEAD, len(table.columns)), key=lambda at: table.columns[at].title.rpartition(" ")[0]):
        members = list(some)
        head = table.columns[members[0]]
        chart = book.add_chart({"type": "line"})
        for ink, at in zip(_INKS * len(members), members, strict=False):
            chart.add_series({
                "name": [name, 0, at], "categories": [name, 1, across, last, across], "values": [name, 1, at, last, at],
                "line": {"color": colour(ink), "width": 1.0},
            })  # fmt: skip
        title = symbol or head.title
        chart.set_y_axis({
            "name": f"{title}, {head.unit}" if head.unit else title,
            "major_gridlines": {"visible": True, "line": {"color": colour(Role.RULE)}},
        })  # fmt: skip
        chart.set_x_axis({"name": "" if clocked else "s", "interval_unit": max(last // 8, 1), "label_position": "low"})
        chart.set_legend({"position": "top"})
        chart.set_size({"width": _WIDE, "height": _HIGH})
        page.insert_chart(n_charts * _ROWS, beside, chart)
        n_charts += 1
    page.set_landscape()
    page.set_paper(paper)
    page.set_print_scale(_SCALE)  # breaks by hand count only where pages are not fitted
    page.set_h_pagebreaks([_ROWS * k for k in range(2, n_charts, 2)])
    page.set_footer("&L&8&F · &A&R&8&P / &N")
    page.print_area(0, beside, n_charts * _ROWS, beside + _COLUMNS)  # a week has a thousand rows: the charts are printed
